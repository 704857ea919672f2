"""What the writer keeps in memory of open jobs is what the rows say, whatever happens, and whatever is taken back."""

from __future__ import annotations

import random
import threading

import pytest
from django.db import connection
from running_writer import running_writer

from paddock_agent import wire
from paddock_core.errors import TransitionError
from paddock_core.lifecycle import ENDED, LIVE
from paddock_server.errors import ActionError
from paddock_server.health.actions.greet import greet
from paddock_server.hosts.models import Host
from paddock_server.link.agents import _record
from paddock_server.people.actor import COMMAND_LINE
from paddock_server.storage import start_writer, stop_writer
from paddock_server.work import fleet, open_work, round
from paddock_server.work.actions.cancel import cancel
from paddock_server.work.actions.change_job import change_priority, correct_terms
from paddock_server.work.actions.record_report import lose_lease
from paddock_server.work.actions.submit import WantedJob, submit
from paddock_server.work.models import Attempt, Job

pytestmark = pytest.mark.django_db(transaction=True)
COMPARED = ("state", "reason", "reason_kind", "priority", "terms", "retries_left", "cancel_asked", "started_at")
OF_ATTEMPTS = ("number", "state", "identity", "host_id", "account", "started_at", "note", "commit")


@pytest.fixture
def hosts(new_host):
    return [new_host(slots=3, facts=wire.Facts(os="linux", arch="x64", cores=4)) for _ in range(3)]


@pytest.fixture
def writer(hosts, monkeypatch):
    with running_writer(monkeypatch) as started:
        yield started


class Happening:
    """Things that happen to jobs, by chance; some raise at their end, and are taken back as a whole."""

    def __init__(self, hosts, seed):
        self.hosts, self.chance = hosts, random.Random(seed)

    def something(self):
        what = self.chance.choice([self.send, self.send, *[self.report] * 5, self.cancel, self.change, self.correct,
                                   self.lose, self.hello])  # fmt: skip
        call, fails = what(), self.chance.random() < 0.15
        if call is None:
            return None

        def run():
            call()
            if fails:
                raise ZeroDivisionError

        return run

    def send(self):
        terms = self.chance.choice([[], ["os linux"], ["os windows"], [f"host {self.chance.choice(self.hosts).name}"]])
        retries, slots = self.chance.randint(0, 2), self.chance.randint(1, 2)
        after = [job.pk for job in self._some_jobs(1)] if self.chance.random() < 0.2 else []
        return lambda: submit(
            COMMAND_LINE,
            WantedJob(
                "chart", "tides", terms, "true", slots=slots, retries=retries, waits_for_new_host=True, after=after
            ),
        )

    def report(self):
        attempts = list(Attempt.objects.select_related("host").order_by("-id")[:8])
        if not attempts:
            return None
        attempt = self.chance.choice(attempts)
        name = attempt.wire_name
        report = self.chance.choice(
            [
                wire.AttemptStarted(attempt=name, account="build", folder="/work"),
                wire.AttemptStarted(attempt=name, account="build", folder="/work"),
                wire.AttemptRefused(attempt=name, why="full"),
                wire.AttemptEnded(attempt=name, outcome="exited", exit_code=self.chance.randint(0, 1), processor=1.5),
                wire.AttemptEnded(attempt=name, outcome="agent stopped"),
                wire.StepEnded(attempt=name, step=0, outcome="exited", at=1.0, exit_code=0, commit="ab" * 20),
            ]
        )
        return lambda: _record(attempt.host_id, report)

    def cancel(self):
        jobs = self._some_jobs(1)
        return (lambda: cancel(COMMAND_LINE, jobs[0])) if jobs else None

    def change(self):
        jobs, priority = self._some_jobs(1), self.chance.randint(-9, 9)
        return (lambda: change_priority(COMMAND_LINE, jobs[0], priority)) if jobs else None

    def correct(self):
        jobs = self._some_jobs(1)
        return (lambda: correct_terms(COMMAND_LINE, jobs[0], ["arch x64"])) if jobs else None

    def lose(self):
        live = [state.value for state in LIVE]
        attempts = list(Attempt.objects.select_related("job", "host__paddock").filter(state__in=live).order_by("id"))
        if not attempts:
            return None
        attempt = self.chance.choice(attempts)
        return lambda: lose_lease(attempt, "silent")

    def hello(self):
        host = self.chance.choice(self.hosts)
        known = [
            one.wire_name for one in Attempt.objects.filter(host=host).order_by("-id")[: self.chance.randint(0, 9)]
        ]
        hello = wire.Hello(protocol=wire.VERSION, facts=wire.Facts(os="linux", arch="x64", cores=4), attempts=known)
        return lambda: greet(host.pk, hello, "10.0.0.7")

    def _some_jobs(self, most):
        return (
            list(Job.objects.order_by("-id")[:6])[-most:]
            if self.chance.random() < 0.5
            else list(Job.objects.all()[:most])
        )


