"""A database of an earlier version keeps its rows when two apps and their models get other names."""

from __future__ import annotations

import json
import os
import subprocess
import sys

OLD_DATABASE = """
import django
django.setup()
from django.core.management import call_command
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.utils import timezone

targets = [("maintenance", "0003_times_ahead"), ("notifications", "0002_sealed")]
call_command("migrate", "hosts", verbosity=0)
for target in targets:
    call_command("migrate", *target, verbosity=0)
loader = MigrationLoader(connection)
apps = loader.project_state([*targets, *loader.graph.leaf_nodes("hosts")]).apps
now = timezone.now()
paddock = apps.get_model("hosts", "Paddock").objects.create(name="shoreline")
user = apps.get_model("auth", "User").objects.create(username="deckhand")
care = apps.get_model("maintenance", "Care").objects.create(
    what="new disks", paddock=paddock, starts_at=now, ends_at=now, uid="disks")
apps.get_model("maintenance", "CareTime").objects.create(care=care, starts_at=now, ends_at=now, held=[7])
apps.get_model("maintenance", "CareFeed").objects.create(user=user, digest="d", made_at=now)
rule = apps.get_model("notifications", "Telling").objects.create(name="office", kind="mail", tells_ends=False)
finding = apps.get_model("health", "Finding").objects.create(key="k", since=now, opened_at=now)
delivery = apps.get_model("notifications", "Delivery").objects.create(telling=rule, due_at=now, subject="s")
apps.get_model("notifications", "Told").objects.create(delivery=delivery, finding=finding, event="opened", at=now)
with connection.cursor() as cursor:
    for new, old in (("maintenance", "care"), ("notifications", "telling")):
        for table in connection.introspection.table_names(cursor):
            if table.startswith(new + "_"):
                cursor.execute(f"ALTER TABLE {table} RENAME TO {old}{table.removeprefix(new)}")
        cursor.execute("UPDATE django_migrations SET app = %s WHERE app = %s", [old, new])
"""
UPGRADE = """
import json
import django
django.setup()
from paddock_server.storage.migrate import migrate
migrate()
migrate()
from paddock_server.maintenance.models import CalendarAddress, MaintenanceTime
from paddock_server.notifications.models import DeliveryItem
time, item = MaintenanceTime.objects.get(), DeliveryItem.objects.get()
from django.db import connection
print(json.dumps([
    time.window.what, time.window.paddock.name, time.held, CalendarAddress.objects.get().user.username,
    item.delivery.rule.name, item.delivery.rule.notifies_when_closed, item.finding.key,
    [name for name in connection.introspection.table_names() if name.startswith(("care_", "telling_"))],
]))
"""


def test_rows_survive_the_new_names_of_apps_and_models(tmp_path):
    environment = {**os.environ, "PADDOCK_DATA": str(tmp_path), "DJANGO_SETTINGS_MODULE": "paddock_server.settings"}
    for script in (OLD_DATABASE, UPGRADE):
        done = subprocess.run([sys.executable, "-c", script], env=environment, capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == ["new disks", "shoreline", [7], "deckhand", "office", False, "k", []]
