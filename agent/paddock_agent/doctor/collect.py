"""Collects the evidence on a Linux host, as root: asks systemd, reads the unit's files, and tries as the agent's
account what the agent does when it starts. Every command and trial has a time limit; what fails is evidence as well.
"""

from __future__ import annotations

import json
import shutil
from pathlib import Path

from ..last_words import FILE as LAST_WORDS
from ..system.drop_ins import names_only
from .account_evidence import IDENTITY, account_check, checks_as, entry_of, home_checks, program_checks, trial_checks
from .evidence import MAX_LINES, Check, Evidence
from .files import text_of
from .note import Note
from .package import STARTER
from .server_evidence import tried_server
from .unit_evidence import (
    environment_of,
    log_of,
    manager_environment,
    overrides_of,
    process_of,
    unit_check,
    unit_of,
)


def collect(note: Note, folder: str) -> Evidence:
    """The evidence of this moment about the agent of ``note``, whose watch has ``folder``. It leaves out what it cannot
    read, and raises nothing."""
    unit = unit_of(note.service)
    account = unit.get("User") or note.account or "root"
    identity = _identity(note.home)
    server = str(identity.get("server") or note.server)
    work = str(identity.get("work_folder") or note.work_folder)
    checks = [unit_check(unit), account_check(account)]
    if entry := entry_of(account):
        given = manager_environment()
        unit["ManagerEnvironment"] = " ".join(sorted(given))
        environment = environment_of(unit, account, entry[1], given)
        checks += program_checks(unit, account, environment)
        checks += home_checks(note.home, account, environment)
        checks += trial_checks(account, environment, work)
        key = str(identity.get("key", ""))
        if server:
            checks += checks_as(
                account,
                environment,
                lambda: tried_server(server, key),
                lambda why: Check("connection", False, why),
            )
    return Evidence(
        service=note.service,
        account=account,
        home=note.home,
        work_folder=work,
        server=server,
        doctor=str(Path(folder, STARTER)),
        has_sudo=bool(shutil.which("sudo")),
        unit={**unit, "Environment": names_only(unit.get("Environment", ""))},
        overrides=tuple(overrides_of(unit, folder)),
        checks=tuple(checks),
        process=process_of(unit),
        log=tuple(log_of(note.service)),
        words=tuple(text_of(Path(note.home, LAST_WORDS)).splitlines()[-MAX_LINES:]),
    )


def _identity(home: str) -> dict[str, object]:
    try:
        known = json.loads(text_of(Path(home, IDENTITY)))
    except ValueError:
        return {}
    return known if isinstance(known, dict) else {}
