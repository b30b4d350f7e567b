"""How many keys and clicks twelve common jobs take: what docs/look.md says, at most two over what they decide."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.page import Page
from tests.conftest import ROOT
from tests.demo import Demo

NETWORK = "127.29.10.0/24"
pytestmark = pytest.mark.browser
SPARE = 2


class Hand:
    """Does what a person does, and counts it."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.count = 0

    def click(self, path: str) -> None:
        self.count += 1
        self.page.until(lambda: self.page.xpath(path).is_enabled(), path)
        element = self.page.xpath(path)
        self.page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
        element.click()

    def press(self, text: str) -> None:
        self.count += 1
        self.page.press(text)

    def agree(self, text: str) -> None:
        self.count += 1
        self.page.agree(text)

    def knot(self, name: str, *, to: bool = False) -> None:
        self.count += 1
        chain = ActionChains(self.page.driver)
        knot = self.page.knot(name)
        (chain.key_down(Keys.SHIFT).click(knot).key_up(Keys.SHIFT) if to else chain.click(knot)).perform()

    def key(self, *keys: str) -> None:
        """Keys held together are one."""
        self.count += 1
        self.page.chord(*keys)

    def text(self, text: str) -> None:
        self.count += 1
        self.page.key(text)

    def choose(self, label: str, option: str) -> None:
        self.count += 2
        field = self.page.field(label)
        self.page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", field)
        Select(field).select_by_visible_text(option)


@pytest.fixture(scope="module")
def stated() -> dict[str, tuple[int, int]]:
    """By job: (takes, decides) of the page in docs."""
    text = (ROOT / "docs/look.md").read_text().partition("## How much a job takes")[2]
    rows = re.findall(r"^\| ([a-z].*?) \| (\d+) \| (\d+) \|$", text, re.M)
    return {job: (int(takes), int(decides)) for job, takes, decides in rows}


def test_jobs_take_what_the_docs_say(demo: Demo, page: Page, stated: dict[str, tuple[int, int]]) -> None:
    taken: dict[str, int] = {}

    def job(name: str, work: Callable[[Hand], None]) -> None:
        hand = Hand(page)
        work(hand)
        taken[name] = hand.count

    def sweep(hand: Hand) -> None:
        hand.press("Sweep all lines")
        page.run_ends("Sweep")

    def find(hand: Hand) -> None:
        hand.key("/")
        page.until(lambda: page.driver.switch_to.active_element.tag_name == "input", "the finder")
        hand.text("40122")
        page.sees("Car deck box", "//*[@role='dialog']")
        hand.key(Keys.ENTER)
        page.bench_sees("HV-40122")

    def take_in(hand: Hand) -> None:
        hand.knot("HV-51960")
        hand.click("//*[@id='bench']//form//input")
        hand.text("Slipway box")
        hand.key(Keys.ENTER)
        page.until(lambda: page.knot("Slipway box"), "it is taken in")

    def address(hand: Hand) -> None:
        hand.key("2")
        hand.click("//*[@aria-label='Planned address of Slipway box']")
        page.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a")  # a click there selects all that is in it
        hand.text(demo.address(14))
        hand.key(Keys.ENTER)
        page.sees(f"to {demo.address(14)}", "//*[@aria-label='Devices on Terminal network']")

    def decide(hand: Hand) -> None:
        hand.key("3")
        hand.choose("Intended Relay 1 idle state", "Closed")
        page.until(lambda: "pending" in page.knot("Slipway box").text, "a decision")

    def several(hand: Hand) -> None:
        hand.knot("Ticket hall box")
        hand.knot("Car deck box", to=True)
        page.bench_sees("2 devices selected")
        hand.choose("Intended Relay 6 idle state", "Closed")
        page.until(lambda: "pending" in page.knot("Car deck box").text, "both")

    def write(hand: Hand) -> None:
        hand.press(" to 2 devices …")
        hand.agree(" to 2 devices")
        page.run_ends("Write")

    def back(hand: Hand) -> None:
        hand.key(Keys.CONTROL, "z")
        page.sees("Taken back")

    def column(hand: Hand) -> None:
        hand.choose("Intended Relay 1 action", "Pulse")
        page.sees("pending", "//td[@id='setting-/relays/1/action']")
        hand.click("//button[@aria-label='Fill Action down']")
        page.sees("values decided")

    def drive(hand: Hand) -> None:
        hand.click("//button[@aria-label='Drive Relay 8 on']")
        page.sees("on", "//*[@data-point='relay-8']/span")

    def approve(hand: Hand) -> None:
        hand.key("5")
        hand.key(Keys.ESCAPE)
        hand.press("Back up as baseline")
        page.run_ends("Backup")

    def prove(hand: Hand) -> None:
        hand.key("6")
        hand.press("Verify ")
        page.run_ends("Verify")

    if page.driver.find_elements(By.XPATH, "//button[.='I have seen it']"):
        page.press("I have seen it")
    job("look along all lines", sweep)
    job("find a device by a part of its serial number", find)
    job("take in a new device by a name", take_in)
    job("plan its address", address)
    job("decide one setting", decide)
    job("decide the same for several devices", several)
    job("write what is decided, the plan read before", write)
    page.select("Ticket hall box")
    page.choose("Intended Relay 5 idle state", "Closed")
    page.until(lambda: "pending" in page.knot("Ticket hall box").text, "something to take back")
    job("take the last decision back", back)
    job("give a whole column one value", column)
    job("drive a relay", drive)
    job("approve all as they are now", approve)
    job("prove the whole site", prove)
    assert taken == {name: takes for name, (takes, _) in stated.items()}
    assert len(taken) == 12
    for name, (takes, decides) in stated.items():
        assert takes <= decides + SPARE, name
