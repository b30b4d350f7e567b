"""A grid of 64 by 64 in the browser: how long a frame of it takes, and how soon a take is on the screen."""

from __future__ import annotations

import statistics
import time
from typing import Any

from tests.browser.page import Page
from tests.demo import Demo

from bench.browser import site

NETWORK = "127.28.10.0/24"
TAKES, FRAMES, REST_S = 60, 120, 0.6
# Milliseconds of work that a key press makes: script, style and layout; what the next frame waits for besides is the
# screen's own time.
WORK = """
const [key, count, done] = arguments;
const grid = document.querySelector("[role=grid]");
const times = [];
const step = async () => {
  const at = performance.now();
  grid.dispatchEvent(new KeyboardEvent("keydown", { key: key[times.length % key.length], bubbles: true }));
  await Promise.resolve();
  grid.offsetHeight;
  times.push(performance.now() - at);
  times.length < count ? setTimeout(step, 40) : done(times);
};
step();
"""
# From the press to the cell that is taken, as the device says.
TAKE = """
const [row, done] = arguments;
const grid = document.querySelector("[role=grid]");
const line = grid.querySelector(`[data-row="${row}"]`);
const before = performance.now();
const watch = new MutationObserver(() => {
  const taken = (cell) => /^Input 5 to .*: taken/.test(cell.getAttribute("aria-label"));
  if (![...line.querySelectorAll("[role=gridcell]")].some(taken)) return;
  watch.disconnect();
  const at = performance.now();
  const asked = performance.getEntriesByName(`${location.origin}/api/routing/take`).at(-1);
  done([at - before, asked ? asked.responseEnd - asked.startTime : 0]);
});
watch.observe(line, { childList: true, subtree: true, attributes: true });
const box = line.getBoundingClientRect();
const at = { clientX: box.left + 4 * (box.width / 64) + 4, clientY: box.top + 4 };
line.dispatchEvent(new MouseEvent("click", { bubbles: true, ...at }));
"""


def main() -> None:
    with site(NETWORK, "bench/grid.yaml", "Route") as (page, demo):
        _measure(page, demo)


def _measure(page: Page, demo: Demo) -> None:
    page.select("Big matrix")
    page.xpath("//*[@role='gridcell']")
    moves = _told(page, ["ArrowDown", "ArrowRight"], FRAMES)
    whole = _told(page, ["a", "Delete"], FRAMES)
    takes: list[list[float]] = []
    for row in range(TAKES):
        takes.append(page.driver.execute_async_script(TAKE, row))
        time.sleep(REST_S)
    seen = sorted(one[0] for one in takes)
    after = sorted(one[0] - one[1] for one in takes)
    print(f"grid     the pointer moves on: {moves}; 63 rings come and go: {whole} (wanted: 16 ms)")
    print(
        f"grid     a take is on the screen {statistics.median(seen):.0f} ms after the press, {seen[-1]:.0f} at the "
        f"slowest of {TAKES}; {statistics.median(after):.0f} and {after[-1]:.0f} ms of it after the "
        f"server's answer (wanted: 30)",
        flush=True,
    )


def _told(page: Page, keys: Any, count: int) -> str:
    times = sorted(page.driver.execute_async_script(WORK, keys, count))
    return f"{statistics.median(times):.0f} ms, {times[-1]:.0f} at the slowest of {count}"
