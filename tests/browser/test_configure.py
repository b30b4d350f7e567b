"""Setting devices up in the browser and by command line: conditions, codes, labels, tables, fences, points."""

from __future__ import annotations

from pathlib import Path

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.axe import violations
from tests.browser.page import Page
from tests.demo import Demo

NETWORK = "127.64.10.0/24"
SWEPT_SITE = "tests/sites/configure.yaml"
pytestmark = pytest.mark.browser
REFUSED, DIFFERS = 5, 3


@pytest.fixture(autouse=True)
def configure(page: Page) -> None:
    page.key(Keys.ESCAPE)
    page.lens("Configure")


def test_what_may_not_stand_together_is_told_with_what_may(demo: Demo, page: Page) -> None:
    page.select("Bridge")
    page.bench_sees("Radio channel")
    page.choose("Intended Network mode", "Makes its own")
    page.bench_sees("a network that it makes has a fixed channel")
    page.press("Take what is near and allowed: Radio channel 1")
    page.until(lambda: "may not stand together" not in page.words("//*[@id='bench']"), "it is allowed now")
    assert demo.json("show", "Bridge")["intended"]["network"] == {"mode": "make", "channel": 1}
    page.press("Write 2 settings to 1 device")
    page.agree("Rehearse it")
    page.sees("Rehearsed: 1 device would have all of it", "//*[@role='dialog']")
    page.agree("Write nothing")


def test_a_label_is_one_fact_on_both_devices(demo: Demo, page: Page) -> None:
    page.select("Upper box")
    page.bench_sees("Labels")
    row = "//section[@aria-label='Labels']//li[contains(.,'Relay 1') and contains(.,'Blinds')]"
    page.press("same as", row)
    other = f"{row}//select"
    page.until(lambda: Select(page.xpath(other)).select_by_visible_text("Lower box") is None, "the other device")
    places = f"({row}//select)[2]"
    page.until(lambda: any("Relay 1 · Lamp" in o.text for o in Select(page.xpath(places)).options), "its places")
    Select(page.xpath(places)).select_by_visible_text("Relay 1 · Lamp")
    page.press("Call both “Lamp”", row)
    page.sees("is also Lower box", "//section[@aria-label='Labels']")
    assert demo.json("show", "Upper box")["intended"]["relays"]["1"]["name"] == "Lamp"
    demo.run("set", "Lower box", "/relays/1/name=Sign")
    assert demo.json("show", "Upper box")["intended"]["relays"]["1"]["name"] == "Sign"
    demo.run("apply", "Upper box", "Lower box", "--yes")


def test_two_devices_side_by_side_and_as_a_table(demo: Demo, page: Page, tmp_path: Path) -> None:
    demo.run("set", "Upper box", "/relays/2/pulse_ms=700", "/relays/3/idle=closed")
    demo.run("apply", "Upper box", "--yes")
    page.select("Upper box")
    page.select("Lower box", add=True)
    page.bench_sees("Side by side")
    page.choose("Whose values", "Upper box")
    page.xpath("//input[@aria-label='Choose Relay 2 pulse time']").click()
    page.press("Decide 1 value of it for the other 1 device")
    page.until(
        lambda: demo.json("show", "Lower box")["intended"]["relays"].get("2", {}).get("pulse_ms") == 700, "copied"
    )
    assert "3" not in demo.json("show", "Lower box")["intended"]["relays"], "only what was chosen"
    sheet = tmp_path / "settings.csv"
    demo.run("settings", "sheet", str(sheet), "Upper box", "Lower box", "--path", "/relays/4/name", "--path", "/name")
    head, upper, lower = sheet.read_text().splitlines()
    sheet.write_text("\n".join((head, upper.replace("HV-1,", "HV-1,Gate"), lower.replace("HV-2", "HV-77"))))
    looked = demo.run("settings", "import", str(sheet), "--decide", expect=DIFFERS)
    assert "Lower box is HV-2, not HV-77" in looked
    assert demo.json("show", "Upper box")["intended"]["relays"]["4"]["name"] == "Gate"
    demo.run("settings", "fill", "/relays/5/name={area} {nn}", "Upper box", "Lower box")
    assert demo.json("show", "Lower box")["intended"]["relays"]["5"]["name"] == "Shelf 02"


