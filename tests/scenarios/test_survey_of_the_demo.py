"""The whole demo site, swept once by command line: who is found, who is not and why, and putting some of it right."""

from __future__ import annotations

import base64
import http.client
import json
import threading
import urllib.parse
from pathlib import Path
from typing import Any

import pytest

from tests.demo import Demo

NETWORK = "127.35.10.0/24"
SITE = "demo/skerry_point.yaml"


@pytest.fixture(scope="module")
def swept(demo: Demo) -> dict[str, Any]:
    before = kept(demo)
    found = json.loads(demo.run("--json", "sweep", expect=3, timeout=280))
    assert kept(demo) == before, "a sweep never writes to a device"
    return found  # type: ignore[no-any-return]


def kept(demo: Demo) -> list[Any]:
    """What every stand-in keeps without power."""
    return list(demo.json("fault", "list")["units"])


def reasons(swept: dict[str, Any]) -> dict[str, list[dict[str, str]]]:
    return {one["name"]: one["reasons"] for one in (*swept["missing"], *swept["not_looked"])}


def test_seven_lines_sixty_devices_ten_kinds(demo: Demo, swept: dict[str, Any]) -> None:
    assert len(demo.json("lines")["lines"]) >= 7
    devices = [d for d in demo.json("devices")["devices"] if d["state"] in ("known", "new", "moved")]
    assert len(devices) >= 60
    assert len({d["kind"] for d in devices}) >= 10
    assert {len(d["addresses"]) for d in devices} <= {0, 1, 2}


@pytest.mark.parametrize(
    ("name", "methods"),
    [
        ("Matrix 1", {"connect", "http", "telnet"}),
        ("Waiting room sender 1", {"http"}),
        ("Hall display 1", {"pjlink"}),
        ("Mast node 1", {"artnet", "sacn"}),
        ("Infrared gateway 1", {"http"}),
        ("Rack switch", {"snmp", "ssh"}),
        ("Gangway camera", {"ws-discovery", "onvif"}),
        ("Quay camera 1", {"onvif", "forwarding"}),
        ("Lobby hub", {"dialogue"}),
        ("Quay radio bridge", {"dialogue"}),
        ("Boiler module 1", {"modbus"}),
        ("Signage controller", {"snmp", "telnet"}),
        ("Departure reader 1", {"behind"}),
        ("Device server", {"snmp", "rfc2217"}),
        ("Gate A reader", {"osdp"}),
    ],
)
def test_each_kind_is_seen_by_its_own_methods(swept: dict[str, Any], name: str, methods: set[str]) -> None:
    found = {one["name"]: one for one in swept["found"]}
    assert methods <= set(found[name]["methods"])


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("Ticket machine display", "has no address in 240.20.60.0/24"),
        ("Mast weather box", "no interface mast0"),
        ("Store door", "overlap"),
        ("Café box", "is there (telnet) but not on its service"),
        ("Baggage box", "waits for a restart"),
        ("Pier head box", "A factory-fresh RX8"),
        ("Café display", "Someone else has its address"),
        ("Mast camera", "port 7 of Rack switch, and that port gives no power"),
        ("Fog signal bridge", "There is no adapter"),
        ("Lift bridge", "Another program holds the port"),
        ("Crane reader", "Nobody at all answers"),
        ("Tide gauge bridge", "make no sense at 9600 baud"),
        ("Pump module", "Two units talk at once on address 5"),
        ("Arrival reader 1", "is not set to lead its bus"),
        ("Departure reader 4", "none at address 4"),
    ],
)
def test_absence_is_a_diagnosis(swept: dict[str, Any], name: str, words: str) -> None:
    told = reasons(swept)[name]
    assert words in told[0]["reason"], told
    assert all(one["try"] and one["test"] for one in told)


def test_nobody_is_missing_on_a_line_that_could_not_be_asked(demo: Demo, swept: dict[str, Any]) -> None:
    unasked = {"Ticket machine display", "Mast weather box", "Fog signal bridge", "Lift bridge", "Arrival reader 1"}
    assert unasked <= {one["name"] for one in swept["not_looked"]}
    assert not unasked & {one["name"] for one in swept["missing"]}
    assert demo.device("Lift bridge")["state"] in ("planned", "not-looked")


def test_moved_ones_labels_modes_and_adapters_are_told(demo: Demo, swept: dict[str, Any]) -> None:
    status = {one["name"]: one["status"] for one in swept["found"]}
    assert [status[name] for name in ("Pier camera", "Kiosk camera", "Quay radio bridge")] == ["moved"] * 3
    assert status["Signage controller"] == "known"
    sender = demo.device("Waiting room sender 1")
    assert (sender["model"], sender["reported_model"]) == ("XT1 Kit", "CR-EXT1-TX")
    assert demo.device("Signage controller")["mode"] == "loader"
    bridge = next(line for line in demo.json("lines")["lines"] if line["name"] == "Bridge service port")
    assert "came back as" in bridge["note"]
    assert bridge["path"].endswith("usb-serial-3")


