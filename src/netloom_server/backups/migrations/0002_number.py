from django.db import migrations, models

import netloom_server.backups.models


def number(apps, schema_editor):
    backups = apps.get_model("backups", "Backup")
    for n, ident in enumerate(backups.objects.order_by("taken", "id").values_list("id", flat=True), 1):
        backups.objects.filter(id=ident).update(number=n)


class Migration(migrations.Migration):
    dependencies = [("backups", "0001_initial")]

    operations = [
        migrations.AlterModelOptions(name="backup", options={"ordering": ["-number", "-id"]}),
        migrations.AddField("backup", "number", models.BigIntegerField(default=0, db_index=True)),
        migrations.RunPython(number, migrations.RunPython.noop),
        migrations.AlterField(
            "backup", "number", models.BigIntegerField(default=netloom_server.backups.models.next_number, db_index=True)
        ),
    ]
