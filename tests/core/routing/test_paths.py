"""What reaches a display, where it stops and why: over a matrix, a kit of two halves, and a display."""

from __future__ import annotations

from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.library.load import Library
from netloom_core.routing.kits import kits
from netloom_core.routing.paths import Path, behind, path_to, paths
from netloom_core.routing.site import Cable, End, Site, Thing, facts_of
from netloom_standins import edids

SCREEN = End("D", "screen")
GOOD: dict[str, dict[str, Any]] = {
    "M": {"/outputs/1/source": 3, "/inputs/3/format": "1920x1080p60", "/inputs/3/protected": False,
          "/outputs/1/display": True, "/outputs/1/on": True, "/inputs/3/name": "Player"},
    "S": {"/role": "transmitter", "/hdmi/format": "1920x1080p60", "/link/up": True},
    "R": {"/role": "receiver", "/link/format": "1920x1080p60", "/link/up": True, "/display/connected": True},
    "D": {"/power": "on", "/mute": "none", "/freeze": "off", "/input": "hdmi1", "/resolution": "1920x1080"},
}  # fmt: skip
CABLES = [
    ("", "Timetable player", "M", "in-3"),
    ("M", "out-1", "S", "hdmi"),
    ("S", "link", "R", "link-in"),
    ("R", "hdmi-out", "D", "hdmi1"),
]
MODELS = {"M": "corrain-mx88", "S": "corrain-xt1", "R": "corrain-xt1", "D": "belisar-d55"}


def site(
    library: Library, changed: dict[str, dict[str, Any]] | None = None, cables: Any = None, **firmware: str
) -> Site:
    things = []
    for name, model in MODELS.items():
        facts = {k: v for k, v in {**GOOD[name], **(changed or {}).get(name, {})}.items() if v is not None}
        things.append(Thing(name, name, library.need(model), facts, firmware.get(name, "1.0")))
    laid = [Cable(f"c{n}", End(a, b), End(c, d)) for n, (a, b, c, d) in enumerate(CABLES if cables is None else cables)]
    return Site(things, laid)


def whole(library: Library, changed: dict[str, dict[str, Any]] | None = None, **more: Any) -> Path:
    return path_to(site(library, changed, **more), SCREEN)


def stops(path: Path) -> list[tuple[str, str]]:
    return [(one.kind, one.device) for one in path.stops]


def test_it_goes_through_from_the_player_to_the_screen(library: Library) -> None:
    path = whole(library)
    assert path.source == "Timetable player"
    assert [(hop.device, hop.into, hop.out) for hop in path.hops] == [
        ("M", "in-3", "out-1"), ("S", "hdmi", "link"), ("R", "link-in", "hdmi-out"), ("D", "hdmi1", "screen")
    ]  # fmt: skip
    assert path.stops == path.notes == ()
    assert path.arrives is True
    assert [hop.cable for hop in path.hops] == ["c0", "c1", "c2", "c3"]


def test_the_first_of_what_stops_it_is_the_cause(library: Library) -> None:
    dead: dict[str, dict[str, Any]] = {
        "M": {"/inputs/3/format": "-"},
        "S": {"/hdmi/format": "-"},
        "R": {"/link/format": "-"},
        "D": {"/resolution": "-"},
    }
    path = whole(library, dead)
    assert stops(path) == [("no-signal", "M")], "what follows from it is not told again"
    assert path.stops[0].why == "No signal comes in at Player (Input 3) of M"
    assert path.arrives is False


def test_each_thing_that_holds_it_is_told_with_its_reason(library: Library) -> None:
    for changed, kind, where, words in (
        ({"M": {"/outputs/1/on": False}}, "held", "M", "the output is off"),
        ({"M": {"/outputs/1/display": False}}, "not-taken", "M", "nothing is plugged in"),
        ({"S": {"/link/up": False}}, "held", "S", "no link to its other half"),
        ({"D": {"/power": "off"}}, "held", "D", "standby"),
        ({"D": {"/mute": "picture"}}, "held", "D", "muted"),
        ({"D": {"/freeze": "on"}}, "held", "D", "frozen"),
        ({"R": {"/link/format": "-"}, "D": {"/resolution": "-"}}, "no-signal", "R", "No signal comes in at Link of R"),
    ):
        path = whole(library, changed)  # type: ignore[arg-type]
        assert path.stops, changed
        assert (path.stops[0].kind, path.stops[0].device) == (kind, where)
        assert words in path.stops[0].why


