"""Settings of many devices as a table, both ways; patterns that are filled in."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from openpyxl import load_workbook
from rest_framework.test import APIClient

from netloom_core.documents.tree import get
from netloom_core.library.load import Library
from netloom_server.installation.models import Device
from netloom_server.installation.services import sheets
from tests.server.conftest import named

BOXES = ("Ticket hall box", "Car deck box")
PATHS = ["/relays/1/name", "/relays/1/idle", "/relays/1/pulse_ms"]


def out(client: APIClient, **body: Any) -> list[list[str]]:
    answer = client.post("/api/settings/sheet", {"devices": list(BOXES), "paths": PATHS, **body}, format="json")
    assert answer.status_code == 200, answer.content
    return list(csv.reader(io.StringIO(answer.content.decode())))


def back(client: APIClient, rows: list[list[str]], *, decide: bool = False, status: int = 200) -> dict[str, Any]:
    text = io.StringIO()
    csv.writer(text).writerows(rows)
    answer = client.post(f"/api/settings/table/settings.csv{'?decide=1' if decide else ''}", text.getvalue().encode(),
                         content_type="application/octet-stream",
                         HTTP_CONTENT_DISPOSITION="attachment; filename=settings.csv")  # fmt: skip
    assert answer.status_code == status, answer.content
    return dict(answer.json())


def decided(name: str, path: str) -> Any:
    return get(named(name).intended, path)


def test_what_goes_out_and_comes_back_unchanged_changes_nothing(technician: APIClient) -> None:
    technician.post("/api/intended", {"changes": [
        {"device": BOXES[0], "path": "/relays/1/name", "value": "=1+1"},
        {"device": BOXES[1], "path": "/relays/1/idle", "value": "closed"},
    ]}, format="json")  # fmt: skip
    rows = out(technician)
    assert rows[0] == ["Device", "Serial number", *(f"{label} {path}" for label, path in zip(
        ("Relay 1 name", "Relay 1 idle state", "Relay 1 pulse time"), PATHS, strict=True))]  # fmt: skip
    assert rows[1][2] == "'=1+1", "no spreadsheet reckons with it"
    assert rows[2][3] == "Closed"
    told = back(technician, rows)
    assert [row["changes"] for row in told["rows"]] == [{}, {}]
    assert [row["problem"] for row in told["rows"]] == ["", ""]


def test_changed_cells_are_decided_and_bad_rows_named(technician: APIClient) -> None:
    rows = out(technician)
    rows[1][2:] = ["Gangway", "closed", "750"]
    rows[2][2:] = ["", "", "7 million"]
    rows.append(["Nobody", "", "x", "", ""])
    rows.append([BOXES[0], "", "twice", "", ""])
    told = back(technician, rows)
    assert told["rows"][0]["changes"] == {
        "Relay 1 name": "Gangway", "Relay 1 idle state": "Closed", "Relay 1 pulse time": "750"
    }  # fmt: skip
    problems = [row["problem"] for row in told["rows"]]
    assert "cannot be '7 million'" in problems[1]
    assert problems[2] == "No device is called Nobody."
    assert problems[3] == f"{BOXES[0]} stands in row 2, too."
    assert named(BOXES[0]).intended == named(BOXES[1]).intended == {} or decided(BOXES[0], PATHS[0]) != "Gangway"
    assert back(technician, rows, decide=True)["decided"] == 1
    assert [decided(BOXES[0], path) for path in PATHS] == ["Gangway", "closed", 750]
    assert back(technician, [*rows[:1], rows[1]])["rows"][0]["changes"] == {}
    assert back(technician, rows[:2], decide=True, status=409)["error"]["code"] == "conflict"


def test_columns_by_label_or_path_and_devices_by_serial_number(technician: APIClient) -> None:
    box = named(BOXES[0])
    told = back(technician, [["Device", "Serial number", "relay 1 NAME"], ["", box.serial, "By number"]])
    assert told["rows"][0]["changes"] == {"Relay 1 name": "By number"}
    wrong = back(technician, [["Device", "Serial number", "/relays/1/name"], [box.name, "HV-99999", "x"]])
    assert "is HV-" in wrong["rows"][0]["problem"], "a name and another one's number are not guessed at"
    strange = back(technician, [["Device", "Gain"], [box.name, "3"]])
    assert strange["rows"][0]["problem"] == "A RX8 has no Gain."
    address = back(technician, [["Device", "/network/address"], [box.name, "127.20.10.99"]])
    assert "is set in no table" in address["rows"][0]["problem"]
    secret = back(technician, [["Device", "/access/password"], [box.name, "hunter22"]])
    assert "is set in no table" in secret["rows"][0]["problem"]


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ([["", ""]], "is empty"),
        ([["Name", "/a"]], "has to begin with 'Device'"),
        ([["Device", "Serial number"]], "No column names a setting"),
        ([["Device", "/relays/1/name", "Relay /relays/1/name"]], "Two columns are of /relays/1/name"),
    ],
)
def test_what_is_no_such_table_is_refused(technician: APIClient, rows: list[list[str]], says: str) -> None:
    assert says in back(technician, rows, status=400)["error"]["message"]


def test_what_may_not_stand_together_is_told_at_its_row(technician: APIClient, library: Library) -> None:
    Device.objects.create(name="Bridge", profile="wendle-w1", taken_in=True)
    rows = [["Device", "/network/mode", "/network/channel"], ["Bridge", "Makes its own", "Automatic"]]
    wrong = sheets.look_at(rows, library)[0]
    assert "a network that it makes has a fixed channel" in wrong.problem
    assert wrong.hint == "Near and allowed: Radio channel 1."
    rows[1][2] = "6"
    assert sheets.look_at(rows, library)[0].values == {"/network/mode": "make", "/network/channel": 6}


def test_a_workbook_has_texts_and_secrets_are_in_none(viewer: APIClient) -> None:
    answer = viewer.post("/api/settings/sheet", {"devices": list(BOXES), "form": "xlsx"}, format="json")
    sheet = load_workbook(io.BytesIO(answer.content)).active
    assert sheet is not None
    head = [str(cell.value) for cell in next(sheet.iter_rows())]
    assert any("/relays/8/idle" in cell for cell in head)
    assert not any("/access/password" in cell or "/network/address" in cell for cell in head)
    none = viewer.post("/api/settings/sheet", {"devices": list(BOXES), "paths": ["/access/password"]}, format="json")
    assert none.status_code == 400


def test_a_pattern_counts_devices_or_the_places_of_one(technician: APIClient) -> None:
    def fill(changes: list[tuple[str, str]], pattern: str) -> None:
        body = {"changes": [{"device": d, "path": p, "value": pattern} for d, p in changes], "fill": True}
        assert technician.post("/api/intended", body, format="json").status_code == 200

    fill([(BOXES[0], PATHS[0]), (BOXES[1], PATHS[0])], "{area} {nn}")
    area = named(BOXES[0]).area
    assert decided(BOXES[0], PATHS[0]) == f"{area.name if area else ''} 01"
    assert str(decided(BOXES[1], PATHS[0])).endswith(" 02")
    fill([(BOXES[0], f"/relays/{n}/name") for n in (3, 4)], "Sign {n} at {place}")
    assert [decided(BOXES[0], f"/relays/{n}/name") for n in (3, 4)] == ["Sign 1 at 3", "Sign 2 at 4"]
    plain = {"changes": [{"device": BOXES[0], "path": PATHS[0], "value": "{n}"}]}
    technician.post("/api/intended", plain, format="json")
    assert decided(BOXES[0], PATHS[0]) == "{n}", "as it is written, unless one asks for it"
