"""A backup of 200 devices onto the server's records, against a plain loop that fetches the same documents."""

from __future__ import annotations

import asyncio
import os
import tempfile
import time
from pathlib import Path

import httpx

from bench.field import NET, addresses, field, told

COUNT = 200
ROUNDS = 3
AT_ONCE = 24


async def bare(hosts: list[str], password: str) -> float:
    gate = asyncio.Semaphore(AT_ONCE)

    async def one(host: str) -> None:
        transport = httpx.AsyncHTTPTransport(local_address=NET.source, verify=False)
        async with gate, httpx.AsyncClient(base_url=f"http://{host}:8480", transport=transport) as client:
            answer = await client.post("/session", json={"user": "admin", "password": password})
            headers = {"Authorization": f"Bearer {answer.json()['token']}"}
            for which in ("running", "startup"):
                assert (await client.get(f"/settings/{which}", headers=headers)).json()["relays"]

    begun = time.perf_counter()
    await asyncio.gather(*(one(host) for host in hosts))
    return time.perf_counter() - begun


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["NETLOOM_DATA"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "netloom_server.config.settings"
        import django
        from django.core.management import call_command

        django.setup()
        call_command("migrate", verbosity=0)
        with field(COUNT, Path(folder) / "bus"):
            mine, plain = asyncio.run(_measure())
    told("backup", mine, plain, 1.5, f"{COUNT} devices, records and journal on disk, best of {ROUNDS}")


async def _measure() -> tuple[float, float]:
    from asgiref.sync import sync_to_async

    from netloom_core.model.work import StepState
    from netloom_server.backups.models import Backup
    from netloom_server.host.engine import engine
    from netloom_server.installation.models import Device, Line, Unit
    from netloom_server.runs.models import LIVE, Run
    from netloom_server.runs.services.runs import create_run

    hosts = addresses(COUNT)
    profile = engine().library.need("hallvane-rx8")

    def records() -> list[str]:
        line = Line.objects.create(id="net", name="Net", kind="ip", network=NET.network, source=NET.source)
        units = [
            Unit(maker=profile.maker, serial=f"HV-{n:05}", identity_key=f"hallvane|hv-{n:05}")
            for n in range(len(hosts))
        ]
        Unit.objects.bulk_create(units)
        devices = [
            Device(
                name=f"Box {n}", profile=profile.id, unit=unit, line=line, address=host, taken_in=True, status="known"
            )
            for n, (host, unit) in enumerate(zip(hosts, units, strict=True))
        ]
        return [device.id for device in Device.objects.bulk_create(devices)]

    ids = await sync_to_async(records)()
    await engine().start()
    times = []
    for number in range(ROUNDS):
        steps = [StepState(n, ident, "backup", {"baseline": False}) for n, ident in enumerate(ids)]
        run = await sync_to_async(create_run)("backup", "bench", {}, steps)
        begun = time.perf_counter()
        await engine().core.do({"do": "carry out", "run": run.id})
        while (await Run.objects.aget(id=run.id)).state in LIVE:
            await asyncio.sleep(0.01)
        mine = time.perf_counter() - begun
        assert await Backup.objects.acount() == COUNT * (number + 1)
        times.append((mine, await bare(hosts, profile.factory.password)))
    await engine().stop()
    return min(t[0] for t in times), min(t[1] for t in times)