def test_what_is_not_known_is_not_called_good(library: Library) -> None:
    assert stops(whole(library, {"D": {"/input": None}})) == [("unknown", "D")]
    assert stops(whole(library, {"M": {"/outputs/1/source": None}})) == [("unknown", "M")]
    untold = whole(library, {"D": {"/resolution": None}})
    assert (untold.arrives, untold.stops) == (None, ())


def test_what_comes_in_is_told_of_the_input_that_is_looked_at_alone(library: Library) -> None:
    display = site(library).things["D"]
    told = {ident: display.told(jack.present) for ident, jack in display.jacks.items() if jack.way == "in"}
    assert told == {"hdmi1": True, "hdmi2": None, "port": None}


def test_a_missing_cable_is_the_least_of_the_reasons(library: Library) -> None:
    path = whole(library, cables=CABLES[1:])
    assert (path.source, path.stops) == ("", ()), "a signal comes in there: what is plugged in is not what stops it"
    path = whole(library, {"M": {"/inputs/3/format": "-"}}, cables=CABLES[1:])
    assert stops(path) == [("no-signal", "M"), ("no-cable", "M")]
    path = whole(library, cables=CABLES[:3])
    assert [hop.device for hop in path.hops] == ["D"]


def test_a_picture_that_the_display_does_not_take(library: Library) -> None:
    edid = edids.made({"name": "Screen", "codes": (16, 4), "hdmi": 300}).hex()
    changed: dict[str, dict[str, Any]] = {
        "M": {"/inputs/3/format": "3840x2160p60"}, "S": {"/hdmi/format": "3840x2160p60"},
        "R": {"/link/format": "3840x2160p60", "/display/edid": edid}, "D": {"/resolution": "-"},
    }  # fmt: skip
    path = whole(library, changed)
    assert stops(path) == [("format", "R"), ("no-signal", "D")]
    assert path.stops[0].why == "Screen at HDMI output of R does not say that it takes 3840x2160p60"
    lie = edids.made({"name": "Screen", "codes": (16, 4), "hdmi": 300, "wrong": ["promises"]}).hex()
    changed["R"]["/display/edid"] = lie
    path = whole(library, changed)
    assert stops(path) == [("no-signal", "D")]
    assert path.stops[0].why == "No signal comes in at HDMI 1 of D, though its EDID says that it takes 3840x2160p60"


def test_a_protected_picture_is_said_to_be_where_nothing_comes(library: Library) -> None:
    path = whole(library, {"M": {"/inputs/3/protected": True}, "D": {"/resolution": "-"}})
    assert "copy-protected" in path.stops[0].why


def test_halves_of_unlike_versions_are_noted_and_stop_nothing(library: Library) -> None:
    path = whole(library, S="1.12", R="1.10")
    assert path.notes == ("S has firmware 1.12, its other half R 1.10",)
    assert path.stops == ()


def test_a_half_that_is_set_to_the_other_role_has_other_jacks(library: Library) -> None:
    path = whole(library, {"R": {"/role": "transmitter"}})
    assert path.stops[0].kind == "not-routed" or "link" in path.stops[0].why


def test_cables_in_a_circle_end(library: Library) -> None:
    loop = [("R", "hdmi-out", "M", "in-3"), *CABLES[1:3]]
    path = path_to(site(library, cables=[*loop]), End("M", "out-1"))
    assert path.stops[0].kind == "loop"


def test_all_ends_are_found(library: Library) -> None:
    made = site(library)
    assert [(one.end.device, one.end.jack) for one in paths(made)] == [("D", "screen")]
    more = site(library, {"M": {"/outputs/5/display": True, "/outputs/5/source": 3}})
    assert End("M", "out-5") in {one.end for one in paths(more)}, "somebody takes it, though no cable is recorded"
    assert behind(made, End("M", "in-3")) == [("D", "")]
    edid = edids.made({"name": "Screen"}).hex()
    assert behind(site(library, {"R": {"/display/edid": edid}}), End("M", "in-3")) == [("D", edid)]
    assert behind(made, End("M", "in-4")) == []


