"""Backups of a data folder, and what becomes of damaged, forged and misplaced ones."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from paddock_server.backup import make
from paddock_server.backup.make import MANIFEST, BackupFailed, make_backup
from paddock_server.backup.restore import RestoreFailed, check_backup, restore
from paddock_server.data_folder import locked

BIN = Path(sys.executable).parent
PHRASE = "a long passphrase"


def paddock(data, *arguments, **more):
    environment = {**os.environ, "PADDOCK_DATA": str(data), "PADDOCK_PASSWORD": "a long enough secret", **more}
    done = subprocess.run(
        [BIN / "paddock", *arguments], env=environment, capture_output=True, text=True, timeout=120, check=False
    )
    return done.returncode, done.stdout + done.stderr


@pytest.fixture(scope="module")
def made_once(tmp_path_factory):
    folder = tmp_path_factory.mktemp("made") / "data"
    assert paddock(folder, "user", "harbourmaster", "--role", "administrator")[0] == 0
    for name, text in {
        "logs/0/1-1-ab.log.gz": "packed",
        "logs/0/2-1-cd.log": "still growing",
        "outputs/1-1-ab/0": "kept file",
        "secrets-key": "ab" * 32,
        "hooks.key": "hooks",
        "time-line.json": "{}",
    }.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text)
    return folder


@pytest.fixture
def data(made_once, tmp_path):
    return Path(shutil.copytree(made_once, tmp_path / "data"))


@pytest.fixture
def backup(data, tmp_path):
    return make_backup(data, tmp_path / "backups", passphrase=PHRASE)


def names(folder):
    return sorted(str(one.relative_to(folder)) for one in folder.rglob("*") if one.is_file())


def people(data):
    with contextlib.closing(sqlite3.connect(data / "paddock.sqlite3")) as opened:
        return [name for (name,) in opened.execute("SELECT username FROM auth_user ORDER BY username")]


def test_a_backup_has_everything_but_keys_in_the_open(backup):
    assert names(backup) == [
        "keys.sealed", "logs/0/1-1-ab.log.gz", "logs/0/2-1-cd.log", "manifest.json", "outputs/1-1-ab/0",
        "paddock.sqlite3",
    ]  # fmt: skip
    assert b"ab" * 32 not in (backup / "keys.sealed").read_bytes()
    assert all(one.stat().st_mode & 0o077 == 0 for one in (backup, backup / "logs"))
    check_backup(backup, PHRASE)


def test_what_is_restored_is_what_was_there(backup, data, tmp_path):
    fresh = tmp_path / "fresh"
    fresh.mkdir()
    assert restore(backup, fresh, passphrase=PHRASE) is None
    for name in names(data):
        if name != "time-line.json" and not name.startswith("paddock.sqlite3") and "lock" not in name:
            assert (fresh / name).read_bytes() == (data / name).read_bytes(), name
    assert people(fresh) == ["harbourmaster"]
    assert not (fresh / "time-line.json").exists(), "so that the server begins a new time line"
    assert (fresh / "secrets-key").stat().st_mode & 0o077 == 0
    assert paddock(fresh, "user", "boatswain")[0] == 0


def test_a_packed_log_is_linked_and_a_growing_one_copied_as_it_is_now(data, tmp_path):
    made = make_backup(data, tmp_path / "backups")
    assert (made / "logs/0/1-1-ab.log.gz").stat().st_ino == (data / "logs/0/1-1-ab.log.gz").stat().st_ino
    with (data / "logs/0/2-1-cd.log").open("a") as log:
        log.write(" and more")
    assert (made / "logs/0/2-1-cd.log").read_text() == "still growing"
    check_backup(made)


def test_a_backup_while_the_database_is_written_is_whole(data, tmp_path):
    stop = threading.Event()

    def write():
        with contextlib.closing(sqlite3.connect(data / "paddock.sqlite3", timeout=30)) as opened:
            number = 0
            while not stop.is_set():
                number += 1
                for name in ("a", "b"):
                    opened.execute(
                        "INSERT INTO people_wronglogins (kind, subject, tries, first_at, last_at) VALUES (?,?,0,0,0)",
                        (name, str(number)),
                    )
                opened.commit()

    writer = threading.Thread(target=write)
    writer.start()
    try:
        made = [make_backup(data, tmp_path / f"backups-{n}") for n in range(3)]
    finally:
        stop.set()
        writer.join()
    for one in made:
        check_backup(one)
        with contextlib.closing(sqlite3.connect(one / "paddock.sqlite3")) as opened:
            counts = dict(opened.execute("SELECT kind, count(*) FROM people_wronglogins GROUP BY kind"))
        assert counts.get("a", 0) == counts.get("b", 0), "both rows of a commit, or none"


def test_only_so_many_stay_and_nothing_else_is_touched(data, tmp_path):
    target = tmp_path / "backups"
    first = make_backup(data, target)
    old = [first.rename(target / "paddock-20200101-000000")]
    old += [Path(shutil.copytree(old[0], target / f"paddock-2020010{day}-000000")) for day in (2, 3)]
    (target / "photos").mkdir()
    (target / "paddock-20190101-000000").mkdir()  # the name of a backup, but none
    newest = make_backup(data, target, keep=2)
    left = sorted(one.name for one in target.iterdir())
    assert left == ["paddock-20190101-000000", "paddock-20200103-000000", newest.name, "photos"]


def test_a_full_disk_leaves_the_backups_of_before_and_no_part(data, tmp_path, monkeypatch):
    target = tmp_path / "backups"
    target.mkdir()
    (target / "paddock-20200101-000000").mkdir()

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(make, "_copy", full)
    with pytest.raises(BackupFailed, match="No space left on device"):
        make_backup(data, target, keep=1)
    assert [one.name for one in target.iterdir()] == ["paddock-20200101-000000"]


@pytest.mark.parametrize(
    ("damage", "says"),
    [
        (lambda one: (one / "outputs/1-1-ab/0").write_text("forged fi"), "not the same"),
        (lambda one: (one / "outputs/1-1-ab/0").write_text("kep"), "shorter"),
        (lambda one: (one / "logs/0/2-1-cd.log").unlink(), "is missing"),
        (lambda one: (one / "logs/0/more").write_text("x"), "not in the manifest"),
        (lambda one: (one / MANIFEST).write_text("{"), "not JSON"),
        (lambda one: (one / MANIFEST).write_text("[" * 100_000), "not JSON"),
        (lambda one: (one / MANIFEST).unlink(), "is not a backup"),
        (lambda one: (one / "logs/0/link").symlink_to("/etc/passwd"), "is a link"),
        (lambda one: (one / "paddock.sqlite3").write_bytes(b"SQLite format 3\0" + b"x" * 4096), "paddock.sqlite3"),
        (lambda one: shutil.rmtree(one), "is not a backup"),
    ],
)
def test_a_damaged_backup_is_not_restored(backup, data, damage, says):
    damage(backup)
    before = people(data)
    for attempt in (check_backup, lambda one: restore(one, data, passphrase=PHRASE, replace=True)):
        with pytest.raises(RestoreFailed, match=says):
            attempt(backup)
    assert people(data) == before
    assert not list(data.glob("before-restore-*"))


def forged(backup):
    """Another kept file, with a manifest that says so."""
    (backup / "outputs/1-1-ab/0").write_text("forged")
    read = json.loads((backup / MANIFEST).read_text())
    one = next(one for one in read["files"] if one["name"] == "outputs/1-1-ab/0")
    found = make.described(backup, backup / one["name"])
    one["size"], one["sha256"] = found.size, found.sha256
    (backup / MANIFEST).write_text(json.dumps(read))


def test_a_manifest_that_was_changed_is_noticed_by_the_passphrase(backup, data):
    forged(backup)
    check_backup(backup)  # without the passphrase only damage is noticed
    with pytest.raises(RestoreFailed, match="was changed after the backup was made"):
        check_backup(backup, PHRASE)
    with pytest.raises(RestoreFailed, match="was changed after the backup was made"):
        restore(backup, data, passphrase=PHRASE, replace=True)


def test_a_wrong_passphrase_restores_nothing(backup, data, tmp_path):
    with pytest.raises(RestoreFailed, match="does not open"):
        restore(backup, tmp_path, passphrase="another passphrase")
    assert not (tmp_path / "paddock.sqlite3").exists()


def test_what_is_there_is_moved_aside_and_not_overwritten(backup, data):
    assert paddock(data, "user", "boatswain")[0] == 0
    with pytest.raises(RestoreFailed, match="has a database already"):
        restore(backup, data, passphrase=PHRASE)
    aside = restore(backup, data, passphrase=PHRASE, replace=True)
    assert people(data) == ["harbourmaster"]
    assert people(aside) == ["boatswain", "harbourmaster"]
    assert (aside / "secrets-key").exists()


def test_a_restore_that_fails_puts_everything_back(backup, data, monkeypatch):
    before = names(data)
    rename = Path.rename

    def fails(self, target):
        if self.name == "outputs" and self.parent.name == ".restore":
            raise OSError(5, "Input/output error")
        return rename(self, target)

    monkeypatch.setattr(Path, "rename", fails)
    with pytest.raises(RestoreFailed, match="Input/output error"):
        restore(backup, data, passphrase=PHRASE, replace=True)
    monkeypatch.undo()
    assert names(data) == before
    assert people(data) == ["harbourmaster"]


@pytest.mark.parametrize("place", ["data", "data/backups"])
def test_a_backup_does_not_lie_in_what_it_backs_up(data, place):
    with pytest.raises(BackupFailed, match="within the data folder"):
        make_backup(data, data.parent / place)


def test_at_a_terminal(data, tmp_path):
    target = tmp_path / "backups"
    code, output = paddock(data, "backup", str(target), PADDOCK_BACKUP_PASSPHRASE=PHRASE)
    made = Path(output.strip())
    assert (code, made.parent) == (0, target)
    code, output = paddock(tmp_path / "x", "restore", "--check", str(made), PADDOCK_BACKUP_PASSPHRASE=PHRASE)
    assert (code, "is whole: 4 files" in output) == (0, True), output
    code, output = paddock(tmp_path / "fresh", "restore", str(made), PADDOCK_BACKUP_PASSPHRASE=PHRASE)
    assert (code, "Restored into" in output) == (0, True), output
    assert people(tmp_path / "fresh") == ["harbourmaster"]
    assert paddock(data, "backup", str(target), PADDOCK_BACKUP_PASSPHRASE="short")[0] == 1
    with locked(data):
        code, output = paddock(data, "restore", "--replace", str(made), PADDOCK_BACKUP_PASSPHRASE=PHRASE)
    assert (code, "already uses the data folder" in output) == (1, True)
