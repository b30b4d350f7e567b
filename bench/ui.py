"""The interface with 2,000 devices: first paint and key presses, idle and while a sweep goes on."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

from tests.browser.page import Page

from bench.field import NET, ROOT, field
from bench.memory import COUNT, call, server_with_thousands

PAINT_S, KEY_MS, SWEEPING_KEY_MS = 1.5, 50, 100
PRESSES = 60
MANY = 240
DEVICES = 300
# From the key's event to the frame after the one in which its effect is painted.
PRESS = """
const [key, done] = arguments;
const begun = performance.now();
window.dispatchEvent(new KeyboardEvent("keydown", {key, bubbles: true}));
requestAnimationFrame(() => setTimeout(() => done(performance.now() - begun), 0));
"""
# Times between frames while the longest strand is scrolled, and then all of them across.
SCROLL = """
const done = arguments[0];
const all = [...document.querySelectorAll("[aria-label=Loom] *")];
const longest = all.filter((one) => getComputedStyle(one).overflowY === "auto")
  .sort((a, b) => b.scrollHeight - b.clientHeight - (a.scrollHeight - a.clientHeight))[0];
const widest = all.find((one) => one.scrollWidth > one.clientWidth + 40);
const times = []; let before = performance.now(); let n = 0;
const frame = (now) => {
  times.push(now - before); before = now;
  if (n < 150 && longest) longest.scrollTop = (n * 24) % longest.scrollHeight;
  if (n >= 150 && widest) widest.scrollLeft = ((n - 150) * 30) % widest.scrollWidth;
  if (++n < 300) requestAnimationFrame(frame); else done(times.slice(1));
};
requestAnimationFrame(frame);
"""
# Times between frames for so many milliseconds, whatever comes meanwhile.
FRAMES = """
const [span, done] = arguments;
const times = []; const begun = performance.now(); let before = begun;
const frame = (now) => {
  times.push(now - before); before = now;
  if (now - begun < span) requestAnimationFrame(frame); else done(times.slice(1));
};
requestAnimationFrame(frame);
"""
LATE_MS = 25.0  # between two frames at 60 a second: one was missed
LONG_SHARE = 0.01
HEAP_MB = 150
EVENTS = 3600  # one each second for an hour
PAINTED = """
const done = arguments[0];
const look = () => document.querySelector("[role=option]")
  ? requestAnimationFrame(() => done(performance.now())) : setTimeout(look, 5);
look();
"""


def presses(page: Page) -> list[float]:
    keys = ["ArrowDown", "ArrowDown", "ArrowRight", "ArrowDown", "ArrowLeft", "ArrowUp"]
    return [float(page.driver.execute_async_script(PRESS, keys[n % len(keys)])) for n in range(PRESSES)]


def shown(times: list[float]) -> str:
    return f"median {statistics.median(times):.0f} ms, slowest {max(times):.0f} ms of {len(times)} keys"


def link(server: dict[str, Any], folder: Path) -> str:
    words = [sys.executable, "-m", "netloom_cli", "--json", "--data", str(folder), "people", "link"]
    environment = {"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin"}
    told = subprocess.run(words, env=environment, capture_output=True, text=True, check=True).stdout
    return str(json.loads(told)["url"])


def late(name: str, frames: list[float]) -> None:
    missed = sum(time > LATE_MS for time in frames)
    print(
        f"ui       {name}: {missed} of {len(frames)} frames late, longest {max(frames):.0f} ms "
        f"(at most {LONG_SHARE:.0%} late)"
    )


def heap_mb(page: Page) -> float:
    page.driver.execute_cdp_cmd("HeapProfiler.enable", {})
    page.driver.execute_cdp_cmd("HeapProfiler.collectGarbage", {})
    return float(page.driver.execute_script("return performance.memory.usedJSHeapSize")) / 2**20


def densities(page: Page, server: dict[str, Any]) -> None:
    """Scrolling in each, and frames while names of devices change under the picture of the whole site."""
    for density in ("rows", "lines", "site"):
        page.driver.execute_script("localStorage.setItem('netloom.density', arguments[0])", density)
        page.driver.get(server["url"] + "/survey")
        time.sleep(3)
        late(f"{density}, scrolled", page.driver.execute_async_script(SCROLL))


def changing(page: Page, server: dict[str, Any], count: int, pause_s: float) -> list[float]:
    """Times between frames while so many devices are renamed one after the other."""
    devices = call(server, "GET", "/api/devices")["devices"]

    def change() -> None:
        for number in range(count):
            device = devices[number % len(devices)]
            call(server, "PATCH", f"/api/devices/{device['id']}", {"name": f"{device['name']} {number}"})
            time.sleep(pause_s)

    work = threading.Thread(target=change)
    work.start()
    frames: list[float] = []
    while work.is_alive():
        frames += page.driver.execute_async_script(FRAMES, 2000)
    work.join()
    return frames


def an_hour(page: Page, server: dict[str, Any]) -> None:
    late("whole site, while five rows a second change", changing(page, server, 100, 0.2))
    before = heap_mb(page)
    changing(page, server, EVENTS, 0)
    print(
        f"ui       memory of the page: {before:.0f} MB, {heap_mb(page):.0f} after {EVENTS} events (at most {HEAP_MB})"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as profile, server_with_thousands(COUNT, 60) as (server, _, folder):
        page = Page(Path(profile))
        try:
            page.driver.get(link(server, folder))
            page.driver.execute_async_script(PAINTED)
            densities(page, server)
            an_hour(page, server)
        finally:
            page.close()
    with tempfile.TemporaryDirectory() as profile, server_with_thousands() as (server, _, folder):
        page = Page(Path(profile))
        try:
            page.driver.get(link(server, folder))
            page.driver.execute_async_script(PAINTED)
            paints = []
            for _ in range(5):
                page.driver.get(server["url"] + "/survey")
                paints.append(float(page.driver.execute_async_script(PAINTED)) / 1000)
            print(
                f"ui       first paint of {COUNT} devices: median {statistics.median(paints):.2f} s (at most {PAINT_S})"
            )
            idle = [time for _ in range(MANY // PRESSES) for time in presses(page)]
            print(f"ui       keys with {COUNT} devices: {shown(idle)} (at most {KEY_MS})")
            run = call(server, "POST", "/api/runs", {"kind": "read", "devices": []})
            during = [time for _ in range(MANY // PRESSES) for time in presses(page)]
            state = call(server, "GET", f"/api/runs/{run['id']}?steps=false")["state"]
            print(f"ui       keys while a run over all goes on: {shown(during)} (at most {KEY_MS}; it is {state})")
            call(server, "POST", f"/api/runs/{run['id']}/cancel")
            with field(DEVICES, folder / "bus", mixed=True):
                body = {"kind": "ip", "name": "Bench", "network": NET.network}
                line = call(server, "POST", "/api/lines", body)
                run = call(server, "POST", "/api/runs", {"kind": "sweep", "lines": [line["id"]]})
                times: list[float] = []
                time.sleep(0.5)
                while call(server, "GET", f"/api/runs/{run['id']}")["state"] in ("waiting", "running"):
                    times += presses(page)[:PRESSES]
            print(f"ui       keys while a sweep by all methods goes on: {shown(times)} (at most {SWEEPING_KEY_MS})")
        finally:
            page.close()
