"""Collects the evidence on a Linux host, as root: asks systemd, reads the unit's files, and tries as the agent's
account what the agent does when it starts. Every command and trial has a time limit; what fails is evidence as well.
"""

from __future__ import annotations

import contextlib
import email.utils
import json
import os
import re
import shlex
import shutil
import sqlite3
import stat
import subprocess
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from ..calling import unreachable
from ..errors import Untrusted
from ..system import trials
from .as_account import NotPossible, as_account
from .evidence import Check, Evidence, Override

PATIENCE = 15.0
LOG_LINES = 25
MAX_LINKS = 8
PYTHON_VARIABLES = ("PYTHONPATH", "PYTHONHOME", "PYTHONSTARTUP", "PYTHONUSERBASE", "LD_LIBRARY_PATH", "LD_PRELOAD")
"""Variables that change which code a Python runs."""
LONGEST_FILE = 64 * 1024
PROPERTIES = [
    "LoadState",
    "LoadError",
    "ActiveState",
    "SubState",
    "UnitFileState",
    "Result",
    "ExecMainStatus",
    "ExecMainCode",
    "NRestarts",
    "User",
    "Group",
    "FragmentPath",
    "DropInPaths",
    "NeedDaemonReload",
    "ConditionResult",
    "AssertResult",
    "MainPID",
    "ExecMainStartTimestampMonotonic",
    "ActiveEnterTimestampMonotonic",
    "InactiveEnterTimestampMonotonic",
    "LimitNOFILE",
    "LimitNPROC",
    "TasksMax",
    "MemoryMax",
    "WorkingDirectory",
    "Environment",
    "EnvironmentFiles",
    "ExecStart",
    "Type",
    "TimeoutStartUSec",
    "Job",
    "StatusErrno",
]
IDENTITY, SPOOL, WORDS, UNIT_COPY = "identity.json", "spool.sqlite3", "last-words.log", "unit.saved"
KEY_ADDRESS = "/agent/v1/key"


@dataclass(frozen=True)
class Subject:
    """Whose evidence is collected: the service and the agent's folders, as they were when the watch was set up.
    ``watch_folder`` is where the watch has its own files, "" where there is none."""

    service: str
    home: str
    work_folder: str = ""
    account: str = ""
    server: str = ""
    watch_folder: str = ""
    command: str = ""


def collect(subject: Subject) -> Evidence:
    """The evidence of this moment. Raises nothing: what cannot be read is left out."""
    unit = _unit(subject.service)
    account = unit.get("User") or subject.account or "root"
    identity = _identity(subject.home)
    server = str(identity.get("server") or subject.server)
    work = str(identity.get("work_folder") or subject.work_folder)
    environment = _environment(unit, account)
    checks = [*_unit_checks(unit, subject), _account_check(account)]
    if checks[-1].ok:
        checks += _program_checks(unit, account, environment)
        checks += _home_checks(subject.home, account, environment)
        checks += _trial_checks(account, environment, work, subject.home)
        checks += _server_checks(account, environment, server, str(identity.get("key", "")))
    return Evidence(
        service=subject.service,
        account=account,
        home=subject.home,
        work_folder=work,
        server=server,
        command=subject.command,
        has_sudo=bool(shutil.which("sudo")),
        unit={**unit, "Environment": _names_only(unit.get("Environment", ""))},
        overrides=tuple(_overrides(unit, subject)),
        checks=tuple(checks),
        process=_process(unit),
        log=tuple(_log(subject.service)),
        words=tuple(_tail(Path(subject.home, WORDS), LOG_LINES)),
    )


