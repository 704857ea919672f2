"""What the server does for itself: backups by a schedule, samples of its storage, its pulse, and their page."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import pytest
from asgiref.sync import async_to_sync, sync_to_async
from django.conf import settings
from django.utils import timezone

from paddock_core.trend import DAY
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.housekeeping import loop
from paddock_server.housekeeping.actions.note_storage import HOURLY, note_storage
from paddock_server.housekeeping.models import BackupRun, StorageSample
from paddock_server.housekeeping.running import RunningBackup
from paddock_server.housekeeping.schedule import backup_schedule, next_backup
from paddock_server.housekeeping.storage_use import StorageUse, disk_trend, measured
from paddock_server.logbook.models import Entry
from paddock_server.process.pulse import STEP_SECONDS, Pulse, PulseStep
from paddock_server.process.state import part

NOW = timezone.now()
HOUR = timedelta(hours=1)
USE = StorageUse(1000, 200, 30, 50_000, 100_000)


@pytest.fixture(autouse=True)
def one_connection(monkeypatch):
    """The database of these tests is gone with its connection, which the loop's way closes."""
    monkeypatch.setattr(loop, "database_sync_to_async", sync_to_async)


@pytest.fixture
def scheduled(monkeypatch, tmp_path):
    """Backups into a folder, of which two stay; the database's file of a server stands beside."""
    monkeypatch.setenv("PADDOCK_BACKUP_FOLDER", str(tmp_path / "backups"))
    monkeypatch.setenv("PADDOCK_BACKUP_KEEP", "2")
    monkeypatch.setattr(loop, "make_backup", made_up)
    return tmp_path / "backups"


def made_up(data, target, *, passphrase, keep):
    """As much of a backup as the loop looks at."""
    folder = target / f"paddock-{len(list(target.glob('*')))}"
    folder.mkdir(parents=True)
    (folder / "manifest.json").write_text('{"files": [{"size": 30}, {"size": 12}]}')
    return folder


def back_up():
    return async_to_sync(loop.back_up)(backup_schedule(), part(RunningBackup))


def ran(began_at, trouble=""):
    return BackupRun.objects.create(began_at=began_at, ended_at=began_at, trouble=trouble)


def codes(now=NOW):
    return [one.code for one in SeenFleet().look(now.timestamp())]


# ---- the schedule --------------------------------------------------------------------------------------------------


def test_without_a_folder_there_is_no_schedule(administrator):
    assert backup_schedule() is None
    assert administrator.get("/api/v1/server/").json()["backups"]["folder"] == ""
    refused = administrator.post("/api/v1/server/backup/")
    assert (refused.status_code, "backup_folder" in refused.json()["detail"]) == (409, True)


@pytest.mark.parametrize(
    ("runs", "due_in"),
    [
        ([], timedelta(0)),
        ([(-HOUR, "")], 23 * HOUR),
        ([(-23 * HOUR, "")], HOUR),
        ([(-25 * HOUR, "")], -HOUR),
        ([(-25 * HOUR, ""), (-HOUR / 2, "full")], HOUR / 2),
        ([(-HOUR, "full"), (-HOUR / 2, "")], 23.5 * HOUR),
        ([(-3 * HOUR, ""), (400 * HOUR, "")], 21 * HOUR),
        ([(400 * HOUR, "")], timedelta(0)),
    ],
    ids=["never", "an hour ago", "nearly due", "overdue", "failed", "mended", "clock set back", "only in the future"],
)
def test_when_the_next_one_is_due(scheduled, runs, due_in):
    for at, trouble in runs:
        ran(NOW + at, trouble)
    assert abs(next_backup(backup_schedule(), NOW) - NOW - due_in) < timedelta(seconds=1)


def test_a_backup_is_noted(scheduled):
    run = back_up()
    assert (run.trouble, run.size, run.files, run.asked_by) == ("", 42, 2, "")
    assert part(RunningBackup).began_at is None
    assert Entry.objects.get().verb == "backed up"


def test_one_that_fails_is_a_finding_until_one_succeeds(scheduled, monkeypatch):
    def full(*_, **__):
        raise loop.BackupFailed("The backup to /mnt failed: No space left on device.")

    assert codes() == []
    monkeypatch.setattr(loop, "make_backup", full)
    assert "No space left" in back_up().trouble
    (finding,) = SeenFleet().look(timezone.now().timestamp())
    assert (finding.code, finding.evidence[0].text[:14]) == ("backup-failed", "The backup to ")
    assert "There is no earlier one." in finding.sentence
    first = BackupRun.objects.get().began_at
    back_up()
    (finding,) = SeenFleet().look(timezone.now().timestamp())
    assert finding.since == first.timestamp(), "since the first failure"
    monkeypatch.setattr(loop, "make_backup", made_up)
    back_up()
    assert codes(timezone.now()) == []


@pytest.mark.parametrize(("hours", "is_found"), [(47, False), (48.1, True)])
def test_no_backup_for_two_intervals_is_a_finding(scheduled, hours, is_found):
    ran(NOW - hours * HOUR)
    assert codes() == (["backup-old"] if is_found else [])


@pytest.mark.parametrize(
    ("content", "says"), [(None, "cannot be read"), ("", "is empty"), ("  \n", "is empty"), (b"\xff", "cannot be read")]
)
def test_a_passphrase_that_cannot_be_read_fails_the_backup(scheduled, monkeypatch, tmp_path, content, says):
    file = tmp_path / "passphrase"
    if content is not None:
        file.write_bytes(content if isinstance(content, bytes) else content.encode())
    monkeypatch.setenv("PADDOCK_BACKUP_PASSPHRASE_FILE", str(file))
    assert says in back_up().trouble


