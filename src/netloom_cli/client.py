"""Talking to the running server of a data folder."""

from __future__ import annotations

import contextlib
import hashlib
import http.client
import json
import os
import select
import sys
import time
import urllib.parse
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NoReturn

import typer

DONE, WORDS, DIFFERS, FAILED, REFUSED = 0, 2, 3, 4, 5
POLL_S = 0.2
PIECE = 1 << 20
DOWNLOADS = 200
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
    "not-proven": FAILED,
    "wrong-device": FAILED,
    "key-lost": FAILED,
    "cannot-do": WORDS,
    "reason-wanted": REFUSED,
    "fenced": REFUSED,
    "locked": REFUSED,
    "level-wanted": FAILED,
    "store": FAILED,
    "disk-full": REFUSED,
    "read-only": REFUSED,
    "disk": REFUSED,
    "damaged": REFUSED,
    "records": REFUSED,
    "locked-out": REFUSED,
}


class Context:
    """What every command shares: the data folder, and whether JSON is wanted."""

    def __init__(self) -> None:
        self.data: Path | None = None
        self.json = False
        self.run = ""  # that was begun and is waited for


context = Context()


class Unanswered(OSError):
    """It was asked, and what came of that nobody knows."""


def default_data() -> Path:
    base = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    return context.data or Path(os.environ.get("NETLOOM_DATA") or base / "netloom")


