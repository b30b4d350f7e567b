"""Whether a value may be given to an item, and what a person's words mean for it."""

from __future__ import annotations

from typing import Any

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.errors import OutOfRange, Reserved, UnknownSetting
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.types.base import BadValue


def find(profile: Profile, path: str) -> Item:
    item = profile.by_path.get(path)
    if item is None:
        raise UnknownSetting(
            f"{profile.model} has no setting {path}.",
            "Its settings are listed by `netloom show` and on the bench under Configure.",
            target=path,
        )
    return item


def checked(profile: Profile, path: str, value: Any) -> Any:
    """The value in its canonical form; words such as `"500"` are understood.

    Raises UnknownSetting, Reserved, or OutOfRange with the bounds in the text.
    """
    item = find(profile, path)
    if item.reserved:
        raise Reserved(f"{item.label} is reserved: {item.reserved}", "Leave it as it is.", target=path)
    return given(item, value)


def given(item: Item, value: Any) -> Any:
    """The canonical form of a value that a person gives."""
    try:
        return item.type.check(value)
    except BadValue:
        shown = "that" if item.secret else repr(str(value)[:60])
        raise OutOfRange(
            f"{item.label} ({item.path}) cannot be {shown}.",
            f"Give {item.type.want()}. Nothing was changed.",
            target=item.path,
        ) from None


def unmet_needs(profile: Profile, path: str, document: Document) -> list[str]:
    """Reasons why a setting cannot work with the other values of the document."""
    reasons = []
    for need in find(profile, path).needs:
        value = get(document, need.path)
        if value is not MISSING and value not in need.one_of:
            other = find(profile, need.path)
            reasons.append(need.why or f"{other.label} must be {' or '.join(map(str, need.one_of))}, it is {value}")
    return reasons


def value_of_state(item: Item, state: str) -> Any:
    """A point's state as the value that its item has; None where it is none of its type."""
    if item.type.name == "boolean":
        return {"on": True, "off": False}.get(state)
    try:
        return item.type.canonical(state)
    except BadValue:
        return None