def test_an_administrator_asks_for_one(scheduled, administrator, operator):
    assert operator.post("/api/v1/server/backup/").status_code == 403
    assert operator.get("/api/v1/server/").status_code == 403


@pytest.mark.django_db(transaction=True)
def test_an_asked_backup_is_marked_with_who_asked(scheduled, administrator):
    assert administrator.post("/api/v1/server/backup/").status_code == 202
    again = administrator.post("/api/v1/server/backup/")
    assert (again.status_code, "already" in again.json()["detail"]) == (409, True)
    assert back_up().asked_by == "harbourmaster"
    shown = administrator.get("/api/v1/server/").json()["backups"]
    assert (shown["runs"][0]["asked_by"], shown["running_since"], shown["keep"]) == ("harbourmaster", None, 2)


def test_old_notes_of_backups_go(scheduled, monkeypatch):
    monkeypatch.setattr("paddock_server.housekeeping.actions.note_backup.MAX_RUNS", 3)
    for age in range(5):
        ran(NOW - (age + 1) * HOUR)
    back_up()
    assert BackupRun.objects.count() == 3


# ---- storage -------------------------------------------------------------------------------------------------------


def test_the_data_folder_is_measured(tmp_path):
    (tmp_path / "paddock.sqlite3").write_bytes(b"x" * 8192)
    (tmp_path / "paddock.sqlite3-wal").write_bytes(b"x" * 4096)
    (tmp_path / "logs" / "000001").mkdir(parents=True)
    (tmp_path / "logs" / "000001" / "1.log").write_bytes(b"x" * 12288)
    (tmp_path / "logs" / "gone").symlink_to("nowhere")
    use = measured(tmp_path, tmp_path / "logs", tmp_path / "outputs")
    assert (use.database, use.logs, use.outputs) == (12288, 12288, 0)
    assert 0 < use.free < use.total


def test_long_ago_one_sample_a_day_remains():
    start = (NOW - HOURLY).replace(hour=0, minute=30)
    for hour in range(72):
        note_storage(USE, start + hour * HOUR)
    days = [start + timedelta(days=day) for day in range(3)]
    for _ in range(24):
        for day in range(3):
            note_storage(USE, days[day] + HOURLY + timedelta(hours=1))
    left = StorageSample.objects.filter(at__lt=start + timedelta(days=3))
    assert left.count() == 3
    assert {one.at.date() for one in left} == {day.date() for day in days}


@pytest.mark.parametrize(
    ("per_day", "full_in"), [(-1e9, 10.0), (-5e9, 2.0), (0.0, None), (1e9, None), (-1e6, 10_000.0)]
)
def test_when_the_disk_will_be_full(administrator, per_day, full_in):
    for hour in range(-10 * 24, 1):
        free = 1e10 + per_day * hour / 24
        StorageSample.objects.create(
            at=NOW + hour * HOUR, database=2000 + 10 * hour, logs=0, outputs=0, free=free, total=10**12
        )
    trend = disk_trend(NOW)
    assert (trend is None) == (full_in is None)
    if trend and full_in:
        assert trend.empty_in() / DAY == pytest.approx(full_in, rel=0.1)
    shown = administrator.get("/api/v1/server/").json()["growth"]
    assert shown["database_rate"] == pytest.approx(240, rel=0.01)
    assert (shown["full_at"] is None) == (full_in is None)
    assert ("server-disk-filling" in codes()) == (full_in is not None and full_in < 14)


def test_a_server_without_samples_says_nothing_on_growth(administrator):
    shown = administrator.get("/api/v1/server/").json()["growth"]
    assert (shown["samples"], shown["database_rate"], shown["full_at"]) == ([], None, None)


# ---- the pulse -----------------------------------------------------------------------------------------------------


def test_the_pulse_keeps_the_worst_of_each_minute(monkeypatch):
    at = 1000.0
    monkeypatch.setattr("paddock_server.process.pulse.time.monotonic", lambda: at)
    pulse = Pulse()
    pulse.beat(0.2, 3, 5)
    pulse.note_dispatch(0.07)
    pulse.beat(0.1, 9, 8)
    assert list(pulse.steps) == []
    at += STEP_SECONDS
    pulse.beat(0.05, 1, 9)
    at += STEP_SECONDS
    pulse.beat(0.01, 0, 11)
    assert [(one.delay, one.dispatch, one.queue, one.commits) for one in pulse.steps] == [
        (0.2, 0.07, 9, 9), (0.01, 0.0, 0, 2),
    ]  # fmt: skip


@pytest.mark.parametrize(("steps", "groups"), [(0, 0), (1, 1), (60, 60), (61, 13), (65, 13), (66, 14)])
def test_the_page_shows_the_worst_of_five_minutes(administrator, steps, groups):
    for number in range(steps):
        part(Pulse).steps.append(PulseStep(NOW.timestamp() - 60 * (steps - number), number / 10, 0.0, number, 1))
    shown = administrator.get("/api/v1/server/").json()["pulse"]
    assert len(shown) == groups
    assert sum(one["commits"] for one in shown) == steps
    if steps:
        assert (shown[-1]["queue"], shown[-1]["delay"]) == (steps - 1, pytest.approx((steps - 1) / 10))


def test_the_page_says_what_runs_and_where(administrator):
    shown = administrator.get("/api/v1/server/").json()
    assert (shown["data_folder"], shown["agents"], shown["browsers"]) == (str(Path(settings.DATA)), 0, 0)
