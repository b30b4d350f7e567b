"""Whether a value may be given to a setting, and what a person's words mean for it."""

from __future__ import annotations

import ipaddress
from typing import Any

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.errors import OutOfRange, Reserved, UnknownSetting
from netloom_core.profiles.schema import Profile, Setting


def find(profile: Profile, path: str) -> Setting:
    setting = profile.by_path.get(path)
    if setting is None:
        raise UnknownSetting(
            f"{profile.model} has no setting {path}.",
            "Its settings are listed by `netloom show` and on the bench under Configure.",
            target=path,
        )
    return setting


def checked(profile: Profile, path: str, value: Any) -> Any:
    """The value in the setting's own type; words such as `"500"` are understood.

    Raises UnknownSetting, Reserved, or OutOfRange with the bounds in the text.
    """
    setting = find(profile, path)
    if setting.reserved:
        raise Reserved(f"{setting.label} is reserved: {setting.reserved}", "Leave it as it is.", target=path)
    return _CHECKS[setting.type](setting, value)


def _wrong(setting: Setting, value: Any, want: str) -> OutOfRange:
    shown = str(value)[:60]
    return OutOfRange(
        f"{setting.label} ({setting.path}) cannot be {shown!r}.",
        f"Give {want}. Nothing was changed.",
        target=setting.path,
    )


def _integer(setting: Setting, value: Any) -> int:
    low = setting.minimum if setting.minimum is not None else 0
    high = setting.maximum if setting.maximum is not None else 2**31 - 1
    unit = f" {setting.unit}" if setting.unit else ""
    want = f"a whole number from {low} to {high}{unit}"
    if isinstance(value, bool) or not isinstance(value, int | str):
        raise _wrong(setting, value, want)
    try:
        number = int(value)
    except ValueError:
        raise _wrong(setting, value, want) from None
    if not low <= number <= high:
        raise _wrong(setting, value, want)
    return number


def _text(setting: Setting, value: Any) -> str:
    if not isinstance(value, str) or len(value) > setting.max_length or not value.isprintable():
        raise _wrong(setting, value, f"text of at most {setting.max_length} characters on one line")
    return value


def _choice(setting: Setting, value: Any) -> str | int:
    for option in setting.options:
        if value == option.value or str(value).casefold() in (str(option.value).casefold(), option.label.casefold()):
            return option.value
    raise _wrong(setting, value, "one of " + ", ".join(str(option.value) for option in setting.options))


def _boolean(setting: Setting, value: Any) -> bool:
    words = {"true": True, "yes": True, "on": True, "false": False, "no": False, "off": False}
    if isinstance(value, bool):
        return value
    if isinstance(value, str) and value.casefold() in words:
        return words[value.casefold()]
    raise _wrong(setting, value, "true or false")


def _ipv4(setting: Setting, value: Any) -> str:
    try:
        return str(ipaddress.IPv4Address(str(value)))
    except ValueError:
        raise _wrong(setting, value, "an IPv4 address like 127.20.10.21") from None


def _netmask(setting: Setting, value: Any) -> str:
    try:
        return str(ipaddress.IPv4Network(f"0.0.0.0/{value}").netmask)
    except ValueError:
        raise _wrong(setting, value, "a netmask like 255.255.255.0") from None


def _secret(setting: Setting, value: Any) -> str:
    """A reference to the text, or the text itself, which whoever keeps it makes a reference of."""
    if not isinstance(value, str) or not value or len(value) > setting.max_length or not value.isprintable():
        raise OutOfRange(
            f"{setting.label} ({setting.path}) cannot be that.",
            f"Give text of 1 to {setting.max_length} characters on one line. Nothing was changed.",
            target=setting.path,
        )
    return value


_CHECKS = {
    "text": _text,
    "integer": _integer,
    "choice": _choice,
    "boolean": _boolean,
    "ipv4": _ipv4,
    "netmask": _netmask,
    "secret": _secret,
}


def unmet_needs(profile: Profile, path: str, document: Document) -> list[str]:
    """Reasons why a setting cannot work with the other values of the document."""
    reasons = []
    for need in find(profile, path).needs:
        value = get(document, need.path)
        if value is not MISSING and value not in need.one_of:
            other = find(profile, need.path)
            reasons.append(need.why or f"{other.label} must be {' or '.join(map(str, need.one_of))}, it is {value}")
    return reasons
