"""Who may import whom. Breaking it is a red test, not a review remark."""

import ast
import re
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import ROOT

SRC = ROOT / "src"
# For each package or part: what of ours it may import. Left may import right, never the reverse.
MAY = {
    "netloom_core": {"netloom_core"},
    "netloom_standins": {
        "netloom_standins",
        "netloom_core.errors",
        "netloom_core.protocols",
        "netloom_core.profiles",
        "netloom_core.model",
        "netloom_core.plan.documents",
        "netloom_core.bus.timing",
    },
    "netloom_server": {"netloom_server", "netloom_core"},
    "netloom_cli": {"netloom_cli"},
    "netloom_core.errors": set(),
    "netloom_core.clock": set(),
    "netloom_core.model": {"netloom_core.errors", "netloom_core.model"},
    "netloom_core.protocols": {"netloom_core.errors", "netloom_core.protocols"},
    "netloom_core.links": {"netloom_core.errors", "netloom_core.links", "netloom_core.protocols.telnet"},
    "netloom_core.profiles": {"netloom_core.errors", "netloom_core.profiles", "netloom_core.plan.documents"},
    "netloom_core.addressing": {"netloom_core.errors", "netloom_core.model", "netloom_core.addressing"},
}
# Codecs and plans never wait and never touch the world.
PURE = [
    "netloom_core/protocols",
    "netloom_core/addressing",
    "netloom_core/plan/planner.py",
    "netloom_core/plan/diff.py",
    "netloom_core/plan/documents.py",
    "netloom_core/sweep/identity.py",
    "netloom_core/backup/verify.py",
]
WORLD = {"asyncio", "socket", "time", "os", "threading", "serial", "httpx", "subprocess", "select"}
FRAMEWORKS = {"django", "rest_framework", "uvicorn", "typer"}


def files_of(name: str) -> list[Path]:
    path = SRC / name.replace(".", "/")
    return sorted(path.rglob("*.py")) if path.is_dir() else [path.with_suffix(".py")]


def imports(file: Path) -> set[str]:
    found: set[str] = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            found |= {f"{node.module}.{alias.name}" for alias in node.names}
    return found


def within(name: str, allowed: set[str]) -> bool:
    return any(name == one or name.startswith(one + ".") or one.startswith(name + ".") for one in allowed)


@pytest.mark.parametrize("part", MAY)
def test_imports_go_one_way(part: str) -> None:
    for file in files_of(part):
        for name in imports(file):
            if name.startswith("netloom_"):
                assert within(name, MAY[part]), f"{file.relative_to(SRC)} imports {name}"


def test_the_core_knows_no_framework() -> None:
    for file in files_of("netloom_core"):
        assert not {name.split(".")[0] for name in imports(file)} & FRAMEWORKS, file


@pytest.mark.parametrize("place", PURE)
def test_pure_parts_stay_pure(place: str) -> None:
    path = SRC / place
    for file in sorted(path.rglob("*.py")) if path.is_dir() else [path]:
        assert not {name.split(".")[0] for name in imports(file)} & WORLD, file


def test_no_screen_knows_a_maker_or_model() -> None:
    import yaml

    for profile in (ROOT / "profiles").rglob("*.yaml"):
        data = yaml.safe_load(profile.read_text())
        for file in (ROOT / "web/src").rglob("*.ts*"):
            for name in (data["maker"], data["model"]):
                assert not re.search(rf"\b{re.escape(name)}\b", file.read_text()), f"{file.name} knows {name}"


def test_files_stay_small() -> None:
    for file in [*SRC.rglob("*.py"), *(ROOT / "tests").rglob("*.py"), *(ROOT / "web/src").rglob("*.ts*")]:
        if "migrations" not in file.parts and file.name != "schema.d.ts":
            assert len(file.read_text().splitlines()) <= 600, file


@pytest.mark.parametrize("words", [["ruff", "check", "."], ["ruff", "format", "--check", "."], ["mypy"]], ids=" ".join)
def test_checkers_are_content(words: list[str]) -> None:
    done = subprocess.run([sys.executable, "-m", *words], cwd=ROOT, capture_output=True, text=True, timeout=280)
    assert done.returncode == 0, done.stdout + done.stderr
