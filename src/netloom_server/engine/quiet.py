"""Watch mode: sweeps that begin by themselves, and stay out of people's way."""

from __future__ import annotations

import asyncio
import logging
from datetime import timedelta
from typing import TYPE_CHECKING

from asgiref.sync import sync_to_async
from django.utils import timezone

from netloom_server.installation.models import Installation, Line
from netloom_server.runs.models import LIVE, Run
from netloom_server.runs.services import create_run

if TYPE_CHECKING:
    from netloom_server.engine.engine import Engine

log = logging.getLogger("netloom.quiet")
LOOK_EVERY_S = 5.0
BY = "watch"


class QuietSweeps:
    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    async def run(self) -> None:
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            run = await sync_to_async(self._due)()
            if run:
                log.info("watch: sweep %s begins", run)
                await self._engine.jobs.carry_out(run)

    def _due(self) -> str:
        """The id of a new run when it is time; a run of somebody goes first."""
        site = Installation.objects.first()
        if site is None or not site.watch_minutes or Run.objects.filter(state__in=LIVE).exists():
            return ""
        last = Run.objects.filter(kind="sweep").order_by("-created").first()
        if last is not None and timezone.now() - last.created < timedelta(minutes=site.watch_minutes):
            return ""
        if not Line.objects.exists():
            return ""
        return create_run("sweep", BY, {"lines": [], "quiet": True}, []).id
