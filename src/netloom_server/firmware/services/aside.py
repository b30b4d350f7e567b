"""What was decided for the model that a device was, before another application made another one of it."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from netloom_core.documents.tree import leaves
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model.secrets import masked
from netloom_server.base.problems import NotFound
from netloom_server.firmware.models import SetAside
from netloom_server.installation.models import Device
from netloom_server.installation.services.decisions import set_intended
from netloom_server.installation.services.fitting import unit_of
from netloom_server.installation.services.records import recount

MOST_KEPT = 8  # of one device


@transaction.atomic
def become(ident: str, profile: str, library: Library) -> None:
    """It is of that model from now on. Nothing that was decided is lost: it is kept aside."""
    device = Device.objects.filter(id=ident).first()
    if device is None or device.profile == profile:
        return
    if device.intended:
        SetAside.objects.create(device=device, profile=device.profile, values=device.intended)
        old = SetAside.objects.filter(device=device).order_by("-id").values_list("id", flat=True)[MOST_KEPT:]
        SetAside.objects.filter(id__in=list(old)).delete()
    device.profile, device.intended = profile, {}
    device.version += 1
    device.save(update_fields=["profile", "intended", "version"])
    unit = unit_of(device)
    known = library.get(profile)
    unit.running, unit.startup, unit.model = "", "", known.model if known is not None else unit.model
    unit.save(update_fields=["running", "startup", "model"])
    recount(device, library)


def aside_of(device: Device, library: Library) -> list[dict[str, Any]]:
    """Newest first; `fits` are values that the model of now has, too."""
    now, rows = library.get(device.profile), []
    for one in SetAside.objects.filter(device=device).order_by("-id"):
        was = library.get(one.profile)
        values = [
            {
                "path": path,
                "label": was.called(path) if was is not None else path,
                "value": masked(value),
                "fits": now is not None and path in now.by_path and not now.by_path[path].reserved,
            }
            for path, value in leaves(one.values)
        ]
        model = f"{was.maker} {was.model}" if was is not None else one.profile
        rows.append({"id": str(one.id), "model": model, "at": one.at.isoformat(), "values": values})
    return rows


@transaction.atomic
def take_back(device: Device, ident: str, paths: list[str], library: Library) -> None:
    """Decide these anew for the model of now. Raises RequestError for what it has not."""
    kept = find(device, ident)
    values = dict(leaves(kept.values))
    known = library.get(device.profile)
    for path in paths:
        if path not in values or known is None or path not in known.by_path:
            raise RequestError(f"{path} is nothing that can be decided anew here.", "Nothing was decided.")
    set_intended([(device.id, path, values[path]) for path in paths], library)


def find(device: Device, ident: str) -> SetAside:
    number = int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 12 else 0
    kept = SetAside.objects.filter(device=device, id=number).first()
    if kept is None:
        raise NotFound("That is not kept aside any more.")
    return kept
