"""The database itself refuses to change or delete journal entries."""

from django.db import migrations

TRIGGERS = """
CREATE TRIGGER journal_no_update BEFORE UPDATE ON runs_journalentry
BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END;
CREATE TRIGGER journal_no_delete BEFORE DELETE ON runs_journalentry
BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END;
"""
DROP = "DROP TRIGGER journal_no_update; DROP TRIGGER journal_no_delete;"


class Migration(migrations.Migration):
    dependencies = [("runs", "0001_initial")]
    operations = [migrations.RunSQL(TRIGGERS, DROP)]
