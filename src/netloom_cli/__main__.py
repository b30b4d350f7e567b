from netloom_cli.main import run

run()
