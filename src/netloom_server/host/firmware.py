"""Firmware files, as the engine reads them."""

from __future__ import annotations

from netloom_core.library.load import Library
from netloom_core.model.device import Identity
from netloom_core.model.image import Image
from netloom_server.base.crossing import in_records, moment
from netloom_server.firmware.services.aside import become
from netloom_server.firmware.services.files import image_of
from netloom_server.installation.services.readings import save_firmware


class FirmwareRecords:
    def __init__(self, library: Library) -> None:
        self._library = library

    async def save_firmware(self, device: str, identity: Identity | None, time: float) -> None:
        await in_records(save_firmware, device, identity, moment(time), self._library)

    async def became(self, device: str, profile: str) -> None:
        await in_records(become, device, profile, self._library)

    async def image(self, file: str) -> Image:
        return await in_records(image_of, file)
