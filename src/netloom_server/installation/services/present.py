"""Devices and lines as the API shows them."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from typing import Any

from netloom_core.documents.tree import MISSING, get
from netloom_core.library.load import Library
from netloom_core.library.standard import is_standard, kind_by
from netloom_core.model.secrets import masked
from netloom_core.plan.planner import known_unkept
from netloom_core.plan.procedures import PERFORMED, SETS_BACK, label_of
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.sweep.pace import RATE
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services import access
from netloom_server.installation.services.codes import standing
from netloom_server.installation.services.decisions import planned_address
from netloom_server.installation.services.feeding import feeder_of, hanging_on
from netloom_server.installation.services.fences import shown as fences_of
from netloom_server.installation.services.joining import standing as joins_of
from netloom_server.installation.services.logins import known_of, own_levels, shared
from netloom_server.installation.services.naming import Place, kept_for, text_of
from netloom_server.installation.services.naming import shown as labels_of
from netloom_server.installation.services.records import baseline_of, can_be_read, pending, prove
from netloom_server.installation.services.together import conflicts
from netloom_server.installation.services.universes import hears

SIGHTINGS_SHOWN = 60
KIND_ORDER = ("ip", "serial", "behind")
USUAL_PORTS = {"ssh": 22, "telnet": 23}


def state_of(device: Device) -> str:
    """One word: planned, known, new, moved, duplicate, unknown or missing."""
    if device.taken_in and not device.identity_key and device.status != "missing":
        return "planned"
    return device.status


def at_factory(device: Device, profile: Profile | None) -> bool:
    """Whether it still has its factory set-up: it says so, or stands where factories put it."""
    stated = device.facts.get("factory")
    return stated == "yes" or (stated is None and profile is not None and device.address in profile.factory.addresses)


def firmware_trouble(device: Device, profile: Profile | None) -> str:
    """Why it should have another firmware; empty where nothing speaks against the one that it tells."""
    known = profile.firmware if profile is not None else None
    if known is None or not (device.firmware or device.facts):
        return ""
    if known.waits(device.facts):
        return "missing: it is in its loader, without an application"
    if odd := known.mixed(device.firmware, device.facts):
        return f"mixed: {odd}"
    word, why = known.standing(device.firmware)
    return {"behind": f"too old, {why}", "refused": f"not to be used: {why}"}.get(word, "")


def device_as_dict(
    device: Device,
    library: Library,
    proofs: set[str] | None = None,
    names: dict[str, str] | None = None,
    coded: dict[str, set[str]] | None = None,
) -> dict[str, Any]:
    """`proofs` are devices with a baseline, `names` of lines by id, `coded` the levels at which a device has a login of
    its own; all are asked for where not given."""
    profile = library.get(device.profile)
    own = own_levels([device.id]) if coded is None else coded
    line = device.line
    if names is None:
        names = dict(Line.objects.values_list("id", "name"))
    addresses = []
    if line is not None and device.address:
        addresses.append({"line": line.name, "line_id": line.id, "address": device.address, "speed": device.speed})
    for place in device.places:
        if place["line"] in names:
            other = {"line": names[place["line"]], "line_id": place["line"]}
            addresses.append({**other, "address": place["address"], "speed": place["speed"]})
    universe, slot = hears(device, profile)
    named = profile if profile is not None and not is_standard(profile.id) else None
    return {
        "id": device.id,
        "name": device.name,
        "maker": device.maker or (profile.maker if profile else ""),
        "model": named.model if named else device.model,
        "reported_model": device.model if named and device.model != named.model else "",
        "kind": profile.kind if profile else kind_by(device.methods),
        "serial": device.serial,
        "profile": device.profile,
        "firmware": device.firmware,
        "firmware_trouble": firmware_trouble(device, profile),
        "addresses": addresses,
        "state": state_of(device),
        "taken_in": device.taken_in,
        "area": device.area.name if device.area else "",
        "planned_address": planned_address(device, profile),
        "universe": universe,
        "slot": slot,
        "factory": at_factory(device, profile),
        "code": standing(device, profile, own.get(device.id, set())),
        "mode": device.facts.get("mode", ""),
        "guess": device.guess,
        "said": device.said,
        "managed": can_be_read(device, library),
        "methods": device.methods,
        "reasons": device.reasons,
        "fences": fences_of(device),
        "seen": device.seen.isoformat() if device.seen else None,
        "read": device.read.isoformat() if device.read else None,
        "read_trouble": device.read_trouble,
        "version": device.version,
        "counts": {"pending": 0, "unkept": 0, "drift": 0, "lost": 0, "place": 0, "forbidden": 0, **device.counts},
        "baseline": bool(proofs and device.id in proofs) if proofs is not None else baseline_of(device) is not None,
        "proof": device.proof.get("result", ""),
        "proven": device.proven.isoformat() if device.proven else None,
    }


NUMBERS = frozenset({"integer", "decimal"})


def setting_rows(device: Device, library: Library, documents: dict[str, dict[str, Any]]) -> list[dict[str, Any]]:
    """Every setting with what a person needs to change it, in the profile's order."""
    profile = library.get(device.profile)
    if profile is None:
        return []
    loose = set(known_unkept(profile, documents["running"], documents["startup"], device.unreadable))
    rows = []
    for path, setting in profile.by_path.items():
        values = {name: get(document, path) for name, document in documents.items()}
        rows.append(
            {
                "path": path,
                "label": setting.label,
                "type": setting.type.name,
                "editor": setting.type.editor,
                "unit": setting.unit,
                "limits": setting.type.limits(),
                "level": setting.level,
                "shown": [one.model_dump() for one in setting.shown],
                "item": profile.places[path][0],
                "place": profile.places[path][1],
                "takes": setting.takes,
                "kept": setting.kept,
                "reserved": setting.reserved,
                "disturbs": setting.disturbs,
                "role": setting.role,
                "unkept": path in loose,
                "unreadable": device.unreadable.get(path, "")
                if MISSING in (values["running"], values["startup"])
                else "",
                **{name: None if value is MISSING else masked(value) for name, value in values.items()},
            }
        )
    return rows


