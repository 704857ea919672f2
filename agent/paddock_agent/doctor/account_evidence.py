"""Evidence about the account, the agent's program, its folder and the trial of work, tried as the account itself."""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import stat
import subprocess
from collections.abc import Callable
from pathlib import Path

from ..system import trials
from .as_account import NotPossible, as_account
from .evidence import Check

IDENTITY, SPOOL = "identity.json", "spool.sqlite3"
MAX_LINKS = 8
LEADING_ASTRAY = ("PYTHON", "LD_")
"""What variables begin with that change which files Python or the system's loader takes."""
"""Variables that change which code a Python runs."""


def checks_as(
    account: str, environment: dict[str, str], look: Callable[[], list[Check]], otherwise: Callable[[str], Check]
) -> list[Check]:
    """The checks that ``look`` makes as ``account``. Where the account cannot make them, ``otherwise`` makes one from
    the reason."""
    try:
        plain = as_account(account, lambda: [list(vars(one).values()) for one in look()], environment)
    except NotPossible as error:
        return [otherwise(str(error))]
    return [Check(*one) for one in plain]


def entry_of(account: str) -> tuple[int, str] | None:
    """User id and home of an account; None where there is none."""
    import pwd

    try:
        found = pwd.getpwnam(account)
    except KeyError:
        return None
    return found.pw_uid, found.pw_dir


def _has_group(name: str) -> bool:
    import grp

    try:
        grp.getgrnam(name)
    except KeyError:
        return False
    return True


def account_check(account: str) -> Check:
    """Whether the account exists; where it does not, whether its group is left."""
    entry = entry_of(account)
    if entry is None:
        return Check(
            "account", False, f"there is no account {account}", {"group": "yes" if _has_group(account) else ""}
        )
    return Check("account", True, f"{account}, user id {entry[0]}, home {entry[1]}")


def program_checks(unit: dict[str, str], account: str, environment: dict[str, str]) -> list[Check]:
    """Whether the agent's Python is there, and loads the agent's packages."""
    program = unit.get("ExecStart", "").partition("path=")[2].partition(" ;")[0]
    if not program:
        return []
    why = _why_no_program(program)
    found = [Check("program", not why, why or program, {"program": program, **_links(program)})]
    if why:
        return found

    library = _library_of(program)

    def start() -> list[str]:
        if closed := _closed_package(program) or _closed_in(library):
            return ["1", f"Permission denied: '{closed}'"]
        code = "import paddock_agent.cli, paddock_agent.agent, psutil"
        done = subprocess.run(
            [program, "-c", code],
            capture_output=True,
            text=True,
            timeout=30,
            check=False,
            errors="replace",
            stdin=subprocess.DEVNULL,
            cwd="/",
        )
        lines = done.stderr.strip().splitlines()
        return [str(done.returncode), *([one for one in lines if "Error" in one] or lines)[-3:]]

    try:
        code, *words = as_account(account, start, environment)
    except NotPossible as error:
        code, words = "1", [str(error)]
    detail = " | ".join(words) if code != "0" else "its packages can be loaded"
    facts = {"program": program}
    if code != "0" and (name := _astray(account, start, environment)):
        facts["without"] = name
    return [*found, Check("packages", code == "0", detail, facts)]


def _astray(account: str, start: Callable[[], list[str]], environment: dict[str, str]) -> str:
    """The variable without which the same start works; "" for none."""
    for name in sorted(environment):
        if name.startswith(LEADING_ASTRAY):
            rest = {key: value for key, value in environment.items() if key != name}
            with contextlib.suppress(NotPossible):
                if as_account(account, start, rest)[0] == "0":
                    return name
    return ""


def _closed_package(program: str) -> str:
    """A package beside the program that this account may not read; "" for none."""
    for place in sorted(Path(program).parents[1].glob("lib/python*/site-packages/*")):
        if not os.access(place, os.R_OK | (os.X_OK if place.is_dir() else 0)):
            return str(place)
    return ""


def _library_of(program: str) -> str:
    """The folder of the standard library of the agent's Python, by where the program's links lead. It is not run here,
    where root would run it: the environment may belong to the account."""
    python = Path(os.path.realpath(program))
    return str(python.parents[1] / "lib" / python.name) if len(python.parts) > 2 else ""


