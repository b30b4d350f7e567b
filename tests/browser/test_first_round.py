"""The first round in the browser: from the first sweep to a proven restore. One story in order."""

from __future__ import annotations

import time

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.axe import violations
from tests.browser.page import Page
from tests.demo import Demo

NETWORK = "127.22.10.0/24"
pytestmark = pytest.mark.browser


def test_first_round(demo: Demo, page: Page) -> None:
    sweep(page)
    take_in(page, demo)
    give_addresses(page, demo)
    set_up(page, demo)
    approve(page)
    find_what_changed(page, demo)
    restore_and_prove(page)
    hand_over(page, demo)
    assert page.complaints() == []


def sweep(page: Page) -> None:
    page.press("Sweep all lines")
    page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "[aria-label=Sightings] li"), "a first sighting", 60)
    page.sees("answers", "//*[@aria-label='Devices on Terminal network']")
    page.run_ends("Sweep")
    for name, state in [
        ("HV-51960", "new"),
        ("00B70E58", "new"),
        ("Pier head box", "missing"),
        ("Gate B module", "moved"),
    ]:
        assert state in page.knot(name).text
    page.select("Pier head box")
    page.bench_sees("refuses connections on port 8480")


def take_in(page: Page, demo: Demo) -> None:
    for serial, name in (("HV-51960", "Slipway box"), ("00B70E58", "Slipway module")):
        page.select(serial)
        page.xpath("//*[@id='bench']//form//input").send_keys(name)
        page.press("Take in 1 device")
        page.until(lambda name=name: page.knot(name), name)


def give_addresses(page: Page, demo: Demo) -> None:
    page.key("2")
    page.select("Slipway box")
    page.fill("Planned address of Slipway box", demo.address(11))
    page.bench_sees("belongs to Ticket hall box")
    page.fill("Planned address of Slipway box", demo.address(14))
    page.sees(f"to {demo.address(14)}", "//*[@aria-label='Devices on Terminal network']")
    page.select("Slipway module")
    page.fill("Planned address of Slipway module", "4")
    page.sees("to 4", "//*[@aria-label='Devices on Gate bus']")
    page.select("Slipway box", add=True)
    page.select("Gate B module", add=True)
    page.press("Show what would be written to 3 devices")
    page.sees("This disturbs the link to the device.", "//*[@role='dialog']")
    page.agree("Write 3 settings to 3 devices")
    page.run_ends("Write")
    assert ".14" in page.knot("Slipway box").text
    assert "as planned" in page.knot("Gate B module").text


def set_up(page: Page, demo: Demo) -> None:
    page.key("3")
    page.select("Slipway box")
    page.choose("Intended Relay 1 idle state", "Closed")
    page.sees("1 pending", "//*[@aria-label='Devices on Terminal network']")
    page.choose("Intended Input 2 at rest", "Closed")
    page.press("Write 2 settings to 1 device")
    page.agree("Write 2 settings to 1 device")
    page.run_ends("Write")
    point = "//*[@data-point='relay-2']"
    page.press("on", point)
    page.sees("on", point + "/span")
    demo.run("fault", "point", "HV-51960", "input-1", "active")
    page.sees("active", "//*[@data-point='input-1']")
    page.choose("Intended Relay 3 idle state", "Closed")
    page.until(lambda: "1 pending" in page.knot("Slipway box").text, "a decision")
    page.xpath("//button[starts-with(@aria-label, 'Take back: Relay 3 idle state of Slipway box')]").click()
    page.sees("Taken back: Relay 3 idle state of Slipway box.")
    page.until(lambda: "pending" not in page.knot("Slipway box").text, "no decision any more")
    page.chord(Keys.CONTROL, Keys.SHIFT, "z")
    page.sees("Decided again: Relay 3 idle state of Slipway box.")
    page.press("Try without storing")
    page.agree("Write 1 setting to 1 device")
    page.run_ends("Write")
    page.until(lambda: "1 unkept" in page.knot("Slipway box").text, "an unkept value")
    page.press("owner")
    page.sees("1 value on Slipway box is not kept: a power cut would take it back.")
    assert page.button("Sign out all the same").is_displayed()
    page.press("Show what would be lost")
    page.until(lambda: page.driver.current_url.endswith("/configure"), "the lens that stores it")
    page.bench_sees("Slipway box")


