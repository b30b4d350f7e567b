"""Signals go over the site's cables as its units are set: a matrix, a kit of two halves, a display at the end."""

from __future__ import annotations

from typing import Any

import pytest

from netloom_core.edid.choose import takes
from netloom_core.edid.parse import parse
from netloom_core.library.load import Library
from netloom_standins.picture import Picture
from netloom_standins.site import single

SITE = {
    "sources": [
        {"name": "Player"},
        {"name": "Laptop", "protected": True},
        {"name": "Camera", "format": "3840x2160p60"},
    ],
    "screens": {"D2": {"unprotected": True}, "D3": {"wrong": ["promises"]}},
    "cables": [
        {"from": "Player", "to": "M / in-1"},
        {"from": "Laptop", "to": "M / in-2"},
        {"from": "Camera", "to": "M / in-3"},
        {"from": "M / out-1", "to": "S / hdmi"},
        {"from": "S / link", "to": "R / link-in"},
        {"from": "R / hdmi-out", "to": "D1 / hdmi1"},
        {"from": "M / out-2", "to": "D2 / hdmi1"},
        {"from": "M / out-3", "to": "D3 / hdmi2"},
    ],
}


@pytest.fixture
def units(library: Library) -> dict[str, Any]:
    made = {
        "M": single(library, "corrain-mx88", "M", "127.0.0.1"),
        "S": single(library, "corrain-xt1", "S", "127.0.0.2", values={"/role": "transmitter"}),
        "R": single(library, "corrain-xt1", "R", "127.0.0.3", values={"/role": "receiver"}),
        **{name: single(library, "belisar-d55", name, f"127.0.0.{n}") for n, name in enumerate(("D1", "D2", "D3"), 4)},
    }
    for unit in made.values():
        unit.up = True
    return made


@pytest.fixture
def picture(units: dict[str, Any]) -> Picture:
    made = Picture(SITE, units.values())
    made.settle()
    return made


def test_a_signal_reaches_the_display_through_a_matrix_and_a_kit(units: dict[str, Any], picture: Picture) -> None:
    value = {name: unit.memory.value for name, unit in units.items()}
    assert value["M"]("/inputs/1/format") == "1920x1080p60"
    assert value["S"]("/hdmi/format") == value["R"]("/link/format") == "1920x1080p60"
    assert value["S"]("/link/up") is value["R"]("/link/up") is True
    assert value["D1"]("/resolution") == "1920x1080"
    assert value["D3"]("/resolution") == "-", "it is switched to its other input"
    units["D3"].memory.set("/input", "hdmi2")
    assert value["D3"]("/resolution") == "1920x1080"
    picture.turn("Player", {"on": False})
    assert value["D1"]("/resolution") == value["R"]("/link/format") == "-"


def test_what_a_display_says_of_itself_comes_back_as_far_as_the_matrix(units: dict[str, Any], picture: Picture) -> None:
    at_receiver = units["R"].memory.value("/display/edid")
    assert parse(bytes.fromhex(at_receiver)).name == units["D1"].profile.model
    assert units["M"].memory.value("/outputs/2/display") is True
    assert units["M"].memory.value("/outputs/1/display_edid") == "", "what is behind a kit is not told through it"
    told = parse(bytes.fromhex(units["M"].memory.value("/outputs/3/display_edid")))
    assert takes(told, 3840, 2160, 60.0), "it promises what it cannot show"


def test_a_route_an_output_that_is_off_and_a_protected_picture(units: dict[str, Any], picture: Picture) -> None:
    matrix, one, two = units["M"].memory, units["D1"].memory, units["D2"].memory
    assert two.value("/resolution") == "1920x1080"
    matrix.set("/outputs/2/source", 2)
    assert matrix.value("/inputs/2/protected") is True
    assert two.value("/resolution") == "-", "it takes no protected picture"
    matrix.set("/outputs/1/source", 2)
    assert one.value("/resolution") == "1920x1080"
    matrix.set("/outputs/1/on", False)
    assert one.value("/resolution") == "-"


def test_an_output_that_mirrors_another_one_and_two_that_mirror_each_other(
    units: dict[str, Any], picture: Picture
) -> None:
    matrix, display = units["M"].memory, units["D1"].memory
    matrix.set("/outputs/1/source", 5)
    assert display.value("/resolution") == "-"
    matrix.set("/outputs/1/mirror", 2)
    assert display.value("/resolution") == "1920x1080"
    matrix.set("/outputs/2/mirror", 1)
    assert display.value("/resolution") == "-"


def test_a_display_does_not_show_what_it_only_promises(units: dict[str, Any], picture: Picture) -> None:
    units["D3"].memory.set("/input", "hdmi2")
    units["M"].memory.set("/outputs/3/source", 3)
    assert units["M"].memory.value("/inputs/3/format") == "3840x2160p60"
    assert units["D3"].memory.value("/resolution") == "-"


def test_a_half_without_power_takes_the_link_with_it(units: dict[str, Any], picture: Picture) -> None:
    units["S"].up = False
    picture.settle()
    assert units["R"].memory.value("/link/up") is False
    assert units["R"].memory.value("/link/format") == units["D1"].memory.value("/resolution") == "-"


async def test_its_own_presets(units: dict[str, Any], picture: Picture) -> None:
    matrix = units["M"]
    matrix.memory.set("/outputs/4/source", 6)
    matrix.written("/presets/save", "2")
    matrix.memory.set("/outputs/4/source", 1)
    matrix.written("/presets/recall", "2")
    assert matrix.memory.value("/outputs/4/source") == 6
    matrix.lose_unkept()
    assert matrix.memory.value("/presets/2/outputs/4") == 1, "they go with the power"


async def test_a_display_is_switched_through_the_cable(units: dict[str, Any], picture: Picture) -> None:
    units["M"].memory.set("/outputs/1/display_power", "off")
    assert units["D1"].memory.value("/power") == "cooling"
    assert units["D2"].memory.value("/power") == "on"


async def test_volume_and_playback_go_through_the_cable(units: dict[str, Any], picture: Picture) -> None:
    units["M"].memory.set("/outputs/1/volume", "louder")
    assert units["D1"].memory.value("/volume") == "louder", "over a kit, too"
    assert units["D2"].memory.value("/volume") == "quieter", "and no other one"
    units["M"].memory.set("/inputs/1/playback", "pause")
    assert picture.playing == {"Player": "pause"}
