"""The interface's pure TypeScript, its types, and the types made of the API's schema."""

import shutil
import subprocess
from pathlib import Path

from tests.conftest import ROOT

WEB = ROOT / "web"


def npx(*words: str) -> None:
    npx_path = shutil.which("npx")
    assert npx_path, "Node.js is needed for the interface's tests"
    done = subprocess.run([npx_path, "--no-install", *words], cwd=WEB, capture_output=True, text=True, timeout=600)
    assert done.returncode == 0, done.stdout[-4000:] + done.stderr[-4000:]


def test_vitest() -> None:
    npx("vitest", "run")


def test_types() -> None:
    npx("tsc", "--noEmit")


def test_the_apis_types_are_those_of_its_schema(tmp_path: Path) -> None:
    fresh = tmp_path / "schema.d.ts"
    npx("openapi-typescript", "../src/netloom_server/schema.yml", "-o", str(fresh))
    assert fresh.read_text() == (WEB / "src/api/schema.d.ts").read_text(), "run `npm run types`"
