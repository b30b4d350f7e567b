from django.db import migrations, models

import netloom_server.runs.models


def number(apps, schema_editor):
    runs = apps.get_model("runs", "Run")
    for n, ident in enumerate(runs.objects.order_by("created", "id").values_list("id", flat=True), 1):
        runs.objects.filter(id=ident).update(number=n)


class Migration(migrations.Migration):
    dependencies = [("runs", "0004_event_text")]

    operations = [
        migrations.AddField("run", "number", models.BigIntegerField(default=0, db_index=True)),
        migrations.RunPython(number, migrations.RunPython.noop),
        migrations.AlterField(
            "run", "number", models.BigIntegerField(default=netloom_server.runs.models.next_number, db_index=True)
        ),
        migrations.AlterField("run", "created", models.DateTimeField(auto_now_add=True)),
    ]
