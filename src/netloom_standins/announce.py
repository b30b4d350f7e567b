"""mDNS announcements of the stand-ins, by one responder on loopback."""

from __future__ import annotations

from zeroconf import IPVersion, NonUniqueNameException, ServiceInfo
from zeroconf.asyncio import AsyncZeroconf

from netloom_standins.described.unit import DescribedUnit


class Announcer:
    def __init__(self) -> None:
        self._zeroconf = AsyncZeroconf(interfaces=["127.0.0.1"], ip_version=IPVersion.V4Only)
        self._infos: dict[str, ServiceInfo] = {}

    async def announce(self, box: DescribedUnit, up: bool) -> None:
        old = self._infos.pop(box.serial, None)
        if old is not None:
            await self._zeroconf.async_unregister_service(old)
        if not up:
            return
        if box.description.announces is None:
            return
        service, port = box.description.announces
        info = ServiceInfo(
            service,
            f"{box.profile.model} {box.serial} {box.address}.{service}",
            parsed_addresses=[box.address],
            port=port,
            properties={"maker": box.profile.maker, "model": box.profile.model, "serial": box.serial},
            server=f"{box.serial.lower()}-{box.address.replace('.', '-')}.local.",
        )
        self._infos[box.serial] = info
        try:
            await self._zeroconf.async_register_service(info, allow_name_change=True)
        except NonUniqueNameException:
            self._infos.pop(box.serial, None)

    async def close(self) -> None:
        await self._zeroconf.async_unregister_all_services()
        await self._zeroconf.async_close()
