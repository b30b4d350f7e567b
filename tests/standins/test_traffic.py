"""What passes on the line of a device that is written, and that its passphrase is not in it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from netloom_core.bus.turns import Priority
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.secrets import reference
from tests.standins.models import bench


async def test_a_passphrase_is_written_and_not_shown(library: Library, tmp_path: Path) -> None:
    async with bench(library, "wendle-w1", tmp_path, "127.29.74") as here:
        secret = reference("one")
        target = replace(here.target, secrets={secret: "lighthouse keeper"})
        talk = await here.sessions.talk(target, "run of kai", Priority.RUN)
        await talk.write([Change("/network/passphrase", None, secret), Change("/network/name", "", "quay")])
        passed = here.owners.serial(here.line).traffic.since(0)
        sent = b"".join(one.data for one in passed if one.out)
        came = b"".join(one.data for one in passed if not one.out)
        assert b"phrase=*****************" in sent
        assert b"name=quay" in sent
        assert b"lighthouse" not in sent + came
        assert here.unit.memory.waiting["/network/passphrase"] == "lighthouse keeper"
