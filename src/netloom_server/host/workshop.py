"""Makes papers, one after the other, each in a process of its own that is ended when it takes too long.

What was asked for before the server ended is made after the next start.
"""

from __future__ import annotations

import asyncio
import logging
import os
import sys
from pathlib import Path

import orjson

from netloom_core.engine.ports import EventSink
from netloom_server.base.crossing import in_records
from netloom_server.papers.models import Paper
from netloom_server.papers.services import papers
from netloom_server.papers.services.papers import Made

LONGEST_S = 600.0
LOOK_S = 30.0
PYTHON_PATH = str(Path(__file__).resolve().parents[2])
KEEP = ("NETLOOM_DATA", "NETLOOM_PROFILES", "PATH", "HOME", "TMPDIR")
log = logging.getLogger("netloom.papers")


class Workshop:
    def __init__(self, events: EventSink) -> None:
        self._events = events
        self._asked = asyncio.Event()

    def wake(self) -> None:
        self._asked.set()

    async def run(self) -> None:
        await asyncio.to_thread(papers.forget_parts)
        while True:
            self._asked.clear()
            while paper := await in_records(papers.next_to_make):
                made = await self._make(paper)
                self._events.put("paper", await in_records(papers.settle, paper, made))
            try:
                async with asyncio.timeout(LOOK_S):
                    await self._asked.wait()
            except TimeoutError:
                continue

    async def _make(self, paper: Paper) -> Made:
        environment = {name: os.environ[name] for name in KEEP if name in os.environ}
        child = await asyncio.create_subprocess_exec(
            sys.executable, "-m", "netloom_server.papers", str(paper.id),
            stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.PIPE,
            env={**environment, "PYTHONPATH": PYTHON_PATH},
        )  # fmt: skip
        try:
            async with asyncio.timeout(LONGEST_S):
                told, complaint = await child.communicate()
        except TimeoutError:
            return Made(message=f"It was not made within {LONGEST_S / 60:g} minutes.", hint="Try again at a calm time.")
        finally:
            if child.returncode is None:
                child.kill()
                await child.wait()
        if child.returncode:
            log.error("a paper could not be made: %s", complaint.decode(errors="replace")[-2000:])
            return Made(message="It could not be made; the server's log says why.", hint="Try again, then tell us.")
        return Made(**orjson.loads(told))
