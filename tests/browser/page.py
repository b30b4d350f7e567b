"""The real interface in headless Chromium, with the words a person would use."""

from __future__ import annotations

import re
import time
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import NoSuchElementException, StaleElementReferenceException, WebDriverException
from selenium.webdriver import ActionChains
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select

FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup",  # a process more, for a menu that nobody opens
)  # fmt: skip
NOT_NOW = (NoSuchElementException, StaleElementReferenceException)
GONE = "does not belong to the document"  # how the driver calls some elements that are not there any more
LOOK_S = 0.1  # between looks; longer where a look takes long, so that no more than a third of the time is spent on it
WAIT_S = 60  # a busy computer takes its time
RUN_S = 90


class Page:
    def __init__(self, profile: Path, width: int = 1280, height: int = 800) -> None:
        self.ended: set[str] = set()  # runs that were waited for: a test means the one that it began
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        for flag in (*FLAGS, f"--user-data-dir={profile}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)

    def close(self) -> None:
        self.driver.quit()

    def until(self, test: Any, what: str, seconds: float = WAIT_S) -> Any:
        def looked() -> Any:
            try:
                return test()
            except WebDriverException as error:
                if not isinstance(error, NOT_NOW) and GONE not in str(error.msg):
                    raise
                return None

        deadline = (begun := time.monotonic()) + seconds
        while not (found := looked()):
            if (now := time.monotonic()) > deadline:
                raise TimeoutError(what)
            time.sleep(max(LOOK_S, 2 * (now - begun)))
            begun = time.monotonic()
        return found

    def xpath(self, path: str) -> WebElement:
        found: WebElement = self.until(lambda: next(iter(self.driver.find_elements(By.XPATH, path)), None), path)
        return found

    def button(self, text: str, inside: str = "") -> WebElement:
        path = f"{inside}//button[contains(normalize-space(.),{text!r}) and not(@disabled)]"
        return self.xpath(path)

    def press(self, text: str, inside: str = "") -> None:
        def clicked() -> bool:
            button = self.button(text, inside)
            try:
                button.click()
            except WebDriverException as error:
                if "intercepted" in str(error):  # under the bar that stays in view: scroll, as a person would
                    self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", button)
                    return False
                if "stale" in str(error):
                    return False
                raise
            return True

        self.until(clicked, f"pressing {text}")

    def agree(self, text: str) -> None:
        """What the tray shows before is not the run that this begins, whoever began it."""
        shown = self.xpath("//*[@aria-label='Run tray']").get_attribute("data-run")
        self.press(text, "//*[@role='dialog']")
        if shown:
            self.ended.add(shown)

    def field(self, label: str) -> WebElement:
        return self.xpath(f"//*[@aria-label={label!r}]")

    def fill(self, label: str, text: str) -> None:
        field = self.field(label)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text, Keys.ENTER)

    def write(self, label: str, text: str) -> None:
        """Until the field has it all: a dialog that opens may take the focus in the middle."""

        def written() -> bool:
            field = self.field(label)
            if field.get_attribute("value") == text:
                return True
            field.clear()
            field.send_keys(text)
            return bool(field.get_attribute("value") == text)

        self.until(written, f"writing into {label}")

    def type(self, name: str, text: str) -> None:
        """Into the field of a form that is sent later."""
        field = self.xpath(f"//input[@name={name!r}]")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)

    def choose(self, label: str, option: str) -> None:
        Select(self.field(label)).select_by_visible_text(option)

    def knot(self, name: str) -> WebElement:
        return self.xpath(f"//*[@role='option'][contains(.,{name!r})]")

    def select(self, name: str, *, add: bool = False) -> None:
        if not add:
            self.until(lambda: self.knot(name).click() is None, name)
            return
        ActionChains(self.driver).key_down(Keys.CONTROL).click(self.knot(name)).key_up(Keys.CONTROL).perform()

    def key(self, *keys: str) -> None:
        ActionChains(self.driver).send_keys(*keys).perform()

    def chord(self, *keys: str) -> None:
        """The last one while the others are held."""
        chain = ActionChains(self.driver)
        for held in keys[:-1]:
            chain.key_down(held)
        chain.send_keys(keys[-1])
        for held in reversed(keys[:-1]):
            chain.key_up(held)
        chain.perform()

    def extend(self, key: str) -> None:
        ActionChains(self.driver).key_down(Keys.SHIFT).send_keys(key).key_up(Keys.SHIFT).perform()

    def sees(self, text: str, where: str = "//body", seconds: float = WAIT_S) -> None:
        wanted = re.sub(r"\s+", " ", text)
        self.until(lambda: wanted in re.sub(r"\s+", " ", self.words(where)), f"seeing {text!r}", seconds)

    def words(self, where: str) -> str:
        """What can be read there, as the browser itself tells it: the driver's way takes a second on a long page."""
        return str(self.driver.execute_script("return arguments[0].innerText", self.xpath(where)))

    def bench_sees(self, text: str, seconds: float = WAIT_S) -> None:
        self.sees(text, "//*[@id='bench']", seconds)

    def run_ends(self, kind: str, state: str = "done") -> None:
        """The newest run in the tray is of that kind, was not waited for before, and has ended so."""
        tray = "//*[@aria-label='Run tray']"

        def ended() -> bool:
            seen = self.xpath(tray)
            run, words = seen.get_attribute("data-run") or "", self.words(tray).split("\n")
            if words[:2] != [kind, state] or run in self.ended or run != seen.get_attribute("data-run"):
                return False  # it may have become another one between two looks
            self.ended.add(run)
            return True

        self.until(ended, f"{kind} {state}", RUN_S)

    def lens(self, name: str) -> None:
        self.xpath(f"//nav//a[contains(.,{name!r})]").click()

    def complaints(self) -> list[str]:
        """Errors of the page itself; refusals of the server are told to the person instead."""
        logged = self.driver.get_log("browser")
        return [
            entry["message"]
            for entry in logged
            if entry["level"] == "SEVERE" and "Failed to load" not in entry["message"]
        ]
