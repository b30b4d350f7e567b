"""The survey in the browser, on the whole demo site: one person's first hour. One story in order."""

from __future__ import annotations

from pathlib import Path

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.axe import violations
from tests.browser.page import Page
from tests.conftest import ROOT
from tests.demo import Demo

NETWORK = "127.36.10.0/24"
SITE = "demo/skerry_point.yaml"
SWEEP_S = 150
pytestmark = pytest.mark.browser


def test_the_first_hour(demo: Demo, page: Page, tmp_path: Path) -> None:
    switch_methods(page)
    sweep_one_line(page)
    filter_and_take_in_many(page, demo)
    ask_why(page, demo)
    say_who_it_is(page, demo)
    set_the_parent_to_lead(page, demo)
    paste_a_list(page, demo)
    use_consoles(page, demo)
    set_a_port_anew(page, demo)
    see_comings_and_goings(page, demo)
    reach_everything(page)
    patch_fixtures(page, demo)
    assert page.complaints() == []


def open_line(page: Page, name: str) -> None:
    page.driver.execute_script("document.activeElement.blur()")
    page.key(Keys.ESCAPE)
    page.press(name, "//*[@aria-label='Loom']")
    page.bench_sees("Methods")


def find(page: Page, name: str) -> None:
    page.driver.execute_script("document.activeElement.blur()")  # keys in a field are the field's own
    page.key("/")
    page.xpath("//*[@role='dialog']//input").send_keys(name, Keys.ENTER)
    page.bench_sees(name)


def switch_methods(page: Page) -> None:
    """One that only costs time here is switched off, and stays off."""
    open_line(page, "Presentation network")
    page.field("sACN universe discovery on Presentation network").click()
    page.until(lambda: not page.field("sACN universe discovery on Presentation network").is_selected(), "switched off")


def sweep_one_line(page: Page) -> None:
    page.press("Sweep this line")
    page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "[role=progressbar]"), "progress")
    page.run_ends("Sweep")
    page.bench_sees("last sweep")
    rows = page.words("//*[@id='bench']//table")
    assert "PJLink" in rows
    assert page.knot("Hall display 1").get_attribute("data-state") == "known"


def filter_and_take_in_many(page: Page, demo: Demo) -> None:
    page.press("new", "//*[@aria-label='Show only']")
    shown = page.driver.find_elements(By.CSS_SELECTOR, "[aria-label='Devices on Presentation network'] [role=option]")
    assert {one.get_attribute("data-state") for one in shown} == {"new"}
    page.press("Select")
    page.bench_sees("are new here")
    pattern = page.xpath("//form[@aria-label='Take in']//input")
    pattern.send_keys(Keys.CONTROL, "a")
    pattern.send_keys("New {model} {nn}")
    page.bench_sees("They will be: New")
    page.press("Take in 2 devices")
    page.press("all", "//*[@aria-label='Show only']")
    page.sees("New D55", "//*[@aria-label='Devices on Presentation network']")


def ask_why(page: Page, demo: Demo) -> None:
    """The reasons of a missing one, tested again on demand; and an address that nobody has."""
    find(page, "Café display")
    page.bench_sees("Someone else has its address")
    page.press("Test again now")
    page.bench_sees("Looking at its address by every method")
    page.until(lambda: "Looking at its address" not in page.words("//*[@id='bench']"), "tested", 40)
    page.bench_sees("Known from:")
    open_line(page, "Terminal network")
    page.fill("Address to ask about", demo.address(99))
    page.sees("refuses connections", "//*[@id='bench']", 40)
    page.fill("Address to ask about", "10.1.1.1")
    page.bench_sees("is no address on Terminal network")


def say_who_it_is(page: Page, demo: Demo) -> None:
    find(page, "G40 FS-4077")
    page.bench_sees("Best guess")
    page.press("Correct this")
    page.xpath("//*[@id='bench']//label[contains(.,'It is a')]//select/option[contains(.,'D55')]").click()
    page.until(lambda: demo.device("FS-4077")["said"], "said")
    find(page, "Café display")
    page.press("Test again now")
    page.bench_sees("Looking at its address by every method")
    page.until(lambda: "Looking at its address" not in page.words("//*[@id='bench']"), "tested", 40)
    find(page, "Waiting room sender 1")
    assert "Why it is not there" not in page.words("//*[@id='bench']"), "another device's reasons are not its"
    page.bench_sees("XT1 Kit on its label, CR-EXT1-TX")


def set_the_parent_to_lead(page: Page, demo: Demo) -> None:
    open_line(page, "Security network")
    page.press("Sweep this line")
    page.run_ends("Sweep")
    find(page, "Arrival reader 1")
    page.bench_sees("is not set to lead its bus")
    page.press("Set /bus/mode to lead")
    page.agree("Write 1 setting to 1 device")
    page.run_ends("Write")
    find(page, "Mast camera")
    page.bench_sees("that port gives no power")
    find(page, "Quay camera 2")
    page.bench_sees("forwarding")