def approve(page: Page) -> None:
    page.lens("Protect")
    page.key(Keys.ESCAPE)
    page.press("Back up as baseline")
    page.run_ends("Backup")
    page.bench_sees("has unkept values")


def find_what_changed(page: Page, demo: Demo) -> None:
    demo.run("fault", "power-cut", "HV-51960")
    demo.run("fault", "change", "Ticket hall box", "/relays/5/idle=closed", "--stored")
    time.sleep(1.5)
    page.lens("Prove")
    page.press("Verify 8 devices")
    page.run_ends("Verify")
    assert "1 lost" in page.knot("Slipway box").text
    assert "1 drift" in page.knot("Ticket hall box").text
    page.select("Slipway box")
    page.bench_sees("/relays/3/idle")
    page.bench_sees("lost")


def restore_and_prove(page: Page) -> None:
    for name in ("Slipway box", "Ticket hall box"):
        page.select(name)
        page.bench_sees(name)
        page.press("Restore the baseline")
        page.agree("Write 1 setting to 1 device")
        page.run_ends("Restore")
        page.press("Verify 1 device")
        page.run_ends("Verify")
        page.bench_sees("Every value that was read is as approved.")
    page.bench_sees("chain whole")


def demo_url(demo: Demo) -> str:
    import json

    return str(json.loads((demo.data / "server.json").read_text())["url"])


def hand_over(page: Page, demo: Demo) -> None:
    page.key("7")
    page.press("Make the settings report")
    page.bench_sees("Open the settings report", seconds=90)
    tab = page.driver.current_window_handle
    page.xpath("//*[@id='bench']//a[contains(., 'Open the settings report')]").click()
    page.driver.switch_to.window(next(one for one in page.driver.window_handles if one != tab))
    page.sees("Settings report")
    page.sees("Slipway box")
    page.driver.close()
    page.driver.switch_to.window(tab)


@pytest.mark.parametrize("theme", ["light", "dark"])
@pytest.mark.parametrize("lens", ["survey", "address", "configure", "protect", "prove", "handover"])
def test_every_lens_can_be_used_by_everyone(page: Page, lens: str, theme: str) -> None:
    page.key(str(["survey", "address", "configure", "protect", "prove", "handover"].index(lens) + 1))
    page.select("Slipway box")
    page.driver.execute_script(f"document.documentElement.dataset.theme = '{theme}'")
    page.bench_sees("Slipway box")
    assert violations(page) == []


def test_the_keyboard_walks_and_selects(page: Page) -> None:
    page.key("1", Keys.ESCAPE)
    page.key(Keys.ARROW_DOWN)
    cursor = page.words("//*[@role='option'][@aria-selected='true']")
    page.extend(Keys.ARROW_DOWN)
    page.bench_sees("2 devices selected")
    page.key(Keys.ARROW_UP)
    assert page.words("//*[@role='option'][@aria-selected='true']") == cursor
    page.key("/")
    page.field("Device, address, serial number, area, line, action, setting or value").send_keys("00B70E31", Keys.ENTER)
    page.bench_sees("Gate B module")
    page.key(".")
    page.sees("Verify 1 device", "//*[@role='dialog']")
    page.key(Keys.ESCAPE)
    page.key("?")
    page.sees("walk the loom", "//*[@role='dialog']")
    page.key(Keys.ESCAPE)
    page.key("s")
    page.sees("Export as CSV")
    page.key("s", "z")
    page.until(lambda: page.knot("Slipway box"), "the loom in another density")


