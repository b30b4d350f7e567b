"""Reading profile files into a library."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import yaml
from pydantic import ValidationError

from netloom_core.errors import ProfileError
from netloom_core.profiles.schema import Profile

MAX_PROFILE_BYTES = 1_000_000


def load_profile(path: Path) -> Profile:
    """One profile; raises ProfileError that names the file, the place in it and the trouble."""
    raw = path.read_bytes()
    if len(raw) > MAX_PROFILE_BYTES:
        raise ProfileError(f"{path.name} is larger than {MAX_PROFILE_BYTES} bytes.", "Is it a profile at all?")
    try:
        return Profile.model_validate(yaml.safe_load(raw))
    except yaml.YAMLError as error:
        raise ProfileError(f"{path.name} is not YAML: {error}", "Mend the file at the line named.") from error
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the whole"
        raise ProfileError(f"{path.name}: {where}: {first['msg']}", "docs/profiles.md describes the form.") from error


class Library:
    """All known profiles. Reading them is the only input or output here."""

    def __init__(self, profiles: list[Profile]) -> None:
        self._profiles: dict[str, Profile] = {}
        for profile in profiles:
            if profile.id in self._profiles:
                raise ProfileError(f"Two profiles have the id {profile.id}.", "Rename one.")
            self._profiles[profile.id] = profile

    @classmethod
    def read(cls, folder: Path) -> Library:
        return cls([load_profile(path) for path in sorted(folder.rglob("*.yaml"))])

    def __iter__(self) -> Iterator[Profile]:
        return iter(self._profiles.values())

    def get(self, ident: str) -> Profile | None:
        return self._profiles.get(ident)

    def need(self, ident: str) -> Profile:
        profile = self._profiles.get(ident)
        if profile is None:
            raise ProfileError(
                f"There is no profile {ident or '(none)'}.", "Say which model the device is, or add a profile for it."
            )
        return profile

    def best(self, facts: dict[str, str]) -> Profile | None:
        """The profile whose match rules weigh most for these facts; None where none fits or two tie."""
        folded = {name: value.casefold() for name, value in facts.items()}
        scored = sorted(
            (
                (
                    sum(
                        rule.weight
                        for rule in profile.match
                        if all(folded.get(name) == value.casefold() for name, value in rule.facts.items())
                    ),
                    profile.id,
                )
                for profile in self
            ),
            reverse=True,
        )
        if not scored or scored[0][0] == 0 or (len(scored) > 1 and scored[0][0] == scored[1][0]):
            return None
        return self._profiles[scored[0][1]]
