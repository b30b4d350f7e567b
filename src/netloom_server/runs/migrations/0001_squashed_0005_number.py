"""All of it at once, for a new folder.

A folder that has taken some of the replaced steps takes the others one by one.
"""

import django.db.models.deletion
import netloom_server.installation.models
import netloom_server.runs.models
from importlib import import_module

from django.db import migrations, models


TRIGGERS = import_module("netloom_server.runs.migrations.0002_journal_append_only").TRIGGERS


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('runs', '0001_initial'),
        ('runs', '0002_journal_append_only'),
        ('runs', '0003_leases_and_plans'),
        ('runs', '0004_event_text'),
        ('runs', '0005_number'),
    ]

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Event',
            fields=[
                ('id', models.BigAutoField(primary_key=True, serialize=False)),
                ('kind', models.CharField(max_length=20)),
                ('data', models.TextField()),
                ('time', models.DateTimeField(auto_now_add=True)),
            ],
        ),
        migrations.CreateModel(
            name='JournalEntry',
            fields=[
                ('id', models.BigAutoField(primary_key=True, serialize=False)),
                ('device', models.CharField(blank=True, db_index=True, max_length=8)),
                ('run', models.CharField(blank=True, db_index=True, max_length=12)),
                ('kind', models.CharField(blank=True, max_length=10)),
                ('intent', models.CharField(blank=True, db_index=True, max_length=16)),
                ('entry', models.JSONField()),
                ('hash', models.CharField(max_length=64)),
            ],
        ),
        migrations.CreateModel(
            name='Plan',
            fields=[
                ('id', models.CharField(max_length=12, primary_key=True, serialize=False)),
                ('kind', models.CharField(max_length=16)),
                ('by', models.CharField(max_length=150)),
                ('params', models.JSONField(default=dict)),
                ('steps', models.JSONField(default=list)),
                ('remarks', models.JSONField(default=list)),
                ('read', models.JSONField(default=dict)),
                ('versions', models.JSONField(default=dict)),
                ('digest', models.CharField(max_length=64)),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('used', models.CharField(blank=True, max_length=12)),
            ],
        ),
        migrations.CreateModel(
            name='Run',
            fields=[
                ('id', models.CharField(default=netloom_server.installation.models.new_id, max_length=12, primary_key=True, serialize=False)),
                ('number', models.BigIntegerField(db_index=True, default=netloom_server.runs.models.next_number)),
                ('kind', models.CharField(max_length=16)),
                ('by', models.CharField(max_length=150)),
                ('params', models.JSONField(default=dict)),
                ('state', models.CharField(db_index=True, default='waiting', max_length=12)),
                ('result', models.JSONField(default=dict)),
                ('message', models.CharField(blank=True, max_length=600)),
                ('cancel', models.BooleanField(default=False)),
                ('progress', models.JSONField(default=dict)),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('ended', models.DateTimeField(null=True)),
            ],
        ),
        migrations.CreateModel(
            name='Lease',
            fields=[
                ('device', models.CharField(max_length=8, primary_key=True, serialize=False)),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='leases', to='runs.run')),
            ],
        ),
        migrations.CreateModel(
            name='Step',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('ordinal', models.PositiveIntegerField()),
                ('device', models.CharField(db_index=True, max_length=8)),
                ('action', models.CharField(max_length=20)),
                ('params', models.JSONField(default=dict)),
                ('state', models.CharField(default='pending', max_length=10)),
                ('message', models.CharField(blank=True, max_length=1000)),
                ('hint', models.CharField(blank=True, max_length=600)),
                ('code', models.CharField(blank=True, max_length=40)),
                ('evidence', models.JSONField(default=dict)),
                ('settled', models.DateTimeField(null=True)),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='steps', to='runs.run')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('run', 'ordinal'), name='step_once')],
            },
        ),
        migrations.RunSQL(TRIGGERS),
    ]