def whole_device(device: Device, library: Library, states: dict[str, str]) -> dict[str, Any]:
    """The device with its four sets, settings, points, proof and evidence."""
    profile = library.get(device.profile)
    approved = baseline_of(device)
    names = {device.running, device.startup, approved.running_id if approved else ""}
    found = Document.load_many(names)
    documents = {
        "intended": device.intended,
        "running": found.get(device.running, {}),
        "startup": found.get(device.startup, {}),
        "baseline": found.get(approved.running_id, {}) if approved else {},
    }
    kept = kept_for([device.id])
    return {
        **device_as_dict(device, library),
        **documents,
        "can": ["record"] if _records(device, profile) else [],
        "joins": joins_of(device, profile, documents["running"], states, library),
        "feeds": feeds_of(profile),
        "labels": labels_of(device, profile, documents["running"]),
        "baseline_id": approved.id if approved else None,
        "writable": profile.writable if profile else [],
        "points": [
            {
                "id": point.path,
                "short": point.id,
                "kind": point.kind,
                "label": point_label(device, profile, point, documents["running"], kept),
                "state": states.get(point.id, "unknown"),
                "states": point.states,
                "targets": point.targets or point.states,
                "words": {str(o["value"]): o["label"] for o in point.type.limits().get("options", [])},
                "type": point.type.name,
                "unit": point.unit,
                "limits": {name: getattr(point.type, name, None) for name in ("minimum", "maximum")}
                if point.type.name in NUMBERS
                else {"minimum": None, "maximum": None},
                "live": point.live,
                "drive": point.drive,
                "disturbs": point.disturbs,
                "place": profile.places[point.path][1] if profile else {},
                "item": profile.places[point.path][0] if profile else "",
            }
            for point in (profile.by_point.values() if profile else [])
        ],
        "settings": setting_rows(device, library, documents),
        "face": face_of(profile, _way(device, profile)),
        "conflicts": conflicts(profile, device.intended, documents["running"]),
        "pending": pending(profile, device, documents["running"]),
        "now": prove(device, library).differences if approved and device.running else [],
        "last_proof": device.proof,
        "levels": [asdict(one) for one in known_of(device, profile, shared())],
        "certificate": device.pins.get("tls", ""),
        "channel": _channel(device, profile),
        "mode_note": next((m.note for m in profile.modes if m.name == device.facts.get("mode")), "") if profile else "",
        "keys": device.keys or ([device.identity_key] if device.identity_key else []),
        "ways": device.ways,
        "shared": device.shared,
        "switch": _plugged_in(device),
        "feeder": feeder_of(device, library) or None,
        "hanging": hanging_on(device),
        "apart": device.apart,
        "console": console_of(device, profile),
        "facts": device.facts,
        "sightings": [
            {
                "line": sighting.line.name,
                "interface": sighting.line.interface,
                "address": sighting.address,
                "method": sighting.method,
                "facts": sighting.facts,
                "time": sighting.time.isoformat(),
                "run": sighting.run,
            }
            for sighting in device.sightings.select_related("line").order_by("-id")[:SIGHTINGS_SHOWN]
        ],
    }


