"""What a kind of run needs of a request: who may begin it, and what it is asked for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

from rest_framework.request import Request

from netloom_core.library.load import Library
from netloom_core.model.work import StepState
from netloom_server.installation.models import Device
from netloom_server.runs.models import Run


@dataclass(frozen=True)
class Asked:
    """A request's checked words."""

    data: dict[str, Any]
    by: str
    request: Request
    library: Library

    @property
    def devices(self) -> list[str]:
        words: list[str] = self.data.get("devices") or []
        return words


class Begins(Protocol):
    """A kind of run. Raises NetloomError, and then nothing was begun."""

    name: str

    def begin(self, asked: Asked) -> Run: ...


class Plans(Protocol):
    """A kind of run that is planned first: what `orders` needs to know, by ids."""

    def order(self, asked: Asked) -> dict[str, Any]: ...


def steps_on(devices: list[Device], action: str, **params: Any) -> list[StepState]:
    return [StepState(n, device.id, action, dict(params)) for n, device in enumerate(devices)]
