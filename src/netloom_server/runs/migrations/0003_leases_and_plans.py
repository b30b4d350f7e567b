"""Leases, stored plans, and what journal entries are searched by."""

import django.db.models.deletion
from django.db import migrations, models

from importlib import import_module

TRIGGERS = import_module("netloom_server.runs.migrations.0002_journal_append_only").TRIGGERS
DROP = "DROP TRIGGER IF EXISTS journal_no_update; DROP TRIGGER IF EXISTS journal_no_delete;"


class Migration(migrations.Migration):
    dependencies = [("runs", "0002_journal_append_only")]

    operations = [
        migrations.CreateModel(
            name="Lease",
            fields=[
                ("device", models.CharField(max_length=8, primary_key=True, serialize=False)),
                ("run", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="leases", to="runs.run")),
            ],
        ),
        migrations.CreateModel(
            name="Plan",
            fields=[
                ("id", models.CharField(max_length=12, primary_key=True, serialize=False)),
                ("kind", models.CharField(max_length=16)),
                ("by", models.CharField(max_length=150)),
                ("params", models.JSONField(default=dict)),
                ("steps", models.JSONField(default=list)),
                ("remarks", models.JSONField(default=list)),
                ("read", models.JSONField(default=dict)),
                ("versions", models.JSONField(default=dict)),
                ("digest", models.CharField(max_length=64)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("used", models.CharField(blank=True, max_length=12)),
            ],
        ),
        # The table is made anew by this, and its triggers go with the old one.
        migrations.RunSQL(DROP, migrations.RunSQL.noop),
        migrations.AddField("journalentry", "kind", models.CharField(blank=True, default="", max_length=10)),
        migrations.AddField("journalentry", "intent", models.CharField(blank=True, db_index=True, default="", max_length=16)),
        migrations.AlterField("journalentry", "kind", models.CharField(blank=True, max_length=10)),
        migrations.AlterField("journalentry", "intent", models.CharField(blank=True, db_index=True, max_length=16)),
        migrations.RunSQL(TRIGGERS, migrations.RunSQL.noop),
    ]
