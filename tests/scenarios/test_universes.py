"""Fixtures on a node's universes: patched by rules and by a sheet, written, proven, found again by their UID."""

from __future__ import annotations

import csv
from pathlib import Path

from tests.demo import Demo

NETWORK = "127.58.10.0/24"
SWEPT_SITE = "tests/sites/universes.yaml"
NODE, OTHER = "127.58.10.18", "127.58.10.19"


def wrong(demo: Demo) -> set[tuple[str, str]]:
    return {(one["code"], one["name"]) for one in demo.json("places", "check", expect=None)["troubles"]}


def heard(demo: Demo) -> dict[str, tuple[int | None, int, int | None, int]]:
    told = demo.json("universe", "list", "Stage network")["fixtures"]
    return {one["name"]: (one["universe"], one["start"], one["heard"], one["at"]) for one in told}


def named(demo: Demo, device: str) -> str:
    name: str = demo.device(device)["name"]
    return name


def test_overlaps_are_told_and_put_right_in_one_run(demo: Demo) -> None:
    assert heard(demo) == {f"Wash {n}": (0, 1, 0, 1) for n in (1, 2, 3)}
    assert {("overlap", f"Wash {n}") for n in (1, 2, 3)} <= wrong(demo)
    made = demo.json("universe", "plan", "Wash 1", "Wash 2", "Wash 3", "--decide")
    assert made["decided"] == 2
    demo.run("universe", "set", "Wash 3", "--personality", "fine", "--start", "505")
    demo.run("universe", "set", "Wash 2", "--start", "508")
    told = str(demo.json("plan", "Wash 2", expect=None)["remarks"])
    assert "is for Wash 3, too" in told, "what is wrong is said again before it is written"
    demo.run("universe", "set", "Wash 2", "--start", "5")
    demo.run("fault", "pull-cable", "Wash 2", "--seconds", "1")
    done = demo.json("apply", "Wash 1", "Wash 2", "Wash 3", "--yes", expect=None)
    results = {named(demo, one["device"]): one["result"] for one in done["devices"]}
    assert (results["Wash 1"], results["Wash 3"]) == ("done", "done")
    assert results["Wash 2"] == "failed", "it said yes, and took nothing"
    assert heard(demo)["Wash 2"] == (0, 5, 0, 1)
    demo.run("fault", "clear", "Wash 2")
    demo.run("apply", "Wash 2", "--yes")
    assert heard(demo) == {"Wash 1": (0, 1, 0, 1), "Wash 2": (0, 5, 0, 5), "Wash 3": (0, 505, 0, 505)}
    assert not [code for code, _ in wrong(demo) if code in ("overlap", "over-the-end")]


def test_one_that_hangs_elsewhere_is_found_by_its_uid_and_told(demo: Demo) -> None:
    demo.run("universe", "port", "Stage node", "B", "4")
    demo.run("apply", "Stage node", "--yes")
    demo.run("universe", "set", "Wash 1", "--universe", "0")
    demo.run("fault", "plug", "Wash 1", NODE, "--port", "2")
    demo.run("fault", "plug", "Wash 2", OTHER, "--port", "1")
    demo.run("sweep", expect=None, timeout=280)
    assert heard(demo)["Wash 1"] == (0, 1, 4, 1)
    told = demo.json("places", "check", expect=None)["troubles"]
    [moved] = [one for one in told if one["code"] == "other-universe" and one["name"] == "Wash 1"]
    assert moved["message"] == "Its port sends universe 4, and it is planned in 0."
    device = demo.device("Wash 2")
    assert device["addresses"][0]["address"] == f"{OTHER}#7ff200020002", "the same one, behind the other node"
    assert device["intended"]["dmx"]["start"] == 5
    demo.run("verify", "Wash 2", expect=None)
    demo.run("universe", "set", "Wash 1", "--universe", "4")
    assert ("other-universe", "Wash 1") not in wrong(demo)


def test_a_sheet_plans_who_is_not_there_yet_and_bad_rows_are_named(demo: Demo, tmp_path: Path) -> None:
    sheet = tmp_path / "patch.csv"
    demo.run("universe", "sheet", "Stage network", str(sheet))
    assert demo.json("universe", "import", "Stage network", str(sheet))["decided"] == 0
    rows = list(csv.reader(sheet.open(encoding="utf-8")))
    new = dict.fromkeys(rows[0], "") | {"fixture": "Wash 9", "model": "Skellan F6", "universe": "4", "start": "60"}
    bad = dict.fromkeys(rows[0], "") | {"fixture": "Wash 3", "start": "600"}
    rows = [row for row in rows if row[0] != "Wash 3"] + [list(new.values()), list(bad.values())]
    with sheet.open("w", newline="", encoding="utf-8") as out:
        csv.writer(out).writerows(rows)
    told = demo.json("universe", "import", "Stage network", str(sheet), "--decide", expect=3)
    assert told["decided"] == 1
    assert [row["problem"] for row in told["rows"] if row["name"] == "Wash 3"] == ["600 is no start address."]
    assert heard(demo)["Wash 9"] == (4, 60, None, 0)
    assert demo.device("Wash 9")["state"] == "planned"
