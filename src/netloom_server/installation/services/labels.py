"""Settings in people's words: their labels, by the profiles of the devices that have them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from netloom_core.library.load import Library
from netloom_server.installation.models import Device


class Labels:
    """For some devices, of which one knows the ids. A path without a profile that knows it has no label."""

    def __init__(self, devices: Iterable[str], library: Library) -> None:
        found = Device.objects.filter(id__in=set(devices)).values_list("id", "profile")
        self._profiles = {ident: library.get(profile) for ident, profile in found}

    def of(self, device: str, path: str) -> str:
        profile = self._profiles.get(device)
        item = profile.by_path.get(path) if profile else None
        return item.label if item else ""

    def on(self, device: str, changes: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
        """The changes, each with its label."""
        return [{**change, "label": self.of(device, str(change.get("path", "")))} for change in changes]
