"""Cables, presets, locks and EDIDs as people record them, and what the API says of routing."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from netloom_core.documents.tree import put
from netloom_core.library.load import Library
from netloom_core.profiles.defaults import default_document
from netloom_core.routing.site import Thing
from netloom_server.backups.models import Document
from netloom_server.host.engine import engine
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services import fitting
from netloom_server.routing.models import Cable, Lock, Preset
from netloom_server.routing.services import locks, showing
from netloom_server.runs.models import JournalEntry
from netloom_standins import edids

EDID = edids.made({"name": "Hall", "hdmi": 300}).hex()


class Told:
    """What the engine would say: states by device, and what was asked of it."""

    def __init__(self) -> None:
        self.states: dict[str, dict[str, str]] = {}
        self.troubles: dict[str, str] = {}
        self.asked: list[dict[str, Any]] = []

    def do(self, command: dict[str, Any]) -> dict[str, Any]:
        self.asked.append(command)
        if command["do"] == "look":
            return {"states": {d: self.states.get(d, {}) for d in command["devices"]}, "troubles": self.troubles}
        cells = [
            {**cell, "wanted": cell["state"], "before": "1", "now": cell["state"], "word": "taken", "message": ""}
            for cell in command["cells"]
        ]
        return {"cells": [{k: v for k, v in cell.items() if k != "state"} for cell in cells]}


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch) -> Told:
    made = Told()
    monkeypatch.setattr(engine(), "do", made.do)
    return made


def made(name: str, profile: str, library: Library, **values: Any) -> Device:
    running = default_document(library.need(profile))
    for path, value in values.items():
        put(running, path, value)
    device = Device.objects.create(name=name, profile=profile, taken_in=True, line=Line.objects.filter(kind="ip")[0])
    unit = fitting.unit_of(device)
    unit.running = Document.keep(running)
    unit.save()
    return device


@pytest.fixture
def wall(site: None, library: Library, told: Told) -> dict[str, Device]:
    return {
        "matrix": made("Matrix", "corrain-mx88", library, **{"/inputs/1/name": "Player", "/outputs/2/name": "Foyer"}),
        "other": made("Other", "corrain-mx88", library),
        "screen": made("Screen", "belisar-d55", library),
    }


def post(client: APIClient, path: str, status: int = 200, **body: Any) -> Any:
    answer = client.post(f"/api/routing/{path}", body, format="json")
    assert answer.status_code == status, answer.content
    return answer.json()


def get(client: APIClient, path: str) -> Any:
    answer = client.get(f"/api/routing/{path}")
    assert answer.status_code == 200, answer.content
    return answer.json()


def cable(client: APIClient, start: str, end: str, status: int = 200) -> Any:
    (a, _, b), (c, _, d) = start.rpartition("/"), end.rpartition("/")
    return post(client, "cables", status, from_device=a, from_jack=b, to_device=c, to_jack=d)


def test_cables_are_recorded_once_and_refused_where_they_cannot_be(
    technician: APIClient, viewer: APIClient, wall: dict[str, Device]
) -> None:
    cable(viewer, "Player one", "Matrix/in-1", 403)
    cable(technician, "Player one", "Matrix/in-1")
    cable(technician, "Matrix/output 2", "Screen/HDMI 1")
    for start, end, words in (
        ("Player two", "Matrix/in-1", "recorded at in-1 of Matrix already: Player one to Matrix, Player (Input 1)"),
        ("Matrix/out-2", "Other/in-1", "recorded at out-2 of Matrix already"),
    ):
        assert words in cable(technician, start, end, 409)["error"]["message"]
    for start, end, words in (
        ("Matrix/in-1", "Screen/hdmi2", "has no output 'in-1'"),
        ("Matrix/out-3", "Screen/screen", "has no input 'screen'"),
        ("Matrix/out-3", "Matrix/in-3", "into itself"),
        ("Player", "Something", "on record"),
        ("Matrix/out-3", "Screen/nowhere", "no input"),
    ):
        assert words in cable(technician, start, end, 400)["error"]["message"]
    cable(technician, "Nobody/out-1", "Screen/hdmi2", 404)
    shown = get(viewer, "cables")["cables"]
    assert [(one["source"]["name"], one["target"]["name"], one["target"]["label"]) for one in shown] == [
        ("Player one", "Matrix", "Player (Input 1)"), ("Matrix", "Screen", "HDMI 1")
    ]  # fmt: skip
    assert JournalEntry.objects.order_by("-id")[0].entry["message"].startswith("Recorded a cable: Matrix, Foyer")
    assert technician.delete(f"/api/routing/cables/{shown[0]['id']}").status_code == 204
    assert technician.delete(f"/api/routing/cables/{shown[0]['id']}").status_code == 404


def test_paths_are_told_with_why_something_is_not_known(
    technician: APIClient, wall: dict[str, Device], told: Told
) -> None:
    cable(technician, "Player one", "Matrix/in-1")
    cable(technician, "Matrix/out-2", "Screen/hdmi1")
    matrix, screen = wall["matrix"].id, wall["screen"].id
    told.states = {matrix: {"output-2": "1", "format-1": "1920x1080p60", "on-2": "on"}}
    told.troubles = {screen: "It does not answer in time."}
    answer = get(technician, "paths?ask=1")
    assert told.asked[-1]["ask"] is True
    path = next(one for one in answer["paths"] if one["end"]["device"] == screen)
    assert [(one["kind"], one["why"]) for one in path["stops"]] == [("unknown", "It does not answer in time")]
    assert screen in answer["unheard"]
    told.states[screen] = {"input": "hdmi1", "power": "on", "mute": "none", "freeze": "off", "resolution": "1920x1080"}
    told.troubles = {}
    path = next(one for one in get(technician, "paths")["paths"] if one["end"]["device"] == screen)
    assert (path["source"], path["arrives"], path["stops"]) == ("Player one", True, [])
    assert [(hop["name"], hop["into_label"], hop["out_label"], hop["by"]) for hop in path["hops"]] == [
        ("Matrix", "Player (Input 1)", "Foyer (Output 2)", "output-2"), ("Screen", "HDMI 1", "Screen", "input")
    ]  # fmt: skip


@pytest.mark.django_db
def test_a_grid_of_several_on_the_same_axes_names_the_jacks_that_it_joins(library: Library) -> None:
    profile = library.need("tessaly-sx4")
    device = Device(name="Switch", profile=profile.id)
    serial, infrared = showing.grids(device, Thing("x", "Switch", profile, {}), library)
    assert (serial["rows"][1]["jack"], serial["columns"][3]["jack"]) == ("serial-out-2", "serial-in-3")
    assert (infrared["rows"][1]["jack"], infrared["columns"][3]["jack"]) == ("ir-out-2", "ir-in-3")
    assert [(one["state"], one["label"]) for one in serial["columns"]][:2] == [("0", "None"), ("1", "Input 1")]


def test_a_grid_says_which_points_tell_what(viewer: APIClient, wall: dict[str, Device]) -> None:
    [grid] = get(viewer, "grids/Matrix")["grids"]
    assert [row["point"] for row in grid["rows"]] == [f"output-{n}" for n in range(1, 9)]
    assert (grid["rows"][1]["name"], grid["columns"][0]["name"], grid["columns"][0]["state"]) == (
        "Foyer",
        "Player",
        "1",
    )
    assert grid["rows"][1]["stops"] == [{"point": "on-2", "states": ["off"], "why": "the output is off", "drive": True}]
    assert grid["columns"][0]["present"] == {"point": "format-1", "one_of": [], "none_of": ["-"]}
    assert grid["columns"][0]["protected"] == {"point": "protected-1", "one_of": ["on"], "none_of": []}
    assert get(viewer, "grids/Screen")["grids"] == []


def test_a_mixer_has_a_level_in_each_cell(technician: APIClient, site: None, library: Library, told: Told) -> None:
    mixer = made("Mixer", "tarnwick-m8", library, **{"/inputs/2/name": "Music"})
    [grid] = get(technician, "grids/Mixer")["grids"]
    assert grid["rows"][2]["points"][:2] == ["level-3-1", "level-3-2"]
    assert (grid["columns"][1]["name"], grid["levels"]["unit"], grid["levels"]["minimum"]) == ("Music", "dB", -80.0)
    told.states = {mixer.id: {f"level-{o}-{i}": "-80.0" for o in range(1, 9) for i in range(1, 9)}}
    post(technician, "presets", name="Quiet", devices=["Mixer"])
    assert len(Preset.objects.get().cells) == 64
    told.states[mixer.id]["level-1-1"] = "0.0"
    rows = get(technician, "presets/Quiet")["cells"]
    assert [(one["point"], one["now"]) for one in rows if one["verdict"] == "differs"] == [("level-1-1", "0.0")]


def test_locks_are_whose_they_are_and_reach_the_engine(
    technician: APIClient, lead: APIClient, wall: dict[str, Device], library: Library
) -> None:
    matrix = wall["matrix"].id
    lock = {"device": "Matrix", "point": "output-2", "why": "live show"}
    made_ = post(technician, "locks", **lock)
    assert "locked that already" in post(technician, "locks", 409, **lock)["error"]["message"]
    post(technician, "locks", **{**lock, "point": "/outputs/3/source", "state": "5"})
    post(technician, "locks", 400, **{**lock, "point": "output-3", "state": "77"})
    post(technician, "locks", 400, **{**lock, "point": "format-1"})
    post(technician, "locks", 400, **{**lock, "point": "output-4", "why": ""})
    of = locks.of(matrix, library)
    assert [(one.path, one.state) for one in of] == [("/outputs/2/source", ""), ("/outputs/3/source", "5")]
    assert of[0].why == "Output 2 source: Foyer of Matrix is locked by the-technician: live show."
    assert of[1].why == "the-technician keeps Input 5 away from Output 3 source of Matrix: live show."
    Lock.objects.filter(path="/outputs/3/source").update(by="somebody")
    other = Lock.objects.get(path="/outputs/3/source").id
    assert technician.delete(f"/api/routing/locks/{other}").status_code == 403
    assert lead.delete(f"/api/routing/locks/{other}").status_code == 204
    assert technician.delete(f"/api/routing/locks/{made_['id']}").status_code == 204
    assert technician.delete("/api/routing/locks/x").status_code == 404
    assert locks.of(matrix, library) == []


def test_a_preset_over_two_devices_is_kept_compared_and_recalled_in_part(
    technician: APIClient, wall: dict[str, Device], told: Told
) -> None:
    matrix, other = wall["matrix"].id, wall["other"].id
    told.states = {one: {f"output-{n}": str(n) for n in range(1, 9)} for one in (matrix, other)}
    post(technician, "presets", 400, name="Evening", devices=["Screen"])
    kept = post(technician, "presets", name="Evening", devices=["Matrix", "Other"])["id"]
    assert len(Preset.objects.get().cells) == 16
    post(technician, "presets", 409, name="evening", devices=["Matrix"])
    told.states[matrix]["output-3"] = "8"
    del told.states[other]["output-1"]
    rows = get(technician, "presets/Evening")["cells"]
    assert [(r["name"], r["point"], r["now"], r["verdict"]) for r in rows if r["verdict"] != "same"] == [
        ("Matrix", "output-3", "8", "differs"), ("Other", "output-1", "", "unknown")
    ]  # fmt: skip
    post(technician, f"presets/{kept}/recall", devices=["Other"])
    assert {cell["device"] for cell in told.asked[-1]["cells"]} == {other}
    done = post(technician, f"presets/{kept}/recall", points=[[matrix, "output-3"]])
    assert told.asked[-1]["cells"] == [{"device": matrix, "point": "/outputs/3/source", "state": "3"}]
    assert (done["cells"][0]["point"], done["cells"][0]["label"]) == ("output-3", "Output 3 source")
    post(technician, f"presets/{kept}/recall", 400, points=[[matrix, "nowhere"]])
    wall["other"].delete()
    rows = get(technician, f"presets/{kept}")["cells"]
    assert {r["verdict"] for r in rows if r["device"] == other} == {"gone"}
    assert technician.delete(f"/api/routing/presets/{kept}").status_code == 204
    assert technician.delete(f"/api/routing/presets/{kept}").status_code == 404


def test_what_is_not_known_now_is_not_kept_as_a_preset(
    technician: APIClient, wall: dict[str, Device], told: Told
) -> None:
    told.troubles = {wall["matrix"].id: "It does not answer in time."}
    words = post(technician, "presets", 400, name="Evening", devices=["Matrix"])["error"]["message"]
    assert words == "What Matrix has now is not known: It does not answer in time."
    assert not Preset.objects.exists()


def test_the_devices_own_presets_are_told_beside_ours(
    technician: APIClient, wall: dict[str, Device], told: Told
) -> None:
    matrix = wall["matrix"].id
    told.states = {matrix: {f"preset-2-{n}": "4" for n in range(1, 9)}}
    cells = [{"device": "Matrix", "point": "output-1", "state": "4"}]
    kept = post(technician, "presets", name="Four", cells=cells)["id"]
    own = [one for one in get(technician, "presets")["own"] if one["device"] == matrix]
    assert [(one["number"], one["same"], len(one["cells"])) for one in own] == [
        (1, "", 0), (2, kept, 8), (3, "", 0), (4, "", 0)
    ]  # fmt: skip
    twice = [*cells, {"device": "Matrix", "point": "/outputs/1/source", "state": "5"}]
    post(technician, "presets", 400, name="Five", cells=twice)
    post(technician, "presets", 400, name="Six", cells=[])


def test_a_take_names_devices_by_any_word_and_unknown_ones_are_refused(
    technician: APIClient, viewer: APIClient, wall: dict[str, Device], told: Told
) -> None:
    cell = {"device": "matrix", "point": "output-2", "state": "3"}
    post(viewer, "take", 403, cells=[cell])
    [done] = post(technician, "take", cells=[cell])["cells"]
    assert (done["name"], done["label"], done["word"]) == ("Matrix", "Output 2 source: Foyer", "taken")
    assert told.asked[-1]["cells"][0]["device"] == wall["matrix"].id
    post(technician, "take", 404, cells=[{**cell, "device": "nobody"}])
    post(technician, "take", 400, cells=[])


def test_edids_are_read_checked_and_kept(technician: APIClient, viewer: APIClient, site: None) -> None:
    told = post(viewer, "edids/read", text=EDID)
    assert (told["name"], told["picks"], told["findings"]) == ("Hall", "1920x1080 60 Hz", [])
    damaged = EDID[:40] + "ff" + EDID[42:]
    assert any(one["where"] == "checksum" for one in post(viewer, "edids/read", text=damaged)["findings"])
    post(viewer, "edids/read", 400, text="hello")
    post(viewer, "edids", 403, name="Hall", text=EDID)
    kept = post(technician, "edids", name="Hall", text=EDID, origin="a file")
    assert kept["octets"] == EDID
    post(technician, "edids", 409, name="hall", text=EDID)
    assert "damaged" in post(technician, "edids", 400, name="Bad", text=damaged)["error"]["message"]
    assert get(viewer, "edids/Hall")["name"] == "Hall"
    assert [one["name"] for one in get(viewer, "edids")["edids"]] == ["Hall"]
    assert technician.delete("/api/routing/edids/Hall").status_code == 204
    assert technician.delete("/api/routing/edids/Hall").status_code == 404


def test_what_an_input_promises_is_held_against_the_displays_behind_it(
    technician: APIClient, wall: dict[str, Device], told: Told, library: Library
) -> None:
    cable(technician, "Matrix/out-2", "Screen/hdmi1")
    promised = edids.made({"name": "Any", "best": "3840x2160p60", "hdmi": 300, "forum": 600}).hex()
    matrix, screen = wall["matrix"], wall["screen"]
    matrix.unit.running = Document.keep(
        {"inputs": {"1": {"edid": promised}}, "outputs": {"2": {"source": 1, "on": True}}}
    )
    matrix.unit.save()
    told.states = {matrix.id: {"edid-2": EDID}, screen.id: {"input": "hdmi1"}}
    first = get(technician, "edids/at/Matrix")["inputs"][0]
    assert first["path"] == "/inputs/1/edid"
    assert [one["name"] for one in first["displays"]] == ["Screen"]
    assert any("does not take 3840x2160 60 Hz" in words for words in first["in_vain"])


def test_what_is_joined_keeps_its_cables_locks_and_cells(
    technician: APIClient, wall: dict[str, Device], told: Told
) -> None:
    matrix, other = wall["matrix"], wall["other"]
    cable(technician, "Other/out-1", "Screen/hdmi1")
    cable(technician, "Player", "Other/in-1")
    cable(technician, "Matrix/out-1", "Screen/hdmi2")
    post(technician, "locks", device="Other", point="output-2", why="show")
    for name in ("Matrix", "Other"):
        cells = [{"device": one, "point": "output-1", "state": "2"} for one in ("Matrix", "Other")]
        post(technician, "presets", name=name, cells=cells if name == "Matrix" else cells[1:])
    fitting.merge(matrix, other)
    assert {(c.source_device_id, c.source_jack, c.target_device_id) for c in Cable.objects.all()} == {
        (matrix.id, "out-1", wall["screen"].id), (None, "Player", matrix.id)
    }  # fmt: skip
    assert Lock.objects.get().device_id == matrix.id
    assert {cell["device"] for one in Preset.objects.all() for cell in one.cells} == {matrix.id}
    assert len(Preset.objects.get(name="Matrix").cells) == 1
