"""Talking to the running server of a data folder."""

from __future__ import annotations

import functools
import json
import os
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NoReturn

import httpx
import typer

DONE, WORDS, DIFFERS, FAILED, REFUSED = 0, 2, 3, 4, 5
POLL_S = 0.2
CALL_S = 60.0
EXIT_BY_CODE = {
    "no-right": REFUSED,
    "conflict": REFUSED,
    "busy": REFUSED,
    "address-taken": REFUSED,
    "stale-plan": REFUSED,
    "signed-out": REFUSED,
    "wrong-model": REFUSED,
    "port-missing": FAILED,
    "port-busy": REFUSED,
    "no-answer": FAILED,
    "wrong-credentials": FAILED,
    "refused": FAILED,
    "read-back": FAILED,
    "device-busy": FAILED,
    "protocol": FAILED,
    "archive-damaged": DIFFERS,
    "not-running": REFUSED,
}


class Context:
    """What every command shares: the data folder, and whether JSON is wanted."""

    def __init__(self) -> None:
        self.data: Path | None = None
        self.json = False


context = Context()


def default_data() -> Path:
    base = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    return context.data or Path(os.environ.get("NETLOOM_DATA") or base / "netloom")


def note(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def give(document: dict[str, Any]) -> None:
    """The one JSON document on standard output."""
    print(json.dumps(document, indent=2, ensure_ascii=False))


def fail(code: str, message: str, hint: str, exit_code: int | None = None) -> NoReturn:
    if context.json:
        give({"error": {"code": code, "message": message, "try": hint}})
    note(message if not hint else f"{message}\n  Try: {hint}")
    raise typer.Exit(exit_code if exit_code is not None else EXIT_BY_CODE.get(code, WORDS))


def found_file(name: str, what: str) -> dict[str, Any]:
    path = default_data() / name
    try:
        parsed: dict[str, Any] = json.loads(path.read_text())
    except (OSError, ValueError):
        fail(
            "not-running",
            f"No {what} is running on {default_data()}.",
            "Start it with `./netloom demo` or `./netloom serve`, or name its folder with --data.",
        )
    return parsed


@functools.cache
def _client() -> httpx.Client:
    """One client for all calls; plain HTTP on loopback needs no certificates."""
    return httpx.Client(timeout=CALL_S, trust_env=False, verify=False)  # noqa: S501


def call(method: str, path: str, body: Any = None, *, content: bytes | None = None, raw: bool = False) -> Any:
    """One call of the API. Ends the program with the API's own words when it refuses."""
    server = found_file("server.json", "server")
    headers = {"Authorization": f"Bearer {server['token']}"}
    if content is not None:
        headers |= {"Content-Type": "application/zip", "Content-Disposition": "attachment; filename=archive.zip"}
    try:
        response = _client().request(method, server["url"] + path, json=body, content=content, headers=headers)
    except httpx.HTTPError:
        fail("not-running", f"The server at {server['url']} does not answer.", "Is it still running? Start it again.")
    if response.status_code >= 400:
        try:
            error = response.json()["error"]
        except (ValueError, KeyError):
            fail("server", f"The server failed ({response.status_code}).", "Its own output says more.", FAILED)
        fail(error["code"], error["message"], error["try"])
    if raw:
        return response.content
    return response.json() if response.content else {}


def follow(run: dict[str, Any], told: Callable[[dict[str, Any]], None] | None = None) -> dict[str, Any]:
    """Wait for a run to end; tells each settled step once, on standard error."""
    seen: set[int] = set()
    while True:
        run = call("GET", f"/api/runs/{run['id']}")
        for step in run.get("steps", []):
            if step["state"] not in ("pending", "acting") and step["ordinal"] not in seen:
                seen.add(step["ordinal"])
                if not context.json and told is None:
                    why = f": {step['message']}" if step["message"] else ""
                    note(f"  {step['name']}: {step['action']} {step['state']}{why}")
        if run["state"] not in ("waiting", "running"):
            return run
        time.sleep(POLL_S)


def begin(body: dict[str, Any]) -> dict[str, Any]:
    run: dict[str, Any] = call("POST", "/api/runs", body)
    return run
