"""From what happens at an input to the screen: a browser that looks at the device, and at the loom."""

from __future__ import annotations

import json
import statistics
import threading
import time

import httpx
from tests.browser.page import Page
from tests.demo import Demo

from bench.browser import site

NETWORK, SITE = "127.64.10.0/24", "tests/sites/configure.yaml"
CHANGES, WANTED_MS = 40, 150
# Until what is looked at says it: the time of the computer's clock, in ms.
SEEN = """
const [where, word, done] = arguments;
const there = () => {
  const one = document.querySelector(where);
  return one && `${one.textContent} ${one.ariaLabel}`.includes(word);
};
const now = () => performance.timeOrigin + performance.now();
const watch = new MutationObserver(() => there() && (watch.disconnect(), done(now())));
watch.observe(document.body, { childList: true, subtree: true, characterData: true, attributes: true });
"""


def main() -> None:
    with site(NETWORK, SITE, "Configure") as (page, demo):
        _measure(page, demo)


def _measure(page: Page, demo: Demo) -> None:
    page.press("live states")
    page.select("Upper box")
    page.xpath("//*[@data-point='input-3']")
    device = page.xpath("//*[@data-lit and contains(@aria-label,'at rest')]").get_attribute("data-lit")
    time.sleep(3)
    for name, where, words in (
        ("the bench", "[data-point='input-3']", ("active", "rest")),
        ("the loom", f"[data-lit='{device}']", ("Input 3 active", "all at rest")),
    ):
        times = sorted(_once(page, demo, where, words[n % 2], ("active", "rest")[n % 2]) for n in range(CHANGES))
        print(
            f"points   an input's change is on {name} after {statistics.median(times):.0f} ms, {times[-1]:.0f} at the "
            f"slowest of {CHANGES} (wanted: {WANTED_MS})",
            flush=True,
        )


def _once(page: Page, demo: Demo, where: str, word: str, state: str) -> float:
    """Milliseconds; begun by another thread while the page waits."""
    begun: list[float] = []
    control = json.loads((demo.data / "standins.json").read_text())
    headers = {"Authorization": f"Bearer {control['token']}"}
    body = {"kind": "point", "point": "input-3", "state": state}

    def change() -> None:
        time.sleep(0.3)
        begun.append(time.time() * 1000)
        httpx.post(f"{control['url']}/units/HV-1/fault", headers=headers, json=body).raise_for_status()

    thread = threading.Thread(target=change)
    thread.start()
    seen = float(page.driver.execute_async_script(SEEN, where, word))
    thread.join()
    return seen - begun[0]


if __name__ == "__main__":
    main()
