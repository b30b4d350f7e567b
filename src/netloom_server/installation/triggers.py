"""The database notes by itself which device's row changed, whoever changed it and however.

Triggers keep `Touched` up: one row for each device with the number of its last change. They are made
anew after each migration, since a migration that remakes a table drops its triggers.
"""

from __future__ import annotations

from django.db import connection

ALL = ""  # stands for every device: something changed that many of them show
TOUCHED = "installation_touched"
_NEXT = "(SELECT IFNULL(MAX(rev), 0) + 1 FROM installation_touched)"
_INTO = "INSERT INTO installation_touched(device, rev) SELECT"
_OVER = "ON CONFLICT(device) DO UPDATE SET rev = excluded.rev"


def _one(ident: str, when: str = "true") -> str:
    return f"{_INTO} {ident}, {_NEXT} WHERE {when} {_OVER};"


def _fitted(unit: str) -> str:
    return f"{_INTO} id, {_NEXT} FROM installation_device WHERE unit_id = {unit} {_OVER};"


# (name, when, table, what it does)
TRIGGERS = [
    ("device_made", "AFTER INSERT", "installation_device", _one("NEW.id")),
    ("device_changed", "AFTER UPDATE", "installation_device", _one("NEW.id")),
    ("device_gone", "AFTER DELETE", "installation_device", _one("OLD.id")),
    ("unit_changed", "AFTER UPDATE", "installation_unit", _fitted("NEW.id")),
    (
        "line_changed",
        "AFTER UPDATE OF name, kind, archived",
        "installation_line",
        _one(
            f"'{ALL}'",
            "NEW.name IS NOT OLD.name OR NEW.kind IS NOT OLD.kind OR NEW.archived IS NOT OLD.archived",
        ),
    ),
    ("line_gone", "AFTER DELETE", "installation_line", _one(f"'{ALL}'")),
    ("area_changed", "AFTER UPDATE", "installation_area", _one(f"'{ALL}'", "NEW.name IS NOT OLD.name")),
    ("login_made", "AFTER INSERT", "installation_credential", _one("NEW.device_id")),
    ("login_gone", "AFTER DELETE", "installation_credential", _one("OLD.device_id")),
    ("fence_made", "AFTER INSERT", "installation_fence", _one("NEW.device_id")),
    ("fence_gone", "AFTER DELETE", "installation_fence", _one("OLD.device_id")),
    ("backup_made", "AFTER INSERT", "backups_backup", _one("NEW.device_id", "NEW.baseline AND NEW.device_id <> ''")),
    (
        "backup_changed",
        "AFTER UPDATE OF baseline, device_id",
        "backups_backup",
        _one("NEW.device_id", "NEW.device_id <> ''"),
    ),
    ("backup_gone", "AFTER DELETE", "backups_backup", _one("OLD.device_id", "OLD.baseline AND OLD.device_id <> ''")),
]


def make(**_: object) -> None:
    """Make the triggers anew, where their tables are there."""
    tables = set(connection.introspection.table_names())
    if TOUCHED not in tables or not {table for _, _, table, _ in TRIGGERS} <= tables:
        return
    with connection.cursor() as cursor:
        for name, when, table, does in TRIGGERS:
            cursor.execute(f"DROP TRIGGER IF EXISTS touch_{name}")
            cursor.execute(f"CREATE TRIGGER touch_{name} {when} ON {table} BEGIN {does} END")