def note(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def give(document: dict[str, Any]) -> None:
    """The one JSON document on standard output."""
    print(json.dumps(document, indent=2, ensure_ascii=False))


def fail(code: str, message: str, hint: str, exit_code: int | None = None) -> NoReturn:
    if context.run and code in ("not-running", "no-answer"):
        message += f" Run {context.run} was begun, and what came of it is not known here."
        hint = "Start it again if it has ended: it concludes what was begun, and `journal` tells how."
        exit_code = FAILED
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


def quoted(word: str) -> str:
    """A person's word as a part of an address of the API."""
    return urllib.parse.quote(word, safe="")


def _connected(url: urllib.parse.SplitResult, certificate: str) -> http.client.HTTPConnection:
    """To the server; over TLS only to the one whose certificate is in the file. Raises OSError."""
    if url.scheme != "https":
        plain = http.client.HTTPConnection(url.hostname or "", url.port, timeout=CALL_S)
        plain.connect()
        return plain
    import ssl

    wanted = ssl.PEM_cert_to_DER_cert(_first_certificate(Path(certificate).read_text()))
    trust = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    trust.check_hostname, trust.verify_mode = False, ssl.CERT_NONE  # it is compared as a whole instead
    connection = http.client.HTTPSConnection(url.hostname or "", url.port, timeout=CALL_S, context=trust)
    connection.connect()
    if connection.sock.getpeercert(binary_form=True) != wanted:
        connection.close()
        raise OSError("another server answers there")
    return connection


def _first_certificate(text: str) -> str:
    end = "-----END CERTIFICATE-----"
    begin = text.index("-----BEGIN CERTIFICATE-----")
    return text[begin : text.index(end, begin) + len(end)]


def send(
    method: str, url: str, token: str, body: Any = None, content: bytes | None = None, *, certificate: str = ""
) -> tuple[int, bytes]:
    """One HTTP call on this computer: status and content. Raises OSError when nobody is there, and Unanswered when
    somebody is who does not answer.

    The standard library's client: it is there at once, where a larger one takes longer to
    load than most commands take to run.
    """
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    data = json.dumps(body).encode() if body is not None else content
    if content is not None:
        headers |= {"Content-Type": "application/zip", "Content-Disposition": "attachment; filename=archive.zip"}
    split = urllib.parse.urlsplit(url)
    connection = _connected(split, certificate)
    try:
        target = split.path + (f"?{split.query}" if split.query else "")
        with contextlib.suppress(BrokenPipeError, ConnectionResetError):  # it may have refused before it had all of it
            connection.request(method, target, data, headers)
        answer = connection.getresponse()
        return answer.status, answer.read()
    except (http.client.HTTPException, OSError) as error:
        raise Unanswered(str(error)) from error
    finally:
        connection.close()


def call(method: str, path: str, body: Any = None, *, content: bytes | None = None, raw: bool = False) -> Any:
    """One call of the API. Ends the program with the API's own words when it refuses."""
    server = found_file("server.json", "server")
    try:
        known = server.get("certificate", "")
        status, answer = send(method, server["url"] + path, server["token"], body, content, certificate=known)
    except Unanswered:
        message = f"The server at {server['url']} did not answer that"
        message += "." if method == "GET" else ": whether it was done is not known."
        fail("no-answer", message, "It may be busy, or have ended: see what there is now, then ask again.")
    except OSError:
        fail("not-running", f"The server at {server['url']} does not answer.", "Is it still running? Start it again.")
    if status >= 400:
        try:
            error = json.loads(answer)["error"]
        except (ValueError, KeyError):
            fail("server", f"The server failed ({status}).", "Its own output says more.", FAILED)
        fail(error["code"], error["message"], error["try"])
    if raw:
        return answer
    return json.loads(answer) if answer else {}


def download(path: str, file: Path) -> tuple[int, str]:
    """Write an answer to a file, piece by piece; its size and SHA-256. The file is there whole or not at all."""
    server = found_file("server.json", "server")
    split = urllib.parse.urlsplit(server["url"])
    part = file.with_name(f".{file.name}.part")
    found, size = hashlib.sha256(), 0
    try:
        connection = _connected(split, server.get("certificate", ""))
        try:
            connection.request("GET", path, headers={"Authorization": f"Bearer {server['token']}"})
            answer = connection.getresponse()
            if answer.status != DOWNLOADS:
                told = json.loads(answer.read())["error"]
                fail(told["code"], told["message"], told["try"])
            with part.open("wb") as out:
                while piece := answer.read(PIECE):
                    size += out.write(piece)
                    found.update(piece)
                out.flush()
                os.fsync(out.fileno())
            part.replace(file)
        finally:
            connection.close()
            part.unlink(missing_ok=True)
    except (http.client.HTTPException, OSError) as error:
        fail("file", f"{file} was not written: {error}.", "Look at the disk and at the server; try again.", FAILED)
    return size, found.hexdigest()


def every(path: str, name: str) -> dict[str, Any]:
    """A list that the API gives in pages, whole."""
    found: list[Any] = []
    following: str | None = path
    answer: dict[str, Any] = {}
    while following:
        answer = call("GET", following)
        found += answer[name]
        following = answer["next"]
    return {**answer, name: found}


def _tell_waiting(run: str, step: dict[str, Any], told: set[tuple[int, str]], *, quiet: bool) -> None:
    """What a step waits for, once: a person, or the device."""
    asks, waits = step["asks"], step["waits"]
    if sends := step.get("sends"):
        _tell_sent(step, sends, told, quiet=quiet)
        return
    words = asks["words"] if asks else f"It is away; usually for {waits['usual']:g} s." if waits else ""
    if quiet or not words or (step["ordinal"], words) in told:
        return
    told.add((step["ordinal"], words))
    note(f"  {step['name']}: {words}")
    for line in [step["note"], *step["look_at"]]:
        if line:
            note(f"    {line}")
    if asks:
        how = "y or n" if sys.stdin.isatty() else f"`netloom answer {run} yes`, or no"
        note(f"    Within {asks['within']:g} s: {how}.")


def _tell_sent(step: dict[str, Any], sends: dict[str, Any], told: set[tuple[int, str]], *, quiet: bool) -> None:
    """How much of a file is over, each tenth once."""
    share = 10 * sends["sent"] // sends["total"] if sends["total"] else 0
    mark = step["ordinal"], f"sent {share}"
    if quiet or mark in told:
        return
    told.add(mark)
    left = f", about {sends['left']:.0f} s more" if sends["left"] is not None and sends["left"] >= 1 else ""
    keep = "" if sends["unplug"] else " Do not unplug it."
    note(f"  {step['name']}: {sends['sent']:,} of {sends['total']:,} bytes{left}.{keep}")


def _typed() -> str:
    """What was typed meanwhile, if a whole line was."""
    ready, _, _ = select.select([sys.stdin], [], [], 0)
    return sys.stdin.readline().strip().lower() if ready else ""


def again(path: str) -> Iterator[dict[str, Any]]:
    """What is there now, and again as long as that is wanted. A server that is slow to answer has other work: at most
    a third of the time is spent asking."""
    while True:
        begun = time.monotonic()
        answer: dict[str, Any] = call("GET", path)
        took = time.monotonic() - begun
        yield answer
        time.sleep(max(POLL_S, 2 * took))


def settled(path: str, going: str) -> dict[str, Any]:
    """Once its state is another one than that."""
    return next(found for found in again(path) if found["state"] != going)


def follow(run: dict[str, Any], told: Callable[[dict[str, Any]], None] | None = None) -> dict[str, Any]:
    """Wait for a run to end; tells each settled step once, on standard error."""
    seen: set[int] = set()
    told_of: set[tuple[int, str]] = set()
    context.run = run["id"]
    looks = again(f"/api/runs/{run['id']}")
    while True:
        run = next(looks)
        for step in run.get("steps", []):
            if step["state"] not in ("pending", "acting") and step["ordinal"] not in seen:
                seen.add(step["ordinal"])
                if not context.json and told is None:
                    why = f": {step['message']}" if step["message"] else ""
                    note(f"  {step['name']}: {step['action']} {step['state']}{why}")
                    if step["try"]:
                        note(f"    Try: {step['try']}")
        for step in run.get("waiting", []):
            _tell_waiting(run["id"], step, told_of, quiet=context.json or told is not None)
        if run["state"] not in ("waiting", "running"):
            context.run = ""
            return run
        asked = next((step for step in run.get("waiting", []) if step["asks"]), None)
        word = _typed() if asked is not None and sys.stdin.isatty() else ""
        if asked is not None and word in ("y", "yes", "n", "no"):
            call("POST", f"/api/runs/{run['id']}/answer", {"step": asked["ordinal"], "came": word[0] == "y"})


def begin(body: dict[str, Any]) -> dict[str, Any]:
    run: dict[str, Any] = call("POST", "/api/runs", body)
    return run
