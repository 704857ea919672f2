"""Sets the server up as a service, or takes that away. Each step looks first whether it is done, so that setup can be
run again after a change, and a dry run says what would happen."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from paddock_core.settings_file import read_settings

from ..settings_file import KNOWN, SYSTEM_FILE
from .unit import Wanted, checked, merged_settings, settings_text, unit_of

UNIT = "yellow-paddock.service"
UNIT_FILE = Path("/etc/systemd/system") / UNIT


class SetupFailed(Exception):
    """A step failed; the text says which, and the output of the system. The steps before are done."""


@dataclass(frozen=True)
class SetupStep:
    """``is_done`` looks, ``do`` does it. ``what`` completes "Would …" of a dry run."""

    what: str
    is_done: Callable[[], bool]
    do: Callable[[], object]


def set_up(wanted: Wanted, *, dry_run: bool, say: Callable[[str], None]) -> None:
    """Raises SetupInvalid and SetupFailed."""
    checked(wanted)
    _demand_system()
    was_changed = False
    for step in _steps(wanted):
        if step.is_done():
            say(f"done already: {step.what}")
            continue
        say(f"{'would' if dry_run else 'now'}: {step.what}")
        if not dry_run:
            step.do()
            was_changed = True
    if dry_run:
        return
    _demand_readable(wanted)
    _run("systemctl", "enable", "--quiet", UNIT)
    if was_changed or not _is_active():
        _run("systemctl", "restart", UNIT)
    say(f"The server answers at {wanted.url}. `journalctl -u {UNIT}` has its log.")
    if not _has_administrator(wanted):
        say(_as_account(wanted, "rescue", wanted.administrator, "--url", wanted.url).rstrip())


def take_away(wanted: Wanted, *, with_data: bool, dry_run: bool, say: Callable[[str], None]) -> None:
    """Removes the service and its settings; the data and its account only ``with_data``."""
    checked(wanted)
    _demand_system()
    steps = [
        SetupStep("stop and disable the service", lambda: not UNIT_FILE.exists(), _stop),
        SetupStep(f"remove {UNIT_FILE}", lambda: not UNIT_FILE.exists(), UNIT_FILE.unlink),
        SetupStep(f"remove {SYSTEM_FILE}", lambda: not SYSTEM_FILE.exists(), lambda: SYSTEM_FILE.unlink()),
    ]
    if with_data:
        steps += [
            SetupStep(f"remove {wanted.data} with all data", lambda: not wanted.data.exists(),
                      lambda: shutil.rmtree(wanted.data)),
            SetupStep(f"remove the account {wanted.account}", lambda: not _has_account(wanted),
                      lambda: _run("userdel", wanted.account)),
        ]  # fmt: skip
    for step in steps:
        if step.is_done():
            say(f"done already: {step.what}")
        else:
            say(f"{'would' if dry_run else 'now'}: {step.what}")
            if not dry_run:
                step.do()
    if not dry_run:
        _run("systemctl", "daemon-reload")
    if not with_data:
        say(f"{wanted.data} and the account {wanted.account} are left. --with-data removes them too.")


def _steps(wanted: Wanted) -> list[SetupStep]:
    def account() -> None:
        _add_account(wanted)

    def folder() -> None:
        _own(wanted)

    def settings() -> None:
        _write(SYSTEM_FILE, _settings(wanted), 0o640)
        _run("chown", f"root:{wanted.account}", str(SYSTEM_FILE))

    def unit() -> None:
        _write(UNIT_FILE, _unit(wanted), 0o644)
        _run("systemctl", "daemon-reload")

    return [
        SetupStep(f"add the system account {wanted.account}", lambda: _has_account(wanted), account),
        SetupStep(f"make the folder {wanted.data}, for this account alone", lambda: _is_own(wanted), folder),
        SetupStep(
            f"write the settings into {SYSTEM_FILE}",
            lambda: _read(SYSTEM_FILE) == _settings(wanted),
            settings,
        ),
        SetupStep(f"write the unit {UNIT_FILE}", lambda: _read(UNIT_FILE) == _unit(wanted), unit),
    ]


def _settings(wanted: Wanted) -> str:
    present = _read(SYSTEM_FILE)
    return settings_text(wanted) if present is None else merged_settings(present, wanted)


def _unit(wanted: Wanted) -> str:
    settings = read_settings(_read(SYSTEM_FILE) or "", KNOWN).values
    return unit_of(wanted, SYSTEM_FILE, settings.get("backup_folder", ""))


def _demand_system() -> None:
    if os.geteuid() != 0:
        raise SetupFailed("Setup makes an account and a service: run it as root.")
    if not Path("/run/systemd/system").is_dir():
        raise SetupFailed("This machine does not run systemd. docs/deploy.md says how to start the server by hand.")


def _has_account(wanted: Wanted) -> bool:
    try:
        pwd.getpwnam(wanted.account)
    except KeyError:
        return False
    return True


def _add_account(wanted: Wanted) -> None:
    _run(
        "useradd", "--system", "--user-group", "--home-dir", str(wanted.data), "--no-create-home", "--shell",
        "/usr/sbin/nologin", wanted.account,
    )  # fmt: skip


def _is_own(wanted: Wanted) -> bool:
    if not wanted.data.is_dir() or not _has_account(wanted):
        return False
    found = wanted.data.stat()
    return found.st_uid == pwd.getpwnam(wanted.account).pw_uid and found.st_mode & 0o077 == 0


def _own(wanted: Wanted) -> None:
    wanted.data.mkdir(parents=True, exist_ok=True)
    wanted.data.chmod(0o700)
    _run("chown", "-R", f"{wanted.account}:{wanted.account}", str(wanted.data))


def _write(file: Path, text: str, mode: int) -> None:
    file.parent.mkdir(mode=0o755, parents=True, exist_ok=True)
    fresh = file.with_name(f".{file.name}.new")
    fresh.write_text(text)
    fresh.chmod(mode)
    fresh.replace(file)


def _read(file: Path) -> str | None:
    try:
        return file.read_text()
    except FileNotFoundError:
        return None


def _demand_readable(wanted: Wanted) -> None:
    """The service reads certificate and key itself, also when they are renewed."""
    for file in filter(None, (wanted.certificate, wanted.certificate_key)):
        if not file.is_file():
            raise SetupFailed(f"There is no file {file}.")
        read = subprocess.run(["runuser", "-u", wanted.account, "--", "test", "-r", str(file)], check=False)
        if read.returncode:
            raise SetupFailed(
                f"The account {wanted.account} cannot read {file}. Let its group read the file, and open the folders "
                f"above: chgrp {wanted.account} {file} && chmod 640 {file}. Then run setup again."
            )


def _is_active() -> bool:
    return subprocess.run(["systemctl", "is-active", "--quiet", UNIT], check=False).returncode == 0


def _stop() -> None:
    _run("systemctl", "disable", "--now", "--quiet", UNIT)


def _has_administrator(wanted: Wanted) -> bool:
    return _as_account(wanted, "administrators").strip() != ""


def _as_account(wanted: Wanted, *arguments: str) -> str:
    return _run(
        "runuser", "-u", wanted.account, "--", "env", f"PADDOCK_CONFIG={SYSTEM_FILE}", str(wanted.program), *arguments
    )  # fmt: skip


def _run(*command: str) -> str:
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode:
        output = (done.stderr or done.stdout).strip()[-1500:]
        hint = f" See: journalctl -u {UNIT} -n 50" if "restart" in command else ""
        raise SetupFailed(f"`{' '.join(command)}` failed: {output}{hint}")
    return done.stdout