def paste_a_list(page: Page, demo: Demo) -> None:
    page.press("Expected devices")
    page.write("List", f"name,model,address\nRamp box,RX8,{demo.address(66)}\nBad one,Nonesuch,1.1.1.1")
    page.agree("Look at the list")
    page.sees("No profile knows the model Nonesuch", "//*[@role='dialog']")
    page.agree("Plan 1 device")
    page.until(lambda: page.knot("Ramp box"), "Ramp box")


def use_consoles(page: Page, demo: Demo) -> None:
    find(page, "Matrix 1")
    page.press("Open its console")
    page.agree("Open the telnet console")
    terminal = "//*[@role='dialog']//*[@aria-label='Terminal']"
    page.sees("Corrain MX88", terminal)
    page.agree("Which inputs have a signal")
    page.sees("3:no", terminal)
    page.xpath("//*[@role='dialog']//label[contains(.,'hex')]/input").click()
    page.sees("43 6f 72 72 61 69 6e", "//*[@aria-label='Hex view']")
    page.agree("Close")
    page.bench_sees("Console logs")
    open_line(page, "Crane bus")
    page.press("Open a console")
    page.agree("Open the serial console")
    page.sees("Runs and others wait for the line", "//*[@role='dialog']")
    page.until(lambda: "console of owner" in str(demo.json("lines")), "the holder is told")
    page.agree("Close")
    page.press("Open a console")
    page.agree("Open the serial console")
    page.agree("Close")


def set_a_port_anew(page: Page, demo: Demo) -> None:
    open_line(page, "Plant bus")
    page.press("Change", "//section[starts-with(@aria-label, 'Line ')]")
    Select(page.xpath("//select[@name='parity']")).select_by_visible_text("even")
    page.press("Keep this port")
    page.bench_sees("19200 baud · even parity")
    demo.run("line", "set", "Plant bus", "--parity", "N")
    page.bench_sees("19200 baud · no parity")


def see_comings_and_goings(page: Page, demo: Demo) -> None:
    page.key(Keys.ESCAPE)
    if page.driver.find_elements(By.XPATH, "//*[@id='bench']//button[contains(.,'All lines')]"):
        page.press("All lines")
    assert not page.driver.find_elements(By.XPATH, "//form[@aria-label='Take in']"), "nothing is selected any more"
    page.choose("Watch mode", "every 5 min")
    page.until(lambda: demo.json("watch")["minutes"] == 5, "watch mode")
    page.choose("Watch mode", "only when asked")
    page.sees("came", "//*[@aria-label='Comings and goings']")


def reach_everything(page: Page) -> None:
    """axe-core finds nothing wrong with what this story showed."""
    page.driver.execute_script((ROOT / "web/node_modules/axe-core/axe.min.js").read_text())
    for place in ("", "Presentation network", "Café box"):
        if place:
            page.key(Keys.ESCAPE)
            (open_line if "network" in place else find)(page, place)
        found = page.driver.execute_async_script(
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']}).then(r => arguments[0](r.violations.map("
            "v => v.id + ': ' + v.nodes.map(n => n.target.join(' ')).slice(0, 3).join(', '))))"
        )
        assert found == [], place


def patch_fixtures(page: Page, demo: Demo) -> None:
    """Two dimmers listen to one slot: told, put right by the rules, and carried on the picture of the universe."""
    demo.run("sweep", "Lighting network", expect=None, timeout=SWEEP_S)
    page.lens("Address")
    find(page, "Lighting network")
    page.sees("1 is for Café dimmer 2, too", "//*[@aria-label='Wrong places']")
    universes = "//*[@aria-label='Universes of Lighting network']"
    page.sees("sent by Café wall node Port A", universes)
    page.press("Places for all fixtures by the rules")
    page.sees("2 is the first gap for it in universe 0", universes)
    assert violations(page) == []
    page.press("Decide this for 1 fixture")
    page.until(lambda: start_of(page, "Café dimmer 2") == "2", "the new start address")
    slots = [page.xpath(f"//*[@data-slot='{n}']") for n in (2, 40)]
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", slots[0])
    ActionChains(page.driver).click_and_hold(slots[0]).move_to_element(slots[1]).release().perform()
    page.until(lambda: start_of(page, "Café dimmer 2") == "40", "carried")
    page.key("w")
    page.key("w")
    page.sees("Universe 1", "//*[@aria-label='Loom']")
    page.sees("to slot 40", "//*[@aria-label='Devices in Universe 0']")
    page.press("20 lines")
    find(page, "Café dimmer 2")
    page.press("Show what would be written to 1 device")
    page.agree("to 1 device")
    page.run_ends("Write")
    told = demo.json("universe", "list", "Lighting network")["fixtures"]
    assert [one["at"] for one in told if one["name"] == "Café dimmer 2"] == [40]


def start_of(page: Page, name: str) -> str:
    found = page.driver.find_elements(By.XPATH, f"//*[@aria-label='Start address of {name}']")
    return (found[0].get_attribute("value") or "") if found else ""
