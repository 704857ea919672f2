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
from processes import free_port
from waiting import until

from paddock_server import __version__
from paddock_server.data_folder import locked
from paddock_standins.api_client import Api

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
    assert paddock(data, "--version") == (0, f"Yellow Paddock {__version__}\n")


# ---- databases that earlier versions made, with rows in every table: tools/fill_tables.py ---------------------------

DATABASES = sorted((Path(__file__).parent / "databases").glob("*.sql"))
CHANGED_BY_UPGRADE = {
    "django_migrations",
    "django_content_type",
    "auth_permission",
    "sqlite_sequence",
    "time_line_timeline",
}


@pytest.fixture(params=DATABASES, ids=lambda one: one.stem)
def earlier(request, tmp_path):
    folder = tmp_path / "data"
    folder.mkdir(mode=0o700)
    with closing(sqlite3.connect(folder / "paddock.sqlite3")) as database:
        database.executescript(request.param.read_text())
    return folder


def rows_of(database):
    """By table: the names of its columns, and its rows by their key."""
    found = {}
    with closing(sqlite3.connect(database)) as opened:
        opened.row_factory = sqlite3.Row
        for (table,) in opened.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
            if table not in CHANGED_BY_UPGRADE:
                rows = [dict(row) for row in opened.execute(f'SELECT * FROM "{table}"')]
                found[table] = {next(iter(row.values())): row for row in rows}
    return found


def test_every_row_of_an_earlier_version_survives_the_upgrade(earlier):
    before = rows_of(earlier / "paddock.sqlite3")
    assert min(map(len, (rows for table, rows in before.items() if table.split("_")[0] != "auth"))) >= 1
    code, output = paddock(earlier, "migrate")
    assert (code, "The database from before is" in output) == (0, True), output
    after = rows_of(earlier / "paddock.sqlite3")
    for table, rows in before.items():
        for key, row in rows.items():
            there = after[table][key]
            assert {name: there[name] for name in row if name in there} == {n: v for n, v in row.items() if n in there}
    assert asked(earlier / "paddock.sqlite3", "PRAGMA foreign_key_check") == []
    assert asked(earlier / "paddock.sqlite3", "PRAGMA integrity_check") == [("ok",)]
    (copy,) = (earlier / "before-upgrade").glob("*.sqlite3")
    assert rows_of(copy) == before
    assert paddock(earlier, "migrate") == (0, "The database is of this version.\n")


def test_a_server_starts_on_the_database_of_an_earlier_version(earlier):
    port = free_port()
    environment = {**os.environ, "PADDOCK_DATA": str(earlier)}
    server = subprocess.Popen(
        [BIN / "paddock", "serve", "--port", str(port)], env=environment, stderr=subprocess.PIPE, text=True
    )
    try:
        until(Api(f"http://127.0.0.1:{port}").is_up, "the upgraded server")
    finally:
        server.terminate()
        _, output = server.communicate(timeout=30)
    assert "The database was upgraded." in output
    assert "Traceback" not in output


def test_what_paddocks_said_of_their_files_became_rules(earlier):
    if "keep_days" not in rows_of(earlier / "paddock.sqlite3")["hosts_paddock"][1]:
        pytest.skip("made after that")
    assert paddock(earlier, "migrate")[0] == 0
    rules = asked(
        earlier / "paddock.sqlite3",
        "SELECT kind, coalesce(name, ''), days FROM housekeeping_retentionrule "
        "LEFT JOIN hosts_paddock p ON p.id = paddock_id",
    )
    assert rules == [("logs and files", "", 365), ("logs and files", "name-0", 1), ("logs and files", "name-1", 2)]
