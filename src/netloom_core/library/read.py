"""Reading one profile file: YAML, its parts, its form, and all checks. What is wrong is told with file and place."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import yaml
from pydantic import ValidationError

from netloom_core.drivers import forms  # noqa: F401 - the forms of all protocols register themselves
from netloom_core.errors import ProfileError
from netloom_core.library.checks import problems
from netloom_core.library.parts import BadPart, Data, whole
from netloom_core.profiles.profile import Profile

MAX_PROFILE_BYTES = 1_000_000
FORM = "docs/profiles.md describes the form."


class _Loader(yaml.CSafeLoader):
    """YAML with the two booleans of JSON only, so that `on` and `off` are words; and no key twice."""

    def construct_mapping(self, node: Any, deep: bool = False) -> dict[Any, Any]:
        keys = [key.value for key, _ in node.value]
        twice = next((key for at, key in enumerate(keys) if isinstance(key, str) and key in keys[:at]), None)
        if twice is not None:
            raise yaml.constructor.ConstructorError(None, None, f"{twice!r} stands there twice", node.start_mark)
        made: dict[Any, Any] = super().construct_mapping(node, deep=deep)
        return made


_Loader.yaml_implicit_resolvers = {
    first: [
        (tag, pattern)
        for tag, pattern in resolvers
        if tag not in ("tag:yaml.org,2002:bool", "tag:yaml.org,2002:timestamp")
    ]
    for first, resolvers in yaml.CSafeLoader.yaml_implicit_resolvers.items()
}
for _word in ("true", "false"):
    _Loader.yaml_implicit_resolvers.setdefault(_word[0], []).append(
        ("tag:yaml.org,2002:bool", re.compile(f"^{_word}$"))
    )


def data_of(raw: bytes, name: str) -> Data:
    """The file as plain data. Raises ProfileError."""
    if len(raw) > MAX_PROFILE_BYTES:
        raise ProfileError(f"{name} is larger than {MAX_PROFILE_BYTES} bytes.", "Is it a profile at all?")
    try:
        if any(isinstance(event, yaml.AliasEvent) for event in yaml.parse(raw, Loader=yaml.CSafeLoader)):
            raise ProfileError(
                f"{name} has YAML aliases (*name).", "Write the block out, or make a part and extend it."
            )
        data = yaml.load(raw, Loader=_Loader)  # noqa: S506 - a safe loader with fewer types
    except (yaml.YAMLError, UnicodeDecodeError, RecursionError, ValueError) as error:
        raise ProfileError(f"{name} is not YAML: {error}", "Mend the file at the line named.") from error
    if not isinstance(data, dict) or not all(isinstance(key, str) for key in data):
        raise ProfileError(f"{name} is no profile: it has no keys.", FORM)
    return data


def profile_of(data: Data, name: str, parts: Mapping[str, Data]) -> Profile:
    """The profile in those data. Raises ProfileError that names the file, the place in it and the trouble."""
    if data.get("format") == 1:
        raise ProfileError(f"{name} is a profile of form 1.", "Write it anew in form 2; docs/profiles.md shows how.")
    try:
        profile = Profile.model_validate(whole(data, parts))
    except BadPart as error:
        raise ProfileError(f"{name}: {error}.", FORM) from error
    except ValidationError as error:
        raise ProfileError(f"{name}: {_told(error)}.", FORM) from error
    except (ValueError, TypeError, AttributeError, RecursionError) as error:
        raise ProfileError(f"{name}: {error}.", FORM) from error
    for problem in problems(profile):
        raise ProfileError(f"{name}: {problem}.", "docs/profiles.md says what each protocol can do.")
    return profile


def own_profile(raw: bytes, name: str, parts: Mapping[str, Data]) -> Profile:
    """One that a person adds: always a model's. Raises ProfileError as above."""
    profile = profile_of(data_of(raw, name), name, parts)
    if profile.standard:
        raise ProfileError(
            f"{name} is for a standard, not for a model.", "Leave `standard` out, and say whose model it is."
        )
    return profile


def _told(error: ValidationError) -> str:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    said = first["msg"].removeprefix("Value error, ")
    return f"{where}: {said}" if where else said


def parts_in(folder: Path) -> dict[str, Data]:
    """All parts below a folder, by name."""
    return {path.stem: data_of(path.read_bytes(), path.name) for path in sorted((folder / "parts").rglob("*.yaml"))}


def load_profile(path: Path, parts: Mapping[str, Data] | None = None) -> Profile:
    """One profile with its parts, which lie in `parts` beside its maker's folder where none are given."""
    if parts is None:
        parts = next((parts_in(above) for above in path.parents[:3] if (above / "parts").is_dir()), {})
    return profile_of(data_of(path.read_bytes(), path.name), path.name, parts)
