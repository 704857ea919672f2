"""Writes server/paddock_server/storage/new_database.sql from what the migrations make. Run it after a new migration."""

from __future__ import annotations

import os
import sqlite3
import sys
import tempfile


def migrated_script() -> str:
    """The script of a database that the migrations made, in the folder that PADDOCK_DATA names."""
    import django

    django.setup()
    from django.conf import settings
    from django.core.management import call_command
    from django.db import connection

    from paddock_server.storage.new_database import script_of

    call_command("migrate", verbosity=0, interactive=False)
    connection.close()
    return script_of(sqlite3.connect(settings.DATABASES["default"]["NAME"]))


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(PADDOCK_DATA=folder, DJANGO_SETTINGS_MODULE="paddock_server.settings")
        script = migrated_script()
        if sys.argv[1:] == ["--print"]:
            sys.stdout.write(script)
        else:
            from paddock_server.storage.new_database import SCRIPT

            SCRIPT.write_text(script)
