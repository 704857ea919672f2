"""Brings the database up to this version of the program."""

from __future__ import annotations

from django.core.management import call_command
from django.db import connection, transaction

RENAMED_APPS = {"care": "maintenance", "telling": "notifications"}
"""Apps that earlier versions had under another name. Django knows an app's tables and migrations by that name."""


def migrate() -> None:
    """Renames what the earlier apps left, then applies all migrations."""
    _rename_apps()
    call_command("migrate", verbosity=0, interactive=False)


def _rename_apps() -> None:
    """The new names of the tables are those that the first migrations of an app give, so later ones find them."""
    with transaction.atomic(), connection.cursor() as cursor:
        tables = connection.introspection.table_names(cursor)
        if "django_migrations" not in tables:
            return
        for old, new in RENAMED_APPS.items():
            for table in tables:
                if table.startswith(f"{old}_"):
                    renamed = f"{new}{table.removeprefix(old)}"
                    cursor.execute(
                        f"ALTER TABLE {connection.ops.quote_name(table)} RENAME TO {connection.ops.quote_name(renamed)}"
                    )
            cursor.execute("UPDATE django_migrations SET app = %s WHERE app = %s", [new, old])
            if "django_content_type" in tables:
                cursor.execute("UPDATE django_content_type SET app_label = %s WHERE app_label = %s", [new, old])
