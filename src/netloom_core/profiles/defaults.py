"""A whole document of a model as its factory ships it."""

from __future__ import annotations

from typing import Any

from netloom_core.documents.tree import Document, put
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile


def default_of(item: Item) -> Any:
    return item.type.default() if item.default is None else item.default


def default_document(profile: Profile) -> Document:
    document: Document = {}
    for path, item in profile.by_path.items():
        if not item.secret:  # a document never holds one
            put(document, path, default_of(item))
    return document


def rest_of(profile: Profile) -> dict[str, str]:
    """Every point at rest, by its name."""
    return {
        name: item.states[0] if item.states else item.state_of(default_of(item))
        for name, item in profile.by_point.items()
    }
