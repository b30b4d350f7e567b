"""A whole document of a model as its factory ships it."""

from __future__ import annotations

from netloom_core.documents.tree import Document, put
from netloom_core.profiles.schema import Profile, Setting

_BY_TYPE: dict[str, str | int | bool] = {
    "text": "",
    "integer": 0,
    "boolean": False,
    "ipv4": "0.0.0.0",  # noqa: S104
    "netmask": "255.255.255.0",
}


def default_of(setting: Setting) -> str | int | bool:
    if setting.default is not None:
        value: str | int | bool = setting.default
        return value
    if setting.type == "choice":
        return setting.options[0].value
    if setting.type == "integer":
        return setting.minimum or 0
    return _BY_TYPE[setting.type]


def default_document(profile: Profile) -> Document:
    document: Document = {}
    for path, setting in profile.by_path.items():
        if setting.type == "secret":
            continue  # a document never holds one
        put(document, path, default_of(setting))
    return document
