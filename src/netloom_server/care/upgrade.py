"""Bringing a folder to this version: refused where it is of a newer one, with a safe copy before anything changes."""

from __future__ import annotations

import logging
from pathlib import Path

from django.apps import apps
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from netloom_server.care import copies
from netloom_server.care.folder import Trouble, database_of, migrations_in

log = logging.getLogger("netloom.care")


def too_new(data: Path) -> Trouble | None:
    """The folder was used by a version that knows more than this one."""
    known = set(MigrationExecutor(connection).loader.disk_migrations)
    ours = {app.label for app in apps.get_app_configs() if app.name.startswith("netloom_server.")}
    more = sorted(f"{app}.{name}" for app, name in migrations_in(database_of(data)) - known if app in ours)
    if not more:
        return None
    return Trouble(
        f"{data} was used by a newer Netloom ({', '.join(more[:3])}); this one could spoil it. Nothing was changed.",
        "Start the newer version, or put a safe copy from before back: `netloom copies`, `netloom put-back COPY`.",
    )


def bring_up(data: Path) -> None:
    """Migrate, after a safe copy where there is something to lose. Raises OSError, sqlite3.Error, DatabaseError."""
    executor = MigrationExecutor(connection)
    plan = executor.migration_plan(executor.loader.graph.leaf_nodes())
    if plan and migrations_in(database_of(data)):
        made = copies.make(data, "before-migration")
        log.info("a safe copy was made before %d migrations: %s", len(plan), made)
    call_command("migrate", verbosity=0, interactive=False)