def test_the_same_knots_hang_by_areas(page: Page) -> None:
    page.key(Keys.ESCAPE, "w")
    assert "Gate B module" in page.words("//*[@role='listbox'][@aria-label='Devices in Gate B']")
    page.press("Gate B", "//h2")
    chosen = {one.text.split("\n")[1] for one in page.driver.find_elements("xpath", "//*[@aria-selected='true']")}
    assert "Gate B module" in chosen
    page.xpath("//button[@aria-label='Areas']").click()
    page.sees("Nothing here is told to a device.")
    assert violations(page) == []
    page.press("Gate B", "//*[@role='dialog']")
    page.field("Name of Gate B").send_keys(Keys.CONTROL, "a")
    page.field("Name of Gate B").send_keys("Gate A", Keys.ENTER)
    page.sees("There is an area named Gate A already.")
    page.field("Name of Gate B").send_keys(Keys.CONTROL, "a")
    page.field("Name of Gate B").send_keys("Gate C", Keys.ENTER)
    page.sees("Gate C", "//*[@role='dialog']//table")
    page.xpath("//button[@aria-label='Move, merge, archive Gate C']").click()
    page.choose("Merge or remove Gate C", "Gate A")
    assert violations(page) == []
    page.agree("Merge it: ")
    page.until(lambda: "Gate C" not in page.words("//*[@role='dialog']//table"), "one area less")
    page.key(Keys.ESCAPE)
    page.until(lambda: "Gate B module" in page.words("//*[@aria-label='Devices in Gate A']"), "they went along")
    assert violations(page) == []
    page.press("lines", "//*[@aria-label='Strands']")
    assert "Gate B module" in page.words("//*[@role='listbox'][@aria-label='Devices on Gate bus']")
    page.key(Keys.ESCAPE)


def test_a_line_is_put_away_with_its_devices_and_comes_back(page: Page) -> None:
    page.press("Gate bus", "//h2")
    page.press("Archive it with")
    page.until(lambda: "Gate bus" not in page.words("//*[@aria-label='Loom']"), "its strand is away")
    page.xpath("//button[@aria-label='1 archived']").click()
    page.sees("no run takes its devices", "//*[@role='dialog']")
    assert violations(page) == []
    page.agree("Bring it back")
    page.until(lambda: "Gate B module" in page.words("//*[@aria-label='Devices on Gate bus']"), "it is back")
    page.key(Keys.ESCAPE)


def test_a_stranger_sees_only_the_sign_in(demo: Demo, tmp_path) -> None:  # type: ignore[no-untyped-def]
    other = Page(tmp_path / "chromium")
    try:
        other.driver.get(demo_url(demo) + "/prove")
        other.sees("Sign in")
        other.xpath("//input[@name='username']").send_keys("owner")
        other.xpath("//input[@name='password']").send_keys("guess", Keys.ENTER)
        other.sees("User name and password do not fit.")
        assert "Ticket hall" not in other.driver.page_source
    finally:
        other.close()


def test_many_of_a_model_are_set_together(page: Page, demo: Demo) -> None:
    page.key("3", Keys.ESCAPE)
    page.select("Ticket hall box")
    page.select("Car deck box", add=True)
    page.select("Slipway box", add=True)
    page.bench_sees("3 × RX8")
    page.choose("Intended Relay 6 idle state", "Closed")
    page.bench_sees("3 pending")
    page.press("Write")
    page.sees("Relay 6 idle state", "//*[@role='dialog']")
    page.press("Write nothing", "//*[@role='dialog']")
    page.choose("Intended Relay 6 idle state", "(Open)")
    page.until(
        lambda: not page.driver.find_elements(By.XPATH, "//*[@id='bench']//*[text()='3 pending']"), "nothing pending"
    )


def test_a_part_is_kept_as_a_template_and_told_where_it_no_longer_holds(page: Page, demo: Demo) -> None:
    page.lens("Configure")
    page.select("Slipway box")
    page.fill("Search in the settings", "Relay 6")
    part = "//section[@aria-label='Templates']"
    page.press("Keep 4 values in view as one", part)
    page.xpath(f"{part}//input").send_keys("Sixth relay")
    page.press("as a template", part)
    page.sees("applied to nobody yet", part)
    assert violations(page) == []
    page.select("Car deck box")
    page.press("Decide it for 1 device", part)
    page.sees("on 1", part)
    demo.run("set", "Car deck box", "/relays/6/pulse_ms=90")
    page.sees("no longer holds on 1", part)
    page.sees("Relay 6 pulse time: 90, not 500", part)
    demo.run("set", "Car deck box", "/relays/6/pulse_ms=500")
    demo.run("template", "remove", "Sixth relay")


def test_dialogs_say_what_is_wrong_and_keep_what_was_typed(page: Page) -> None:
    page.key(Keys.ESCAPE)
    page.press("Add a line")
    page.xpath("//*[@role='dialog']//input[@name='network']").send_keys("127.22.10.128/25")
    page.agree("Add this line")
    page.sees("overlaps the line Terminal network", "//*[@role='dialog']")
    assert page.xpath("//*[@role='dialog']//input[@name='network']").get_attribute("value") == "127.22.10.128/25"
    page.agree("Cancel")
    page.press("Plan a device")
    page.xpath("//*[@role='dialog']//input[@name='name']").send_keys("Ticket hall box")
    page.xpath("//*[@role='dialog']//select[1]//option[contains(.,'relay and input box')]").click()
    page.agree("Plan this device")
    page.sees("Another device is named Ticket hall box", "//*[@role='dialog']")
    page.agree("Cancel")


