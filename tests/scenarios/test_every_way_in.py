"""The whole job on models that are each reached in their own way: set, write, approve, a power cut, drift, restore."""

from __future__ import annotations

import re
import subprocess
import sys
import time

from netloom_core.documents.tree import get
from tests.demo import Demo
from tests.patience import SOON_S

NETWORK = "127.56.10.0/24"
SWEPT_SITE = "tests/sites/ways.yaml"
KEY = "00112233445566778899aabbccddeeff"
# By device: what is set, and what somebody else changes it to at the device itself.
SET = {
    "Lines": ("/outputs/2/source", 3, 4),
    "Shell": ("/outputs/5/gain_db", -12.5, 3.0),
    "Pages": ("/outlets/3/name", "Amplifier", "Other"),
    "Forms": ("/relays/2/delay_s", 7.5, 1.0),
    "Registers": ("/doors/2/open_s", 12.5, 3.0),
    "Objects": ("/ports/7/use", "off", "on"),
    "Envelopes": ("/relays/1/mode", "pulse", "latch"),
    "Lights": ("/ports/2/universe", 9, 2),
    "Module": ("/relays/3/pulse_s", 2.5, 60.0),
    "Frames": ("/outputs/8/bands/10/gain_db", 4.5, -3.0),
    "Codes": ("/zones/2/delay_s", 45, 5),
    "Hub": ("/outputs/4/rest", "high", "low"),
    "Reader": ("/lamp/level", 35, 90),
}
SERIALS = {
    "Lines": "TV-1", "Shell": "CQ-1", "Pages": "BP-1", "Forms": "SR-1", "Registers": "HH-1", "Objects": "MS-1",
    "Envelopes": "OC-1", "Module": "GM-1", "Frames": "SD-1", "Codes": "KA-1", "Hub": "PH-1", "Reader": "00A41C90",
}  # fmt: skip


def value(demo: Demo, name: str, which: str, path: str) -> object:
    return get(demo.device(name)[which], path)


def test_all_are_found_and_named(demo: Demo) -> None:
    found = {device["name"]: device for device in demo.json("devices")["devices"]}
    assert {name for name in [*SET, "Screen"] if found[name]["state"] == "known"} == {*SET, "Screen"}


def test_one_that_wants_its_key_says_so_until_it_has_it(demo: Demo) -> None:
    assert "encrypted" in demo.refused_by("read", "Reader")
    demo.run("credentials", "Reader", "--user", "", "--password", KEY)
    demo.run("read", "Reader")


def test_what_is_set_is_written_read_back_and_kept(demo: Demo) -> None:
    demo.run("read", *SET)
    for name, (path, new, _) in SET.items():
        demo.run("set", name, f"{path}={new}", expect=None)
    done = demo.json("apply", "--yes", *SET, expect=None)
    results = {one["name"]: (one["result"], one["message"]) for one in done["devices"]}
    assert {name: word for name, (word, _) in results.items()} == dict.fromkeys(SET, "done"), results
    for name, (path, new, _) in SET.items():
        assert value(demo, name, "running", path) == new, name


def test_a_power_cut_leaves_what_was_written(demo: Demo) -> None:
    demo.run("backup", "--baseline", *SET)
    cut = {name: serial for name, serial in SERIALS.items() if name != "Reader"}
    for serial in cut.values():
        demo.run("fault", "power-cut", serial)
    deadline = time.monotonic() + 2 * SOON_S
    waiting = set(cut)
    while waiting and time.monotonic() < deadline:
        proofs = demo.verified(*waiting)
        waiting = {name for name in waiting if proofs[name]["result"] != "match"}
    assert not waiting, {name: proofs[name] for name in waiting}


def test_what_somebody_changes_is_drift_and_is_restored(demo: Demo) -> None:
    changed = {name: (path, other) for name, (path, _, other) in SET.items() if name in SERIALS}
    for name, (path, other) in changed.items():
        demo.run("fault", "change", SERIALS[name], f"{path}={other}", "--stored")
    proofs = demo.verified(*changed)
    assert {name: proofs[name]["result"] for name in changed} == dict.fromkeys(changed, "drift")
    for name, (path, _) in changed.items():
        assert [d["path"] for d in proofs[name]["differences"]] == [path], name
        demo.run("restore", name, "--yes")
    proofs = demo.verified(*changed)
    assert {name: proofs[name]["result"] for name in changed} == dict.fromkeys(changed, "match")


def test_points_are_driven_by_either_name(demo: Demo) -> None:
    demo.run("drive", "Lines", "output-1", "4")
    demo.run("drive", "Lines", "/outputs/1/source", "2")
    assert "moves door" in demo.refused("drive", "Registers", "lock-2", "released", expect=5)["message"]
    demo.run("drive", "Registers", "lock-2", "released", "--yes")
    demo.run("drive", "Screen", "input", "hdmi2")
    demo.run("drive", "Frames", "mute-3", "on")
    demo.run("drive", "Module", "relay-2", "closed")
    points = {point["short"]: point for point in demo.device("Frames")["points"]}
    assert (points["mute-3"]["id"], points["mute-3"]["state"]) == ("/outputs/3/mute", "on")


