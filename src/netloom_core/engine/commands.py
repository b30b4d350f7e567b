"""What the engine can be told, as plain data. `parse` takes what came as JSON from wherever."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from netloom_core.errors import RequestError

Ident = Annotated[str, Field(min_length=1, max_length=40)]


# What was begun of these goes on to its end, whether somebody waits for the answer or not.
GO_ON = frozenset({"read", "drive", "hold", "take"})


class _Command(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class CarryOut(_Command):
    """A run that is on record. Answers at once; events tell the rest."""

    do: Literal["carry out"] = "carry out"
    run: Ident


class Stop(_Command):
    """A run stops before its next step, a sweep at once."""

    do: Literal["stop"] = "stop"
    run: Ident


class Read(_Command):
    """Answers with `troubles`: why one could not be read, by device."""

    do: Literal["read"] = "read"
    devices: list[Ident] = Field(max_length=5000)


class States(_Command):
    """Answers with `states`, empty where it does not answer in time."""

    do: Literal["states"] = "states"
    device: Ident


class Drive(_Command):
    """With `over` it is taken from whoever holds it; without, a point that another person holds is refused."""

    do: Literal["drive"] = "drive"
    device: Ident
    point: Annotated[str, Field(max_length=120)]
    state: Annotated[str, Field(max_length=120)]
    by: Annotated[str, Field(max_length=150)]
    over: bool = False


class Hold(_Command):
    """Drive a point, and back when nobody asked again for `seconds`: a hand on a button, or a pulse.

    Answers with `states` after it; empty where it was held already.
    """

    do: Literal["hold"] = "hold"
    device: Ident
    point: Annotated[str, Field(max_length=120)]
    state: Annotated[str, Field(max_length=120)]
    by: Annotated[str, Field(max_length=150)]
    seconds: Annotated[float, Field(gt=0, le=60)]


class LetGo(_Command):
    do: Literal["let go"] = "let go"
    device: Ident
    point: Annotated[str, Field(max_length=120)]


class TakeCell(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    device: Ident
    point: Annotated[str, Field(max_length=120)]
    state: Annotated[str, Field(max_length=1100)]


class Take(_Command):
    """Bring points of several devices to states, all at once. Answers with `cells`: what came of each, in their order;
    events tell each device's new states."""

    do: Literal["take"] = "take"
    cells: Annotated[list[TakeCell], Field(min_length=1, max_length=4096)]
    by: Annotated[str, Field(max_length=150)]


class Look(_Command):
    """Answers with `states` by device as known, and `troubles`. Keeps their events coming for a while; with `ask` each
    is asked now instead."""

    do: Literal["look"] = "look"
    devices: list[Ident] = Field(max_length=256)
    ask: bool = False


class Levels(_Command):
    """Answers with what is heard of a universe, as its protocol counts it; listens on for a while. With `test` there is
    one under way: which fixture is up."""

    do: Literal["levels"] = "levels"
    line: Ident
    protocol: Literal["artnet", "sacn"]
    universe: Annotated[int, Field(ge=0, le=63999)]


class Traffic(_Command):
    """Answers with `pieces`: what passed on a serial line after number `since`; it is listened to for a while."""

    do: Literal["traffic"] = "traffic"
    line: Ident
    since: Annotated[int, Field(ge=0)] = 0


class RaiseFixture(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, Field(max_length=80)]
    start: Annotated[int, Field(ge=1, le=512)]
    slots: Annotated[int, Field(ge=1, le=512)]


class Raise(_Command):
    """Raise fixtures of an sACN universe one after the other, each for so long; ends when nobody looks any more."""

    do: Literal["raise"] = "raise"
    line: Ident
    universe: Annotated[int, Field(ge=1, le=63999)]
    fixtures: Annotated[list[RaiseFixture], Field(min_length=1, max_length=512)]
    seconds: Annotated[float, Field(ge=0.2, le=600)]
    by: Annotated[str, Field(max_length=150)]


class EndRaising(_Command):
    do: Literal["end raising"] = "end raising"
    line: Ident
    universe: Annotated[int, Field(ge=1, le=63999)]


