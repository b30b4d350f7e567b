"""A site with its server and a browser that is signed in, for what is measured on the screen."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from pathlib import Path

from selenium.webdriver.common.keys import Keys
from tests.browser.page import Page
from tests.demo import Demo


@contextlib.contextmanager
def site(network: str, described: str, lens: str, *, sweep: bool = True) -> Iterator[tuple[Page, Demo]]:
    with tempfile.TemporaryDirectory() as folder:
        demo = Demo(Path(folder), network, described)
        demo.each_apart = True  # measured is what people use
        try:
            demo.start()
            if sweep:
                demo.run("sweep", expect=None, timeout=280)
            page = Page(Path(folder) / "browser")
            try:
                page.driver.get(demo.run("people", "link").strip())
                page.key(Keys.ESCAPE)
                page.lens(lens)
                page.driver.set_script_timeout(60)
                yield page, demo
            finally:
                page.close()
        finally:
            demo.stop()
