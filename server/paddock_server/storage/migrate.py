"""Brings the database up to this version of the program, after a copy of it; refuses one of a later version."""

from __future__ import annotations

import contextlib
import sqlite3
from datetime import UTC, datetime
from enum import Enum
from pathlib import Path

from django.apps import apps
from django.conf import settings
from django.core.management import call_command
from django.db import connection, transaction
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.loader import MigrationLoader

from paddock_core.backups import superfluous

from .. import __version__
from .copy import copy_database
from .new_database import fill_new_database

RENAMED_APPS = {"care": "maintenance", "telling": "notifications"}
"""Apps that earlier versions had under another name. Django knows an app's tables and migrations by that name."""


KEPT_COPIES = 3
"""Copies of the database from before an upgrade; older ones are removed."""


class DatabaseRefused(Exception):
    """The database is not of this version, and is left as it is; the text says what to do."""


class DatabaseState(Enum):
    """How the database stands to the program."""

    NEW = "new"
    CURRENT = "current"
    OLDER = "older"
    NEWER = "newer"


def database_state() -> DatabaseState:
    """By the migrations that were applied, and those that the program has."""
    if "django_migrations" not in connection.introspection.table_names():
        return DatabaseState.NEW
    executor = MigrationExecutor(connection)
    applied = set(executor.loader.applied_migrations)
    if later_migrations(applied):
        return DatabaseState.NEWER
    is_renamed = any(app in RENAMED_APPS for app, _ in applied)
    pending = executor.migration_plan(executor.loader.graph.leaf_nodes())
    return DatabaseState.OLDER if pending or is_renamed else DatabaseState.CURRENT


def migrate() -> Path | None:
    """Applies what is pending. Before an upgrade the database is copied; returns where the copy is, None where there
    was nothing to upgrade. Raises DatabaseRefused for a database of a later version, and where it cannot be copied."""
    state = database_state()
    if state is DatabaseState.NEWER:
        raise DatabaseRefused(_newer())
    if state is DatabaseState.NEW and not connection.introspection.table_names():
        fill_new_database()
        state = database_state()
    copy = _copy_before_upgrade() if state is DatabaseState.OLDER else None
    if state is not DatabaseState.CURRENT:
        _rename_apps()
        call_command("migrate", verbosity=0, interactive=False)
    return copy


def demand_current() -> None:
    """For commands beside the server: a database that is not there yet is made, and any other has to be of this
    version. Raises DatabaseRefused."""
    state = database_state()
    if state is DatabaseState.NEW:
        migrate()
    elif state is DatabaseState.NEWER:
        raise DatabaseRefused(_newer())
    elif state is DatabaseState.OLDER:
        raise DatabaseRefused(
            f"The database in {settings.DATA} is of an earlier version. Start the server, which upgrades it, or run "
            "`paddock migrate` while it is stopped."
        )


def _copy_before_upgrade() -> Path:
    folder = Path(settings.DATA) / "before-upgrade"
    target = folder / f"paddock-{datetime.now(UTC):%Y%m%d-%H%M%S}.sqlite3"
    fresh = target.with_suffix(".new")
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
        copy_database(Path(connection.settings_dict["NAME"]), fresh)
        fresh.replace(target)
    except (sqlite3.Error, OSError) as error:
        with contextlib.suppress(OSError):
            fresh.unlink()
        raise DatabaseRefused(
            f"The database could not be copied to {folder} before the upgrade: {error}. It was not changed. Make room "
            "or mend the rights there, and start again."
        ) from None
    for old in superfluous((one.stem for one in folder.glob("*.sqlite3")), KEPT_COPIES, target.stem):
        (folder / f"{old}.sqlite3").unlink()
    return target


def later_migrations(applied: set[tuple[str, str]]) -> list[tuple[str, str]]:
    """The ``applied`` migrations of our own apps, as pairs of app and name, that this program does not have. Those of
    apps that are gone are none of them."""
    known = set(MigrationLoader(None).disk_migrations or ())
    unknown = {(RENAMED_APPS.get(app, app), name) for app, name in applied} - known
    own = {config.label for config in apps.get_app_configs() if config.name.startswith("paddock_server.")}
    return sorted((app, name) for app, name in unknown if app in own)


def _newer() -> str:
    return (
        f"The database in {settings.DATA} is of a later version than this program ({__version__}), and was left as it "
        f"is. Install that version again, or go back to a copy from before the upgrade: "
        f"{Path(settings.DATA) / 'before-upgrade'}."
    )


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
