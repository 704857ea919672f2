"""Connections to the database are kept for whoever needs one next, and one that was left in a transaction is not."""

import threading

import pytest
from django.db import connections

from paddock_server.pooled_sqlite.base import MAX_IDLE, DatabaseWrapper


@pytest.fixture
def opened(tmp_path):
    """Makes wrappers, as threads have them, around one database of the test's own."""
    settings = {**connections["default"].settings_dict, "NAME": str(tmp_path / "own.sqlite3")}
    made = []

    def make():
        made.append(DatabaseWrapper(settings, "own"))
        made[-1].inc_thread_sharing()
        return made[-1]

    with make().cursor() as cursor:
        cursor.execute("CREATE TABLE buoy (name TEXT)")
    made[0].close()
    yield make
    for one in made:
        one.close()


def connected(wrapper):
    wrapper.ensure_connection()
    return wrapper.connection


def names(wrapper):
    with wrapper.cursor() as cursor:
        return [name for (name,) in cursor.execute("SELECT name FROM buoy")]


def test_what_is_closed_is_used_by_the_next_in_whichever_thread(opened):
    first, second = opened(), opened()
    used = connected(first)
    first.close()
    assert first.connection is None
    seen = []
    thread = threading.Thread(target=lambda: seen.append(connected(second)))
    thread.start()
    thread.join()
    assert seen == [used]
    second.close()


def test_no_two_have_the_same_at_a_time(opened):
    wrappers = [opened() for _ in range(4)]
    assert len({id(connected(one)) for one in wrappers}) == 4


def test_what_was_not_committed_is_rolled_back_and_its_connection_is_gone(opened):
    broken, sound = opened(), opened()
    used = connected(broken)
    with broken.cursor() as cursor:
        broken.set_autocommit(False, force_begin_transaction_with_broken_autocommit=True)
        cursor.execute("INSERT INTO buoy VALUES ('lost')")
    assert used.in_transaction
    broken.close()
    assert names(sound) == []
    assert sound.connection is not used


def test_the_settings_of_a_kept_connection_are_those_of_a_fresh_one(opened):
    one = opened()
    connected(one)
    one.close()
    with one.cursor() as cursor:
        opened = [
            cursor.execute(f"PRAGMA {name}").fetchone()[0] for name in ("journal_mode", "foreign_keys", "synchronous")
        ]
    assert opened == ["wal", 1, 2]


def test_no_more_are_kept_idle_than_a_few(opened):
    wrappers = [opened() for _ in range(MAX_IDLE + 3)]
    used = {id(connected(one)): one.connection for one in wrappers}
    for one in wrappers:
        one.close()
    again = {id(connected(one)) for one in wrappers}
    assert len(again & used.keys()) == MAX_IDLE
