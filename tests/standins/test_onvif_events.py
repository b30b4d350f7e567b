"""A camera's inputs and relays as its events tell them, and the password of its user."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from pathlib import Path

import pytest

from netloom_core.documents.tree import get
from netloom_core.drivers.onvif.driver import _path_of
from netloom_core.errors import ProtocolError
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.protocols import onvif
from netloom_core.protocols.xml import parse
from netloom_standins.described.camera import Camera
from tests.patience import SOON_S
from tests.standins.live import Live
from tests.standins.models import bench

NETWORK = "127.44.{n}"
# Built as the Core Specification shows events of properties (clause 9.5): prefixes of topics are the sender's own.
TOLD = b"""<e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope" xmlns:n="http://docs.oasis-open.org/wsn/b-2"
 xmlns:tt="http://www.onvif.org/ver10/schema"><e:Body><PullMessagesResponse>
<n:NotificationMessage><n:Topic Dialect="x">tns1:Device/tns1:Trigger/tns1:Relay</n:Topic><n:Message>
<tt:Message UtcTime="2026-11-26T10:00:00Z" PropertyOperation="Initialized"><tt:Source>
<tt:SimpleItem Name="RelayToken" Value="r-1"/></tt:Source><tt:Key/><tt:Data>
<tt:SimpleItem Name="LogicalState" Value="active"/></tt:Data></tt:Message></n:Message></n:NotificationMessage>
<n:NotificationMessage><n:Topic>q:VideoSource/MotionAlarm</n:Topic><n:Message/></n:NotificationMessage>
</PullMessagesResponse></e:Body></e:Envelope>"""


def test_events_are_read_without_the_senders_prefixes() -> None:
    first, second = onvif.notices(onvif.response(TOLD, "PullMessages"))
    assert first == onvif.Notice("Device/Trigger/Relay", {"RelayToken": "r-1"}, {"LogicalState": "active"})
    assert (second.topic, dict(second.data)) == ("VideoSource/MotionAlarm", {})


def test_an_operation_on_events_says_its_action_and_where_to() -> None:
    envelope = parse(onvif.request("PullMessages", {"Timeout": "PT2S"}, onvif.EVENTS, to="http://192.0.2.7:80/e?Idx=1"))
    told = {element.tag.rpartition("}")[2]: element.text for element in envelope.iter()}
    assert told["Action"] == "http://www.onvif.org/ver10/events/wsdl/PullPointSubscription/PullMessagesRequest"
    assert told["To"] == "http://192.0.2.7:80/e?Idx=1"


@pytest.mark.parametrize("url", ["http://[::1", "http://x/a b", "http://x/\r\nX: y", "http://x/\u00e9"])
def test_an_address_that_is_none_is_refused(url: str) -> None:
    with pytest.raises(ProtocolError):
        _path_of(url)


def test_a_device_is_asked_where_it_was_proven_whatever_it_tells() -> None:
    assert _path_of("http://203.0.113.9:8000/onvif/events?Idx=3") == "/onvif/events?Idx=3"


async def test_changes_are_told_as_they_happen(library: Library, tmp_path: Path) -> None:
    async with bench(library, "oystercatch-c2", tmp_path, NETWORK.format(n=10)) as here:
        session = await here.sessions.of(here.target)
        seen: list[dict[str, str]] = []

        async def watch() -> None:
            async for states in session.watch("test"):
                seen.append(states)

        task = asyncio.ensure_future(watch())
        async with asyncio.timeout(SOON_S):
            while not seen:
                await asyncio.sleep(0.05)
        assert seen[0] == {"relay-1": "off", "relay-2": "off", "input-1": "rest", "input-2": "rest"}
        here.unit.set_point("input-2", "active")
        await (await here.talk()).drive("relay-1", "on")
        async with asyncio.timeout(SOON_S):
            while {name: state for one in seen[1:] for name, state in one.items()} != {
                "input-2": "active",
                "relay-1": "on",
            }:
                await asyncio.sleep(0.05)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


async def test_the_password_is_changed_and_proven_by_signing_in(library: Library, tmp_path: Path) -> None:
    async with bench(library, "oystercatch-c2", tmp_path, NETWORK.format(n=11)) as here:
        login = Credentials("operator", "oyster")
        target = replace(here.target, device="dev1", found=True, credentials=(login,), secrets={"secret:1": "pearl-77"})
        rig = Live(library, here.unit, target, here.owners)
        await rig.engine.start()
        run = await rig.set({"/password": "secret:1"})
        assert [(step.action, step.state) for step in run.steps] == [("write", "done")], run.steps[0].message
        assert get(here.unit.memory.running, "/password") == "pearl-77"
        assert rig.record().target.credentials == (Credentials("operator", "pearl-77"),)
        await rig.read()
        assert "pearl-77" not in repr([*rig.entries(), rig.events.told, run.steps])
        rig.every_intent_has_its_outcome()
        await rig.engine.stop()


async def test_a_password_that_it_refuses_locks_nobody_out(library: Library, tmp_path: Path) -> None:
    async with bench(library, "oystercatch-c2", tmp_path, NETWORK.format(n=12)) as here:
        login = Credentials("operator", "oyster")
        target = replace(here.target, device="dev1", found=True, credentials=(login,), secrets={"secret:1": "x" * 60})
        rig = Live(library, here.unit, target, here.owners)
        await rig.engine.start()
        run = await rig.set({"/password": "secret:1"})
        [step] = run.steps
        assert (step.state, step.code) == ("failed", "wrong-credentials")
        assert "still lets in" in step.message
        assert rig.record().target.credentials == (login,)
        await rig.read()
        rig.every_intent_has_its_outcome()
        await rig.engine.stop()


async def test_one_without_events_is_driven_and_what_it_does_not_tell_is_not_known(
    library: Library, tmp_path: Path
) -> None:
    async with bench(library, "oystercatch-c2", tmp_path, NETWORK.format(n=13)) as here:
        for face in here.unit.services:
            if isinstance(face, Camera):
                face.form.events = False
        target = replace(here.target, device="dev1", found=True)
        rig = Live(library, here.unit, target, here.owners)
        await rig.engine.start()
        assert await rig.engine.do({"do": "states", "device": "dev1"}) == {"states": {}}
        done = await rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-2", "state": "on", "by": "Mara"})
        assert done == {"states": {}}
        assert rig.entries("outcome")[-1].outcome == "unproven"
        assert get(here.unit.memory.running, "/relays/2/state") == "on"
        await rig.engine.stop()
