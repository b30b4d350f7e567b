"""Writes the JSON Schema of profile files, for editors, and the reference of the form: both from its classes.

python -m netloom_core.library.publish profiles/profile.schema.json docs/profile-reference.md
"""

import inspect
import json
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from netloom_core.drivers import forms  # noqa: F401 - the forms of all protocols register themselves
from netloom_core.profiles.axis import Axis
from netloom_core.profiles.channel import Channel
from netloom_core.profiles.item import Item, Need, Shown
from netloom_core.profiles.people import Act, Connector, Console, Light, Meaning, Phrase, Procedure, View
from netloom_core.profiles.profile import ByStandard, Factory, Match, Mode, Profile, Signs
from netloom_core.types.base import ValueType

MAX_KIND = 110


def schema() -> dict[str, Any]:
    """As a file is written, before its parts are put in: what a part gives may be missing."""
    made = Profile.model_json_schema()
    definitions = made["$defs"]
    kinds: dict[str, set[str]] = {"channels": set(), "bind": set(), "calls": set()}
    for form in Channel.forms.values():
        for place, part in (("channels", form), ("bind", form.binding), ("calls", form.call)):
            inner = part.model_json_schema(ref_template="#/$defs/{model}")
            definitions.update(inner.pop("$defs", {}))
            name = part.__name__
            if place == "channels":
                inner.pop("required", None)
            definitions[name] = inner
            kinds[place].add(name)
    any_of = {
        place: {"anyOf": [{"$ref": f"#/$defs/{name}"} for name in sorted(names)]} for place, names in kinds.items()
    }
    made["properties"]["channels"]["additionalProperties"] = any_of["channels"]
    definitions["Item"]["properties"]["bind"]["additionalProperties"] = any_of["bind"]
    definitions["Procedure"]["properties"]["calls"]["additionalProperties"] = {
        "anyOf": [*any_of["calls"]["anyOf"], {"type": "array", "items": any_of["calls"]}]
    }
    made["properties"]["extends"] = {"type": "array", "items": {"type": "string"}}
    made["required"] = ["format", "id", "maker", "model", "kind"]
    definitions["Item"]["required"] = ["path"]
    return made


def reference() -> str:
    """The form as a page: each class with its words, its fields with their types and defaults."""
    parts: list[tuple[str, list[type[BaseModel]]]] = [
        ("The profile", [Profile, Match, Mode, Factory, Signs, Axis, ByStandard]),
        ("Items", [Item, Need, Shown]),
        ("What people see and do", [Light, Meaning, Procedure, Act, Connector, View, Console, Phrase]),
        ("Types of values", list(_types())),
    ]
    for protocol, form in sorted(Channel.forms.items()):
        parts.append((f"Protocol {protocol}", [form, *_inside(form), form.binding, form.call]))
    lines = [
        "# The form of profiles, field by field",
        "",
        "Made from the classes of the form (`python -m netloom_core.library.publish`). "
        "[profiles.md](profiles.md) tells how one writes a profile.",
    ]
    told: set[str] = set()
    for title, classes in parts:
        lines += ["", f"## {title}"]
        for one in classes:
            if one.__name__ not in told:
                told.add(one.__name__)
                lines += _class(one)
    return "\n".join(lines) + "\n"


def _class(one: type[BaseModel]) -> list[str]:
    words = inspect.cleandoc(one.__doc__ or "") if one.__doc__ and one.__doc__ is not BaseModel.__doc__ else ""
    lines = ["", f"### {one.__name__}", *([""] if words else []), *words.splitlines()]
    if one.model_fields:
        lines += ["", "| key | type | default |", "|---|---|---|"]
    for name, field in one.model_fields.items():
        kind = re.sub(r"netloom_core\.[a-z_.]+\.|typing\.|<class '|'>", "", str(field.annotation)).replace("|", "or")
        if len(kind) > MAX_KIND:
            kind = "see below" if "ValueType" in kind or "Text or" in kind else kind[:MAX_KIND] + " …"
        default = (
            "needed" if field.is_required() else json.dumps(field.get_default(call_default_factory=True), default=str)
        )
        lines.append(f"| `{field.alias or name}` | {kind} | {default[:MAX_KIND]} |")
    return lines


def _types() -> Iterator[type[BaseModel]]:
    waiting: list[type[BaseModel]] = list(ValueType.__subclasses__())
    return iter(sorted(waiting, key=lambda one: str(one.model_fields["name"].default)))


def _inside(form: type[BaseModel]) -> list[type[BaseModel]]:
    """The parts that a form's fields are made of."""
    found: list[type[BaseModel]] = []
    for holder in (form, getattr(form, "binding", form)):
        for field in holder.model_fields.values():
            for name in re.findall(r"netloom_core\.drivers\.[a-z_.]+\.([A-Z]\w+)", str(field.annotation)):
                module = inspect.getmodule(form)
                part = getattr(module, name, None)
                if isinstance(part, type) and issubclass(part, BaseModel) and part not in found:
                    found.append(part)
    return found


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(schema(), indent=1) + "\n")
    if len(sys.argv) > 2:
        Path(sys.argv[2]).write_text(reference())
