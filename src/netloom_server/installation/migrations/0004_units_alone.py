"""What moved to units goes from devices."""

from django.db import migrations

MOVED = (
    "maker", "model", "serial", "firmware", "identity_key", "keys", "apart", "facts", "guess", "switch",
    "read", "read_trouble", "running", "startup", "earlier", "earlier_startup",
)


class Migration(migrations.Migration):
    dependencies = [("installation", "0003_units")]
    operations = [migrations.RemoveField("device", name) for name in MOVED]
