"""New units one after the other: connected where all new ones come up, recognised, given their places."""

from __future__ import annotations

import json
import urllib.request
from typing import Any

from tests.demo import Demo

NETWORK = "127.63.10.0/24"


def call(demo: Demo, path: str, body: dict[str, Any] | None = None) -> Any:
    server = json.loads((demo.data / "server.json").read_text())
    headers = {"Authorization": f"Bearer {server['token']}", "Content-Type": "application/json"}
    request = urllib.request.Request(server["url"] + path, json.dumps(body or {}).encode(), headers, method="POST")
    with urllib.request.urlopen(request, timeout=60) as answer:
        return json.load(answer)


def test_a_new_unit_on_a_bus_is_recognised_and_given_the_place_of_the_next_planned_one(demo: Demo) -> None:
    line = next(one["id"] for one in demo.json("lines")["lines"] if one["name"] == "Gate bus")
    nobody = call(demo, f"/api/lines/{line}/queue")
    assert (nobody["waiting"], nobody["looked"], nobody["came"]) == ([], [], []), "nobody is planned: nothing is asked"
    for name, address in (("Quay module", "9"), ("Pier module", "6")):
        call(demo, "/api/devices", {"name": name, "profile": "dunmarrow-dm24", "line": line, "address": address})
    told = call(demo, f"/api/lines/{line}/queue")
    assert [one["name"] for one in told["waiting"]] == ["Pier module", "Quay module"]
    assert told["looked"] == ["0"]
    [here] = told["came"]
    assert (here["model"], here["serial"], here["address"]) == ("DM24", "00B70E58", "0")
    assert here["stands_for"] == told["waiting"][0]["device"]
    call(demo, "/api/take-in", {"devices": [here["device"]], "name": "", "stands_for": here["stands_for"]})
    [done] = demo.json("apply", "Pier module", "--yes")["devices"]
    assert done["result"] == "done", done
    module = demo.device("Pier module")
    assert (module["addresses"][0]["address"], module["serial"]) == ("6", "00B70E58")
    after = call(demo, f"/api/lines/{line}/queue")
    assert [one["name"] for one in after["waiting"]] == ["Quay module"]
    assert after["came"] == [], "nobody is at the place of new ones any more"


def test_one_that_is_done_already_is_not_taken_for_a_new_one(demo: Demo) -> None:
    """It is on record, and comes back to the place of new units."""
    line = next(one["id"] for one in demo.json("lines")["lines"] if one["name"] == "Gate bus")
    demo.run("fault", "by-hand", "00B70E58", "factory-reset")
    for _ in range(20):
        came = call(demo, f"/api/lines/{line}/queue")["came"]
        if came:
            break
    [here] = came
    assert (here["name"], here["taken_in"], here["stands_for"]) == ("Pier module", True, "")
