"""Sweep lines."""

from __future__ import annotations

from netloom_core.errors import RequestError
from netloom_server.base.problems import NotFound
from netloom_server.installation.models import Line
from netloom_server.installation.services.lines import in_use
from netloom_server.runs.kinds.base import Asked
from netloom_server.runs.models import Run
from netloom_server.runs.services.runs import create_sweep


class Sweep:
    name = "sweep"

    def begin(self, asked: Asked) -> Run:
        lines = _line_ids(asked.data.get("lines") or [])
        if not Line.objects.filter(archived=None).exists():
            raise RequestError("There is no line to sweep.", "Add one, or bring one back, first.")
        return create_sweep(asked.by, {"lines": lines})


def _line_ids(words: list[str]) -> list[str]:
    ids = []
    for word in words:
        line = Line.objects.filter(id=word).first() or Line.objects.filter(name__iexact=word).first()
        if line is None:
            raise NotFound(f"There is no line {word!r}.", "`netloom lines` lists them.")
        ids.append(in_use(line).id)
    return ids