class Feed(_Command):
    """Say a driven point again and again at a rate, for some minutes at most; answers with `feed`, what is known of it.
    Raises Busy where one is under way on that device."""

    do: Literal["feed"] = "feed"
    device: Ident
    point: Annotated[str, Field(max_length=120)]
    text: Annotated[str, Field(max_length=1100)]
    every: Annotated[float, Field(gt=0, le=600)] | None = None
    minutes: Annotated[float, Field(gt=0, le=480)] = 10
    by: Annotated[str, Field(max_length=150)]


class EndFeed(_Command):
    """Answers with `feed` at once; what the device does then is still looked at."""

    do: Literal["end feed"] = "end feed"
    device: Ident
    by: Annotated[str, Field(max_length=150)]


class FeedNow(_Command):
    """Answers with `feed`: the one under way on that device, else the last one; None where there was none."""

    do: Literal["feed now"] = "feed now"
    device: Ident


class Watch(_Command):
    """Keep `points` events of the device coming for a while; answers with what is known."""

    do: Literal["watch"] = "watch"
    device: Ident


class Edges(_Command):
    """Answers with `edges` of these points since a time (Unix), as `[device, point]`; with `chatter` of all."""

    do: Literal["edges"] = "edges"
    points: list[tuple[Ident, Annotated[str, Field(max_length=120)]]] = Field(max_length=2000)
    since: float = 0.0


class EventRecord(_Command):
    """Answers with `events` that the device recorded itself, on our time, and `ahead`: its clock, in seconds."""

    do: Literal["event record"] = "event record"
    device: Ident


class Prove(_Command):
    """Ask a device who it is. Raises where it is not itself."""

    do: Literal["prove"] = "prove"
    device: Ident


class Answer(_Command):
    """What a person says to a step that waits for it. Raises where it does not."""

    do: Literal["answer"] = "answer"
    run: Ident
    step: Annotated[int, Field(ge=0)]
    came: bool
    note: Annotated[str, Field(max_length=200)] = ""
    by: Annotated[str, Field(max_length=150)]


class Give(_Command):
    """Answer who asks for an address by BOOTP or DHCP on a line, for some minutes; answers with `giving`."""

    do: Literal["give"] = "give"
    line: Ident
    minutes: Annotated[int, Field(ge=1, le=240)]
    by: Annotated[str, Field(max_length=150)]


class EndGiving(_Command):
    do: Literal["end giving"] = "end giving"
    line: Ident


class Giving(_Command):
    """Answers with `giving`: what it is like on the line, or None where nothing is given."""

    do: Literal["giving"] = "giving"
    line: Ident


class Accept(_Command):
    """Name one that asks and is in no plan. Answers with `giving`."""

    do: Literal["accept"] = "accept"
    line: Ident
    mac: Annotated[str, Field(pattern="^([0-9a-f]{2}:){5}[0-9a-f]{2}$")]
    address: Annotated[str, Field(max_length=15)]


class Borrow(_Command):
    """Give this computer a second address in the subnet of `near`, on the line's interface. Answers with `borrowed`."""

    do: Literal["borrow"] = "borrow"
    line: Ident
    near: Annotated[str, Field(max_length=15)]
    minutes: Annotated[int, Field(ge=1, le=240)]
    by: Annotated[str, Field(max_length=150)]


class GiveBack(_Command):
    """Second addresses on the line's interface go: all, or that of one network."""

    do: Literal["give back"] = "give back"
    line: Ident
    network: Annotated[str, Field(max_length=18)] = ""


class BorrowedNow(_Command):
    """Answers with `borrowed`: those on the line's interface now."""

    do: Literal["borrowed"] = "borrowed"
    line: Ident


class Forget(_Command):
    """The device's record goes: end its session."""

    do: Literal["forget"] = "forget"
    device: Ident


Command = (
    CarryOut | Stop | Read | States | Drive | Take | Look | Hold | LetGo | Watch | Edges | EventRecord | Prove | Answer
    | Levels | Traffic | Raise | EndRaising | Feed | EndFeed | FeedNow | Forget | Give | EndGiving | Giving | Accept
    | Borrow | GiveBack | BorrowedNow
)  # fmt: skip
_ADAPTER: TypeAdapter[Command] = TypeAdapter(Annotated[Command, Field(discriminator="do")])


def parse(data: Any) -> Command:
    try:
        return _ADAPTER.validate_python(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the whole"
        raise RequestError(f"That is no command: {where}: {first['msg']}.") from error