def test_facts_are_what_was_read_and_over_it_what_is_told(library: Library) -> None:
    profile = library.need("corrain-mx88")
    running = {"outputs": {"1": {"source": 2, "on": True}}}
    facts = facts_of(
        profile, running, {"output-1": "5", "on-1": "off", "format-2": "-", "none-such": "x", "output-2": "99"}
    )
    assert facts == {"/outputs/1/source": 5, "/outputs/1/on": False, "/inputs/2/format": "-"}


JACKS = {
    "M": [f"in-{n}" for n in range(1, 9)] + [f"out-{n}" for n in range(1, 9)],
    "S": ["hdmi", "link", "loop"],
    "R": ["link-in", "hdmi-out"],
    "D": ["hdmi1", "hdmi2", "port", "media", "screen"],
    "": ["a", "b"],
    "gone": ["x"],
}
ENDS = st.sampled_from([(device, jack) for device, jacks in JACKS.items() for jack in jacks])


@settings(max_examples=200, deadline=None)
@given(
    cables=st.lists(st.tuples(ENDS, ENDS), max_size=25),
    sources=st.lists(st.integers(0, 9), min_size=8, max_size=8),
    where=st.sampled_from(["hdmi1", "hdmi2", "port", "media", "none"]),
)
def test_whatever_is_plugged_into_what_it_ends_and_raises_nothing(
    library: Library, cables: Any, sources: list[int], where: str
) -> None:
    routed = {f"/outputs/{n}/source": source for n, source in enumerate(sources, 1)}
    made = site(library, {"M": routed, "D": {"/input": where}}, cables=[(*a, *b) for a, b in cables])
    for path in paths(made):
        assert 1 <= len(path.hops) <= 64
        assert path.hops[-1].device == path.end.device
        if not path.source and path.hops[0].present is not True:
            assert path.stops, "where it is not known from where, that is said"


SERIAL = [*CABLES, ("", "Control computer", "S", "serial"), ("R", "serial-out", "", "RS-232 of the display")]


def test_serial_goes_over_the_cable_that_the_picture_goes_over(library: Library) -> None:
    found = {path.end: path for path in paths(site(library, cables=SERIAL))}
    assert set(found) == {SCREEN, End("R", "serial-out")}
    path = found[End("R", "serial-out")]
    assert path.source == "Control computer"
    assert [(hop.device, hop.into, hop.out, hop.cable) for hop in path.hops] == [
        ("S", "serial", "link-serial", "c4"), ("R", "link-serial-in", "serial-out", "c2")
    ]  # fmt: skip
    assert (path.stops, path.arrives) == ((), None), "no device tells whether anything is said there"
    cut: dict[str, dict[str, Any]] = {"S": {"/link/up": False}, "R": {"/link/up": False}}
    assert stops(path_to(site(library, cut, cables=SERIAL), End("R", "serial-out"))) == [("held", "S")]


def test_without_the_cable_between_the_halves_nothing_goes_over_it(library: Library) -> None:
    without = [cable for cable in SERIAL if cable[1] != "link"]
    path = path_to(site(library, cables=without), End("R", "serial-out"))
    assert (path.source, stops(path)) == ("", [("no-cable", "R")])


def test_infrared_goes_the_way_that_both_halves_are_set_to(library: Library) -> None:
    cables = [*CABLES, ("", "Remote", "S", "infrared"), ("R", "infrared-out", "", "Eye of the display")]
    end = End("R", "infrared-out")
    both = {name: {"/infrared/way": "to-display"} for name in ("S", "R")}
    assert path_to(site(library, both, cables=cables), end).source == "Remote"
    turned = {**both, "S": {"/infrared/way": "to-source"}}
    assert path_to(site(library, turned, cables=cables), end).source == "", "the sender has no such input then"


def test_a_setting_that_is_no_single_value_is_none_of_those_wanted(library: Library) -> None:
    odd: dict[str, dict[str, Any]] = {"S": {"/role": ["transmitter"]}}
    assert "hdmi" not in site(library, odd).things["S"].jacks
    assert "hdmi" in site(library).things["S"].jacks


