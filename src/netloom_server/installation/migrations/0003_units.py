"""Device and unit become two records: what is fitted at a position moves out of it, with all that was read."""

from __future__ import annotations

import django.db.models.deletion
import netloom_server.installation.models
import orjson
from django.db import migrations, models
from netloom_core.backup.verify import losses

MOVED = (
    "maker", "model", "serial", "firmware", "identity_key", "keys", "apart", "facts", "guess", "switch",
    "read", "read_trouble", "running", "startup",
)


def part(apps, schema_editor):
    Device = apps.get_model("installation", "Device")
    Unit = apps.get_model("installation", "Unit")
    Fitting = apps.get_model("installation", "Fitting")

    def document(name):
        """Asked for without the model: that app begins with this one's devices, and must not come before their units."""
        with schema_editor.connection.cursor() as cursor:
            found = cursor.execute("SELECT body FROM backups_document WHERE digest = %s", [name]).fetchone()
        return orjson.loads(bytes(found[0])) if found else {}

    for device in Device.objects.all().iterator():
        fitted = any(getattr(device, name) for name in MOVED)
        device.placed = device.seen
        if fitted:
            unit = Unit(id=netloom_server.installation.models.new_id())
            for name in MOVED:
                setattr(unit, name, getattr(device, name))
            if device.earlier and device.earlier_startup:
                before = (document(device.earlier), document(device.earlier_startup))
                unit.lost = losses(before, (document(device.running), document(device.startup)), {})
            unit.save()
            device.unit = unit
            Fitting.objects.create(device=device, unit=unit)
        device.save()


class Migration(migrations.Migration):
    dependencies = [("installation", "0002_survey")]

    operations = [
        migrations.CreateModel(
            name="Unit",
            fields=[
                ("id", models.CharField(default=netloom_server.installation.models.new_id, max_length=8, primary_key=True, serialize=False)),
                ("maker", models.CharField(blank=True, max_length=120)),
                ("model", models.CharField(blank=True, max_length=120)),
                ("serial", models.CharField(blank=True, db_index=True, max_length=120)),
                ("firmware", models.CharField(blank=True, max_length=60)),
                ("identity_key", models.CharField(blank=True, db_index=True, max_length=250)),
                ("keys", models.JSONField(default=list)),
                ("apart", models.JSONField(default=list)),
                ("facts", models.JSONField(default=dict)),
                ("guess", models.CharField(blank=True, max_length=200)),
                ("switch", models.JSONField(default=dict)),
                ("read", models.DateTimeField(null=True)),
                ("read_trouble", models.CharField(blank=True, max_length=400)),
                ("running", models.CharField(blank=True, max_length=64)),
                ("startup", models.CharField(blank=True, max_length=64)),
                ("lost", models.JSONField(default=dict)),
                ("secrets", models.JSONField(default=dict)),
            ],
        ),
        migrations.AddField("device", "unit", models.OneToOneField(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="device", to="installation.unit")),
        migrations.AddField("device", "placed", models.DateTimeField(null=True)),
        migrations.AddField("device", "was", models.JSONField(default=list)),
        migrations.CreateModel(
            name="Fitting",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("since", models.DateTimeField(auto_now_add=True)),
                ("until", models.DateTimeField(null=True)),
                ("by", models.CharField(blank=True, max_length=150)),
                ("device", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="fittings", to="installation.device")),
                ("unit", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="fittings", to="installation.unit")),
            ],
        ),
        migrations.CreateModel(
            name="Secret",
            fields=[
                ("id", models.CharField(default=netloom_server.installation.models.new_id, max_length=8, primary_key=True, serialize=False)),
                ("secret", models.BinaryField()),
                ("set_by", models.CharField(max_length=150)),
                ("set_at", models.DateTimeField(auto_now_add=True)),
                ("device", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="secrets", to="installation.device")),
            ],
        ),
        migrations.AlterField(
            "line", "parent",
            models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="leads", to="installation.device"),
        ),
        migrations.RunPython(part),
    ]
