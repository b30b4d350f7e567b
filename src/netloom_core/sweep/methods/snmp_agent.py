"""Tables of one SNMP agent: rows to their end, or a word that they have more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from netloom_core.drivers.snmp.agent import Asked
from netloom_core.protocols import snmp

ROWS = 40  # of all columns in one answer; fewer where an agent says that this is too big
MAX_ROWS = 20_000  # of one column: the forwarding table of a large switch

Row = tuple[snmp.Oid, bytes | int | snmp.Oid]


@dataclass
class Column:
    """Rows of one column as they come; a row is (index, value). `whole` when its end was seen."""

    oid: snmp.Oid
    rows: list[Row] = field(default_factory=list)
    whole: bool = False
    over: bool = False

    @property
    def at(self) -> snmp.Oid:
        return self.oid + self.rows[-1][0] if self.rows else self.oid

    def take(self, response: snmp.Response, asked: int, number: int) -> None:
        """Its part of an answer about `asked` columns, of which it was the one with that number."""
        for name, value in response.binds[number::asked]:
            index = name[len(self.oid) :]
            if name[: len(self.oid)] != self.oid or value is None:
                self.whole = self.over = True
                return
            if self.rows and index <= self.rows[-1][0]:
                self.over = True  # RFC 3416, 4.2.3: rows come in their order
                return
            self.rows.append((index, value))


async def columns(agent: Asked, oids: Sequence[snmp.Oid], most: int = MAX_ROWS) -> dict[snmp.Oid, Column]:
    """All rows of several columns, asked for together. What has no end or no order gives a part."""
    found = {oid: Column(oid) for oid in oids}
    rows = ROWS
    while going := [column for column in found.values() if not column.over]:
        repetitions = max(1, rows // len(going))
        response = await agent.bulk(tuple(column.at for column in going), repetitions)
        if response is not None and response.error == snmp.TOO_BIG and rows > 1:
            rows = max(1, rows // 4)
            continue
        if response is None or response.error or not response.binds:
            break
        before = [len(column.rows) for column in going]
        for number, column in enumerate(going):
            column.take(response, len(going), number)
            column.over = column.over or len(column.rows) >= most
        # An answer that is full may have left some columns out; one that brings nothing new is the end.
        if before == [len(column.rows) for column in going] and not any(column.over for column in going):
            break
    return found
