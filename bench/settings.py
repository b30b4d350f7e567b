"""A device of 2,000 settings in the browser: how soon its bench is open, and what a key in its filter costs."""

from __future__ import annotations

import statistics
import time

from selenium.webdriver.common.keys import Keys
from tests.browser.page import Page
from tests.demo import Demo

from bench.browser import site

NETWORK, SITE = "127.64.10.0/24", "tests/sites/configure.yaml"
ROUNDS = 15
PROFILE = """
format: 2
id: bench-many
extends: [web-documents]
maker: Bench
model: Many
kind: mixer
axes:
  channel: {count: 400, label: Channel}
items:
  - {path: "/channels/{channel}/name", label: "Channel {channel} name", type: {is: text, max_length: 16}}
  - {path: "/channels/{channel}/gain", label: "Channel {channel} gain", type: {is: decimal, unit: dB, minimum: -60, maximum: 12, step: 0.5}}
  - {path: "/channels/{channel}/mute", label: "Channel {channel} mute", type: boolean}
  - {path: "/channels/{channel}/delay", label: "Channel {channel} delay", type: {is: integer, unit: ms, maximum: 500}}
  - {path: "/channels/{channel}/group", label: "Channel {channel} group", type: {is: choice, options: {a: A, b: B, c: C}}}
"""  # noqa: E501
# Milliseconds for which the page is held up by each key: the longest stretch that nothing else can break into.
KEYS = """
const [words, done] = arguments;
const field = document.querySelector("[aria-label='Search in the settings']");
const put = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
const found = [];
const step = () => {
  if (found.length === words.length) return done(found);
  let longest = 0, last = performance.now(), beats = 0, from = 0;
  const begun = last;
  const text = words[found.length];
  const channel = new MessageChannel();
  const beat = () => {
    const now = performance.now();
    longest = Math.max(longest, now - last);
    last = now;
    if (++beats > 3 && now - begun > 250) return found.push(longest), setTimeout(step, 20);
    channel.port2.postMessage(0);
  };
  channel.port1.onmessage = beat;
  put.call(field, text);
  field.dispatchEvent(new Event("input", { bubbles: true }));
  channel.port2.postMessage(0);
};
step();
"""
OPENED = """
const [id, done] = arguments;
const begun = performance.now();
const there = () => document.querySelectorAll("#bench [aria-label='Search in the settings']").length && document.querySelectorAll("#bench table tr").length > 5;
const watch = new MutationObserver(() => there() && (watch.disconnect(), requestAnimationFrame(() => done(performance.now() - begun))));
watch.observe(document.getElementById("bench"), { childList: true, subtree: true });
document.getElementById(`knot-${id}`).click();
"""  # noqa: E501


def main() -> None:
    with site(NETWORK, SITE, "Configure", sweep=False) as (page, demo):
        profile, listed = demo.data / "many.yaml", demo.data / "many.csv"
        profile.write_text(PROFILE)
        demo.run("profile", "add", str(profile))
        listed.write_text("name,model,line,address\nMany,Many,Rack network,127.64.10.20\n")
        demo.run("expect", str(listed), "--plan", expect=None)
        _measure(page, demo)


def _measure(page: Page, demo: Demo) -> None:
    many = next(one for one in demo.json("devices")["devices"] if one["name"] == "Many")["id"]
    opened = []
    for _ in range(ROUNDS):
        opened.append(float(page.driver.execute_async_script(OPENED, many)))
        page.key(Keys.ESCAPE)
        time.sleep(0.3)
    page.driver.execute_async_script(OPENED, many)
    count = len(demo.device("Many")["writable"])
    words = [
        "c",
        "ch",
        "cha",
        "chan",
        "chann",
        "channe",
        "channel",
        "channel 1",
        "channel 12",
        "channel 1",
        "channel",
        "",
    ]
    held = sorted(float(one) for one in page.driver.execute_async_script(KEYS, words * 3))
    took = f"{statistics.median(opened):.0f} ms, {max(opened):.0f} at most"
    print(f"settings {count} of them are open in {took} (wanted: 200)")
    print(
        f"settings a key in their filter holds the page up for {statistics.median(held):.0f} ms, {held[-1]:.0f} at the "
        f"longest of {len(held)}, {sum(one > 16 for one in held)} of them over 16 ms (wanted: 16)",
        flush=True,
    )
