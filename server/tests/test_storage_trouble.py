"""Storage failures are recognised and reported."""

from __future__ import annotations

import errno
import sqlite3

import pytest
from django.db import OperationalError
from django.test import RequestFactory

from paddock_server import web
from paddock_server.errors import Invalid
from paddock_server.rest.problems import handle
from paddock_server.storage import trouble as storage_trouble
from paddock_server.storage.trouble import BUSY, FULL, READ_ONLY, look, trouble_of


def provoked(database, statement):
    with pytest.raises(sqlite3.OperationalError) as raised:
        database.execute(statement)
    return raised.value


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "paddock.sqlite3"
    with sqlite3.connect(path) as made:
        made.execute("CREATE TABLE thing (name TEXT)")
    return path


def test_sqlites_own_words_are_known(file):
    with sqlite3.connect(file, isolation_level=None) as holder:
        holder.execute("BEGIN EXCLUSIVE")
        busy = provoked(sqlite3.connect(file, timeout=0.01), "INSERT INTO thing VALUES ('x')")
        holder.execute("ROLLBACK")
    read_only = provoked(sqlite3.connect(f"file:{file}?mode=ro", uri=True), "INSERT INTO thing VALUES ('x')")
    small = sqlite3.connect(file)
    small.execute("PRAGMA max_page_count = 2")
    full = provoked(small, f"INSERT INTO thing VALUES ('{'x' * 100_000}')")
    assert [trouble_of(one) for one in (busy, read_only, full)] == [BUSY, READ_ONLY, FULL]


@pytest.mark.parametrize(
    ("error", "trouble"),
    [
        (OSError(errno.ENOSPC, "no space"), FULL),
        (OSError(errno.EDQUOT, "quota"), FULL),
        (OSError(errno.EROFS, "read-only"), READ_ONLY),
        (PermissionError(errno.EACCES, "no"), READ_ONLY),
        (ConnectionResetError(errno.ECONNRESET, "gone"), None),
        (OperationalError("no such table: x"), None),
        (ValueError("locked"), None),
    ],
)
def test_what_is_about_the_storage_and_what_is_not(error, trouble):
    assert trouble_of(error) is trouble


def test_the_api_and_other_views_say_it():
    answer = handle(OperationalError("database is locked"), {})
    assert (answer.status_code, answer["Retry-After"]) == (503, "10")
    assert "Nothing was changed" in answer.data["detail"]
    assert handle(Invalid("x"), {}).status_code == 400
    middleware = web.SaidTrouble(lambda request: None)
    request = RequestFactory().get("/")
    assert middleware.process_exception(request, OSError(errno.ENOSPC, "full")).status_code == 507
    assert middleware.process_exception(request, ValueError("other")) is None


def test_a_look_writes_and_leaves_nothing(file, tmp_path, monkeypatch):
    before = sorted(tmp_path.iterdir())
    assert look(tmp_path, file) is None
    assert sorted(one for one in tmp_path.iterdir() if one.suffix != ".sqlite3-journal") == before
    with sqlite3.connect(file, isolation_level=None) as holder:
        holder.execute("BEGIN EXCLUSIVE")
        assert look(tmp_path, file, patience=0.01) is BUSY
        holder.execute("ROLLBACK")
    assert look(tmp_path / "gone", file) is READ_ONLY
    monkeypatch.setattr(storage_trouble, "LEAST_FREE", 2**62)
    assert look(tmp_path, file) is FULL