def test_what_is_fenced_off_nobody_drives(demo: Demo, page: Page) -> None:
    page.select("Upper box")
    page.press("Fence something off")
    page.type("why", "somebody is on the ladder")
    page.press("Fence it off")
    page.bench_sees("The whole device is fenced off by")
    page.sees("fenced off", "//*[@role='option'][contains(.,'Upper box')]")
    refused = demo.refused("drive", "Upper box", "relay-1", "on", expect=REFUSED)
    assert "somebody is on the ladder" in refused["message"]
    run = demo.json("apply", "Upper box", "--yes", expect=None)["devices"][0]
    assert (run["result"], "on the ladder" in run["message"]) == ("failed", True)
    page.press("Lift it")
    page.until(lambda: "is fenced off" not in page.words("//*[@id='bench']"), "the fence is lifted")
    demo.run("apply", "Upper box", "--yes")


def test_points_over_time_and_one_that_changes_by_itself(demo: Demo, page: Page) -> None:
    page.select("Lower box")
    page.bench_sees("Lower box")
    page.xpath("//button[starts-with(@aria-label,'Record Relay 2')]").click()
    page.until(
        lambda: (
            page.xpath("//button[starts-with(@aria-label,'Record Relay 2')]").get_attribute("aria-pressed") == "true"
        ),
        "recorded",
    )
    page.key(Keys.ESCAPE)
    page.bench_sees("Point monitor")
    strip = "//*[@data-monitored='relay-2']"
    page.sees("Off", strip)
    demo.run("drive", "Lower box", "relay-2", "on")
    page.sees("last driven by", strip)
    page.sees("On", strip)
    demo.run("drive", "Lower box", "relay-2", "off")
    page.sees("2 changes, last pulse", strip)
    demo.run("fault", "flutter", "Lower box", "relay-2", "--every", "1.5", "--seconds", "60")
    page.bench_sees("By itself, again and again", 40)
    page.bench_sees("Relay 2 of Lower box changes again and again, in a steady beat")
    page.bench_sees("see the relay rest")
    page.press("Bring it back in step: 1 step at the device")
    page.sees("Pull the wire of the input that follows the relay", "//*[@role='dialog']")
    page.agree("Do nothing")
    page.press("live states")
    page.xpath("//*[@data-lit and contains(@aria-label,'Relay 2 on')]")
    page.press("live states")
    assert violations(page) == []
    rows = page.driver.execute_async_script(
        "const done = arguments[0]; fetch('/api/monitor/points.csv?seconds=600').then((r) => r.text()).then(done)"
    ).splitlines()
    assert rows[0].startswith("Time (UTC),Device,Point,Label,State,Cause")
    assert len(rows) > 10


def test_what_would_be_open_after_a_power_cut_wants_a_reason(demo: Demo, page: Page) -> None:
    demo.run("set", "Doors", "/doors/1/exit_inverted=yes")
    refused = demo.refused("apply", "Doors", "--yes", expect=REFUSED)
    assert "a cut wire would open the door" in refused["message"]
    page.select("Doors")
    page.press("Write 1 setting to 1 device")
    dialog = "//*[@role='dialog']"
    page.sees("That needs a reason", dialog)
    write = f"{dialog}//button[contains(.,'Write 1 setting')]"
    assert not page.xpath(write).is_enabled()
    page.xpath(f"{dialog}//input").send_keys("its contact is of that kind")
    page.agree("Write 1 setting to 1 device")
    page.run_ends("Write")
    assert "its contact is of that kind" in demo.run("journal")
    assert page.driver.find_elements(By.XPATH, "//*[contains(.,'Oops')]") == []
    assert page.complaints() == []


def test_a_display_is_fed_over_an_adapter_that_is_plugged_in_elsewhere(demo: Demo, page: Page) -> None:
    page.select("Display")
    page.bench_sees("Feed")
    page.write("Text to say", "Gate A in 5 min")
    page.press("Feed it")
    panel = "//section[@aria-label='Feed']"
    page.until(lambda: page.words(panel).count("✓") == 3, "shown, driven from outside, its keys off")
    demo.run("fault", "port", "display")
    page.sees("does not exist", panel)
    page.until(lambda: "✓" not in page.words(panel), "nothing is called shown that is not known")
    demo.run("fault", "port", "display", "--rename", "display-2")
    page.until(lambda: page.words(panel).count("✓") == 3, "the adapter was followed")
    assert "being fed already" in demo.refused_by("feed", "begin", "Display", "text", "Gate B")
    page.press("End the feed")
    page.sees("its own keys are on", panel)
    page.sees("Last feed", panel)
    told = demo.json("feed", "show", "Display")["feed"]
    assert told["phase"] == "over"
    assert told["failed"] > 0
    assert 1 < told["alone_after"] < 8
