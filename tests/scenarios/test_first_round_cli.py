"""The first round by command line: from the first sweep to a proven restore. One story in order."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.demo import Demo

NETWORK = "127.21.10.0/24"


def test_first_round(demo: Demo, tmp_path: Path) -> None:
    demo.each_apart = True  # as a person begins each call; after the first of them it is all the same
    found_and_missing(demo)
    demo.each_apart = False
    taken_in_and_addressed(demo)
    set_up_and_stored(demo)
    approved(demo)
    lost_and_drifted(demo)
    restored_and_proven(demo)
    archived(demo, tmp_path)
    told_by_the_journal(demo)


def found_and_missing(demo: Demo) -> None:
    sweep = demo.json("sweep", expect=3)
    status = {found["facts"].get("serial"): found["status"] for found in sweep["found"]}
    assert status == {
        "HV-40117": "known", "HV-40122": "known", "HV-51960": "new", "00A41C02": "known", "00A41C09": "known",
        "00B70E31": "moved", "00B70E58": "new",
    }  # fmt: skip
    assert {found["line"] for found in sweep["found"]} == {"Terminal network", "Gate bus"}
    missing = sweep["missing"][0]
    assert missing["name"] == "Pier head box"
    assert any("refuses connections" in reason["reason"] for reason in missing["reasons"])


def taken_in_and_addressed(demo: Demo) -> None:
    box = demo.json("take-in", "HV-51960", "--name", "Slipway box")["devices"][0]
    module = demo.json("take-in", "00B70E58", "--name", "Slipway module")["devices"][0]
    assert box["factory"]
    demo.run("address", f"Slipway box={demo.address(14)}", "Slipway module=4@Gate bus")
    demo.run("set", "Gate B module", "/bus/speed=9600")
    plan = demo.json("plan")
    moves = {(s["name"], c["path"], c["to"]) for s in plan["steps"] if s["action"] == "readdress" for c in s["changes"]}
    assert moves == {
        ("Slipway box", "/network/address", demo.address(14)),
        ("Slipway module", "/bus/address", 4),
        ("Gate B module", "/bus/speed", 9600),
    }
    assert all("link" in step["disturbs"] for step in plan["steps"] if step["action"] == "readdress")
    assert demo.refused("apply", expect=5)["try"] == "Say --yes."
    applied = demo.json("apply", "--yes")
    assert {one["result"] for one in applied["devices"]} == {"done"}
    assert demo.json("plan")["steps"] == []
    now = {device["id"]: device for device in demo.json("devices")["devices"]}
    assert now[box["id"]]["addresses"][0]["address"] == demo.address(14), "the same record at its new address"
    assert now[module["id"]]["addresses"][0]["address"] == "4"
    assert now[box["id"]]["serial"] == "HV-51960"


def set_up_and_stored(demo: Demo) -> None:
    demo.run("set", "Slipway box", "/relays/1/idle=closed", "/inputs/2/rest=closed")
    demo.run("set", "Slipway module", "/relays/1/idle=1")
    applied = demo.json("apply", "Slipway box", "Slipway module", "--yes")
    changes = {change["path"]: change["read_back"] for one in applied["devices"] for change in one["changes"]}
    assert changes["/inputs/2/rest"] == "closed"
    box = demo.device("Slipway box")
    for which in ("intended", "running", "startup"):
        assert box[which]["relays"]["1"]["idle"] == "closed", which
    assert "/relays/1/idle" in box["writable"]
    demo.run("drive", "Slipway box", "relay-2", "on")
    demo.run("drive", "Slipway module", "relay-1", "on", "--yes")
    points = {point["short"]: point["state"] for point in demo.device("Slipway box")["points"]}
    assert (points["relay-2"], points["input-1"]) == ("on", "rest")


def approved(demo: Demo) -> None:
    """One change is tried without storing it, and approved like that."""
    demo.run("set", "Slipway box", "/relays/3/idle=closed")
    demo.run("apply", "Slipway box", "--yes", "--no-keep")
    backup = demo.json("backup", "--baseline")
    assert len(backup["backups"]) == 7
    assert demo.verified()["Slipway box"]["result"] == "unkept"


def lost_and_drifted(demo: Demo) -> None:
    demo.run("fault", "power-cut", "HV-51960")
    demo.run("fault", "change", "Ticket hall box", "/relays/5/idle=closed", "--stored")
    proofs = demo.verified()
    assert proofs["Slipway box"]["differences"] == [
        {"path": "/relays/3/idle", "baseline": "closed", "running": "open", "kind": "lost"}
    ]
    assert proofs["Ticket hall box"]["result"] == "drift"
    assert proofs["Ticket hall box"]["differences"] == [
        {"path": "/relays/5/idle", "baseline": "open", "running": "closed", "kind": "drift"}
    ]
    assert proofs["Gate A reader"]["result"] == "match"
    demo.run("verify", "Ticket hall box", expect=3)


def restored_and_proven(demo: Demo) -> None:
    for name in ("Ticket hall box", "Slipway box"):
        restored = demo.json("restore", name, "--yes")
        assert restored["devices"][0]["result"] == "done"
    demo.run("verify", "Ticket hall box", "Slipway box", "Slipway module", "Gate B module", expect=0)
    assert demo.json("plan", "Slipway box")["steps"] == []


def archived(demo: Demo, folder: Path) -> None:
    archive = folder / "site.zip"
    demo.run("export", str(archive))
    assert demo.json("check", str(archive))["whole"]
    assert demo.json("import", str(archive))["added"] == 0
    data = bytearray(archive.read_bytes())
    data[len(data) // 2] ^= 4
    archive.write_bytes(data)
    assert demo.refused("check", str(archive), expect=3)["code"] == "archive-damaged"


def told_by_the_journal(demo: Demo) -> None:
    told = demo.run("journal")
    assert " → " in told
    assert "stays " in told, "what a store keeps has nothing before it"
    journal = demo.json("journal")
    assert journal["whole"]
    story = [(e["name"], e["action"], e["outcome"]) for e in reversed(journal["entries"]) if e["kind"] == "outcome"]
    moved = story.index(("Slipway box", "readdress", "done"))
    written = story.index(("Slipway box", "write", "done"))
    restored = len(story) - 1 - story[::-1].index(("Ticket hall box", "write", "done"))
    assert moved < written < restored
    intents = [e for e in journal["entries"] if e["kind"] == "intent"]
    outcomes = [e for e in journal["entries"] if e["kind"] == "outcome"]
    assert len(intents) == len(outcomes), "everything begun was settled"


@pytest.mark.parametrize(
    "words", [["set", "Nobody", "/a=1"], ["drive", "Slipway box", "relay-99", "on"], ["frobnicate"]]
)
def test_wrong_words_are_exit_2(demo: Demo, words: list[str]) -> None:
    assert demo.refused(*words, expect=2)["message"]
