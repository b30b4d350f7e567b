"""One change of one value."""

from __future__ import annotations

from typing import Any, NamedTuple


class Change(NamedTuple):
    """One value that is to go, or went, from `before` to `after`; None where there is none."""

    path: str
    before: Any
    after: Any

    def as_dict(self) -> dict[str, Any]:
        return {"path": self.path, "from": self.before, "to": self.after}

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Change:
        return cls(str(data["path"]), data.get("from"), data.get("to"))

    def reversed(self) -> Change:
        return Change(self.path, self.after, self.before)