def _closed_in(library: str) -> str:
    """What this account may not read of the standard library, or the folder above that it may not enter; "" for
    none."""
    place = Path(library)
    if not library or (not place.is_dir() and os.access(place.parent, os.X_OK)):
        return ""  # another layout than PREFIX/lib/pythonX.Y
    for folder in reversed([place, *place.parents]):
        if not os.access(folder, os.X_OK):
            return str(folder)
    if not os.access(place, os.R_OK):
        return str(place)
    for one in sorted([*place.iterdir(), *place.glob("encodings/*"), *place.glob("lib-dynload/*")]):
        if not os.access(one, os.R_OK | (os.X_OK if one.is_dir() else 0)):
            return str(one)
    return ""


def _why_no_program(program: str) -> str:
    place = Path(program)
    if place.is_symlink() and not place.exists():
        return f"{program} is a link to {os.path.realpath(program)}, which does not exist"
    if not place.exists():
        return f"{program} does not exist"
    if not place.stat().st_mode & 0o111:
        return f"{program} is not marked as a program"
    return ""


def _links(program: str) -> dict[str, str]:
    """Where the program's links lead, step by step, and its mode."""
    found: list[str] = []
    place = Path(program)
    while place.is_symlink() and len(found) < MAX_LINKS:
        place = place.parent / place.readlink()
        found.append(str(place))
    facts = {"leads to": " -> ".join(found)} if found else {}
    with contextlib.suppress(OSError):
        facts["mode"] = f"{stat.S_IMODE(Path(program).stat().st_mode):o}"
    return facts


def home_checks(home: str, account: str, environment: dict[str, str]) -> list[Check]:
    """The agent's own folder: its key, its state, room to write; tried as its account."""
    place = Path(home)
    return checks_as(
        account,
        environment,
        lambda: _tried_home(place),
        lambda why: Check("folder", False, why, trials.folder_facts(place)),
    )


def _tried_home(home: Path) -> list[Check]:
    failed = trials.failed_of([("folder", lambda: trials.write_in(home), lambda: trials.folder_facts(home))])
    if failed:
        return [Check("folder", False, one.why, dict(one.facts)) for one in failed]
    found = [Check("folder", True, str(home))]
    key = home / IDENTITY
    try:
        known = json.loads(key.read_text())
        missing = [name for name in ("server", "key", "host") if not isinstance(known.get(name), str)]
        found.append(Check("key", not missing, f"{key} lacks {', '.join(missing)}" if missing else str(key)))
    except (OSError, ValueError, AttributeError) as error:
        words = trials.in_words(error) if isinstance(error, OSError) else f"{key} is not a key: {error}"
        found.append(Check("key", False, words, trials.folder_facts(key)))
    spool = home / SPOOL
    if spool.exists():
        found.append(_spool_check(spool))
    return found


def _spool_check(spool: Path) -> Check:
    facts = trials.folder_facts(spool)
    if facts.get("attributes") == "immutable":
        return Check("spool", False, f"{spool} is marked immutable", {"file": str(spool), **facts})
    for ending in ("-wal", "-shm", "-journal"):
        if (beside := spool.with_name(spool.name + ending)).exists() and not beside.is_file():
            return Check(
                "spool", False, f"{beside} is not a file", {"file": str(spool), "beside": str(beside), **facts}
            )
    try:
        connection = sqlite3.connect(spool, timeout=2)
        try:
            verdict = connection.execute("pragma quick_check").fetchone()[0]
            connection.execute("begin immediate")
            connection.rollback()
        finally:
            connection.close()
        return Check("spool", verdict == "ok", f"{spool}: {verdict}", {"file": str(spool)})
    except sqlite3.Error as error:
        busy = "locked" in str(error)  # by the agent that runs
        return Check("spool", busy, f"{spool}: {error}", {"file": str(spool), **facts})


def trial_checks(account: str, environment: dict[str, str], work: str) -> list[Check]:
    """The parts of the trial of work that fail for the account; the way to the server is tried apart."""
    entry = entry_of(account)

    def look() -> list[Check]:
        failed = trials.try_all(work, "", [entry[1]] if entry else [])
        return [Check(f"trial: {one.part}", False, one.why, dict(one.facts)) for one in failed]

    return checks_as(account, environment, look, lambda why: Check("trial of work", False, why)) if work else []