def test_two_backups_are_compared_and_a_run_is_taken_back(page: Page, demo: Demo) -> None:
    page.lens("Protect")
    page.select("Slipway box")
    page.press("Back up 1 device")
    page.run_ends("Backup")
    boxes = page.until(
        lambda: (
            (found := page.driver.find_elements(By.XPATH, "//*[@id='bench']//input[@type='checkbox']"))
            and len(found) > 1
            and found
        ),
        "two backups",
    )
    boxes[0].click()
    page.bench_sees("choose a second one")
    boxes[1].click()
    page.bench_sees("They are equal")
    demo.run("set", "Slipway box", "/relays/2/idle=closed")
    demo.run("apply", "Slipway box", "--yes")
    page.key("r")
    page.run_ends("Write")
    page.press("Take this back")
    page.sees("Relay 2 idle state", "//*[@role='dialog']")
    page.agree("Write 1 setting to 1 device")
    page.run_ends("Take back")
    assert demo.device("Slipway box")["running"]["relays"]["2"]["idle"] == "open"
    page.key("r")


def test_the_whole_site_is_in_one_picture_and_anything_is_found(page: Page) -> None:
    """Every line and every device is in view without scrolling; a setting is found by its value."""
    page.key(Keys.ESCAPE)
    for _ in range(3):
        if "site" in page.words("//button[@aria-label='Density']"):
            break
        page.key("z")
    lines = page.driver.find_elements(By.XPATH, "//*[starts-with(@aria-label,'Devices on ')]")
    assert all(line.rect["x"] >= 0 and line.rect["x"] + line.rect["width"] <= 1280 for line in lines)
    page.sees("Point at a knot")
    assert violations(page) == []
    page.xpath("//*[@role='option'][contains(@aria-label,'Ticket hall box')]").click()
    page.bench_sees("Ticket hall box")
    page.key("z", "/")
    find = page.field("Device, address, serial number, area, line, action, setting or value")
    find.send_keys("relay 3 pulse time > 1")
    page.sees("Relay 3 pulse time", "//*[@role='dialog']")
    assert violations(page) == []
    find.send_keys(Keys.ENTER)
    page.bench_sees("Pulse time")
    assert "/configure" in page.driver.current_url


def test_what_is_counted_is_filled_down_and_taken_back(page: Page) -> None:
    page.lens("Configure")
    page.select("Ticket hall box")
    page.bench_sees("Settings")
    page.fill("Intended Input 1 settling time", "35")
    page.sees("pending", "//*[@id='bench']")
    page.xpath("//button[@aria-label='Fill Settling time down']").click()
    page.sees("7 values decided")
    page.until(
        lambda: page.field("Intended Input 8 settling time").get_attribute("value") == "35", "the last one filled"
    )
    page.xpath("//button[starts-with(@aria-label, 'Take back: 7 values of Ticket hall box')]").click()
    page.until(lambda: page.field("Intended Input 8 settling time").get_attribute("value") == "", "taken back")
    page.fill("Intended Input 1 settling time", "20")
    assert page.complaints() == []