def test_an_output_that_shows_the_same_as_another_one(library: Library) -> None:
    same: dict[str, dict[str, Any]] = {"M": {"/outputs/1/mirror": 2, "/outputs/2/mirror": 3, "/outputs/3/mirror": 0,
                                             "/outputs/1/source": 8, "/outputs/3/source": 3}}  # fmt: skip
    path = whole(library, same)
    assert (path.source, path.stops, path.hops[0].by) == ("Timetable player", (), "/outputs/3/source")
    same["M"]["/outputs/3/mirror"] = 1
    assert [(one.kind, "in a circle" in one.why) for one in whole(library, same).stops][:1] == [("loop", True)]
    assert whole(library, {"M": {"/outputs/1/mirror": 0}}).source == "Timetable player"
    assert stops(whole(library, {"M": {"/outputs/1/mirror": 4}}))[0] == ("unknown", "M"), "output 4 was not read"


def test_two_halves_are_one_kit_with_two_ends(library: Library) -> None:
    told = {name: {"/link/quality": 31.5} for name in ("S", "R")}
    [kit] = kits(site(library, told, S="1.12.0", R="1.13.0"))
    assert (kit.sender.device, kit.receiver.device, kit.receiver.quality) == ("S", "R", "31.5 dB")
    assert (kit.linked, kit.unlike, kit.carries) == (True, True, ("infrared", "serial"))
    turned: dict[str, dict[str, Any]] = {**told, "R": {"/infrared/way": "to-source"}}
    assert kits(site(library, turned))[0].carries == ("serial",)
    cut: dict[str, dict[str, Any]] = {"S": {"/link/up": None}, "R": {"/link/up": False}}
    [kit] = kits(site(library, cut))
    assert (kit.linked, kit.why) == (False, "R: there is no link to its other half")
    silent: dict[str, dict[str, Any]] = {"S": {"/link/up": None}, "R": {"/link/up": None}}
    assert kits(site(library, silent))[0].linked is None, "nobody told"
    assert kits(site(library, cables=[one for one in CABLES if one[1] != "link"])) == []


SPLIT = [*CABLES[:3], ("R", "hdmi-out", "", "Hall splitter"), ("", "hall  Splitter", "D", "hdmi1")]


def test_a_splitter_that_is_on_no_record_is_gone_through_by_its_name(library: Library) -> None:
    path = whole(library, cables=[*SPLIT, ("", "Hall splitter", "D", "hdmi2")])
    assert (path.source, path.stops, path.hops[-1].over) == ("Timetable player", (), "hall  Splitter")
    assert {one.end for one in paths(site(library, cables=SPLIT))} == {SCREEN}, "it is no end itself"


def test_where_two_cables_lead_into_it_nobody_knows_which_goes_on(library: Library) -> None:
    path = whole(library, cables=[*SPLIT, ("M", "out-2", "", "Hall splitter")])
    assert (path.source, len(path.hops), path.hops[-1].over) == ("hall  Splitter", 1, "")


def test_serial_does_not_come_out_of_a_splitter_for_pictures(library: Library) -> None:
    cables = [*CABLES[:3], ("R", "serial-out", "", "Hall splitter"), ("", "Hall splitter", "D", "hdmi1")]
    assert whole(library, cables=cables).source == "Hall splitter"


def test_serial_and_infrared_are_switched_each_for_itself(library: Library) -> None:
    cables = [*CABLES, ("", "Control computer", "X", "serial-in-2"), ("X", "serial-out-1", "S", "serial"),
              ("R", "serial-out", "", "RS-232 of the display"), ("", "Remote", "X", "ir-in-2"),
              ("X", "ir-out-1", "S", "infrared"), ("R", "infrared-out", "", "Eye of the display")]  # fmt: skip
    kit = site(library, cables=cables)
    facts = {"/outputs/1/serial": 2, "/outputs/1/infrared": 0}
    switch = Thing("X", "X", library.need("tessaly-sx4"), facts, "1.0")
    laid = [Cable(f"c{n}", End(a, b), End(c, d)) for n, (a, b, c, d) in enumerate(cables)]
    found = Site([*kit.things.values(), switch], laid)
    path = path_to(found, End("R", "serial-out"))
    assert (path.source, [hop.device for hop in path.hops]) == ("Control computer", ["X", "S", "R"])
    assert stops(path_to(found, End("R", "infrared-out"))) == [("not-routed", "X")]
    assert path_to(found, SCREEN).source == "Timetable player"