@pytest.fixture
def readers(writer):
    """Threads that look at the fleet all the time, as requests do."""
    ends = threading.Event()

    def look():
        while not ends.is_set():
            with fleet.cached_fleet() as index:
                sum(host.free_slots for host in index)
            connection.close()
            ends.wait(0.002)

    threads = [threading.Thread(target=look) for _ in range(2)]
    for one in threads:
        one.start()
    yield
    ends.set()
    for one in threads:
        one.join()


def overfilled():
    """Hosts on which more slots work than there are; and those of which the fleet in memory says another number."""
    working = {host.pk: 0 for host in Host.objects.all()}
    for attempt in Attempt.objects.filter(state__in=[state.value for state in LIVE]).select_related("job"):
        working[attempt.host_id] += attempt.job.slots
    hosts = Host.objects.all()
    with fleet.cached_fleet() as index:
        wrong = [host.name for host in hosts if index.host(host.name).free_slots != host.slots - working[host.pk]]
    return [host.name for host in hosts if working[host.pk] > host.slots], wrong


def memory_and_rows():
    """The open jobs with their newest attempts and the slots at work: as kept, and as the rows say."""
    work = open_work._work()
    work.know()
    kept = {pk: ([getattr(job, name) for name in COMPARED], _of(work.newest.get(pk))) for pk, job in work.jobs.items()}
    kept_slots = {host: slots for host, slots in work.working.items() if slots}
    fresh = Job.objects.exclude(state__in=[state.value for state in ENDED])
    stored = {
        job.pk: ([getattr(job, name) for name in COMPARED], _of(job.attempts.order_by("-number").first()))
        for job in fresh
    }
    stored_slots = {}
    for attempt in Attempt.objects.filter(state__in=[state.value for state in LIVE]).select_related("job"):
        stored_slots[attempt.host_id] = stored_slots.get(attempt.host_id, 0) + attempt.job.slots
    return (kept, kept_slots), (stored, stored_slots)


def differing(kept, stored):
    (jobs, slots), (rows, counted) = kept, stored
    return [(pk, jobs.get(pk), rows.get(pk)) for pk in jobs.keys() | rows if jobs.get(pk) != rows.get(pk)] + [
        (slots, counted) for _ in range(1) if slots != counted
    ]


def _of(attempt):
    return attempt and [getattr(attempt, name) for name in OF_ATTEMPTS]


@pytest.mark.parametrize("seed", range(3))
def test_memory_and_rows_say_the_same_after_each_batch(writer, readers, hosts, seed, monkeypatch):
    monkeypatch.setattr(fleet, "REFUSAL_SECONDS", 0)  # else all hosts refuse after a while, and nothing happens
    happening = Happening(hosts, seed)
    failed = 0
    for _ in range(60):
        # All chosen before the first runs: what comes depends on the seed alone.
        chosen = [run for _ in range(happening.chance.randint(1, 4)) if (run := happening.something())]
        for done in [writer.hand_in(run) for run in chosen]:
            error = done.exception(20)
            assert error is None or isinstance(error, ZeroDivisionError | ActionError | TransitionError), error
            failed += error is not None
        kept, stored = writer.hand_in(memory_and_rows).result(20)
        assert differing(kept, stored) == []
        assert writer.hand_in(overfilled).result(20) == ([], [])
    assert failed > 3, "nothing was taken back: the test tested half"
    states = set(Job.objects.values_list("state", flat=True))
    assert len(states) >= 4, states
    stop_writer()
    again = start_writer()
    open_work.begin()
    kept, stored = again.hand_in(memory_and_rows).result(20)
    assert kept == stored, "after a restart"
    assert Host.objects.count() == 3


def test_a_placement_that_fails_costs_only_itself(writer, hosts, monkeypatch, caplog):
    placed = round.place

    def stumbling(job_id, *rest):
        placed(job_id, *rest)
        if Job.objects.get(pk=job_id).name == "cursed":
            raise LookupError("no such thing")

    monkeypatch.setattr(round, "place", stumbling)
    numbers = {
        name: writer.hand_in(lambda n=name: submit(COMMAND_LINE, WantedJob(n, "tides", [], "true")).pk).result(20)
        for name in ("good", "cursed", "fine")
    }
    connection.close()
    states = {name: Job.objects.get(pk=pk).state for name, pk in numbers.items()}
    assert states == {"good": "offered", "cursed": "waiting", "fine": "offered"}
    assert "one by one" in caplog.text
    kept, stored = writer.hand_in(memory_and_rows).result(20)
    assert kept == stored
