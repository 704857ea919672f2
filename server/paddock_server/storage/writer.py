"""The one writer of a running server: a thread with a connection of its own, in which every action runs.

What is guaranteed:

- Actions run one after the other, in the order in which they were handed in. None sees half of another.
- One that raises takes back what it did itself, and nothing of the others: each has a savepoint, but for the first of
  a batch, which needs none. What it left with ``on_rollback`` is done then.
- What is handed in while others are at work is committed together with them, and lies on the disk afterwards
  (``synchronous=FULL``): one commit for many actions.
- A caller hears of its action, and what the action left with ``transaction.on_commit`` is done, only after that commit.
  So nothing leaves the server that could still be lost.
- What actions asked for with ``before_commit`` is done once at the end of the batch, before its commit.
- Where the commit fails (the disk is full, the database is locked from outside), every action of the batch fails with
  the reason, and none of them has changed anything.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any, TypeVar

from django.db import connection, transaction

log = logging.getLogger("paddock.storage")

T = TypeVar("T")

MAX_BATCH_SECONDS = 0.05
"""Seconds of work after which a batch is committed, whatever waits behind it: whoever was first waits no longer."""
MAX_BATCH_LENGTH = 200


Callback = Callable[[], object]


class WriterStopped(Exception):
    """The server is stopping: nothing is written any more."""


class _FirstFailed(Exception):
    """The first action of a batch raised: there is nothing in the transaction but what it did."""


class _BatchLost(Exception):
    """The transaction went with the action: SQLite rolls back as a whole where it cannot write."""


@dataclass
class _Work:
    """An action that was handed in. ``result`` is what it returned in this batch, until the batch is committed."""

    call: Callable[[], Any]
    future: Future[Any] = field(default_factory=Future)
    result: Any = None
    error: BaseException | None = None

    def tell(self) -> None:
        """Tells the caller."""
        if self.error is not None:
            self.future.set_exception(self.error)
        else:
            self.future.set_result(self.result)


class Writer:
    """See the module. ``hand_in`` may be called from every thread but the writer's own."""

    def __init__(self) -> None:
        self._waiting: deque[_Work] = deque()
        self._changed = threading.Condition()
        self._stops = False
        self.thread = threading.Thread(target=self._run, name="writer", daemon=True)
        self.commits = 0
        """How many batches were committed."""
        self._undo: list[Callback] = []
        self._last: dict[Callback, None] = {}

    def start(self) -> None:
        """Starts the thread."""
        self.thread.start()

    def stop(self) -> None:
        """Ends the thread once all that was handed in is done."""
        with self._changed:
            self._stops = True
            self._changed.notify()
        self.thread.join()

    def is_current_thread(self) -> bool:
        """Whether the caller is an action."""
        return threading.current_thread() is self.thread

    def on_rollback(self, callback: Callback) -> None:
        """For an action: what is to be done if what it has written so far is taken back."""
        self._undo.append(callback)

    def before_commit(self, function: Callback) -> None:
        """For an action: what is to be done at the end of its batch, once for all that ask for it. What it writes, it
        writes in a savepoint of its own."""
        self._last[function] = None

    @contextlib.contextmanager
    def taking_back(self) -> Iterator[None]:
        """What is done within is undone in memory as well where it raises."""
        mark = len(self._undo)
        try:
            yield
        except BaseException:
            self._roll_back(mark)
            raise

    def _roll_back(self, mark: int) -> None:
        callbacks, self._undo[mark:] = self._undo[mark:], []
        for callback in reversed(callbacks):
            callback()

    def hand_in(self, call: Callable[[], T]) -> Future[T]:
        """Puts an action at the end of the queue. Raises WriterStopped."""
        work = _Work(call)
        with self._changed:
            if self._stops:
                raise WriterStopped("The server is stopping.")
            self._waiting.append(work)
            self._changed.notify()
        return work.future

    def __len__(self) -> int:
        """How many actions wait."""
        return len(self._waiting)

    def _run(self) -> None:
        while first := self._next(patient=True):
            self._work_off(first)
        connection.close()

    def _next(self, patient: bool) -> _Work | None:
        """The next whose caller still waits; None if there is none now, or ever where ``patient``."""
        with self._changed:
            while True:
                while self._waiting:
                    work = self._waiting.popleft()
                    if work.future.set_running_or_notify_cancel():
                        return work
                if not patient or self._stops:
                    return None
                self._changed.wait()

    def _all_waiting(self) -> list[_Work]:
        return list(iter(lambda: self._next(patient=False), None))

    def _work_off(self, first: _Work) -> None:
        batch: list[_Work] = []
        committed = False

        def note_commit() -> None:
            nonlocal committed
            committed = True

        try:
            with self.taking_back(), transaction.atomic():
                transaction.on_commit(note_commit)
                self._do_all(first, batch)
        except _FirstFailed as failed:
            batch = [first]
            first.error = failed.__cause__
        except BaseException as error:
            if committed:  # what was to be done after it failed, which changes nothing about it
                log.exception("Something that was to follow a commit failed.")
            else:
                # Before the first action: the database is held from outside. What waits would find out the same, each
                # after as long a wait.
                batch = batch or [first, *self._all_waiting()]
                self._lose(batch, error.__cause__ if isinstance(error, _BatchLost) and error.__cause__ else error)
        if committed:
            self.commits += 1
        self._undo.clear()
        for work in batch:
            work.tell()

    def _do_all(self, first: _Work, batch: list[_Work]) -> None:
        ends = time.monotonic() + MAX_BATCH_SECONDS
        try:
            first.result = first.call()
        except BaseException as error:
            raise _FirstFailed from error
        batch.append(first)
        while len(batch) < MAX_BATCH_LENGTH and time.monotonic() < ends and (work := self._next(patient=False)):
            batch.append(work)
            self._do(work)
        while self._last:
            asked, self._last = self._last, {}
            for function in asked:
                self._do_last(function)

    def _do_last(self, function: Callback) -> None:
        try:
            function()
        except Exception as error:
            if connection.needs_rollback or not connection.connection.in_transaction:
                raise _BatchLost from error
            log.exception("What was to be done before a commit failed.")

    def _do(self, work: _Work) -> None:
        try:
            with self.taking_back(), transaction.atomic():
                work.result = work.call()
        except BaseException as error:
            if not connection.connection.in_transaction:
                raise _BatchLost from error
            work.error = error

    def _lose(self, batch: list[_Work], cause: BaseException) -> None:
        """Nothing of the batch was written: all of it fails with the cause, but for what had failed by itself."""
        for work in batch:
            work.error = work.error or cause
        log.error("A batch of %d could not be written: %s", len(batch), cause)
        if not connection.in_atomic_block:
            connection.close()
