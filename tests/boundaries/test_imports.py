"""Who may import whom. Breaking it is a red test, not a review remark."""

import ast
import re
import subprocess
import sys
from functools import cache
from pathlib import Path

import pytest

from tests.conftest import ROOT, shipped

SRC = ROOT / "src"
# For each package or part: what of ours it may import. Left may import right, never the reverse.
MAY = {
    "netloom_core": {"netloom_core"},
    "netloom_standins": {
        "netloom_standins",
        "netloom_core.errors",
        "netloom_core.protocols",
        "netloom_core.profiles",
        "netloom_core.library",
        "netloom_core.model",
        "netloom_core.documents.tree",
        "netloom_core.bus.timing",
    },
    "netloom_server": {"netloom_server", "netloom_core"},
    "netloom_cli": {"netloom_cli"},
}
# Every folder and file of the core, lowest first: each may import what stands above it, if it is named.
CORE = {
    "errors": [],
    "clock": [],
    "together": [],
    "patience": [],
    "trace": [],
    "model": ["errors"],
    "documents": ["errors", "model"],
    "identity": ["model"],
    "protocols": ["errors"],
    "edid": ["errors"],
    "types": ["errors", "edid"],
    "profiles": ["errors", "model", "documents", "types"],
    "links": ["errors", "protocols"],
    "bus": ["errors", "clock", "patience", "model", "protocols", "links"],
    "addressing": ["errors", "model", "documents"],
    "leases": ["errors", "clock", "model", "protocols", "links"],
    "levels": ["errors", "clock", "model", "protocols", "links"],
    "drivers": ["errors", "patience", "model", "documents", "protocols", "types", "profiles", "links", "bus"],
    "library": ["errors", "model", "documents", "types", "profiles", "drivers"],
    "routing": ["documents", "profiles", "types", "edid"],
    "live": ["errors", "clock", "model", "documents", "identity", "profiles", "bus", "drivers"],
    "console": ["errors", "model", "protocols", "links", "bus"],
    "plan": ["errors", "model", "documents", "profiles", "drivers"],
    "run": ["errors", "clock", "together", "model", "documents", "profiles", "bus", "library", "live", "plan"],
    "backup": ["errors", "documents", "profiles", "plan"],
    "sweep": [
        "errors", "clock", "patience", "model", "documents", "identity", "protocols", "profiles", "links", "bus",
        "drivers", "library", "live",
    ],
    "absence": ["errors", "together", "model", "profiles", "links", "library", "sweep"],
    "engine": [
        "errors", "clock", "together", "trace", "model", "documents", "profiles", "bus", "drivers", "library", "live",
        "plan", "run", "backup", "sweep", "absence", "leases", "levels",
    ],
    "testing": [
        "errors", "model", "documents", "identity", "addressing", "leases", "profiles", "links", "bus", "drivers",
        "library", "live", "plan", "backup", "engine",
    ],
    "rehearsal": [
        "errors", "model", "documents", "profiles", "library", "bus", "live", "run", "engine", "testing",
    ],
}  # fmt: skip
# Where a whole folder would be too much.
ONLY = {
    "links": {"protocols.telnet", "protocols.tftp", "protocols.arp", "protocols.framing"},
    "documents": {"model.change"},
    "plan": {"drivers.abilities"},
    "engine": {"drivers.abilities"},
}
# The server's layers, lowest first, and for each of its folders which others it may know.
LAYERS = ["base", "care", "config", "records", "services", "host", "api", "start"]
SERVER = {
    "base": [],
    "care": ["base"],
    "config": ["base"],
    "accounts": ["base", "host", "runs"],
    "installation": ["base", "accounts", "host", "runs", "backups", "consoles", "routing"],
    "runs": ["base", "accounts", "host", "installation", "backups", "firmware"],
    "backups": ["base", "accounts", "host", "installation", "runs"],
    "consoles": ["base", "accounts", "host", "installation"],
    "papers": ["base", "accounts", "host", "installation", "runs", "backups"],
    "routing": ["base", "accounts", "host", "installation", "runs", "backups"],
    "firmware": ["base", "accounts", "host", "installation", "runs"],
    "host": ["base", "care", "installation", "runs", "backups", "consoles", "papers", "routing", "firmware"],
}
# Codecs and plans never wait and never touch the world.
PURE = [
    "netloom_core/protocols",
    "netloom_core/addressing",
    "netloom_core/plan",
    "netloom_core/documents",
    "netloom_core/identity",
    "netloom_core/types",
    "netloom_core/profiles",
    "netloom_core/run/undo.py",
    "netloom_core/run/journal.py",
    "netloom_core/sweep/identity.py",
    "netloom_core/backup/verify.py",
]
WORLD = {"asyncio", "socket", "time", "os", "threading", "serial", "httpx", "subprocess", "select"}
TS_IMPORT = re.compile(r"""^(?!import type)(?:import|export)[^;]*?from "(\.[^"]+)";""", re.M)
FRAMEWORKS = {"django", "rest_framework", "uvicorn", "typer"}


def files_of(name: str) -> list[Path]:
    path = SRC / name.replace(".", "/")
    return sorted(path.rglob("*.py")) if path.is_dir() else [path.with_suffix(".py")]


@cache
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


def core_imports(part: str) -> set[str]:
    """What a part of the core imports of its other parts, below `netloom_core`."""
    found = set()
    for file in files_of(f"netloom_core.{part}"):
        for name in imports(file):
            below = name.removeprefix("netloom_core.")
            if below != name and below.split(".")[0] != part:
                found.add(below)
    return found


