"""All of it at once, for a new folder.

A folder that has taken some of the replaced steps takes the others one by one.
"""

import django.db.models.deletion
import netloom_server.backups.models
import netloom_server.installation.models
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('backups', '0001_initial'),
        ('backups', '0002_number'),
    ]

    dependencies = [
        ('installation', '0001_initial'),
    ]

    operations = [
        migrations.CreateModel(
            name='Document',
            fields=[
                ('digest', models.CharField(max_length=64, primary_key=True, serialize=False)),
                ('body', models.BinaryField()),
            ],
        ),
        migrations.CreateModel(
            name='Backup',
            fields=[
                ('id', models.CharField(default=netloom_server.installation.models.new_id, max_length=12, primary_key=True, serialize=False)),
                ('number', models.BigIntegerField(db_index=True, default=netloom_server.backups.models.next_number)),
                ('run', models.CharField(blank=True, max_length=12)),
                ('name', models.CharField(max_length=80)),
                ('maker', models.CharField(blank=True, max_length=120)),
                ('model', models.CharField(blank=True, max_length=120)),
                ('serial', models.CharField(blank=True, max_length=120)),
                ('profile', models.CharField(max_length=60)),
                ('firmware', models.CharField(blank=True, max_length=60)),
                ('line', models.CharField(blank=True, max_length=80)),
                ('address', models.CharField(blank=True, max_length=64)),
                ('taken', models.DateTimeField()),
                ('by', models.CharField(max_length=150)),
                ('baseline', models.BooleanField(default=False)),
                ('label', models.CharField(blank=True, max_length=120)),
                ('device', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='backups', to='installation.device')),
                ('running', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='backups.document')),
                ('startup', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='backups.document')),
            ],
            options={
                'ordering': ['-number', '-id'],
            },
        ),
    ]
