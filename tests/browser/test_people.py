"""A lead lets somebody in, who sets up a password and a code; tokens; and the door closes while one looks."""

from __future__ import annotations

import base64
import time
from collections.abc import Iterator

import pytest
from cryptography.hazmat.primitives.hashes import SHA1
from cryptography.hazmat.primitives.twofactor.totp import TOTP

from tests.browser.page import Page
from tests.demo import Demo

NETWORK = "127.28.10.0/24"
PASSWORD = "ferry tickets at seven"


@pytest.fixture(scope="module")
def theirs(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Page]:
    second = Page(tmp_path_factory.mktemp("second"))
    yield second
    second.close()


def code_of(key: str) -> str:
    return TOTP(base64.b32decode(key), 6, SHA1(), 30).generate(int(time.time())).decode()


def opened(page: Page) -> None:
    page.xpath("//button[@aria-label='You and the others']").click()
    page.sees("People and access")


def leave(page: Page) -> None:
    page.press("Back")
    page.sees("Sweep all lines")


def shown(page: Page, part: str) -> str:
    """The one text that is shown once."""
    return str(
        page.xpath(
            f"//section[@aria-label='{part}']//*[@role='status']//button[starts-with(@aria-label, 'Copy ')]"
        ).text
    )


def test_somebody_comes_in_by_a_link_and_makes_the_door_their_own(page: Page, theirs: Page, demo: Demo) -> None:
    opened(page)
    page.type("username", "nova")
    page.press("Add, with a one-time link")
    page.sees("Give nova this link.")
    theirs.driver.get(shown(page, "People"))
    theirs.sees("nova")
    opened(theirs)
    theirs.type("fresh", PASSWORD)
    theirs.type("again", "ferry tickets at eight")
    theirs.press("Change the password")
    theirs.sees("The two new passwords are not the same.")
    theirs.type("again", PASSWORD)
    theirs.press("Change the password")
    theirs.sees("Your password is changed.")
    theirs.press("Set up a code")
    theirs.sees("Read the picture with your app")
    key = str(theirs.words("//section[@aria-label='You']//button[starts-with(@aria-label, 'Copy ')]"))
    theirs.type("code", "000000")
    theirs.press("Ask for it from now on")
    theirs.sees("That code is not the one of now.")
    code = code_of(key)
    theirs.type("code", code)
    theirs.press("Ask for it from now on")
    theirs.sees("A code of your app is asked for when you sign in")
    theirs.press("Sign out")
    theirs.sees("User name")
    theirs.type("username", "nova")
    theirs.type("password", PASSWORD)
    theirs.press("Sign in")
    theirs.sees("Code of your app")
    theirs.type("code", code)  # each can be used once
    theirs.press("Sign in")
    theirs.sees("That code is not the one of now.")
    leave(page)


def test_a_token_is_shown_once_and_taken_back(page: Page) -> None:
    opened(page)
    page.type("name", "nightly backup")
    page.press("Make")
    page.sees("This is shown once.")
    assert len(shown(page, "Tokens for scripts")) > 20
    page.press("Take back")
    page.sees("You have none.")
    leave(page)


def test_whoever_is_disabled_is_out_at_once(page: Page, theirs: Page, demo: Demo) -> None:
    theirs.driver.get(demo.run("people", "link", "nova").strip())
    theirs.sees("Ticket hall")
    opened(page)
    page.press("Disable", "//li[contains(., 'nova')]")
    page.sees("may not sign in")
    theirs.sees("User name", seconds=10)
    leave(page)
