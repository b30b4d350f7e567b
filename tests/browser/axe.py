"""What axe, the checker of accessibility, finds on a page."""

from __future__ import annotations

from tests.browser.page import Page
from tests.conftest import ROOT

AXE = (ROOT / "web/node_modules/axe-core/axe.min.js").read_text()
STILL = """return !document.getAnimations().some(
    (one) => one.playState === 'running' && Number.isFinite(one.effect.getComputedTiming().endTime))"""


def violations(page: Page) -> list[str]:
    page.until(lambda: page.driver.execute_script(STILL), "what fades in has its colours")
    page.driver.execute_script(AXE)
    rules = "{runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']}"
    found: list[str] = page.driver.execute_async_script(
        f"const done = arguments[0]; axe.run(document, {rules}).then(r => done(r.violations.map(v => v.id + ': ' + "
        "v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | '))))"
    )
    return found
