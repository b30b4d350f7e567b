"""Routing by hand: paths over several devices, crosspoints, locks, presets, cables, EDIDs, with trouble on the way."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from netloom_standins import edids
from netloom_standins.described.description import descriptions
from netloom_standins.described.loading import made
from tests.browser.axe import violations
from tests.browser.page import Page
from tests.demo import Demo

NETWORK = "127.66.10.0/24"
SWEPT_SITE = "tests/sites/routing.yaml"
pytestmark = pytest.mark.browser
FAILED, REFUSED, DIFFERS = 4, 5, 3


def paths(demo: Demo, expect: int = 0) -> dict[str, dict[str, Any]]:
    return {one["end"]["name"]: one for one in demo.json("route", "paths", expect=expect)["paths"]}


def words(demo: Demo, *cells: str, expect: int = 0) -> list[str]:
    return [cell["word"] for cell in demo.json("route", "take", *cells, expect=expect)["cells"]]


def test_where_a_picture_stops_is_told_and_a_cable_closes_the_gap(demo: Demo) -> None:
    found = paths(demo)
    hall = found["Hall display"]
    assert (hall["source"], hall["arrives"], hall["stops"]) == ("Timetable player", True, [])
    assert hall["notes"] == ["Sender has firmware 1.12.0, its other half Receiver 1.11.0"]
    # Nobody recorded what is plugged into the foyer's display; a picture comes in, so that is not what stops it.
    assert (found["Foyer display"]["source"], found["Foyer display"]["stops"]) == ("", [])
    assert found["Foyer matrix"]["stops"] == [], "somebody takes its output, and which one is not recorded"
    demo.run("route", "cable", "Foyer matrix/out-1", "Foyer display/hdmi1")
    assert paths(demo)["Foyer display"]["source"] == "Timetable player"
    demo.run("fault", "source", "Timetable player", "--off")
    found = paths(demo, DIFFERS)
    assert [one["kind"] for one in found["Hall display"]["stops"]] == ["no-signal"]
    assert found["Hall display"]["stops"][0]["why"] == "No signal comes in at Timetable (Input 1) of Hall matrix"
    demo.run("fault", "source", "Timetable player", "--on")
    assert words(demo, "Hall matrix", "output-1=2", "output-8=2") == ["taken", "taken"]
    found = paths(demo, DIFFERS)
    assert found["Hall display"]["stops"][0]["kind"] == "format"
    assert "though its EDID says that it takes 3840x2160p60" in found["Foyer display"]["stops"][0]["why"]
    assert words(demo, "Hall matrix", "output-1=1", "output-8=1", "output-2=1") == ["taken", "taken", "same"]


def test_each_crosspoint_has_its_own_word_when_devices_misbehave(demo: Demo) -> None:
    demo.run("fault", "lie", "Hall matrix", "/outputs/4/source")
    demo.run("fault", "refuse", "Foyer matrix")
    cells = ("Hall matrix", "output-4=5", "output-5=5", "Foyer matrix", "output-2=3")
    assert words(demo, *cells, expect=FAILED) == ["not-followed", "taken", "refused"]
    demo.run("fault", "clear", "Hall matrix")
    demo.run("fault", "clear", "Foyer matrix")
    demo.run("fault", "silence", "Foyer matrix")
    assert words(demo, "Hall matrix", "output-4=5", "Foyer matrix", "output-2=3", expect=FAILED) == [
        "taken", "not-sent"
    ]  # fmt: skip
    demo.run("fault", "clear", "Foyer matrix")
    assert words(demo, "Foyer matrix", "output-2=3") == ["taken"]


def test_a_preset_of_the_device_goes_with_its_power_and_ours_does_not(demo: Demo) -> None:
    demo.run("route", "keep", "Evening", "Hall matrix", "Foyer matrix")
    demo.run("drive", "Hall matrix", "save", "3")
    kept = demo.json("route", "presets")
    of_hall = [one for one in kept["own"] if one["device_name"] == "Hall matrix"]
    assert [one["number"] for one in of_hall if one["same"] == kept["presets"][0]["id"]] == [3]
    demo.run("fault", "power-cut", "Hall matrix")
    demo.run("sweep", expect=None, timeout=280)
    rows = demo.json("route", "compare", "Evening", expect=DIFFERS)["cells"]
    assert {(r["name"], r["point"]) for r in rows if r["verdict"] == "differs"} == {
        ("Hall matrix", "output-4"), ("Hall matrix", "output-5")
    }  # fmt: skip
    kept = demo.json("route", "presets")
    assert [one["same"] for one in kept["own"] if one["number"] == 3] == ["", ""]
    done = demo.json("route", "recall", "Evening", "Hall matrix")["cells"]
    assert sorted(cell["word"] for cell in done) == ["same"] * 6 + ["taken"] * 2
    demo.json("route", "compare", "Evening")


def test_a_cable_is_proven_by_a_moment_without_its_signal(demo: Demo) -> None:
    listed = {f"{c['source']['name']} {c['source']['jack']}": c["id"] for c in demo.json("route", "cables")["cables"]}
    proof = demo.json("route", "prove", listed["Hall matrix out-1"])["proof"]
    assert proof.endswith("the signal at HDMI input of Sender went, and came back")
    assert paths(demo)["Hall display"]["arrives"] is True
    demo.run("route", "uncable", listed["Hall matrix out-1"])
    assert [one["jack"] for one in demo.json("route", "behind", "Hall matrix", "out-1")["ends"]] == ["hdmi"]
    demo.run("route", "cable", "Hall matrix/out-2", "Sender/hdmi")
    wrong = next(c["id"] for c in demo.json("route", "cables")["cables"] if c["source"]["jack"] == "out-2")
    assert "comes from somewhere else" in demo.refused("route", "prove", wrong, expect=REFUSED)["message"]
    demo.run("route", "uncable", wrong)
    demo.run("route", "cable", "Hall matrix/out-1", "Sender/hdmi")
    demo.refused("route", "prove", listed["Timetable player "], expect=2)


def test_power_is_taken_at_the_port_and_the_box_returns_as_itself(demo: Demo) -> None:
    assert demo.device("Hall box")["feeder"]["name"] == "Rack switch"
    done = demo.json("perform", "power-cycle", "Hall box", "--yes")
    assert [one["result"] for one in done["devices"]] == ["done"]
    told = [
        one["message"]
        for one in demo.json("journal", "--device", demo.device("Hall box")["id"])["entries"]
        if one["kind"] == "outcome"
    ]
    assert "It went, and answers again as itself." in told
    demo.run("perform", "power-cycle", "Mixer", "--yes", expect=FAILED)


def test_who_sends_a_universe_is_heard(demo: Demo) -> None:
    told = demo.json("universe", "levels", "Picture network", "1")
    assert [(one["name"], one["address"], one["priority"]) for one in told["sources"]] == [
        ("Desk", "127.66.10.240", 110)
    ]  # fmt: skip
    assert told["levels"][:3] == [127, 146, 166]


@pytest.fixture
def route(page: Page) -> Page:
    page.key(Keys.ESCAPE)
    page.lens("Route")
    return page


def grid(page: Page) -> None:
    page.driver.execute_script("arguments[0].focus()", page.xpath("//*[@role='grid']"))


def keys(page: Page, *pressed: str) -> None:
    for one in pressed:
        ActionChains(page.driver).send_keys(one).perform()


def cell(page: Page, words: str) -> None:
    page.xpath(f"//*[@role='gridcell' and @aria-label={words!r}]")


def test_the_whole_picture_is_drawn(demo: Demo, route: Page) -> None:
    route.bench_sees("from Timetable player")
    thread = "//section[@aria-label='Paths']//li[contains(.,'Foyer display') and contains(.,'from')]"
    hops = [one.text for one in route.driver.find_elements(By.XPATH, f"{thread}//ol/li")]
    assert hops == ["Hall matrix Timetable", "Foyer matrix Input 1", "Foyer display HDMI 1"]
    route.bench_sees("its other half Receiver 1.11.0")
    demo.run("drive", "Hall display", "mute", "picture")
    route.bench_sees("its picture is muted")
    demo.run("drive", "Hall display", "mute", "none")
    route.until(lambda: "muted" not in route.words("//*[@id='bench']"), "it is shown again")
    assert violations(route) == []


def test_crosspoints_by_the_keyboard_and_a_change_at_the_front(demo: Demo, route: Page) -> None:
    route.select("Hall matrix")
    cell(route, "Timetable to Output 2: taken")
    grid(route)
    keys(route, Keys.ARROW_DOWN, Keys.ARROW_RIGHT, Keys.ENTER)
    cell(route, "Cameras to Output 2: taken")
    assert words(demo, "Hall matrix", "output-2=2") == ["same"]
    keys(route, Keys.ARROW_DOWN, Keys.SPACE, Keys.ARROW_DOWN, Keys.SPACE)
    cell(route, "Cameras to Output 3: held")
    route.press("Take 2 crosspoints")
    cell(route, "Cameras to Output 4: taken")
    demo.run("fault", "change", "Hall matrix", "/outputs/2/source=7")
    cell(route, "Input 7 to Output 2: taken")
    assert violations(route) == []
    assert route.complaints() == []


def test_serial_and_infrared_have_grids_of_their_own_and_can_do_without_an_input(demo: Demo, route: Page) -> None:
    route.select("Control switch")
    cell(route, "None to Hall display: taken")
    infrared = route.xpath("//*[@role='grid' and @aria-label='Infrared']")
    route.driver.execute_script("arguments[0].focus()", infrared)
    keys(route, Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ENTER)
    cell(route, "Remote eye to Hall display: taken")
    assert words(demo, "Control switch", "infrared-1=2", "serial-1=0") == ["same", "same"]
    keys(route, Keys.HOME, Keys.ENTER)
    route.xpath("//*[@role='grid' and @aria-label='Infrared']//*[@aria-label='None to Hall display: taken']")
    assert words(demo, "Control switch", "infrared-1=0") == ["same"], "nothing comes in there any more"
    assert violations(route) == []


def test_a_lock_is_told_with_its_reason_and_nothing_gets_by_it(demo: Demo, route: Page) -> None:
    route.select("Hall matrix")
    grid(route)
    keys(route, Keys.PAGE_UP, Keys.HOME, "l")
    route.write("Reason for the lock", "departures stay")
    route.press("Lock it")
    route.bench_sees("is locked by owner: departures stay")
    assert words(demo, "Hall matrix", "output-1=2", expect=REFUSED) == ["locked"]
    demo.refused("drive", "Hall matrix", "output-1", "2", expect=REFUSED)
    demo.run("set", "Hall matrix", "/outputs/1/source=2", "/outputs/6/source=2")
    plan = demo.json("plan", "Hall matrix", expect=3)  # what is locked is left out
    written = [c["path"] for step in plan["steps"] for c in step["changes"] if step["action"] == "write"]
    assert written == ["/outputs/6/source"]
    demo.run("set", "Hall matrix", "/outputs/1/source=1", "/outputs/6/source=1")
    grid(route)
    keys(route, Keys.ARROW_RIGHT, Keys.ENTER)
    route.press("Unlock")
    route.until(lambda: demo.json("route", "locks")["locks"] == [], "unlocked")


def test_a_preset_is_compared_and_taken_in_part(demo: Demo, route: Page) -> None:
    route.select("Hall matrix")
    route.press("Evening", "//section[@aria-label='Presets']")
    route.bench_sees("are otherwise now")
    # Output 2 of the preset alone.
    route.xpath("//input[@aria-label='Take Output 2 source of Hall matrix']").click()
    route.press("Take 1 of it")
    cell(route, "Timetable to Output 2: taken")
    route.bench_sees("2 of 16 are otherwise now")
    demo.run("fault", "silence", "Foyer matrix")
    words(demo, "Hall matrix", "output-3=1")
    demo.run("fault", "lie", "Hall matrix", "/outputs/4/source")
    route.press("Take all of it")
    route.bench_sees("did not follow")
    demo.run("fault", "clear", "Hall matrix")
    demo.run("fault", "clear", "Foyer matrix")
    route.press("I have seen it", "//*[@role='alert']")


def test_an_edid_is_read_kept_and_given_to_an_input(demo: Demo, route: Page, tmp_path: Path) -> None:
    file = tmp_path / "projector.bin"
    file.write_bytes(edids.made({"name": "Projector", "best": "1920x1200p60", "hdmi": 300}))
    route.xpath("//input[@aria-label='EDID file']").send_keys(str(file))
    route.sees("A source picks 1920x1200", "//*[@role='dialog']")
    route.write("Name of the EDID", "Projector")
    route.press("Keep it", "//*[@role='dialog']")
    route.bench_sees("256 bytes")
    damaged = tmp_path / "damaged.bin"
    damaged.write_bytes(bytes([*file.read_bytes()[:60], 0x55, *file.read_bytes()[61:]]))
    demo.run("edid", "show", str(damaged), expect=DIFFERS)
    demo.refused("edid", "keep", "Damaged", str(damaged), expect=2)
    route.select("Hall matrix")
    route.choose("EDID for Timetable (Input 1)", "Projector")
    route.agree("Write 1 setting to 1 device")
    route.run_ends("Write")
    route.bench_sees("Projector: a source picks 1920x1200")
    route.bench_sees("does not take 1920x1200")
    assert demo.device("Hall matrix")["running"]["inputs"]["1"]["edid"] == file.read_bytes().hex()


def test_a_cable_is_recorded_and_taken_off_by_hand(demo: Demo, route: Page) -> None:
    route.select("Foyer matrix")
    route.press("Record a cable")
    form = "//form[@aria-label='New cable']"
    route.choose("From, device", "something not on record")
    route.write("From, what it is called", "Guest laptop")
    route.choose("To, device", "Foyer matrix")
    route.choose("To, jack", "Input 2")
    route.press("Record it", form)
    route.bench_sees("Guest laptop to Foyer matrix Input 2")
    route.xpath("//button[contains(@aria-label,'Take off the cable to Foyer matrix Input 2')]").click()
    route.until(lambda: "Guest laptop" not in route.words("//*[@id='bench']"), "taken off")
    assert violations(route) == []
    assert route.complaints() == []


def test_a_level_is_typed_and_stepped_in_its_cell(demo: Demo, route: Page) -> None:
    route.select("Mixer")
    cell(route, "Calls in Hall: 0.0")
    grid(route)
    keys(route, Keys.ARROW_RIGHT, "-", "1", "2", Keys.ENTER)
    cell(route, "Input 2 in Hall: -12.0")
    keys(route, "]")
    cell(route, "Input 2 in Hall: -11.5")
    keys(route, Keys.DELETE)
    cell(route, "Input 2 in Hall: out")
    demo.run("fault", "lie", "Mixer", "/outputs/1/inputs/2/level_db")
    keys(route, "-", "6", Keys.ENTER)
    route.bench_sees("did not follow")
    demo.run("fault", "clear", "Mixer")
    assert violations(route) == []
    assert route.complaints() == []


def standing(demo: Demo, name: str) -> str:
    listed = demo.json("firmware", expect=None)["devices"]
    return str(next(one["word"] for one in listed if one["name"] == name))


def test_firmware_cut_off_on_the_way_leaves_a_loader_that_takes_it_again(demo: Demo) -> None:
    assert (standing(demo, "Sender"), standing(demo, "Receiver")) == ("behind", "behind")
    demo.run("fault", "load", "Sender", "cut", "--share", "0.4")
    told = demo.run("firmware", "load", "Sender", "--yes", expect=FAILED)
    [one] = demo.json("firmware", "load", "Sender", "--yes", "--file", "ext1_1.12.0.crn")["devices"]
    assert one["result"] == "done", told
    assert standing(demo, "Sender") == "behind"
    said = [
        e for e in demo.json("journal", "--device", demo.device("Sender")["id"])["entries"] if e["action"] == "load"
    ]
    assert [(e["kind"], e["outcome"]) for e in said] in (
        [("outcome", "done"), ("intent", ""), ("outcome", "failed"), ("intent", "")],
        [("intent", ""), ("outcome", "failed"), ("intent", ""), ("outcome", "done")],
    )
    assert any("in its loader, without an application" in e["message"] for e in said)


def test_a_file_is_imported_loaded_and_proven_in_the_browser(demo: Demo, page: Page, tmp_path: Path) -> None:
    form = descriptions()["corrain-xt1"].firmware
    assert form is not None
    newer = tmp_path / "from the maker.bin"
    newer.write_bytes(made(form, "1.14.0", 50_000))
    page.lens("Protect")
    for _ in range(3):  # what is held, what is typed, what is selected
        page.key(Keys.ESCAPE)
    page.field("Firmware files to import").send_keys(str(newer))
    page.bench_sees("1.14.0")
    assert violations(page) == []
    page.select("Receiver")
    page.bench_sees("1.14.0 is current.")
    demo.run("fault", "load", "Receiver", "half")
    page.press("Load firmware 1.14.0")
    page.sees("Do not unplug it from the first byte")
    assert violations(page) == []
    page.agree("Load firmware 1.14.0")
    page.run_ends("Firmware", "failed")
    page.bench_sees("mixed kit")
    page.press("Load firmware 1.14.0")
    page.agree("Load firmware 1.14.0")
    page.run_ends("Firmware")
    page.until(lambda: "mixed kit" not in page.words("//*[@id='bench']"), "both halves have it")
    assert standing(demo, "Receiver") == "current"
    assert page.complaints() == []
