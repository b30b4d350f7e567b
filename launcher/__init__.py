"""Setting up and starting, with the standard library alone: it runs before anything is installed."""
