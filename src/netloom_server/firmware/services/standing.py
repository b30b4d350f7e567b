"""Devices against the library: behind, current, ahead, a mixed kit, without an application, or not known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cmp_to_key
from typing import Any

from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_server.firmware.models import FirmwareFile, ModelFirmware
from netloom_server.firmware.services.files import find
from netloom_server.installation.models import Device


@dataclass(frozen=True)
class Standing:
    """`word` is behind, refused, current, ahead, mixed, no-application or unknown; `current` what that is by."""

    word: str
    why: str = ""
    current: str = ""


class Wanted:
    """What is wanted of each model, looked up once for many devices."""

    def __init__(self, profiles: Sequence[str] = ()) -> None:
        rules = ModelFirmware.objects.filter(profile__in=profiles) if profiles else ModelFirmware.objects.all()
        self._rules = {one.profile: one for one in rules}
        files = FirmwareFile.objects.exclude(profile="").exclude(version="")
        self._files: dict[str, list[FirmwareFile]] = {}
        for file in files.filter(profile__in=profiles) if profiles else files:
            self._files.setdefault(file.profile, []).append(file)

    def rule(self, profile: str) -> ModelFirmware | None:
        return self._rules.get(profile)

    def usable(self, profile: Profile) -> list[FirmwareFile]:
        """Files that may be used for that model, the newest version first."""
        known = profile.firmware
        if known is None:
            return []
        files = [
            file
            for file in self._files.get(profile.id, [])
            if not file.refused and known.key(file.version) and known.standing(file.version)[0] != "refused"
        ]

        def order(one: FirmwareFile, other: FirmwareFile) -> int:
            return known.compare(one.version, other.version) or 0

        return sorted(files, key=cmp_to_key(order), reverse=True)

    def current(self, profile: Profile) -> str:
        rule = self.rule(profile.id)
        if rule is not None and rule.current:
            return rule.current
        return next((file.version for file in self.usable(profile)), "")


def standing(device: Device, profile: Profile | None, wanted: Wanted) -> Standing:
    if profile is None or profile.firmware is None:
        return Standing("unknown", "Nothing is known of this model's firmware.")
    known, current = profile.firmware, wanted.current(profile)
    if known.waits(device.facts):
        return Standing("no-application", "It is in its loader: no application was loaded whole.", current)
    if not device.firmware:
        return Standing("unknown", "Which version it has is not known.", current)
    if odd := known.mixed(device.firmware, device.facts):
        return Standing("mixed", odd, current)
    word, why = known.standing(device.firmware)
    if word in ("refused", "behind"):
        return Standing(word, why, current)
    rule = wanted.rule(profile.id)
    if rule is not None and rule.least and known.compare(device.firmware, rule.least) == -1:
        return Standing("behind", f"{rule.least} at least: {rule.why}", current)
    if not current:
        return Standing("unknown", "No version of this model is in the library to compare with.")
    order = known.compare(device.firmware, current)
    if order is None:
        return Standing("unknown", f"{device.firmware} and {current} cannot be compared.", current)
    words = {-1: ("behind", f"{current} is current."), 0: ("current", ""), 1: ("ahead", f"{current} is current here.")}
    return Standing(*words[order], current)


def on_its_bench(device: Device, library: Library) -> dict[str, Any]:
    """What is told with one device, and the files that it could be given."""
    profile = library.get(device.profile)
    if profile is None or profile.firmware is None:
        return {"word": "", "why": "", "current": "", "files": [], "unplug": False}
    others = [other for ident in profile.firmware.becomes.values() if (other := library.get(ident)) is not None]
    wanted = Wanted([profile.id, *(other.id for other in others)])
    told = standing(device, profile, wanted)
    offered = [(file, "") for file in wanted.usable(profile)]
    offered += [(file, f"{other.maker} {other.model}") for other in others for file in wanted.usable(other)]
    files = [
        {"id": file.id, "name": file.name, "version": file.version, "notes": file.notes, "hardware": file.hardware,
         "makes": makes}
        for file, makes in offered
    ]  # fmt: skip
    return {"word": told.word, "why": told.why, "current": told.current, "files": files,
            "unplug": profile.firmware.unplug}  # fmt: skip


def of_all(library: Library) -> list[dict[str, Any]]:
    """Every device of the installation whose model's firmware is known of."""
    wanted, rows = Wanted(), []
    for device in Device.objects.filter(taken_in=True).order_by("name"):
        profile = library.get(device.profile)
        if profile is None or profile.firmware is None:
            continue
        told = standing(device, profile, wanted)
        rows.append(
            {"id": device.id, "name": device.name, "model": f"{profile.maker} {profile.model}", "profile": profile.id,
             "firmware": device.firmware, "word": told.word, "why": told.why, "current": told.current}
        )  # fmt: skip
    return rows


def chosen_file(device: Device, ident: str, library: Library) -> FirmwareFile:
    """The file that is named, else the one of the current version. Raises RequestError where there is none."""
    if ident:
        return find(ident)
    profile = library.get(device.profile)
    wanted = Wanted([device.profile])
    files = wanted.usable(profile) if profile is not None else []
    current = wanted.current(profile) if profile is not None else ""
    found = next((file for file in files if file.version == current), files[0] if files and not current else None)
    if found is None:
        raise RequestError(
            f"There is no file for {device.name}{f' of version {current}' if current else ''}.",
            "Import one first: `netloom firmware add FILE`. Nothing was done.",
        )
    return found


def models(library: Library) -> list[dict[str, Any]]:
    """What is wanted of each model whose firmware is known of."""
    wanted, rows = Wanted(), []
    for profile in library:
        if profile.firmware is None:
            continue
        rule = wanted.rule(profile.id)
        rows.append(
            {"profile": profile.id, "model": f"{profile.maker} {profile.model}", "scheme": profile.firmware.scheme,
             "current": wanted.current(profile), "said": bool(rule and rule.current),
             "least": rule.least if rule else "", "why": rule.why if rule else "",
             "known_least": profile.firmware.least, "known_why": profile.firmware.why}
        )  # fmt: skip
    return sorted(rows, key=lambda row: str(row["model"]))
