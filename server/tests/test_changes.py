"""What is announced, heard and rolled back; and the state of a process."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import transaction

from paddock_server.changes import Change, Signal, announce, changed
from paddock_server.process.state import State


@pytest.fixture
def heard(monkeypatch):
    found = []
    monkeypatch.setattr(changed, "_subscribers", [found.append])
    return found


def test_a_change_is_heard_after_the_commit_and_never_if_it_was_rolled_back(heard, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        announce("host", "avocet-01", "shoreline")
        assert heard == []
        with pytest.raises(ValueError, match="no"), transaction.atomic():
            announce("host", "avocet-02")
            raise ValueError("no")
    assert heard == [Change("host", "avocet-01", "shoreline")]


def test_a_signal_calls_each_subscriber_once_in_their_order_and_passes_an_error_on():
    signal, heard = Signal(), []
    first, second = (lambda event: heard.append((1, event))), (lambda event: heard.append((2, event)))
    for one in (first, second, first):
        signal.subscribe(one)
    signal.send("x")
    assert heard == [(1, "x"), (2, "x")]
    signal.subscribe(lambda _: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        signal.send("y")


def test_many_threads_get_the_same_part_and_another_state_has_its_own():
    class Part:
        pass

    state = State()
    with ThreadPoolExecutor(8) as threads:
        parts = set(threads.map(lambda _: state.part(Part), range(200)))
    assert len(parts) == 1
    assert State().part(Part) not in parts
