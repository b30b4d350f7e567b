from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("backups", "0002_number")]
    operations = [migrations.AddField("backup", "holes", models.JSONField(default=dict))]
