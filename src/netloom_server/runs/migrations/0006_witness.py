"""The journal's witness; and entries of old get their kind and intent beside them, as all others have."""

import json

from django.db import migrations, models

NO_UPDATE = """
CREATE TRIGGER journal_no_update BEFORE UPDATE ON runs_journalentry
BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END;
"""


def fill(apps, schema_editor):
    with schema_editor.connection.cursor() as cursor:
        cursor.execute("SELECT id, entry FROM runs_journalentry WHERE kind = '' AND intent = ''")
        rows = [(one, json.loads(entry)) for one, entry in cursor.fetchall()]
        wanted = [(e.get("kind", ""), e.get("intent", ""), one) for one, e in rows if e.get("kind") or e.get("intent")]
        if not wanted:
            return
        cursor.execute("DROP TRIGGER IF EXISTS journal_no_update")
        cursor.executemany("UPDATE runs_journalentry SET kind = %s, intent = %s WHERE id = %s", wanted)
        cursor.execute(NO_UPDATE)


class Migration(migrations.Migration):
    dependencies = [("runs", "0005_number")]
    operations = [
        migrations.CreateModel(
            name="Witness",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("since", models.DateTimeField(auto_now_add=True)),
                ("first", models.PositiveBigIntegerField(default=1)),
            ],
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