def _run(*command: str) -> tuple[int, str]:
    """Exit code and output of a command; 127 where it cannot be run."""
    try:
        done = subprocess.run(
            command,
            capture_output=True,
            text=True,
            errors="replace",
            timeout=PATIENCE,
            check=False,
            stdin=subprocess.DEVNULL,
            env={**os.environ, "LC_ALL": "C", "SYSTEMD_COLORS": "0", "PAGER": ""},
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        return 127, str(error)
    return done.returncode, done.stdout or done.stderr


# ---- the unit ------------------------------------------------------------------------------------------------------


def _unit(service: str) -> dict[str, str]:
    code, shown = _run("systemctl", "show", service, "--property=" + ",".join(PROPERTIES))
    if code:
        return {"LoadState": "", "LoadError": shown.strip()[:300]}
    unit = dict(line.split("=", 1) for line in shown.splitlines() if "=" in line)
    for name in ("/etc/systemd/system", "/run/systemd/system"):
        if os.path.realpath(f"{name}/{service}") == "/dev/null":
            unit["MaskedBy"] = f"{name}/{service}"
    fragment = unit.get("FragmentPath", "")
    unit["FragmentExists"] = "yes" if fragment and Path(fragment).exists() else "no"
    return unit


def _unit_checks(unit: dict[str, str], subject: Subject) -> list[Check]:
    loaded = unit.get("LoadState", "")
    return [Check("unit", loaded == "loaded", unit.get("LoadError") or loaded)]


def _overrides(unit: dict[str, str], subject: Subject) -> list[Override]:
    """The lines of drop-ins, and those of the unit's own file that are not as the agent wrote them."""
    found = []
    for file in unit.get("DropInPaths", "").split():
        found += _settings(file)
    copy = Path(subject.watch_folder, UNIT_COPY) if subject.watch_folder else None
    fragment = unit.get("FragmentPath", "")
    if copy and copy.exists() and fragment and Path(fragment).is_file():
        ours = {(one.key, one.value) for one in _settings(str(copy))}
        found += [one for one in _settings(fragment) if (one.key, one.value) not in ours]
    return found


def _settings(file: str) -> list[Override]:
    found = []
    for number, line in enumerate(_text(file).splitlines(), 1):
        if one := re.match(r"\s*([A-Za-z]\w*)\s*=\s*(.*?)\s*$", line):
            key, value = one.groups()
            found.append(Override(file, number, key, _names_only(value) if key == "Environment" else value))
    return found


def _names_only(environment: str) -> str:
    """The variables without their values: these may be secrets."""
    return " ".join(f"{word.partition('=')[0]}=…" for word in _split(environment) if "=" in word)


def _environment(unit: dict[str, str], account: str) -> dict[str, str]:
    """What the service starts with: systemd's own, its Environment lines and its environment files."""
    found = {"PATH": "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin", "USER": account, "LANG": "C.UTF-8"}
    if entry := _entry(account):
        found["HOME"] = entry[1]
    for word in _split(unit.get("Environment", "")):
        name, _, value = word.partition("=")
        found[name] = value
    for file in re.findall(r"(/\S+) \(", unit.get("EnvironmentFiles", "")):
        for line in _text(file).splitlines():
            if line.strip() and not line.lstrip().startswith(("#", ";")) and "=" in line:
                name, _, value = line.partition("=")
                found[name.strip()] = "".join(_split(value.strip())[:1])
    return found


def _split(text: str) -> list[str]:
    try:
        return shlex.split(text)
    except ValueError:
        return text.split()


def _log(service: str) -> list[str]:
    code, shown = _run("journalctl", "--unit", service, "--lines", str(LOG_LINES), "--output=cat", "--no-pager")
    return [] if code else [line for line in shown.splitlines() if not line.startswith("-- ")][-LOG_LINES:]


def _process(unit: dict[str, str]) -> dict[str, str]:
    pid = unit.get("MainPID", "0")
    found = {"pid": pid}
    after = _text(f"/proc/{pid}/stat").rpartition(")")[2].split()
    if pid != "0" and len(after) > 19:
        found["state"] = after[0]
        uptime = float(_text("/proc/uptime").split()[0] or 0)
        found["age"] = f"{max(0.0, uptime - int(after[19]) / os.sysconf('SC_CLK_TCK')):.0f}"
        for line in _text(f"/proc/{pid}/limits").splitlines():
            if line.startswith("Max open files"):
                found["limit of open files"] = line.split()[3]
    return found


# ---- account, program, folder --------------------------------------------------------------------------------------


def _entry(account: str) -> tuple[int, str] | None:
    """User id and home of an account."""
    import pwd

    try:
        found = pwd.getpwnam(account)
    except KeyError:
        return None
    return found.pw_uid, found.pw_dir


def _account_check(account: str) -> Check:
    entry = _entry(account)
    if entry is None:
        return Check("account", False, f"there is no account {account}")
    return Check("account", True, f"{account}, user id {entry[0]}, home {entry[1]}")


def _program_checks(unit: dict[str, str], account: str, environment: dict[str, str]) -> list[Check]:
    program = unit.get("ExecStart", "").partition("path=")[2].partition(" ;")[0]
    if not program:
        return []
    why = _why_no_program(program)
    found = [Check("program", not why, why or program, {"program": program, **_links(program)})]
    if why:
        return found

    def start() -> list[str]:
        if closed := _closed_package(program):
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
        return [str(done.returncode), *done.stderr.strip().splitlines()[-3:]]

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
    for name in PYTHON_VARIABLES:
        if name in environment:
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


def _home_checks(home: str, account: str, environment: dict[str, str]) -> list[Check]:
    """The agent's own folder: its key, its state, room to write; tried as its account."""
    place = Path(home)

    def look() -> list[list[object]]:
        return [list(vars(one).values()) for one in _tried_home(place)]

    try:
        return [Check(*one) for one in as_account(account, look, environment)]
    except NotPossible as error:
        return [Check("folder", False, str(error), trials.folder_facts(place))]


def _tried_home(home: Path) -> list[Check]:
    failed = trials._failed([("folder", lambda: trials._write_in(home), lambda: trials.folder_facts(home))])
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
    try:
        connection = sqlite3.connect(spool, timeout=2)
        try:
            said = connection.execute("pragma quick_check").fetchone()[0]
            connection.execute("begin immediate")
            connection.rollback()
        finally:
            connection.close()
        return Check("spool", said == "ok", f"{spool}: {said}", {"file": str(spool)})
    except sqlite3.Error as error:
        busy = "locked" in str(error)  # by the agent that runs
        return Check("spool", busy, f"{spool}: {error}", {"file": str(spool), **trials.folder_facts(spool)})


def _trial_checks(account: str, environment: dict[str, str], work: str, home: str) -> list[Check]:
    entry = _entry(account)

    def try_it() -> list[list[object]]:
        failed = trials.try_all(work, "", entry[1] if entry else "") if work else []
        return [[one.part, one.why, dict(one.facts)] for one in failed]

    try:
        failed = as_account(account, try_it, environment)
    except NotPossible as error:
        return [Check("trial of work", False, str(error))]
    return [Check(f"trial: {part}", False, why, facts) for part, why, facts in failed]


# ---- the server ----------------------------------------------------------------------------------------------------


def _server_checks(account: str, environment: dict[str, str], server: str, key: str) -> list[Check]:
    if not server:
        return []

    def ask() -> list[list[object]]:
        return [list(vars(one).values()) for one in tried_server(server, key)]

    try:
        return [Check(*one) for one in as_account(account, ask, environment)]
    except NotPossible as error:
        return [Check("connection", False, str(error))]


def tried_server(server: str, key: str) -> list[Check]:
    """The way to the server, step by step, until one fails: connection, answer, certificate, clock, key."""
    facts = {"address": server, **trials.proxy_facts(server)}
    failed = trials._failed([("server", lambda: trials._connect(server), lambda: facts)])
    if failed:
        if facts.get("proxy"):
            facts["direct"] = _direct(server)
        return [Check("connection", False, failed[0].why, facts)]
    found = [Check("connection", True, f"a connection to {':'.join(map(str, trials.way_to(server)))} is made", facts)]
    try:
        with urllib.request.urlopen(f"{server}/healthz", timeout=PATIENCE) as answer:  # noqa: S310 - the agent's server
            date = answer.headers.get("Date", "")
            said = json.loads(answer.read(LONGEST_FILE))
        is_ours = isinstance(said, dict) and said.get("status") == "ok"
        found.append(
            Check("answer", is_ours, f"{server} answers" if is_ours else f"{server} is no server of ours", facts)
        )
        if date:
            found.append(_clock_check(date))
    except urllib.error.HTTPError as error:
        found.append(Check("answer", False, f"{server} answered {error.code} {error.reason}", facts))
    except (OSError, ValueError) as error:
        named = unreachable(f"{server}/agent/", error)
        if facts.get("proxy"):
            facts["direct"] = _direct(server)
        found.append(Check("certificate" if isinstance(named, Untrusted) else "answer", False, str(named), facts))
    if key and all(one.ok for one in found if one.name != "clock"):
        found += _key_checks(server, key)
    return found


def _direct(server: str) -> str:
    """Whether the server answers without the proxy: "yes", or why not."""
    parts = urlsplit(server)
    opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
    try:
        with opener.open(f"{parts.scheme}://{parts.netloc}/healthz", timeout=PATIENCE):
            return "yes"
    except (OSError, ValueError) as error:
        return str(getattr(error, "reason", error))


def _clock_check(date: str) -> Check:
    try:
        ahead = time.time() - email.utils.parsedate_to_datetime(date).timestamp()
    except (TypeError, ValueError):
        return Check("clock", True, "the server does not tell its time")
    return Check(
        "clock", abs(ahead) < 120, f"this machine's clock is {ahead:+.0f} s off the server's", {"off": f"{ahead:.0f}"}
    )


def _key_checks(server: str, key: str) -> list[Check]:
    """Whether the server knows the key, and hears the agent that has it."""
    name = "server knows the key"
    asked = urllib.request.Request(f"{server}{KEY_ADDRESS}", headers={"Authorization": f"Bearer {key}"})  # noqa: S310
    try:
        with urllib.request.urlopen(asked, timeout=PATIENCE) as answer:  # noqa: S310 - the agent's server
            known = json.loads(answer.read(LONGEST_FILE))
    except urllib.error.HTTPError as error:
        return [Check(name, error.code != 401, f"the server answered {error.code} {error.reason}")]
    except (OSError, ValueError) as error:
        return [Check(name, True, f"not answered: {error}")]
    hears = isinstance(known, dict) and known.get("connected") is True
    return [
        Check(name, True, "the server knows the agent's key"),
        Check("connected", hears, "the server hears the agent" if hears else "the server does not hear the agent"),
    ]


# ---- files ---------------------------------------------------------------------------------------------------------


def _identity(home: str) -> dict[str, object]:
    try:
        known = json.loads(_text(str(Path(home, IDENTITY))))
    except ValueError:
        return {}
    return known if isinstance(known, dict) else {}


def _text(path: str) -> str:
    try:
        with Path(path).open("rb") as file:
            return file.read(LONGEST_FILE).decode("utf-8", "replace")
    except OSError:
        return ""


def _tail(path: Path, number: int) -> list[str]:
    return _text(str(path)).splitlines()[-number:]
