"""What goes through a device: where a signal comes in and goes out, what joins the two, what tells that it is there."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from netloom_core.profiles.axis import Axis
from netloom_core.profiles.fill import filled, names_in
from netloom_core.profiles.item import Need
from netloom_core.types.base import Part

Carries = Literal["video", "sound", "serial", "infrared", "link"]
Scalar = str | int | bool


class Told(Part):
    """An item that tells a fact by one of these values, by none of those, or with neither given by being true. It tells
    it only while all `needs` hold, as of the input that is looked at."""

    path: str
    one_of: list[Scalar] = []
    none_of: list[Scalar] = []
    needs: list[Need] = Field(default=[], max_length=4)

    def by(self, value: Scalar) -> bool:
        if self.none_of:
            return value not in self.none_of
        return value in self.one_of if self.one_of else value is True

    def at(self, numbers: dict[str, int]) -> Told:
        needs = [one.model_copy(update={"path": filled(one.path, numbers)}) for one in self.needs]
        return self.model_copy(update={"path": filled(self.path, numbers), "needs": needs})


class Jack(Part):
    """A place where a signal comes `in` or goes `out`; `made` is where the device makes one itself, a player's own,
    `shown` where it ends: a screen, a loudspeaker.

    With `axis` there is one for each place on it, called by its number: `input-3`. `present` tells that a signal is
    there, `connected` that somebody takes it, `format` which (an item with `WIDTHxHEIGHT`, `p` or `i` and the rate),
    `protected` that it is copy-protected, `passes_protected` that such a one may go out. `edid` is what is told to a
    source there, `edid_behind` what the display behind an output tells. `over` is the jack whose cable carries this
    one's signal too, as the link of a kit does: nobody plugs a cable of its own in there; `quality` is the item that
    tells how good that link is. Each of `stops` that holds keeps a signal from going on, with the reason in `why`.
    `needs` are settings without which the device has no such place.
    """

    id: str = Field(pattern=r"^[a-z][a-z0-9-]{0,29}$")
    way: Literal["in", "out", "made", "shown"]
    carries: Carries = "video"
    axis: str = ""
    label: str = Field(default="", max_length=60)
    present: Told | None = None
    connected: Told | None = None
    format: str = ""
    protected: Told | None = None
    passes_protected: Told | None = None
    edid: str = ""
    edid_behind: str = ""
    over: str = ""
    quality: str = ""
    stops: list[Need] = Field(default=[], max_length=8)
    needs: list[Need] = Field(default=[], max_length=4)

    def paths(self) -> list[str]:
        told = [self.present, self.connected, self.protected, self.passes_protected]
        named = [self.format, self.edid, self.edid_behind, self.quality]
        return (
            [path for one in told if one for path in (one.path, *(need.path for need in one.needs))]
            + [n for n in named if n]
            + [s.path for s in (*self.stops, *self.needs)]
        )

    def at(self, number: int, axis: Axis) -> Jack:
        """The one for a place on its axis."""
        where = {self.axis: number}

        def moved(told: Told | None) -> Told | None:
            return told.at(where) if told else None

        return self.model_copy(
            update={
                "id": f"{self.id}-{number}",
                "label": filled(self.label, where) if self.label else axis.called(number),
                "present": moved(self.present),
                "connected": moved(self.connected),
                "protected": moved(self.protected),
                "passes_protected": moved(self.passes_protected),
                "format": filled(self.format, where),
                "quality": filled(self.quality, where),
                "edid": filled(self.edid, where),
                "edid_behind": filled(self.edid_behind, where),
                "stops": [one.model_copy(update={"path": filled(one.path, where)}) for one in self.stops],
                "needs": [one.model_copy(update={"path": filled(one.path, where)}) for one in self.needs],
            }
        )


class Passage(Part):
    """What joins places inside a device: what comes `into` one of them comes from `of`.

    Always, or as the item `by` says: its value is the number on `of`'s axis, or leads there by `values`. Of several
    ways into one place the first counts that leads somewhere as its item is set. `of` may be another place where a
    signal goes out, which shows the same then.
    """

    into: str
    of: str = ""
    by: str = ""
    values: dict[str, str] = {}

    @model_validator(mode="after")
    def _from_somewhere(self) -> Passage:
        if not self.of and not self.values:
            raise ValueError(f"nobody knows from where it comes into {self.into}")
        if self.values and not self.by:
            raise ValueError(f"what comes into {self.into} goes by values of no item")
        return self


class Presets(Part):
    """The device's own presets: `axis` counts them, `recall` is the point that is driven to the number of one,
    `save` that which keeps the present state as one; `holds` are items that tell what is in them, with the axes of
    the `cells` and that of the presets."""

    axis: str
    cells: str
    holds: str = ""
    recall: str = ""
    save: str = ""


class Signals(Part):
    jacks: list[Jack] = Field(min_length=1, max_length=64)
    passes: list[Passage] = Field(default=[], max_length=64)
    presets: Presets | None = None

    @model_validator(mode="after")
    def _joined(self) -> Signals:
        known = {jack.id: jack for jack in self.jacks}
        if len(known) < len(self.jacks):
            raise ValueError("two of its jacks have the same name")
        for jack in self.jacks:
            cable = known.get(jack.over)
            if jack.over and (cable is None or cable.over or cable.axis or jack.axis or cable.way != jack.way):
                raise ValueError(f"{jack.id} goes over {jack.over}, which is no single jack of that way")
        for one in self.passes:
            for name in (one.into, *([one.of] if one.of else []), *one.values.values()):
                if name not in known:
                    raise ValueError(f"a passage names {name}, which is none of its jacks")
            if known[one.into].way in ("in", "made"):
                raise ValueError(f"nothing comes from inside into {one.into}")
            for name in ([one.of] if one.of else []) + list(one.values.values()):
                if known[name].way == "shown" or (known[name].way == "out" and not one.by):
                    raise ValueError(f"nothing comes from {name}")
            if one.of and known[one.of].axis and not one.by and known[one.of].axis != known[one.into].axis:
                raise ValueError(f"which of {one.of} comes into {one.into} is not told")
        return self

    def problems(self, axes: dict[str, Axis], paths: set[str]) -> list[str]:
        """What is wrong with it beside the rest of a profile; `paths` are those of all items as written in the file."""
        found = []
        for jack in self.jacks:
            if jack.axis and jack.axis not in axes:
                found.append(f"{jack.id} counts by {jack.axis}, which is not among the axes")
            for path in jack.paths():
                if path not in paths:
                    found.append(f"{jack.id} names {path}, which is no item")
                elif set(names_in(path)) - ({jack.axis} if jack.axis else set()):
                    found.append(f"{jack.id} names {path}, which counts by another axis")
        for one in self.passes:
            if one.by and one.by not in paths:
                found.append(f"what comes into {one.into} goes by {one.by}, which is no item")
        return found
