"""All known profiles: which model a device's facts speak for."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from netloom_core.errors import ProfileError
from netloom_core.library.parts import Data
from netloom_core.library.read import load_profile, parts_in
from netloom_core.library.standard import Standards
from netloom_core.profiles.profile import Profile

NAMED = 40  # weight of maker and model as the profile itself or its aliases name them


class Library:
    """All known profiles. Reading them is the only input or output here."""

    def __init__(
        self, profiles: list[Profile], parts: Mapping[str, Data] | None = None, standards: Standards | None = None
    ) -> None:
        self.parts = dict(parts or {})
        self.standards = standards or Standards()
        self.number = 0  # goes up with each change
        self._learn(profiles)

    def _learn(self, profiles: list[Profile]) -> None:
        self._profiles: dict[str, Profile] = {}
        self._makers: dict[str, str] = {}
        # Rules by one of their facts, so that a sweep of thousands tries only those that can fit.
        self._rules: dict[tuple[str, str], list[tuple[dict[str, str], int, Profile]]] = defaultdict(list)
        for profile in profiles:
            if profile.id in self._profiles:
                raise ProfileError(f"Two profiles have the id {profile.id}.", "Rename one.")
            self._profiles[profile.id] = profile
            for name in (profile.maker, *profile.maker_aliases):
                self._makers[name.casefold()] = profile.maker
            rules = [(rule.facts, rule.weight) for rule in profile.match]
            rules += [({"maker": profile.maker, "model": name}, NAMED) for name in (profile.model, *profile.aliases)]
            rules += [(mode.facts, NAMED) for mode in profile.modes]
            for facts, weight in rules:
                folded = {name: value.casefold() for name, value in facts.items()}
                first = next((name for name in ("model", "model_number") if name in folded), next(iter(folded)))
                self._rules[first, folded[first]].append((folded, weight, profile))

    @classmethod
    def read(cls, folder: Path) -> Library:
        parts = parts_in(folder)
        files = (path for path in sorted(folder.rglob("*.yaml")) if path.parent.name != "parts")
        profiles = [load_profile(path, parts) for path in files]
        standards = Standards(profile for profile in profiles if profile.standard)
        return cls([profile for profile in profiles if not profile.standard], parts, standards)

    def put(self, profile: Profile) -> None:
        """Add it, or take it instead of the one with its id; from now on everybody has it."""
        others = [one for one in self._profiles.values() if one.id != profile.id]
        self._learn([*others, profile])
        self.number += 1

    def drop(self, ident: str) -> None:
        self._learn([one for one in self._profiles.values() if one.id != ident])
        self.number += 1

    def __iter__(self) -> Iterator[Profile]:
        return iter(self._profiles.values())

    def get(self, ident: str) -> Profile | None:
        """One of a model, or one that a standard alone gives (standard.py)."""
        return self._profiles.get(ident) or self.standards.by_id(ident)

    def need(self, ident: str) -> Profile:
        profile = self.get(ident)
        if profile is None:
            raise ProfileError(
                f"There is no profile {ident or '(none)'}.", "Say which model the device is, or add a profile for it."
            )
        return profile

    def maker(self, name: str) -> str:
        """The name that a maker goes by here, for whatever way it is written."""
        return self._makers.get(name.casefold(), name)

    def maker_of_mac(self, mac: str) -> str:
        """The maker whose profiles claim that MAC prefix; empty where none does."""
        for profile in self:
            if any(mac.lower().startswith(prefix.lower()) for prefix in profile.mac_prefixes):
                return profile.maker
        return ""

    def best(self, facts: dict[str, str], methods: Iterable[str] = ()) -> Profile | None:
        """The profile whose rules weigh most for these facts; None where two tie.

        Where no model's rule fits: what a standard gives to one that was found by these methods.
        """
        folded = {name: value.casefold() for name, value in facts.items()}
        if "maker" in folded:
            folded["maker"] = self.maker(folded["maker"]).casefold()
        weights: dict[str, int] = defaultdict(int)
        for fact in folded.items():
            for wanted, weight, profile in self._rules.get(fact, ()):
                if all(folded.get(name) == value for name, value in wanted.items()):
                    weights[profile.id] += weight
        ranked = sorted(weights, key=lambda ident: -weights[ident])
        if not ranked:
            return self.standards.of(facts, methods)
        if len(ranked) > 1 and weights[ranked[0]] == weights[ranked[1]]:
            return None
        return self._profiles[ranked[0]]
