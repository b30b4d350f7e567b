"""The interface with 2,000 devices: first paint and key presses, idle and while a sweep goes on."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
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


def main() -> None:
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