def test_a_cell_is_dragged_over_others_and_a_relay_is_held(page: Page, demo: Demo) -> None:
    """The corner of a cell fills those that it is dragged over; a button is on while it is down, and no longer."""
    page.lens("Configure")
    page.select("Ticket hall box")
    cell = "//td[@id='setting-/inputs/3/settle_ms']"
    page.fill("Intended Input 3 settling time", "75")
    page.sees("pending", cell)
    corner = page.xpath(f"{cell}//*[@data-fill]")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", corner)
    below = page.xpath("//td[@id='setting-/inputs/5/settle_ms']")
    ActionChains(page.driver).move_to_element(corner).click_and_hold().move_to_element(below).release().perform()
    page.sees("pending", "//td[@id='setting-/inputs/5/settle_ms']")
    decided = demo.device("Ticket hall box")["intended"]["inputs"]
    assert [decided.get(str(n), {}).get("settle_ms") for n in range(2, 7)] == [None, 75, 75, 75, None]
    page.chord(Keys.CONTROL, "z")
    page.until(lambda: "settle_ms" not in demo.device("Ticket hall box")["intended"]["inputs"].get("5", {}), "undo")
    page.chord(Keys.CONTROL, "z")

    def state() -> str:
        return str(next(p["state"] for p in demo.device("Ticket hall box")["points"] if p["short"] == "relay-7"))

    more = page.field("Hold or pulse Relay 7")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center', inline: 'center'})", more)
    more.click()
    button = page.button("On while pressed")
    ActionChains(page.driver).click_and_hold(button).perform()
    page.until(lambda: state() == "on", "on")
    time.sleep(4)  # longer than one lease
    assert state() == "on"
    ActionChains(page.driver).release().perform()
    page.until(lambda: state() == "off", "let go")
    page.key(Keys.ESCAPE)
    page.sees("RELAYS", "//figure")


def test_strands_are_folded_and_put_in_order(page: Page, demo: Demo) -> None:
    heads = "//section[@aria-label='Loom']//h2"
    page.lens("Survey")

    def order() -> list[str]:
        return [head.text for head in page.driver.find_elements(By.XPATH, heads)]

    page.until(lambda: len(order()) == 2, "two strands")
    first, second = order()
    page.xpath(f"//button[.='{first}']").click()
    page.xpath("//button[@aria-label='One place to the right on the loom']").click()
    page.until(lambda: order() == [second, first], "the other way round")
    assert [line["name"] for line in demo.json("lines")["lines"]] == [second, first], "for everybody"
    page.xpath("//button[@aria-label='One place to the left on the loom']").click()
    page.until(lambda: order() == [first, second], "as before")
    page.xpath(f"//button[@aria-label='Fold {second}']").click()
    page.until(lambda: order() == [first], "folded")
    strip = page.xpath(f"//button[starts-with(@aria-label, 'Spread out {second}')]")
    strip.click()
    page.until(lambda: order() == [first, second], "spread out")
    page.press("All lines")


def test_on_a_phone_there_is_one_place_at_a_time(page: Page) -> None:
    metrics = {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": True}
    page.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    try:
        page.lens("Survey")
        page.press("Loom", "//nav[@aria-label='Places']")
        page.select("Ticket hall box")
        page.bench_sees("Ticket hall box")
        assert not page.driver.find_elements(By.XPATH, "//*[@aria-label='Loom']"), "the bench has all of the room"
        assert page.driver.execute_script("return document.documentElement.scrollWidth") <= 390
        assert violations(page) == []
        page.press("Loom", "//nav[@aria-label='Places']")
        page.until(lambda: page.knot("Ticket hall box"), "back on the loom")
    finally:
        metrics = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
        page.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


def test_twice_as_large_everything_is_there(page: Page) -> None:
    """The browser's zoom of 200% at 1280 x 800."""
    metrics = {"width": 640, "height": 400, "deviceScaleFactor": 2, "mobile": False}
    page.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    try:
        for lens in ("Survey", "Configure", "Prove"):
            page.lens(lens)
            page.press("Loom", "//nav[@aria-label='Places']")
            page.select("Ticket hall box")
            page.bench_sees("Ticket hall box")
            assert page.driver.execute_script("return document.documentElement.scrollWidth") <= 640
            assert violations(page) == [], lens
        page.field("You and the others").click()
        page.sees("People and access")
        assert violations(page) == []
        page.press("Back")
    finally:
        metrics = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}
        page.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


def test_a_refused_value_stays_with_the_reason_and_a_taken_one_keeps_the_place(page: Page) -> None:
    page.lens("Configure")
    page.select("Ticket hall box")
    page.bench_sees("Settings")
    field = page.field("Intended Input 3 settling time")
    page.fill("Intended Input 3 settling time", "999999")
    page.until(lambda: field.get_attribute("aria-invalid") == "true", "refused in place")
    assert field.get_attribute("value") == "999999", "what was typed is not thrown away"
    assert page.driver.switch_to.active_element == field
    page.fill("Intended Input 3 settling time", "40")
    page.until(lambda: field.get_attribute("aria-invalid") == "false", "taken")
    page.sees("pending", "//*[@id='bench']")
    assert page.driver.switch_to.active_element == field, "the very same field, still with the focus"
    page.fill("Intended Input 3 settling time", "20")
    assert page.complaints() == []


