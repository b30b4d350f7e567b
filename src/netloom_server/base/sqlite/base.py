"""A connection that knows whether it committed a change: that nothing was changed is said only where that is so."""

from __future__ import annotations

from typing import Any

from django.db.backends.sqlite3 import base

CHANGES = ("INSERT", "UPDATE", "DELETE", "REPLACE")


class DatabaseWrapper(base.DatabaseWrapper):
    """`changed` is set by the first change that is committed after `begin_anew`."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.changed = False
        self._open = False  # something was changed in the transaction under way
        self.execute_wrappers.append(self._noting)

    def begin_anew(self) -> None:
        self.changed = False

    def _noting(self, execute: Any, sql: str, params: Any, many: bool, context: dict[str, Any]) -> Any:
        done = execute(sql, params, many, context)
        if sql.lstrip()[:7].upper().startswith(CHANGES):
            if self.in_atomic_block:
                self._open = True
            else:
                self.changed = True
        return done

    def _commit(self) -> None:
        super()._commit()  # type: ignore[misc]
        self.changed, self._open = self.changed or self._open, False

    def _rollback(self) -> None:
        self._open = False
        super()._rollback()  # type: ignore[misc]
