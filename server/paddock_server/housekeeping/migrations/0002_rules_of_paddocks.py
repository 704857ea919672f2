from typing import Any

from django.db import migrations

USUAL_DAYS = 365


def from_paddocks(apps: Any, _: object) -> None:
    """Turns the retention of each paddock into rules. All other records stay forever, as before."""
    rule = apps.get_model("housekeeping", "RetentionRule")
    rule.objects.create(kind="logs and files", days=USUAL_DAYS)
    for paddock in apps.get_model("hosts", "Paddock").objects.exclude(keep_days=USUAL_DAYS):
        rule.objects.create(kind="logs and files", paddock=paddock, days=paddock.keep_days)


class Migration(migrations.Migration):
    dependencies = [("housekeeping", "0001_initial"), ("hosts", "0015_retired_because")]
    operations = [migrations.RunPython(from_paddocks, migrations.RunPython.noop)]