def test_a_display_that_warms_up_is_on_its_way(demo: Demo) -> None:
    assert demo.json("drive", "Screen", "power", "off")["state"] in ("cooling", "off")
    deadline = time.monotonic() + SOON_S
    while time.monotonic() < deadline:
        states = {point["short"]: point["state"] for point in demo.device("Screen")["points"]}
        if states["power"] == "off":
            break
    assert states["power"] == "off"
    assert "warming up" in demo.refused_by("drive", "Screen", "input", "hdmi1")


def test_a_reset_is_backed_up_done_and_taken_back_from_the_backup(demo: Demo) -> None:
    done = demo.json("perform", "factory-reset", "Lines", "--yes")
    assert [one["result"] for one in done["devices"]] == ["done"], done
    assert value(demo, "Lines", "running", "/outputs/2/source") == 1
    newest = demo.json("backups")["backups"][0]["id"]
    demo.run("restore", "Lines", "--backup", newest, "--yes")
    assert value(demo, "Lines", "running", "/outputs/2/source") == SET["Lines"][1]


def test_whoever_stands_before_it_answers_and_is_believed_once(demo: Demo) -> None:
    words = ["-m", "netloom_cli", "perform", "identify", "Pages", "--yes"]
    asking = subprocess.Popen([sys.executable, *words], env=demo.environment, stderr=subprocess.PIPE, text=True)
    assert asking.stderr is not None
    run = next(found[1] for line in asking.stderr if (found := re.search(r"netloom answer (\w+)", line)))
    demo.run("answer", run, "yes", "--note", "it blinks twice")
    told = asking.stderr.read()
    assert asking.wait(30) == 0, told
    assert "owner says that it is so: it blinks twice" in told
    assert "waits for nobody" in demo.refused_by("answer", run, "no")
    assert "no identify" in demo.refused_by("perform", "identify", "Lines", "--yes")


def test_one_that_wants_a_new_code_first_gets_it_and_then_the_rest(demo: Demo) -> None:
    """It closes the connection as it takes the code; the new one is proven by signing in, and used from then on."""
    demo.run("set", "Strict", "/relays/1/idle=closed")
    refused = demo.json("plan", "Strict", expect=None)
    assert not refused["steps"]
    assert "wants a new code" in str(refused)
    demo.run("fault", "refuse", "Strict")
    [made] = demo.json("codes", "new", "Strict", "--pattern", "Bench-{serial}-{random:6}")["codes"]
    told = demo.json("plan", "Strict")
    assert [(step["action"], [c["path"] for c in step["changes"]]) for step in told["steps"]] == [
        ("write", ["/access/password"])
    ]
    failed = demo.json("apply", "Strict", "--yes", expect=4)["devices"][0]
    assert failed["result"] == "failed"
    assert demo.device("Strict")["code"] == "factory", "the one before still lets in"
    demo.run("fault", "clear", "Strict")
    assert demo.json("apply", "Strict", "--yes")["devices"][0]["result"] == "done"
    assert demo.device("Strict")["code"] == "own"
    done = demo.json("apply", "Strict", "--yes")["devices"][0]
    assert (done["result"], value(demo, "Strict", "running", "/relays/1/idle")) == ("done", "closed")
    assert demo.json("codes", "show", "Strict")["code"] == made["code"]
    assert made["code"] not in demo.run("journal", "--all")
    demo.run("fault", "power-cut", "Strict")
    demo.run("read", "Strict")


def test_a_name_in_another_case_is_told(demo: Demo) -> None:
    code = demo.json("codes", "show", "Strict")["code"]
    demo.run("credentials", "Strict", "--user", "Admin", "--password", code)
    refused = str(demo.json("read", "Strict", expect=None))
    assert "Its names count by case: its factory's is admin, not Admin." in refused
    assert code not in refused
    demo.run("credentials", "Strict", "--user", "admin", "--password", code)
    demo.run("read", "Strict")


def test_codes_of_many_are_replaced_in_one_plan(demo: Demo) -> None:
    """Of a camera by its user's password, of a reader by the key of its secure channel."""
    demo.run("codes", "new", "Envelopes", "Reader", "Strict")
    done = {
        one["device"]: one["result"]
        for one in demo.json("apply", "Envelopes", "Reader", "Strict", "--yes", expect=None)["devices"]
    }
    assert set(done.values()) == {"done"}, done
    assert {demo.device(name)["code"] for name in ("Envelopes", "Strict")} == {"own"}
    demo.run("read", "Envelopes", "Reader", "Strict")
