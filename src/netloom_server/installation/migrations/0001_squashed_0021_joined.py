"""All of it at once, for a new folder: twenty-one steps took two seconds of a first start.

A folder that has taken some of the replaced steps takes the others one by one.
"""

import django.db.models.deletion
import netloom_server.installation.models
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    replaces = [
        ('installation', '0001_initial'),
        ('installation', '0002_survey'),
        ('installation', '0003_units'),
        ('installation', '0004_units_alone'),
        ('installation', '0005_touched'),
        ('installation', '0006_bound'),
        ('installation', '0007_common'),
        ('installation', '0008_own_profiles'),
        ('installation', '0009_unreadable'),
        ('installation', '0010_pins'),
        ('installation', '0011_line_position'),
        ('installation', '0012_archived'),
        ('installation', '0013_line_rules'),
        ('installation', '0014_universes'),
        ('installation', '0015_templates'),
        ('installation', '0016_logins_by_level'),
        ('installation', '0017_fences'),
        ('installation', '0018_monitor'),
        ('installation', '0019_labels'),
        ('installation', '0020_sent_codes'),
        ('installation', '0021_joined'),
    ]

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='CommonKey',
            fields=[
                ('key', models.CharField(max_length=250, primary_key=True, serialize=False)),
                ('why', models.CharField(max_length=400)),
                ('since', models.DateTimeField(auto_now_add=True)),
            ],
        ),
        migrations.CreateModel(
            name='Installation',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('watch_minutes', models.PositiveIntegerField(default=0)),
            ],
        ),
        migrations.CreateModel(
            name='Label',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.CharField(max_length=80)),
                ('by', models.CharField(max_length=150)),
            ],
        ),
        migrations.CreateModel(
            name='OwnProfile',
            fields=[
                ('ident', models.CharField(max_length=60, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=120)),
                ('text', models.TextField()),
                ('added_by', models.CharField(max_length=150)),
                ('added_at', models.DateTimeField(auto_now=True)),
            ],
        ),
        migrations.CreateModel(
            name='Template',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80, unique=True)),
                ('profile', models.CharField(max_length=60)),
                ('values', models.JSONField(default=dict)),
                ('made_by', models.CharField(max_length=150)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Touched',
            fields=[
                ('device', models.CharField(max_length=8, primary_key=True, serialize=False)),
                ('rev', models.PositiveBigIntegerField(unique=True)),
            ],
        ),
        migrations.CreateModel(
            name='Unit',
            fields=[
                ('id', models.CharField(default=netloom_server.installation.models.new_id, max_length=8, primary_key=True, serialize=False)),
                ('maker', models.CharField(blank=True, max_length=120)),
                ('model', models.CharField(blank=True, max_length=120)),
                ('serial', models.CharField(blank=True, db_index=True, max_length=120)),
                ('firmware', models.CharField(blank=True, max_length=60)),
                ('identity_key', models.CharField(blank=True, db_index=True, max_length=250)),
                ('keys', models.JSONField(default=list)),
                ('apart', models.JSONField(default=list)),
                ('ways', models.JSONField(default=dict)),
                ('shared', models.JSONField(default=dict)),
                ('facts', models.JSONField(default=dict)),
                ('guess', models.CharField(blank=True, max_length=200)),
                ('switch', models.JSONField(default=dict)),
                ('read', models.DateTimeField(null=True)),
                ('read_trouble', models.CharField(blank=True, max_length=400)),
                ('running', models.CharField(blank=True, max_length=64)),
                ('startup', models.CharField(blank=True, max_length=64)),
                ('unreadable', models.JSONField(default=dict)),
                ('lost', models.JSONField(default=dict)),
                ('bound', models.JSONField(default=dict)),
                ('secrets', models.JSONField(default=dict)),
                ('pins', models.JSONField(default=dict)),
            ],
        ),
        migrations.CreateModel(
            name='Area',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('archived', models.DateTimeField(null=True)),
                ('parent', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='inside', to='installation.area')),
            ],
        ),
        migrations.CreateModel(
            name='Device',
            fields=[
                ('id', models.CharField(default=netloom_server.installation.models.new_id, max_length=8, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=80)),
                ('profile', models.CharField(blank=True, max_length=60)),
                ('said', models.BooleanField(default=False)),
                ('address', models.CharField(blank=True, max_length=64)),
                ('speed', models.PositiveIntegerField(default=0)),
                ('places', models.JSONField(default=list)),
                ('placed', models.DateTimeField(null=True)),
                ('taken_in', models.BooleanField(default=False)),
                ('status', models.CharField(default='planned', max_length=12)),
                ('methods', models.JSONField(default=list)),
                ('reasons', models.JSONField(default=list)),
                ('seen', models.DateTimeField(null=True)),
                ('intended', models.JSONField(default=dict)),
                ('version', models.PositiveIntegerField(default=1)),
                ('proof', models.JSONField(default=dict)),
                ('proven', models.DateTimeField(null=True)),
                ('counts', models.JSONField(default=dict)),
                ('was', models.JSONField(default=list)),
                ('universe', models.PositiveIntegerField(null=True)),
                ('shares', models.CharField(blank=True, max_length=40)),
                ('area', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, to='installation.area')),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Change',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('time', models.DateTimeField(auto_now_add=True, db_index=True)),
                ('name', models.CharField(max_length=80)),
                ('line', models.CharField(max_length=80)),
                ('address', models.CharField(max_length=64)),
                ('what', models.CharField(max_length=10)),
                ('device', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, to='installation.device')),
            ],
        ),
        migrations.CreateModel(
            name='Fence',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('point', models.CharField(default='', max_length=120)),
                ('why', models.CharField(max_length=200)),
                ('by', models.CharField(max_length=150)),
                ('until', models.DateTimeField()),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='fences', to='installation.device')),
            ],
        ),
        migrations.CreateModel(
            name='Line',
            fields=[
                ('id', models.CharField(default=netloom_server.installation.models.new_id, max_length=8, primary_key=True, serialize=False)),
                ('name', models.CharField(max_length=80, unique=True)),
                ('kind', models.CharField(choices=[('ip', 'IP network'), ('serial', 'Serial line'), ('behind', 'Behind a device')], max_length=8)),
                ('network', models.CharField(blank=True, max_length=32)),
                ('interface', models.CharField(blank=True, max_length=32)),
                ('source', models.CharField(blank=True, max_length=32)),
                ('path', models.CharField(blank=True, max_length=400)),
                ('speed', models.PositiveIntegerField(default=9600)),
                ('protocol', models.CharField(blank=True, max_length=16)),
                ('parity', models.CharField(default='N', max_length=1)),
                ('adapter', models.CharField(blank=True, max_length=200)),
                ('off', models.JSONField(default=list)),
                ('reports', models.JSONField(default=list)),
                ('note', models.CharField(blank=True, max_length=400)),
                ('trouble', models.CharField(blank=True, max_length=400)),
                ('swept', models.DateTimeField(null=True)),
                ('position', models.PositiveIntegerField(default=0)),
                ('archived', models.DateTimeField(null=True)),
                ('rules', models.JSONField(default=dict)),
                ('parent', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='leads', to='installation.device')),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.AddField(
            model_name='device',
            name='line',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='devices', to='installation.line'),
        ),
        migrations.CreateModel(
            name='LineAccess',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('secret', models.BinaryField()),
                ('line', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='access', to='installation.line')),
            ],
        ),
        migrations.CreateModel(
            name='Secret',
            fields=[
                ('id', models.CharField(default=netloom_server.installation.models.new_id, max_length=8, primary_key=True, serialize=False)),
                ('secret', models.BinaryField()),
                ('sent', models.CharField(max_length=30, null=True)),
                ('set_by', models.CharField(max_length=150)),
                ('set_at', models.DateTimeField(auto_now_add=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='secrets', to='installation.device')),
            ],
        ),
        migrations.CreateModel(
            name='SharedLogin',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('profile', models.CharField(default='', max_length=60)),
                ('level', models.CharField(default='', max_length=30)),
                ('user', models.CharField(max_length=120)),
                ('secret', models.BinaryField()),
                ('set_by', models.CharField(max_length=150)),
                ('set_at', models.DateTimeField(auto_now=True)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('profile', 'level'), name='one_shared_login_a_level')],
            },
        ),
        migrations.CreateModel(
            name='Sighting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('run', models.CharField(db_index=True, max_length=12)),
                ('address', models.CharField(max_length=64)),
                ('method', models.CharField(max_length=20)),
                ('facts', models.JSONField(default=dict)),
                ('time', models.DateTimeField(db_index=True)),
                ('device', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='sightings', to='installation.device')),
                ('line', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='installation.line')),
            ],
        ),
        migrations.CreateModel(
            name='Fitting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('since', models.DateTimeField(auto_now_add=True)),
                ('until', models.DateTimeField(null=True)),
                ('by', models.CharField(blank=True, max_length=150)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='fittings', to='installation.device')),
                ('unit', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='fittings', to='installation.unit')),
            ],
        ),
        migrations.AddField(
            model_name='device',
            name='unit',
            field=models.OneToOneField(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='device', to='installation.unit'),
        ),
        migrations.CreateModel(
            name='Credential',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('level', models.CharField(default='', max_length=30)),
                ('user', models.CharField(max_length=120)),
                ('secret', models.BinaryField()),
                ('set_by', models.CharField(max_length=150)),
                ('set_at', models.DateTimeField(auto_now=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='logins', to='installation.device')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('device', 'level'), name='one_login_a_level')],
            },
        ),
        migrations.CreateModel(
            name='Joined',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('by', models.CharField(max_length=150)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='joins', to='installation.device')),
                ('parent', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='joined_by', to='installation.device')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('device', 'name'), name='joins_once')],
            },
        ),
        migrations.CreateModel(
            name='LabelPlace',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('axis', models.CharField(max_length=40)),
                ('number', models.IntegerField()),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='labels', to='installation.device')),
                ('label', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='places', to='installation.label')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('device', 'axis', 'number'), name='one_label_a_place')],
            },
        ),
        migrations.CreateModel(
            name='MonitoredPoint',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('point', models.CharField(max_length=120)),
                ('by', models.CharField(max_length=150)),
                ('seen', models.DateTimeField(null=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='monitored', to='installation.device')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('device', 'point'), name='monitored_once')],
            },
        ),
        migrations.CreateModel(
            name='PointEdge',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('point', models.CharField(max_length=120)),
                ('state', models.CharField(max_length=120)),
                ('cause', models.CharField(default='', max_length=150)),
                ('at', models.DateTimeField(db_index=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='edges', to='installation.device')),
            ],
            options={
                'indexes': [models.Index(fields=['device', 'point', 'id'], name='edges_of_a_point')],
            },
        ),
        migrations.CreateModel(
            name='RefusedLogin',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('mark', models.CharField(max_length=120)),
                ('count', models.PositiveIntegerField()),
                ('line', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='installation.line')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('line', 'mark'), name='one_refused_login')],
            },
        ),
        migrations.CreateModel(
            name='TemplateUse',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField(default=1)),
                ('by', models.CharField(max_length=150)),
                ('at', models.DateTimeField(auto_now=True)),
                ('device', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='templates', to='installation.device')),
                ('template', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='uses', to='installation.template')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('template', 'device'), name='one_use_of_a_template')],
            },
        ),
    ]
