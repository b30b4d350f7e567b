"""How sweeps may ask on a line: SNMP communities and users, and the logins of its devices."""

from __future__ import annotations

import contextlib
from typing import Any

import orjson
from django.conf import settings

from netloom_core.errors import KeyLost
from netloom_core.library.load import Library
from netloom_core.model.access import Access, Login, Refusals
from netloom_core.model.device import Credentials
from netloom_core.model.snmp import USUAL_COMMUNITY, SnmpUser
from netloom_server.base.sealing import seal, unseal
from netloom_server.installation.models import Device, Line, LineAccess, RefusedLogin
from netloom_server.installation.services.records import keys_for


def of_line(line: Line, library: Library | None = None) -> Access:
    """The access of a line; with a library also the logins of its devices, by address."""
    kept = LineAccess.objects.filter(line=line).first()
    data: dict[str, Any] = {}
    with contextlib.suppress(KeyLost):  # the line's own page says that; a sweep asks with the usual community then
        data = orjson.loads(unseal(bytes(kept.secret))) if kept else {}
    logins: dict[str, Login] = {}
    for device in Device.objects.filter(line=line).prefetch_related("logins") if library else []:
        own = next((one for one in device.logins.all() if not one.level), None)
        profile = library.get(device.profile) if library else None
        if own is not None:
            keys = frozenset(keys_for(device))
            if keys:  # what bears nothing unique cannot be proven to be it, so its login is not said in a sweep
                with contextlib.suppress(KeyLost):
                    logins[device.address] = Login(Credentials(own.user, unseal(bytes(own.secret))), keys)
        elif profile is not None and profile.factory.password:
            logins[device.address] = Login(Credentials(profile.factory.user, profile.factory.password))
    return Access(
        communities=tuple(data.get("communities") or (USUAL_COMMUNITY,)),
        snmp_users=tuple(SnmpUser(**user) for user in data.get("users", [])),
        onvif=tuple(Credentials(one["name"], one["password"]) for one in data.get("onvif", [])),
        logins=logins,
        refusals=Refusals(
            dict(RefusedLogin.objects.filter(line=line).values_list("mark", "count")), settings.SECRET_KEY.encode()
        ),
    )


def keep(line: Line, **logins: list[Any]) -> None:
    """Replaces those kinds that are named (communities, users, onvif); the others stay as they are.

    Raises KeyLost when what is kept cannot be read, and would be lost by it.
    """
    kept = LineAccess.objects.filter(line=line).first()
    data: dict[str, Any] = orjson.loads(unseal(bytes(kept.secret))) if kept else {}
    data |= logins
    LineAccess.objects.update_or_create(line=line, defaults={"secret": seal(orjson.dumps(data).decode())})
    # A person gave them: they may be tried, whatever was refused before.
    RefusedLogin.objects.filter(line=line).delete()


def forget(line: Line) -> None:
    """Back to the usual community and no logins."""
    LineAccess.objects.filter(line=line).delete()


def shown(line: Line) -> dict[str, Any]:
    """What may be shown of it: how many communities, names of users. Never a secret."""
    if getattr(line, "access", None) is None:
        return {"communities": 0, "users": [], "onvif": []}
    access = of_line(line)
    usual = access.communities == (USUAL_COMMUNITY,)
    return {
        "communities": 0 if usual else len(access.communities),
        "users": [user.name for user in access.snmp_users],
        "onvif": [one.user for one in access.onvif],
    }


def keep_refusals(line: str, refusals: Refusals) -> None:
    """What a sweep was refused is remembered; what was taken is forgotten."""
    mine = RefusedLogin.objects.filter(line_id=line)
    before = dict(mine.values_list("mark", "count"))
    mine.filter(mark__in=[mark for mark in before if mark not in refusals.counts]).delete()
    for mark, count in refusals.counts.items():
        if before.get(mark) != count:
            RefusedLogin.objects.update_or_create(line_id=line, mark=mark, defaults={"count": count})


def forget_all_refusals() -> None:
    """A person gave a login for many: it may be tried everywhere."""
    RefusedLogin.objects.all().delete()


def forget_refusals(device: Device) -> None:
    """A person gave it a login: that one may be tried, even if it is one that was refused before."""
    RefusedLogin.objects.filter(line=device.line_id, mark__startswith=f"{device.address} ").delete()