def test_the_parent_is_set_to_lead_and_its_bus_is_found(demo: Demo, swept: dict[str, Any]) -> None:
    offer = reasons(swept)["Arrival reader 1"][0]["offer"]
    demo.run("set", offer["device"], f"{offer['path']}={offer['value']}")  # type: ignore[index]
    applied = demo.json("apply", offer["device"], "--yes")  # type: ignore[index]
    assert applied["devices"][0]["result"] == "done"
    again = demo.json("sweep", "Arrival doors bus", expect=None)
    assert {one["name"]: one["status"] for one in again["found"]}["Arrival reader 1"] == "known"


def test_why_is_answered_for_any_address(demo: Demo, swept: dict[str, Any]) -> None:
    nobody = demo.json("why", f"{demo.address(77)}@Terminal network", expect=3)
    assert nobody["there"] == ""
    assert "refuses connections" in nobody["reasons"][0]["reason"]
    there = demo.json("why", f"{demo.address(21)}@Terminal network")
    assert "Hallvane RX8" in there["there"]
    assert demo.refused("why", "10.9.9.9@Terminal network", expect=2)


def test_an_adapter_that_comes_back_under_another_name_is_followed(demo: Demo, swept: dict[str, Any]) -> None:
    demo.run("fault", "port", "hub-usb", "--rename", "usb-serial-9")
    found = demo.json("sweep", "Hub service port")
    assert found["found"][0]["name"] == "Lobby hub"
    demo.run("fault", "port", "hub-usb")
    threading.Event().wait(0.5)
    gone = demo.json("sweep", "Hub service port", expect=3)
    assert "There is no adapter" in gone["not_looked"][0]["reasons"][0]["reason"]


def test_a_list_of_expected_devices_from_a_file(demo: Demo, swept: dict[str, Any], tmp_path: Path) -> None:
    listed = tmp_path / "list.csv"
    listed.write_text(f"name,model,address\nQuay box 9,RX8,{demo.address(29)}\nBad one,Nonesuch,{demo.address(30)}\n")
    looked = demo.json("expect", str(listed), "--plan", expect=3)
    assert len(looked["planned"]) == 1
    assert demo.device("Quay box 9")["state"] == "planned"


# Consoles


class Caller:
    """The API as the owner of the data folder calls it."""

    def __init__(self, demo: Demo) -> None:
        found = json.loads((demo.data / "server.json").read_text())
        self._host = urllib.parse.urlsplit(found["url"])
        self._headers = {"Authorization": f"Bearer {found['token']}", "Content-Type": "application/json"}

    def __call__(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        connection = http.client.HTTPConnection(self._host.hostname or "", self._host.port, timeout=40)
        connection.request(method, path, json.dumps(body) if body is not None else None, self._headers)
        answer = connection.getresponse()
        content = answer.read()
        return answer.status, json.loads(content) if content else None


def typed(text: str) -> dict[str, str]:
    return {"data": base64.b64encode(text.encode()).decode()}


def text_of(log: dict[str, Any]) -> str:
    return b"".join(base64.b64decode(entry["data"]) for entry in log["entries"]).decode()


def test_a_console_keeps_its_log_with_the_device(demo: Demo, swept: dict[str, Any]) -> None:
    call = Caller(demo)
    status, console = call("POST", "/api/consoles", {"device": "Matrix 2"})
    assert (status, console["kind"]) == (201, "telnet")
    call("POST", f"/api/consoles/{console['id']}", typed("version?\r"))
    call("POST", f"/api/consoles/{console['id']}", typed("set password hunter2\r"))
    threading.Event().wait(1.5)
    assert call("DELETE", f"/api/consoles/{console['id']}")[0] == 204
    _, log = call("GET", f"/api/consoles/{console['id']}/log")
    assert "5.0.2" in text_of(log)
    assert "hunter2" not in text_of(log)
    assert log["ended"]
    _, logs = call("GET", "/api/consoles?device=Matrix%202")
    assert [one["id"] for one in logs] == [console["id"]]
    assert call("POST", f"/api/consoles/{console['id']}", typed("x"))[0] == 404


def test_a_console_has_the_lines_turn_and_others_are_told(demo: Demo, swept: dict[str, Any]) -> None:
    call = Caller(demo)
    status, console = call("POST", "/api/consoles", {"line": "Crane bus"})
    assert (status, console["kind"]) == (201, "serial")
    line = next(one for one in demo.json("lines")["lines"] if one["name"] == "Crane bus")
    assert line["holder"] == "console of owner"
    status, told = call("POST", "/api/consoles", {"line": "Crane bus"})
    assert "console of owner has the line Crane bus" in told["error"]["message"]
    assert call("POST", f"/api/consoles/{console['id']}/break")[0] == 204
    assert call("DELETE", f"/api/consoles/{console['id']}")[0] == 204
    assert call("POST", "/api/consoles", {"device": "Hall display 1"})[0] == 400, "no console goes there"
    status, told = call("POST", "/api/consoles", {"line": "Lift line"})
    assert "Another program holds the port" in told["error"]["message"]
