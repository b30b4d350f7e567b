"""Feeds: a text that is said to a device again and again."""

from __future__ import annotations

import time
from datetime import datetime
from typing import Annotated, Any

import typer

from netloom_cli.client import DONE, FAILED, call, context, give, note, quoted
from netloom_cli.output import say

LOOK_S = 0.5
feed_app = typer.Typer(
    help="A text that is said to a device again and again, as a source outside does.",
    no_args_is_help=True,
    rich_markup_mode=None,
)
Wait = Annotated[bool, typer.Option("--wait", help="until it is over, and the device was looked at")]


def register(app: typer.Typer) -> None:
    app.add_typer(feed_app, name="feed")


@feed_app.command("begin")
def begin(
    device: str,
    point: str,
    text: str,
    every: Annotated[float | None, typer.Option(help="seconds; the profile's own where not given")] = None,
    minutes: Annotated[float, typer.Option(help="after which it ends by itself, at most 480")] = 10,
    wait: Wait = False,
) -> None:
    """Begin to say it. It goes on without this program, until its time is over or somebody ends it."""
    body = {"point": point, "text": text, "minutes": minutes, **({"every": every} if every is not None else {})}
    _tell(device, call("POST", _path(device), body)["feed"], wait)


@feed_app.command("show")
def show(device: str, wait: Wait = False) -> None:
    """What the device tells of it now; the last one where none is under way."""
    _tell(device, call("GET", _path(device))["feed"], wait)


@feed_app.command("end")
def end(device: str, wait: Wait = False) -> None:
    """Say it no more."""
    _tell(device, call("DELETE", _path(device))["feed"], wait)


def _path(device: str) -> str:
    return f"/api/devices/{quoted(device)}/feed"


def _tell(device: str, feed: dict[str, Any] | None, wait: bool) -> None:
    while wait and feed is not None and feed["phase"] != "over":
        time.sleep(LOOK_S)
        feed = call("GET", _path(device))["feed"]
    if context.json:
        give({"device": device, "feed": feed})
    elif feed is None:
        note("Nothing was fed to it.")
    else:
        for line in _words(feed):
            say(line)
    bad = feed is not None and feed["phase"] == "over" and not (feed["shown"] and feed["alone_after"] is not None)
    raise typer.Exit(FAILED if bad else DONE)


def _words(feed: dict[str, Any]) -> list[str]:
    if feed["phase"] == "over":
        return [f"{feed['point']}: {feed['text']!r} was said every {feed['every']:g} s. {feed['account']}"]
    until = "it ends" if feed["phase"] == "ending" else f"until {datetime.fromtimestamp(feed['until']):%H:%M:%S}"
    what = f"{feed['point']}: {feed['text']!r} every {feed['every']:g} s by {feed['by']}, {until}"
    lines = [f"{what}; said {feed['said']} times"]
    word = {True: "told", False: "not so", None: "not told yet"}
    lines += [f"  {one['what']}: {word[one['holds']]}" for one in feed["told"]]
    if feed["failed"]:
        lines.append(f"  {feed['failed']} times without success: {feed['trouble'] or 'it is taken again now'}")
    return lines