def test_a_name_that_another_has_stays_in_its_field(page: Page) -> None:
    page.select("Ticket hall box")
    page.xpath("//*[@id='bench']//button[@title='Rename'][contains(.,'Ticket hall box')]").click()
    page.fill("Name of the device", "Car deck box")
    page.bench_sees("Another device is named Car deck box already.")
    assert page.field("Name of the device").get_attribute("value") == "Car deck box"
    page.fill("Name of the device", "Ticket hall box")
    page.until(lambda: not page.driver.find_elements(By.XPATH, "//*[@aria-label='Name of the device']"), "closed")


def test_a_line_has_rules_and_places_are_planned_by_them(page: Page, demo: Demo) -> None:
    page.key(Keys.ESCAPE)
    page.lens("Address")
    page.press("Terminal network", "//h2")
    page.bench_sees("Nobody decided any: every free place is good")
    page.press("Change the rules")
    page.press("Another range")
    page.write("First of Range 1", demo.address(60))
    page.write("Last of Range 1", demo.address(5))
    page.choose("Kind of range 1", "relay and input box")
    page.press("Keep these rules")
    page.bench_sees("ends before it begins")
    page.write("Last of Range 1", demo.address(64))
    page.press("Keep these rules")
    page.bench_sees(f"{demo.address(60)} to {demo.address(64)}")
    page.bench_sees("is outside of its range")
    assert violations(page) == []
    page.select("Slipway box")
    page.press("By the rules of the line")
    page.bench_sees(f"{demo.address(60)} is the next free place in the range")
    page.press("Decide this for 1 device")
    page.sees("Slipway box comes here", "//*[@aria-label='Devices on Terminal network']")
    assert violations(page) == []
    page.until(lambda: "is outside of its range" not in page.words("//*[@id='bench']"), "it is right now")
    drag(page, demo.address(14), demo.address(61))
    page.sees(".61", "//*[@aria-label='Devices on Terminal network']")
    page.field("Planned address of Slipway box").send_keys(Keys.ARROW_UP, Keys.ENTER)
    page.until(
        lambda: page.field("Planned address of Slipway box").get_attribute("value") == demo.address(62), "stepped"
    )
    page.press("Show what would be written to 1 device")
    page.agree("to 1 device")
    page.run_ends("Write")
    assert ".62" in page.knot("Slipway box").text
    page.press("Terminal network", "//h2")
    page.press("Change the rules")
    page.xpath("//button[@aria-label='Drop Range 1']").click()
    page.press("Keep these rules")
    page.bench_sees("Nobody decided any")
    assert page.complaints() == []


def drag(page: Page, at: str, to: str) -> None:
    """On the picture of the line's places."""
    places = [page.xpath(f"//*[@data-place={one!r}]") for one in (at, to)]
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", places[0])
    ActionChains(page.driver).click_and_hold(places[0]).move_to_element(places[1]).release().perform()


def test_two_change_places_and_a_person_is_asked(page: Page, demo: Demo) -> None:
    page.key(Keys.ESCAPE)
    page.lens("Address")
    page.select("Ticket hall box")
    page.select("Car deck box", add=True)
    page.press("Let them change places")
    page.press("Show what would be written to 2 devices")
    page.sees("By way of", "//*[@role='dialog']")
    page.sees("After Car deck box has left", "//*[@role='dialog']")
    page.agree("to 2 devices")
    page.run_ends("Write")
    places = {device["name"]: device["addresses"][0]["address"] for device in demo.json("devices")["devices"]}
    assert (places["Ticket hall box"], places["Car deck box"]) == (demo.address(12), demo.address(11))
    page.lens("Configure")
    page.select("Slipway box")
    page.press("Factory reset")
    page.sees("Hold SET for 3 s", "//*[@role='dialog']")
    page.agree("Factory reset: 1 device")
    page.sees("Hold SET for 3 s, until NET blinks twice.", "//*[@aria-label='Waiting']")
    page.field("What you saw").send_keys("it stays dark")
    page.press("It is not", "//*[@aria-label='Waiting']")
    page.run_ends("Procedure", "failed")
    page.sees("owner says that it is not so: it stays dark", "//*[@aria-label='Run tray']")
    assert page.complaints() == []
