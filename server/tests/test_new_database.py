"""A new server's database is that which the migrations make, one after the other."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from paddock_server.storage.new_database import SCRIPT

TOOL = Path(__file__).parents[2] / "tools" / "new_database.py"
CUT = """
import pathlib
import django
django.setup()
from paddock_server.storage import new_database
from paddock_server.storage.migrate import database_state, migrate
whole = new_database.SCRIPT
text = whole.read_text()
new_database.SCRIPT = pathlib.Path(django.conf.settings.DATA) / "cut.sql"
new_database.SCRIPT.write_text(text[: len(text) // 2] + " nonsense;")
try:
    migrate()
except Exception as error:
    print(type(error).__name__, database_state().value)
new_database.SCRIPT = whole
print(migrate(), database_state().value)
"""


def environment(tmp_path):
    return {**os.environ, "PADDOCK_DATA": str(tmp_path), "DJANGO_SETTINGS_MODULE": "paddock_server.settings"}


def test_the_script_makes_what_the_migrations_make():
    made = subprocess.run([sys.executable, TOOL, "--print"], capture_output=True, text=True, check=True)
    if made.stdout != SCRIPT.read_text():
        pytest.fail("new_database.sql is not what the migrations make: run `make new-database`")


def test_one_that_is_cut_off_leaves_nothing_and_is_made_again(tmp_path):
    tmp_path.chmod(0o700)
    done = subprocess.run(
        [sys.executable, "-c", CUT], env=environment(tmp_path), capture_output=True, text=True, check=False
    )
    assert done.stdout.splitlines() == ["OperationalError new", "None current"], done.stderr