def test_the_table_names_every_part_of_the_core() -> None:
    there = {path.stem for path in (SRC / "netloom_core").iterdir() if not path.name.startswith("__")}
    assert there == set(CORE)


@pytest.mark.parametrize("part", CORE)
def test_the_core_imports_upwards_only(part: str) -> None:
    """What a part may import stands before it in the table, so there can be no circle."""
    order = list(CORE)
    assert all(order.index(other) < order.index(part) for other in CORE[part])
    for name in core_imports(part):
        assert name.split(".")[0] in CORE[part], f"{part} imports {name}"
        narrow = {only for only in ONLY.get(part, set()) if only.split(".")[0] == name.split(".")[0]}
        assert not narrow or any(name == only or name.startswith(f"{only}.") or only.startswith(f"{name}.")
                                 for only in narrow), f"{part} imports {name}"  # fmt: skip


def graph_of(package: str) -> dict[str, set[str]]:
    """Each file of a package and which other files of it it imports."""
    files = {
        str(file.relative_to(SRC).with_suffix("")).replace("/", ".").removesuffix(".__init__"): imports(file)
        for file in files_of(package)
    }
    return {name: {one for one in told if one in files and one != name} for name, told in files.items()}


def circles(graph: dict[str, set[str]]) -> set[str]:
    """The files that are in a circle, or lead into one."""
    while free := {name for name, told in graph.items() if not told & graph.keys()}:
        graph = {name: told for name, told in graph.items() if name not in free}
    return set(graph)


@pytest.mark.parametrize("package", ["netloom_core", "netloom_server", "netloom_standins", "netloom_cli"])
def test_no_circle_of_imports_is_left_between_files(package: str) -> None:
    assert not circles(graph_of(package))


def layer_of(name: str) -> str:
    """The layer of a file of the server, by its path."""
    first, *rest = name.removeprefix("netloom_server").strip(".").split(".")
    if first in ("", "main", "demo") or name in ("netloom_server.config.urls", "netloom_server.config.asgi"):
        return "start"
    if first in ("base", "care", "config", "host"):
        return first
    if rest[:1] == ["models"] or "migrations" in rest:
        return "records"
    return "api" if "api" in rest else "services"


def test_the_layers_of_the_server_see_only_those_below() -> None:
    """Records, services, the engine's host, api: each sees what is left of it."""
    for name, told in graph_of("netloom_server").items():
        for other in told - {"netloom_server"}:
            mine, its = LAYERS.index(layer_of(name)), LAYERS.index(layer_of(other))
            assert its <= mine, f"{name} ({layer_of(name)}) imports {other} ({layer_of(other)})"


def test_the_table_names_every_folder_of_the_server() -> None:
    folders = {path.name for path in (SRC / "netloom_server").iterdir() if (path / "__init__.py").exists()}
    assert folders == set(SERVER)


@pytest.mark.parametrize("folder", SERVER)
def test_folders_of_the_server_import_those_that_are_named(folder: str) -> None:
    for name, told in graph_of("netloom_server").items():
        if name.split(".")[1:2] == [folder] and layer_of(name) != "start":
            others = {other.split(".")[1] for other in told if "." in other} - {folder}
            assert others <= set(SERVER[folder]), f"{name} imports {sorted(others - set(SERVER[folder]))}"


def test_no_circle_of_imports_is_left_in_the_interface() -> None:
    web = ROOT / "web/src"
    files = {file for file in web.rglob("*.ts*") if file.name != "schema.d.ts"}
    graph: dict[str, set[str]] = {}
    for file in files:
        told = set()
        for target in TS_IMPORT.findall(file.read_text()):
            base = str((file.parent / target).resolve())
            tries = [Path(base + end) for end in (".ts", ".tsx", "/index.ts", "/index.tsx")]
            told |= {str(one.relative_to(web)) for one in tries if one in files}
        graph[str(file.relative_to(web))] = told
    assert sum(map(len, graph.values())) > 100, "imports are found"
    assert not circles(graph)


def test_the_core_knows_no_framework() -> None:
    for file in files_of("netloom_core"):
        assert not {name.split(".")[0] for name in imports(file)} & FRAMEWORKS, file


@pytest.mark.parametrize("place", PURE)
def test_pure_parts_stay_pure(place: str) -> None:
    path = SRC / place
    for file in sorted(path.rglob("*.py")) if path.is_dir() else [path]:
        assert not {name.split(".")[0] for name in imports(file)} & WORLD, file


def test_no_screen_knows_a_maker_or_model() -> None:
    names = {name for profile in shipped() for name in (profile.maker, profile.model)}
    known = re.compile(rf"\b({'|'.join(map(re.escape, sorted(names)))})\b")
    for file in (ROOT / "web/src").rglob("*.ts*"):
        assert not (it := known.search(file.read_text())), f"{file.name} knows {it}"


def test_files_stay_small() -> None:
    for file in [*SRC.rglob("*.py"), *(ROOT / "tests").rglob("*.py"), *(ROOT / "web/src").rglob("*.ts*")]:
        if "migrations" not in file.parts and file.name != "schema.d.ts":
            assert len(file.read_text().splitlines()) <= 600, file


@pytest.mark.parametrize("words", [["ruff", "check", "."], ["ruff", "format", "--check", "."], ["mypy"]], ids=" ".join)
def test_checkers_are_content(words: list[str]) -> None:
    done = subprocess.run([sys.executable, "-m", *words], cwd=ROOT, capture_output=True, text=True, timeout=280)
    assert done.returncode == 0, done.stdout + done.stderr
