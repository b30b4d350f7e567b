"""PJLink class 1 and 2: commands and their answers, the greeting, and the search.

Source: PJLink Specifications version 2.00, clauses 3 (search), 4 (commands), 5 (authentication).
"""

from __future__ import annotations

import hashlib

from netloom_core.errors import Absent, Busy, ProtocolError, Refused, WrongCredentials
from netloom_core.protocols.xml import clean

PORT = 4352
SEARCH = b"%2SRCH\r"
MAX_LINE = 256
CLASS_2 = "%2"
# Asked in this order; class 2 ones are ERR1 or silence on class 1 units.
QUESTIONS = {
    "%1INF1": "maker",
    "%1INF2": "model",
    "%1NAME": "title",
    "%1POWR": "power",
    "%2SNUM": "serial",
    "%2SVER": "firmware",
}
POWER = {"0": "standby", "1": "on", "2": "cooling", "3": "warming up"}


def parse_greeting(line: bytes) -> str | None:
    """None when no password is wanted, else the random number to answer with."""
    words = line.strip().decode("latin-1").split(" ")
    if words[:2] == ["PJLINK", "0"]:
        return None
    if words[:2] == ["PJLINK", "1"] and len(words) == 3 and 1 <= len(words[2]) <= 32:
        return words[2]
    raise ProtocolError("not a PJLink greeting")


def answer_to(random: str, password: str) -> bytes:
    """What goes before the first command, clause 5.1."""
    return hashlib.md5(f"{random}{password}".encode()).hexdigest().encode()  # noqa: S324 - the standard's digest


def ask(command: str) -> bytes:
    return f"{command} ?\r".encode()


def said(command: str, parameter: str) -> bytes:
    """Raises ProtocolError where a parameter would end the line, or is longer than the standard's 128 bytes."""
    if not parameter.isprintable() or len(parameter.encode()) > 128:
        raise ProtocolError("That cannot be said in PJLink.", outcome="not_sent")
    return f"{command} {parameter}\r".encode()


def value_of(line: bytes, command: str) -> str | None:
    """The value of the answer to that command; None where the line answers another one.

    Raises WrongCredentials for ERRA, Absent for ERR1, Refused for ERR2 and ERR4, Busy for ERR3 (clause 4.1).
    """
    if len(line) > MAX_LINE:
        raise ProtocolError("a PJLink reply is too long")
    text = line.strip(b"\r\n").decode("utf-8", "replace")
    if text.upper() == "PJLINK ERRA":
        raise WrongCredentials("The display does not take its PJLink password.", "Enter it under Address, Access.")
    head, equals, value = text.partition("=")
    if not equals or head.upper() != command:
        return None
    match value.upper():
        case "ERR1":
            raise Absent(f"The display knows no {command[2:]}.")
        case "ERR2":
            raise Refused(f"The display does not take that for {command[2:]}.", "It may have no such input.")
        case "ERR3":
            raise Busy(f"The display cannot do {command[2:]} now.", "It may be off, warming up or cooling down.")
        case "ERR4":
            raise Refused("The display has a fault.", "Look at its own indicators.")
    return clean(value, 128)


def parse_reply(line: bytes, command: str) -> str:
    """The value. Raises WrongCredentials for ERRA, ProtocolError when it is no reply to that command."""
    if len(line) > MAX_LINE:
        raise ProtocolError("a PJLink reply is too long")
    text = line.strip().decode("utf-8", "replace")
    if text == "PJLINK ERRA":
        raise WrongCredentials("The display wants its PJLink password.")
    head, equals, value = text.partition("=")
    if not equals or head.upper() != command:
        raise ProtocolError(f"not a reply to {command}")
    return "" if value in ("ERR1", "ERR2", "ERR3", "ERR4") else clean(value, 128)


def parse_found(data: bytes) -> str:
    """The MAC address in an answer to SEARCH, clause 3.2. Raises ProtocolError for anything else."""
    text = data.strip().decode("latin-1")
    mac = text.removeprefix("%2ACKN=").lower()
    parts = mac.split(":")
    if not text.startswith("%2ACKN=") or len(parts) != 6 or not all(_octet(part) for part in parts):
        raise ProtocolError("not an answer to a PJLink search")
    return mac


def _octet(part: str) -> bool:
    return len(part) == 2 and all(c in "0123456789abcdef" for c in part)
