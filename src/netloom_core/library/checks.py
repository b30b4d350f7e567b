"""What a profile asks of its channels and types, held against what they can do: nothing of the kind fails later.
Pure.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from netloom_core.drivers.dialogue.form import compiles
from netloom_core.library.standard import PREFIX, is_standard
from netloom_core.profiles import conditions, feed, joining, levels
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.types.base import BadValue


def problems(profile: Profile) -> Iterator[str]:
    """One sentence for each thing that would fail at run time, naming where it is."""
    for item in profile.written_out:
        yield from _item(profile, item)
    needed: dict[str, str] = {name: procedure.level for name, procedure in profile.procedures.items()}
    yield from conditions.problems(profile.conditions, profile.by_path, profile.axes)
    yield from levels.problems(profile.levels, profile.written_out, needed)
    yield from _console(profile)
    yield from _procedures(profile)
    yield from _views(profile)
    yield from joining.problems(profile.joins, profile.by_path, profile.by_point)
    yield from feed.problems(profile.feeds, profile.by_point, profile.points_by_path)
    for number, one in enumerate(profile.restless, 1):
        if one.path and one.path not in {item.path for item in profile.items if item.live}:
            yield f"restless, number {number}: {one.path} is no item that is live"
    yield from _standard(profile)
    yield from _firmware(profile)
    for name, channel in profile.channels.items():
        yield from channel.problems(name, profile)


def _firmware(profile: Profile) -> Iterator[str]:
    known = profile.firmware
    if known is None:
        for name, channel in profile.channels.items():
            if getattr(channel, "load", None) is not None:
                yield f"channels.{name}.load: without `firmware` nobody knows which files are for it"
        return
    if known.header:
        yield from compiles("firmware.header", known.header)
    if known.rest and profile.procedure(known.rest) is None:
        yield f"firmware.rest: there is no procedure {known.rest}"
    for wanted in known.before:
        if wanted.path not in profile.by_path and wanted.path not in profile.points_by_path:
            yield f"firmware.before: {wanted.path} is not described"
    for one in known.renames:
        if one.new not in profile.by_path and one.old not in profile.by_path:
            yield f"firmware.renames: neither {one.old} nor {one.new} is described"
        if known.key(one.since) is None:
            yield f"firmware.renames: {one.since!r} is no {known.scheme} version"
    if profile.id in known.becomes.values() or set(known.codes) & set(known.becomes):
        yield "firmware.becomes: an application of its own makes no other model of it"


def _item(profile: Profile, item: Item) -> Iterator[str]:
    for trouble in item.type.problems():
        yield f"{item.path}: {trouble}"
    if item.role == "password" and not item.secret:
        yield f"{item.path}: a password is of type secret, so that it is never shown or logged"
    for value in (*item.safe.one_of, *item.safe.none_of) if item.safe is not None else ():
        try:
            item.type.canonical(value)
        except BadValue as error:
            yield f"{item.path}: safe: {error}"
    if item.safe is not None and not item.decided:
        yield f"{item.path}: only what is decided can be kept, so safe or not"
    if (item.role == "panel-lock") is not (item.locked is not None):
        yield f"{item.path}: a panel-lock, and nothing else, has the value at which it is locked"
    if item.role == "panel-lock" and (item.kept == "when-stored" or item.takes != "at-once"):
        yield f"{item.path}: a panel-lock works at once, and no store of a run may keep it"
    if item.locked is not None:
        try:
            item.type.check(item.locked)
        except BadValue as error:
            yield f"{item.path}: locked: {error}"
    if item.secret and item.default is not None:
        yield f"{item.path}: a secret has no default in a profile"
    if item.secret and (item.live or item.drive):
        yield f"{item.path}: a secret is never live or driven"
    if item.default is not None and not item.secret:
        try:
            if item.type.canonical(item.default) != item.default:
                yield f"{item.path}: its default is written {item.type.canonical(item.default)!r}"
        except BadValue as error:
            yield f"{item.path}: its default {error}"
    passed = [state for states in item.by_way_of.values() for state in states]
    for target in (*item.targets, *item.by_way_of, *passed):
        if target not in item.states:
            yield f"{item.path}: {target!r} is not among its states"
    if (
        (item.live or item.drive)
        and item.kind in ("relay", "input", "output", "lamp", "tamper")
        and len(item.states) < 2
    ):
        yield f"{item.path}: a {item.kind} has two or more states, each once"
    if not (item.decided or item.live or item.drive):
        yield f"{item.path}: it is neither decided nor live nor driven"
    for path in item.brings:
        if path not in profile.by_path:
            yield f"{item.path} brings {path}, which is not described"
    for need in item.needs:
        other = profile.by_path[need.path]
        for value in need.one_of:
            try:
                other.type.canonical(value)
            except BadValue as error:
                yield f"{item.path} needs {need.path}: {error}"


def _console(profile: Profile) -> Iterator[str]:
    for pattern in profile.console.asks_for_secret if profile.console else ():
        try:
            re.compile(pattern)
        except re.error as error:
            yield f"console.asks_for_secret: {pattern!r} is no regular expression: {error}"


def _procedures(profile: Profile) -> Iterator[str]:
    waits = any(item.takes == "on-restart" and not item.reserved for item in profile.items if item.decided)
    drivers = [name for name, channel in profile.channels.items() if channel.driven]
    if waits and drivers and not any(profile.calls("restart", name) for name in drivers):
        yield "procedures: settings that wait for a restart need a procedure restart with calls"
    for name, procedure in profile.procedures.items():
        for act in procedure.by_hand:
            printed = {light.printed for light in profile.lights} | {one.printed for one in profile.connectors}
            if act.act in ("hold", "press", "switch") and not act.of:
                yield f"procedures.{name}: nobody knows what to {act.act}"
            if act.light and printed and not any(word in act.light for word in printed):
                yield f"procedures.{name}: no light is printed like one of those in {act.light!r}"


def _standard(profile: Profile) -> Iterator[str]:
    if is_standard(profile.id) != (profile.standard is not None):
        yield f"id: {PREFIX}... are those of a standard, with `standard`; no other begins so"
    for axis in profile.standard.counts if profile.standard else ():
        if axis not in profile.axes:
            yield f"standard.counts: {axis} is not among the axes"


def _views(profile: Profile) -> Iterator[str]:
    paths = {item.path for item in profile.items}
    for view in profile.views:
        if view.item not in paths:
            yield f"views: {view.label} shows {view.item}, which is not described"
        if view.meter:
            meter = next((item for item in profile.items if item.path == view.meter), None)
            if meter is None or not meter.live or meter.kind != "meter" or set(meter.axes) != {view.across}:
                yield f"views: {view.label} measures by {view.meter}, which is no live meter along {view.across}"
        for axis in (view.down, view.across):
            if axis and axis not in profile.axes:
                yield f"views: {view.label} counts by {axis}, which is not among the axes"
    for connector in profile.connectors:
        if connector.axis and connector.axis not in profile.axes:
            yield f"connectors: {connector.printed} counts by {connector.axis}, which is not among the axes"
        if connector.axis and connector.terminals and len(connector.terminals) % profile.axes[connector.axis].count:
            yield f"connectors: {connector.printed} has {len(connector.terminals)} terminals for its {connector.axis}s"
