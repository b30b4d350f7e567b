"""The bus behind a device: the device that leads it is asked who is there."""

from __future__ import annotations

from netloom_core.bus.turns import Priority
from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import NetloomError
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.sweep.base import Look, Method

ASK_PACKETS = 12


class NotLeading(NetloomError):
    """The parent's own setting keeps it from asking its bus. `need` names setting and value."""

    code = "not-leading"


class Behind(Method):
    name = "behind"
    title = "The parent's list"
    needs = "The credentials of the device that leads the bus."
    sends = "A sign-in and a read of its list of subordinates."
    kinds = ("behind",)
    limit_s = 60.0

    async def run(self, look: Look) -> None:
        parent = look.parent
        if parent is None or not parent.address or look.sessions is None:
            look.note("Left out: the device that leads this bus was not found yet.")
            return
        profile = look.library.need(parent.profile)
        behind = profile.leads
        if behind is None:
            look.note(f"Left out: the profile of {parent.name} does not say how to ask it for its bus.")
            return
        await look.pace.take(ASK_PACKETS)
        talk = await look.sessions.talk(parent, "sweep", Priority.SWEEP)
        need = behind.leads
        if need is not None:
            value = get(await talk.read("running"), need.path)
            if value is MISSING or value not in need.one_of:
                label = profile.by_path[need.path].label
                raise NotLeading(
                    f"{parent.name} is not set to lead its bus: {label} is {shown(value)}.",
                    f"Set {label} to {need.one_of[0]} at {parent.name}, then sweep again.",
                    target=parent.device,
                )
        for facts in await talk.subordinates():
            address = facts.pop("address", "")
            if look.line.holds(address):
                look.sight(address, self.name, **facts)

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind == "behind"


def shown(value: object) -> str:
    return "not told" if value is MISSING else str(value)
