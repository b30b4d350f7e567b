"""What a simulated device keeps in mind: values by path, what may be given to them, and when they work and go."""

from __future__ import annotations

import copy
import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from netloom_core.documents.tree import MISSING, Document, get, put

_FLAGS = {"1": True, "0": False, "true": True, "false": False, "on": True, "off": False}
_SPAN = re.compile(r"\{(\d+)\.\.(\d+)\}")


class Wrong(Exception):
    """The device does not take that value, or has no such thing."""


class Cell(BaseModel):
    """One value: a whole number in a range, a number, a text so long, one of some words, points, or bytes in hex."""

    model_config = ConfigDict(extra="forbid")

    whole: tuple[int, int] | None = None
    number: tuple[float, float] | None = None
    step: float = 0.1
    text: int | None = None
    words: list[str] | None = None
    flag: bool = False
    points: int | None = None
    hex: int | None = None
    secret: int | None = None
    start: Any = None
    later: bool = False  # works from the next start on
    kept: Literal["stored", "always", "never"] = "stored"
    live: bool = False  # a state, not a setting
    fixed: bool = False

    def first(self) -> Any:
        if self.start is not None:
            return self.start
        if self.words:
            return self.words[0]
        if self.whole:
            return self.whole[0]
        if self.number:
            return self.number[0]
        if self.points:
            return [[0.0, 0.0], [1.0, 1.0]]
        return False if self.flag else ""

    def parsed(self, value: Any) -> Any:
        """From what came on the wire. Raises Wrong."""
        if self.fixed:
            raise Wrong("fixed")
        try:
            if self.flag:
                return _FLAGS[str(value).lower()]
            if self.words is not None:
                return next(word for word in self.words if word.lower() == str(value).lower())
            if self.whole is not None:
                number = int(value)
                if not self.whole[0] <= number <= self.whole[1]:
                    raise Wrong("range")
                return number
            if self.number is not None:
                real = float(value)
                if not self.number[0] <= real <= self.number[1]:
                    raise Wrong("range")
                return round(round(real / self.step) * self.step, 6)
        except (ValueError, KeyError, StopIteration) as error:
            raise Wrong("value") from error
        if self.points is not None:
            return value
        text = str(value)
        most = self.text or self.hex or self.secret or 0
        if len(text) > (most * 2 if self.hex else most):
            raise Wrong("range")
        return text


def spread(path: str) -> Iterator[str]:
    """`/outputs/{1..4}/source` as its four paths."""
    found = _SPAN.search(path)
    if found is None:
        yield path
        return
    for number in range(int(found[1]), int(found[2]) + 1):
        yield from spread(path[: found.start()] + str(number) + path[found.end() :])


class Forbidden(BaseModel):
    """While all of `when` have one of these values, all of `then` have to have one of theirs."""

    model_config = ConfigDict(extra="forbid")

    when: dict[str, list[Any]]
    then: dict[str, list[Any]]

    def by(self, value: Callable[[str], Any]) -> bool:
        if not all(value(path) in words for path, words in self.when.items()):
            return False
        return not all(value(path) in words for path, words in self.then.items())


class Memory:
    """`running` works, `startup` is kept; what works later waits in between. What `forbids` would hold is not kept, and
    is not taken where it would work at once."""

    def __init__(self, cells: dict[str, Cell], forbids: Sequence[Forbidden] = ()) -> None:
        self.forbids = forbids
        self.cells = {one: cell for path, cell in cells.items() for one in spread(path)}
        self.running: Document = {}
        for path, cell in self.cells.items():
            put(self.running, path, copy.deepcopy(cell.first()))
        self.startup: Document = copy.deepcopy(self.running)
        self.waiting: dict[str, Any] = {}
        self.liar = ""
        self.changed: list[Callable[[str, Any], None]] = []

    def value(self, path: str) -> Any:
        """Raises Wrong where there is no such thing."""
        value = get(self.running, path)
        if value is MISSING:
            raise Wrong("unknown")
        return value

    def kept(self, path: str) -> Any:
        value = get(self.startup, path)
        if value is MISSING:
            raise Wrong("unknown")
        return value

    def begin(self, path: str, value: Any) -> None:
        """The value that it is delivered or installed with."""
        if path in self.cells:
            put(self.running, path, copy.deepcopy(value))
            put(self.startup, path, copy.deepcopy(value))

    def load(self, startup: Document) -> None:
        """What was kept by an earlier life; of what it has not, or did not have then, nothing is taken from there."""
        for path in self.cells:
            if (value := get(startup, path)) is not MISSING:
                put(self.startup, path, value)

    def take(self, path: str, said: Any) -> Any:
        """A value from the wire. Raises Wrong."""
        cell = self.cells.get(path)
        if cell is None:
            raise Wrong("unknown")
        value = cell.parsed(said)
        if path != self.liar:
            if not cell.later and any(one.by(lambda p: value if p == path else self.value(p)) for one in self.forbids):
                raise Wrong("refused")
            self.set(path, value)
        return value

    def set(self, path: str, value: Any) -> None:
        """Whoever does it, at the front or inside."""
        cell = self.cells[path]
        if cell.later:
            self.waiting[path] = value
        else:
            put(self.running, path, value)
        if cell.kept == "always":
            put(self.startup, path, value)
        if not cell.later:
            for tell in list(self.changed):
                tell(path, value)

    def overrule(self, path: str, value: Any) -> None:
        """From outside, for as long as it is on: what it was told itself stays in it."""
        put(self.running, path, value)

    def keep(self) -> None:
        """Raises Wrong where what would be kept may not stand together."""
        if any(one.by(lambda path: self.waiting.get(path, self.value(path))) for one in self.forbids):
            raise Wrong("refused")
        for path, cell in self.cells.items():
            if cell.kept == "stored" and not cell.live:
                put(self.startup, path, copy.deepcopy(self.waiting.get(path, get(self.running, path))))

    def reset(self, survives: frozenset[str], factory: dict[str, Any]) -> None:
        """All but `survives` as its factory made it; it shows from the next start on."""
        for path, cell in self.cells.items():
            if path not in survives:
                put(self.startup, path, copy.deepcopy(factory.get(path, cell.first())))

    def restart(self) -> None:
        """From what is kept; what waited and nothing keeps works now, once."""
        waited = {path: value for path, value in self.waiting.items() if self.cells[path].kept == "never"}
        self.running = copy.deepcopy(self.startup)
        for path, cell in self.cells.items():
            if cell.kept == "never" or cell.live:
                put(self.running, path, copy.deepcopy(waited.get(path, cell.first())))
        self.waiting = {}
