"""Firmware files, as the engine reads them."""

from __future__ import annotations

from netloom_core.model.image import Image
from netloom_server.base.crossing import in_records
from netloom_server.firmware.services.files import image_of


class FirmwareRecords:
    async def image(self, file: str) -> Image:
        return await in_records(image_of, file)
