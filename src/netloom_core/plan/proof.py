"""The table of proof: which steps a value needs, which set confirms it, and the word at the end. Pure.

A value has to *work* and to be *kept*. `takes` and `kept` are what the profile says of the
setting; the sets are those of running and startup that the device can tell. What no reading can
show ends as unproven, with the reason, never as done.

    works  confirmed by: `running` read after the last step of it
    kept   confirmed by: `startup` read after the store; or by `running` after a restart, which has
           shown what the device starts with; or not needed, where the profile knows (`always`) or
           where nothing keeps it (`never`)
"""

from __future__ import annotations

from dataclasses import dataclass

DONE, UNPROVEN = "done", "unproven"

NO_RUNNING = "the device cannot tell what it does now"
NO_STARTUP = "the device cannot tell what it would do after a power cut"
NOTHING = "the device tells neither what it does now nor what it would do after a power cut"


@dataclass(frozen=True)
class Row:
    """`steps` in order. `works_by` and `kept_by` name the set that confirms, empty where none can."""

    steps: tuple[str, ...]
    works_by: str
    kept_by: str
    word: str
    why: str = ""


W, WS, WR, WSR = ("write",), ("write", "store"), ("stage", "restart"), ("stage", "store", "restart")
BOTH, RUN, START, NONE = ("running", "startup"), ("running",), ("startup",), ()

# (takes, kept, sets that can be read)
TABLE: dict[tuple[str, str, tuple[str, ...]], Row] = {
    ("at-once", "when-stored", BOTH): Row(WS, "running", "startup", DONE),
    ("at-once", "when-stored", RUN): Row(WS, "running", "", UNPROVEN, NO_STARTUP),
    ("at-once", "when-stored", START): Row(WS, "", "startup", UNPROVEN, NO_RUNNING),
    ("at-once", "when-stored", NONE): Row(WS, "", "", UNPROVEN, NOTHING),
    ("at-once", "always", BOTH): Row(W, "running", "startup", DONE),
    ("at-once", "always", RUN): Row(W, "running", "profile", DONE),
    ("at-once", "always", START): Row(W, "", "startup", UNPROVEN, NO_RUNNING),
    ("at-once", "always", NONE): Row(W, "", "", UNPROVEN, NOTHING),
    ("at-once", "never", BOTH): Row(W, "running", "nothing", DONE),
    ("at-once", "never", RUN): Row(W, "running", "nothing", DONE),
    ("at-once", "never", START): Row(W, "", "nothing", UNPROVEN, NO_RUNNING),
    ("at-once", "never", NONE): Row(W, "", "nothing", UNPROVEN, NOTHING),
    ("on-store", "when-stored", BOTH): Row(WS, "running", "startup", DONE),
    ("on-store", "when-stored", RUN): Row(WS, "running", "", UNPROVEN, NO_STARTUP),
    ("on-store", "when-stored", START): Row(WS, "", "startup", UNPROVEN, NO_RUNNING),
    ("on-store", "when-stored", NONE): Row(WS, "", "", UNPROVEN, NOTHING),
    ("on-store", "always", BOTH): Row(WS, "running", "startup", DONE),
    ("on-store", "always", RUN): Row(WS, "running", "profile", DONE),
    ("on-store", "always", START): Row(WS, "", "startup", UNPROVEN, NO_RUNNING),
    ("on-store", "always", NONE): Row(WS, "", "", UNPROVEN, NOTHING),
    ("on-store", "never", BOTH): Row(WS, "running", "nothing", DONE),
    ("on-store", "never", RUN): Row(WS, "running", "nothing", DONE),
    ("on-store", "never", START): Row(WS, "", "nothing", UNPROVEN, NO_RUNNING),
    ("on-store", "never", NONE): Row(WS, "", "nothing", UNPROVEN, NOTHING),
    ("on-restart", "when-stored", BOTH): Row(WSR, "running", "startup", DONE),
    ("on-restart", "when-stored", RUN): Row(WSR, "running", "restart", DONE),
    ("on-restart", "when-stored", START): Row(WSR, "", "startup", UNPROVEN, NO_RUNNING),
    ("on-restart", "when-stored", NONE): Row(WSR, "", "", UNPROVEN, NOTHING),
    ("on-restart", "always", BOTH): Row(WR, "running", "startup", DONE),
    ("on-restart", "always", RUN): Row(WR, "running", "restart", DONE),
    ("on-restart", "always", START): Row(WR, "", "startup", UNPROVEN, NO_RUNNING),
    ("on-restart", "always", NONE): Row(WR, "", "", UNPROVEN, NOTHING),
    ("on-restart", "never", BOTH): Row(WR, "running", "nothing", DONE),
    ("on-restart", "never", RUN): Row(WR, "running", "nothing", DONE),
    ("on-restart", "never", START): Row(WR, "", "nothing", UNPROVEN, NO_RUNNING),
    ("on-restart", "never", NONE): Row(WR, "", "nothing", UNPROVEN, NOTHING),
}


def row_for(takes: str, kept: str, sets: frozenset[str]) -> Row:
    return TABLE[takes, kept, tuple(one for one in BOTH if one in sets)]
