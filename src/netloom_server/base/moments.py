"""Times that can be trusted: a computer's clock may be put back, and what lies ahead of it then was not later."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.utils import timezone

JITTER = timedelta(seconds=2)  # clocks of threads and of this computer's corrections


def latest() -> datetime:
    """What is later than this was written down before the clock was put back."""
    return timezone.now() + JITTER


def newer(known: datetime | None, fresh: datetime) -> bool:
    """Whether what is known was asked for after `fresh`, so that it stays."""
    return known is not None and fresh < known <= latest()


def within(since: datetime, span: timedelta) -> bool:
    """Whether less than `span` has gone since then."""
    return -JITTER <= timezone.now() - since < span