def feeds_of(profile: Profile | None) -> list[dict[str, Any]]:
    """Which of its points can be said again and again."""
    return [
        {**one.model_dump(include={"point", "label", "every", "quickest", "slowest", "after"}),
         "alone": [need.why for need in one.alone]}
        for one in (profile.feeds if profile is not None else [])
    ]  # fmt: skip


def face_of(profile: Profile | None, channel: str) -> dict[str, Any]:
    """What people see and do at the device: lights, connectors, procedures; and pictures of its items."""
    if profile is None:
        return {"lights": [], "connectors": [], "procedures": [], "views": [], "axes": {}}
    return {
        "lights": [light.model_dump() for light in profile.lights],
        "connectors": [one.model_dump() for one in profile.connectors],
        "procedures": [
            {
                "name": name,
                "label": label_of(profile, name),
                "by_hand": [
                    {"words": act.words(), "note": act.note, "within": act.within} for act in procedure.by_hand
                ],
                "survives": list(procedure.survives),
                "sets_back": name in SETS_BACK,
            }
            for name, procedure in profile.procedures.items()
            if name in PERFORMED and (procedure.by_hand or (channel and profile.calls(name, channel)))
        ],
        "views": [view.model_dump() for view in profile.views],
        "axes": {
            name: [{"number": n, "label": axis.called(n), "named": axis.name_path(name, n)} for n in axis.numbers]
            for name, axis in profile.axes.items()
        },
    }


def _way(device: Device, profile: Profile | None) -> str:
    """The name of the channel by which it is read and written; empty where it is only found."""
    if profile is None or device.line is None:
        return ""
    return profile.channel_for(device.line.kind, device.line.protocol)


def _records(device: Device, profile: Profile | None) -> bool:
    """Whether it tells its own event record by the way it is reached."""
    name = _way(device, profile)
    return bool(name and profile is not None and getattr(profile.channels[name], "record", None) is not None)


def _channel(device: Device, profile: Profile | None) -> str:
    """By which of its ways in its values come, in words; empty where it is only found."""
    name = _way(device, profile)
    if profile is None or device.line is None:
        return ""
    return f"{name} ({profile.channels[name].protocol}) on {device.line.name}" if name else ""


def _plugged_in(device: Device) -> str:
    """The port of a switch behind which it was last seen, in words; empty when no switch told."""
    port, address = (device.switch or {}).get("port", ""), (device.switch or {}).get("address", "")
    if not port or not address:
        return ""
    switch = Device.objects.filter(address=address).exclude(id=device.id).first()
    return f"port {port} of {switch.name if switch else 'the switch at ' + address}"


