"""The one writer: what it promises to those who hand actions in, and what becomes of a batch that cannot be written."""

from __future__ import annotations

import asyncio
import contextlib
import resource
import sqlite3
import threading
from pathlib import Path

import pytest
from django.db import IntegrityError, OperationalError, connection, transaction

from paddock_server.hosts.models import Paddock
from paddock_server.storage import WriterStopped, action, is_full, rows, run_in_writer, start_writer, stop_writer
from paddock_server.storage import actions as storage_actions
from paddock_server.storage.trouble import BUSY, FULL, trouble_of

pytestmark = pytest.mark.django_db(transaction=True)


@action
def add(name, fails=False):
    made = Paddock.objects.create(name=name)
    if fails:
        raise ValueError(name)
    return made.name


@pytest.fixture
def writer():
    started = start_writer()
    connection.close()  # this thread only reads from now on
    yield started
    stop_writer()
    connection.close()


class Gate:
    """An action that keeps the writer busy until it is opened: what is handed in before that makes one batch."""

    def __init__(self, writer):
        self._open, self._reached = threading.Event(), threading.Event()
        writer.hand_in(self._wait)
        self._reached.wait(10)

    def _wait(self):
        self._reached.set()
        self._open.wait(10)

    def open(self):
        self._open.set()


@contextlib.contextmanager
def no_more_room():
    """The database's files cannot grow, as on a disk that is full."""
    wal = Path(f"{connection.settings_dict['NAME']}-wal")
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (wal.stat().st_size + 4096, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


def names():
    connection.close()
    return set(Paddock.objects.values_list("name", flat=True))


def test_an_action_runs_in_the_writer_and_its_result_is_on_the_disk(writer):
    assert add("shoreline") == "shoreline"
    assert names() == {"shoreline"}


def test_what_waits_is_committed_together_in_its_order(writer):
    gate = Gate(writer)
    before = writer.commits
    order = []
    waiting = [writer.hand_in(lambda i=i: (order.append(i), Paddock.objects.create(name=f"p{i}"))) for i in range(50)]
    gate.open()
    for one in waiting:
        one.result(10)
    assert order == list(range(50))
    assert len(names()) == 50
    assert writer.commits - before <= 5, "fifty actions cost a commit each"


def test_one_that_fails_takes_back_only_itself(writer):
    gate = Gate(writer)
    waiting = [writer.hand_in(lambda i=i: add(f"p{i}", fails=i % 3 == 1)) for i in range(9)]
    gate.open()
    failed = [i for i, one in enumerate(waiting) if one.exception(10)]
    assert failed == [1, 4, 7]
    assert names() == {f"p{i}" for i in range(9)} - {"p1", "p4", "p7"}


def test_of_two_actions_on_one_row_the_first_may_fail(writer):
    add("orchard")

    def change(grace, fails):
        Paddock.objects.filter(name="orchard").update(grace=grace)
        if fails:
            raise ValueError
        return Paddock.objects.get(name="orchard").grace

    gate = Gate(writer)
    first, second = (
        writer.hand_in(lambda: change(90, fails=True)),
        writer.hand_in(lambda: Paddock.objects.get(name="orchard").grace),
    )
    gate.open()
    assert isinstance(first.exception(10), ValueError)
    assert second.result(10) != 90, "the second saw what the first took back"


def test_nothing_leaves_before_its_commit_and_nothing_of_what_failed(writer):
    seen = []

    def announced(name):
        made = add(name)
        transaction.on_commit(lambda: seen.append((made, name in names())))
        return made

    gate = Gate(writer)
    good = writer.hand_in(lambda: announced("heath"))
    bad = writer.hand_in(lambda: (announced("moor"), 1 / 0))
    gate.open()
    assert good.result(10) == "heath"
    assert isinstance(bad.exception(10), ZeroDivisionError)
    assert seen == [("heath", True)]


def test_what_fails_after_the_commit_changes_nothing_about_it(writer, caplog):
    def leaves_trouble():
        transaction.on_commit(lambda: 1 / 0)
        return add("marsh")

    assert writer.hand_in(leaves_trouble).result(10) == "marsh"
    assert add("fen") == "fen"
    assert names() == {"marsh", "fen"}
    assert "follow a commit" in caplog.text


def test_a_batch_that_cannot_be_committed_is_refused_as_a_whole(writer):
    add("before")
    with contextlib.closing(sqlite3.connect(connection.settings_dict["NAME"])) as outside:
        outside.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    gate = Gate(writer)
    small = writer.hand_in(lambda: add("small"))
    failing = writer.hand_in(lambda: 1 / 0)
    large = writer.hand_in(lambda: len([Paddock.objects.create(name=f"{i:060}") for i in range(500)]))
    with no_more_room():
        gate.open()
        assert trouble_of(small.exception(20)) is not None
        assert trouble_of(large.exception(20)) is not None
        assert isinstance(failing.exception(10), ZeroDivisionError), "its own reason is the better one"
        assert names() == {"before"}
    assert add("after") == "after"
    assert names() == {"before", "after"}


def test_an_action_that_does_not_fit_leaves_room_for_the_others(writer):
    def leave_pages(more):
        with connection.cursor() as cursor:
            pages = cursor.execute("PRAGMA page_count").fetchone()[0]
            cursor.execute(f"PRAGMA max_page_count = {pages + more}")

    writer.hand_in(lambda: leave_pages(2)).result(10)
    gate = Gate(writer)
    small = writer.hand_in(lambda: add("small"))
    large = writer.hand_in(lambda: [Paddock.objects.create(name=f"{i:060}") for i in range(5_000)])
    gate.open()
    assert small.result(10) == "small"
    assert trouble_of(large.exception(10)) is FULL
    assert names() == {"small"}
    writer.hand_in(lambda: leave_pages(1_000_000)).result(10)
    assert add("after") == "after"


def test_a_database_that_is_locked_from_outside_is_waited_for(writer):
    outside = sqlite3.connect(connection.settings_dict["NAME"], isolation_level=None, check_same_thread=False)
    outside.execute("BEGIN IMMEDIATE")
    waits = writer.hand_in(lambda: add("patient"))
    threading.Timer(0.5, lambda: outside.execute("COMMIT")).start()
    assert waits.result(20) == "patient"
    outside.close()


def test_one_that_stays_locked_refuses_all_that_waits_at_once(writer):
    with sqlite3.connect(connection.settings_dict["NAME"], isolation_level=None) as outside:
        gate = Gate(writer)
        writer.hand_in(lambda: connection.cursor().execute("PRAGMA busy_timeout = 200"))
        gate.open()
        writer.hand_in(lambda: None).result(10)
        outside.execute("BEGIN IMMEDIATE")
        waiting = [writer.hand_in(lambda i=i: add(f"p{i}")) for i in range(20)]
        assert [trouble_of(one.exception(10)) for one in waiting] == [BUSY] * 20
        outside.execute("ROLLBACK")
    assert add("again") == "again"
    assert names() == {"again"}


def test_other_threads_cannot_write(writer):
    with pytest.raises(OperationalError, match="readonly"):
        Paddock.objects.create(name="beside")
    connection.close()
    assert names() == set()


def test_other_threads_cannot_even_begin_to(writer):
    with pytest.raises(OperationalError, match="readonly"), transaction.atomic():
        pass


def test_one_whose_caller_is_gone_before_it_began_is_not_run(writer):
    gate = Gate(writer)
    gone = writer.hand_in(lambda: add("gone"))
    assert gone.cancel()
    gate.open()
    assert add("there") == "there"
    assert names() == {"there"}


async def test_the_loop_waits_for_an_action_without_standing_still(writer):
    gate = Gate(writer)
    waiting = asyncio.create_task(run_in_writer(add, "late"))
    await asyncio.sleep(0)
    assert not waiting.done()
    gate.open()
    assert await waiting == "late"


def test_a_server_that_stops_writes_what_it_took_and_takes_no_more():
    started = start_writer()
    gate = Gate(started)
    waiting = [started.hand_in(lambda i=i: add(f"p{i}")) for i in range(5)]
    stopping = threading.Thread(target=stop_writer)
    stopping.start()
    gate.open()
    stopping.join(10)
    assert {one.result(1) for one in waiting} == {f"p{i}" for i in range(5)}
    with pytest.raises(WriterStopped):
        started.hand_in(lambda: None)
    connection.close()
    assert add("without a writer") in names()


def test_it_is_said_where_too_much_waits(writer, monkeypatch):
    monkeypatch.setattr(storage_actions, "MAX_QUEUE_LENGTH", 3)
    gate = Gate(writer)
    waiting = [writer.hand_in(lambda: None) for _ in range(4)]
    assert is_full()
    gate.open()
    for one in waiting:
        one.result(10)
    assert not is_full()


def test_rows_written_by_kept_statements_read_back_as_they_were(db):
    paddock = Paddock(name="shoreline", pipelines=["tides/*", "ä"], grace=45)
    rows.insert(paddock)
    read = Paddock.objects.get(pk=paddock.pk)
    assert {f.name: getattr(read, f.name) for f in Paddock._meta.concrete_fields} == {
        f.name: getattr(paddock, f.name) for f in Paddock._meta.concrete_fields
    }
    paddock.pipelines, paddock.grace, paddock.name = [], 60, "not written"
    rows.update(paddock, ["pipelines", "grace"])
    read.refresh_from_db()
    assert (read.pipelines, read.grace, read.name) == ([], 60, "shoreline")
    with pytest.raises(IntegrityError):
        rows.insert(Paddock(name="shoreline"))
