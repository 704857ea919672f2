"""A database of another version: upgraded after a copy, or refused and left as it is."""

from __future__ import annotations

import hashlib
import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest

from paddock_server.data_folder import locked

BIN = Path(sys.executable).parent


def paddock(data, *arguments):
    environment = {**os.environ, "PADDOCK_DATA": str(data), "PADDOCK_PASSWORD": "a long enough secret"}
    done = subprocess.run(
        [BIN / "paddock", *arguments], env=environment, capture_output=True, text=True, timeout=120, check=False
    )
    return done.returncode, done.stdout + done.stderr


def asked(database, query, *values):
    with closing(sqlite3.connect(database)) as opened:
        found = opened.execute(query, values).fetchall()
        opened.commit()
    return found


def content_of(database):
    with closing(sqlite3.connect(database)) as opened:
        return hashlib.sha256("\n".join(opened.iterdump()).encode()).hexdigest()


@pytest.fixture(scope="module")
def made_once(tmp_path_factory):
    folder = tmp_path_factory.mktemp("made") / "data"
    assert paddock(folder, "user", "harbourmaster", "--role", "administrator")[0] == 0
    return folder


@pytest.fixture
def data(made_once, tmp_path):
    return Path(shutil.copytree(made_once, tmp_path / "data"))


@pytest.fixture
def older(data):
    """As the version before the last migration of the logbook had it."""
    database = data / "paddock.sqlite3"
    asked(database, "DROP TABLE logbook_syslogposition")
    asked(database, "DELETE FROM django_migrations WHERE app = 'logbook' AND name LIKE '%syslog%'")
    return database


def test_a_database_of_this_version_needs_no_upgrade(data):
    assert paddock(data, "migrate") == (0, "The database is of this version.\n")
    assert not (data / "before-upgrade").exists()


def test_an_older_database_is_upgraded_after_a_copy_and_by_no_other_command(data, older):
    before = content_of(older)
    code, output = paddock(data, "user", "boatswain")
    assert (code, "Start the server, which upgrades it, or run `paddock migrate`" in output) == (1, True)
    assert content_of(older) == before
    code, output = paddock(data, "migrate")
    (copy,) = (data / "before-upgrade").iterdir()
    assert (code, str(copy) in output) == (0, True)
    assert content_of(copy) == before
    assert copy.stat().st_mode & 0o077 == 0
    assert asked(older, "SELECT count(*) FROM logbook_syslogposition") == [(0,)]
    assert paddock(data, "user", "boatswain")[0] == 0


@pytest.mark.parametrize("command", [("migrate",), ("serve", "--port", "0"), ("user", "boatswain"), ("rescue", "x")])
def test_a_newer_database_is_refused_and_left_as_it_is(data, command):
    database = data / "paddock.sqlite3"
    query = "INSERT INTO django_migrations (app, name, applied) VALUES ('work', '9999_later', '2031-05-04')"
    asked(database, query)
    before = content_of(database)
    code, output = paddock(data, *command)
    assert (code, "of a later version than this program" in output) == (1, True)
    assert "before-upgrade" in output
    assert content_of(database) == before


def test_migrations_of_libraries_that_are_gone_are_no_later_version(data):
    query = "INSERT INTO django_migrations (app, name, applied) VALUES (?, '0001_initial', '2031-05-04')"
    for app in ("sessions", "some_library"):
        asked(data / "paddock.sqlite3", query, app)
    assert paddock(data, "migrate")[0] == 0


def test_without_room_for_a_copy_nothing_is_changed(data, older):
    (data / "before-upgrade").write_text("in the way")
    before = content_of(older)
    code, output = paddock(data, "migrate")
    assert (code, "could not be copied" in output and "It was not changed" in output) == (1, True), output
    assert content_of(older) == before


def test_three_copies_stay(data, older):
    folder = data / "before-upgrade"
    folder.mkdir()
    for year in range(2020, 2024):
        (folder / f"paddock-{year}0101-000000.sqlite3").touch()
    assert paddock(data, "migrate")[0] == 0
    left = sorted(one.name for one in folder.iterdir())
    assert left[:2] == ["paddock-20220101-000000.sqlite3", "paddock-20230101-000000.sqlite3"]
    assert len(left) == 3


def test_the_new_copy_stays_though_the_clock_was_set_back(data, older):
    folder = data / "before-upgrade"
    folder.mkdir()
    for year in range(2090, 2095):
        (folder / f"paddock-{year}0101-000000.sqlite3").touch()
    before = content_of(older)
    assert paddock(data, "migrate")[0] == 0
    assert before in {content_of(one) for one in folder.iterdir()}
    assert len(list(folder.iterdir())) == 3


def test_the_database_of_a_running_server_is_not_upgraded_beside_it(data, older):
    with locked(data):
        code, output = paddock(data, "migrate")
    assert (code, "already uses the data folder" in output) == (1, True)


def test_the_version(data):
    assert paddock(data, "--version") == (0, "Yellow Paddock 0.1.0\n")