def point_label(
    device: Device,
    profile: Profile | None,
    point: Item,
    running: Mapping[str, Any] | None = None,
    kept: Mapping[Place, str] | None = None,
) -> str:
    """What people call a relay or an input, with its own label before it. `running` and `kept` are looked up where
    they are not at hand."""
    numbers = profile.places[point.path][1] if profile else {}
    if profile is None or len(numbers) != 1:
        return point.label
    if running is None:
        running = Document.load_many({device.running}).get(device.running, {})
    [(axis, number)] = numbers.items()
    text = text_of(device, profile, running, kept_for([device.id]) if kept is None else kept, axis, number)
    return f"{point.label}: {text}" if text else point.label


def console_of(device: Device, profile: Profile | None) -> dict[str, Any] | None:
    """The console that a person can open to it, with the profile's phrases; None where there is none."""
    own = profile.console if profile else None
    if device.line is None:
        return None
    phrases = [phrase.model_dump() for phrase in own.phrases] if own else []
    if device.line.kind == "serial":
        return {"kind": "serial", "port": 0, "phrases": phrases, **serial_framing(device.line, profile)}
    kind = own.kind if own else _console_kind(device.facts)
    if device.line.kind != "ip" or not device.address or kind not in ("telnet", "ssh"):
        return None
    port = (own.port if own else 0) or USUAL_PORTS[kind]
    return {"kind": kind, "port": port, "phrases": phrases, "framing": "", "flow": ""}


def serial_framing(line: Line, profile: Profile | None) -> dict[str, str]:
    """How characters stand on a serial line for a person's console: as the model has it, else as the line has."""
    if profile is not None and profile.console is not None and profile.console.kind == "serial":
        return {"framing": profile.console.framing, "flow": profile.console.flow}
    ways = profile.of_protocol("dialogue") if profile else []
    return {"framing": f"8{ways[0].parity if ways else line.parity}1", "flow": "none"}


def _console_kind(facts: dict[str, str]) -> str:
    ports = facts.get("ports", "").split()
    return "ssh" if "ssh" in facts or "22" in ports else "telnet" if "23" in ports else ""


def in_order(lines: Iterable[Line]) -> list[Line]:
    """As people put them; those that nobody put anywhere at the end: IP networks by address, then serial lines,
    then buses behind devices, by name.
    """

    def key(line: Line) -> tuple[bool, int, int, int, str]:
        at = int(ipaddress.ip_network(line.network).network_address) if line.kind == "ip" else 0
        return not line.position, line.position, KIND_ORDER.index(line.kind), at, line.name.casefold()

    return sorted(lines, key=key)


def line_as_dict(line: Line, holder: str, library: Library | None = None) -> dict[str, Any]:
    return {
        "id": line.id,
        "name": line.name,
        "kind": line.kind,
        "network": line.network,
        "source": line.source,
        "interface": line.interface,
        "path": line.path,
        "speed": line.speed,
        "protocol": line.protocol,
        "parity": line.parity,
        "adapter": line.adapter,
        "parent": line.parent_id or "",
        "parent_name": line.parent.name if line.parent else "",
        "note": line.note,
        "rate": RATE,
        "access": access.shown(line),
        "methods": _methods(line, library) if library else [],
        "trouble": line.trouble,
        "swept": line.swept.isoformat() if line.swept else None,
        "archived": line.archived.isoformat() if line.archived else None,
        "rules": line.rules,
        "holder": holder,
    }


BLANK = {"state": "", "seconds": 0.0, "seen": 0, "sent": 0, "notes": []}


def _methods(line: Line, library: Library) -> list[dict[str, Any]]:
    """Each with what it did in the line's last sweep; `state` is empty while it never ran."""
    from netloom_core.sweep.sweep import fitting  # all methods: a process that makes a paper needs none of them

    reports = {report.get("method"): report for report in line.reports}
    return [
        {
            "name": method.name,
            "title": method.title,
            "needs": method.needs,
            "sends": method.sends,
            "on": method.name not in line.off,
            **{name: reports.get(method.name, BLANK).get(name, usual) for name, usual in BLANK.items()},
        }
        for method in fitting(line.as_core(), library)
    ]
