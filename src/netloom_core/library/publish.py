"""Writes the JSON Schema of profile files, for editors: with the channels, bindings and calls of all protocols.

python -m netloom_core.library.publish profiles/profile.schema.json
"""

import json
import sys
from pathlib import Path
from typing import Any

from netloom_core.drivers import forms  # noqa: F401 - the forms of all protocols register themselves
from netloom_core.profiles.channel import Channel
from netloom_core.profiles.profile import Profile


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


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(schema(), indent=1) + "\n")
