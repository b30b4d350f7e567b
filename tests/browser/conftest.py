from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.browser.page import Page
from tests.demo import Demo


@pytest.fixture(scope="module")
def page(demo: Demo, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Page]:
    """Signed in by a one-time link, at 1280 x 800."""
    opened = Page(tmp_path_factory.mktemp("chromium"))
    opened.driver.get(demo.run("people", "link").strip())
    yield opened
    opened.close()
