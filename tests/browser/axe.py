"""What axe, the checker of accessibility, finds on a page."""

from __future__ import annotations

from tests.browser.page import Page
from tests.conftest import ROOT

AXE = (ROOT / "web/node_modules/axe-core/axe.min.js").read_text()
STILL = """return [...document.querySelectorAll('[data-sonner-toast]')].every(
    (one) => getComputedStyle(one).opacity === '1')"""
TRIES = 3  # while a notice comes or goes, its colours are between two


def violations(page: Page) -> list[str]:
    page.driver.execute_script(AXE)
    found: list[str] = []
    for _ in range(TRIES):
        page.until(lambda: page.driver.execute_script(STILL), "notices that fade have their colours")
        rules = "{runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']}"
        found = page.driver.execute_async_script(
            f"const done = arguments[0]; axe.run(document, {rules}).then(r => done(r.violations.map(v => v.id + ': ' + "
            "v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | '))))"
        )
        if not found:
            break
    return found
