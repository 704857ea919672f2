"""Causes that lie in the account, the program, the agent's folder and its state."""

from __future__ import annotations

import re
from dataclasses import replace

from . import commands as make
from .diagnosis import Diagnosis, Possibility
from .evidence import Check, Evidence
from .failed_trials import Agent, Part, explain_part
from .rules_of_unit import environment_files, last_lines, repair, unit_line

OF_PYTHON = ("/usr", "/opt", "/lib", "/lib64")
"""Where a Python may be that every account uses."""
YES = ("yes", "true", "on", "1")
"""What systemd takes for yes (systemd.syntax(7))."""


def account_rules(evidence: Evidence) -> Diagnosis | None:
    """The account is missing."""
    if not (failed := evidence.failed("account")):
        return None
    account = evidence.account
    if any(one.key == "DynamicUser" and one.value.lower() in YES for one in evidence.overrides):
        return None  # its account is made up at each start: that line is the cause
    line = next((one for one in evidence.overrides if one.key == "User" and one.value == account), None)
    known = (unit_line(evidence), f"The machine's list of accounts: {failed.detail}.")
    if line:
        return Diagnosis(
            "account",
            f"{line.file} line {line.line} has the service run as {account}, an account that does not exist.",
            known,
            remedy="Take the line out: the service then runs as before.",
            commands=(
                make.without_line(line.file, line.line),
                "systemctl daemon-reload",
                *make.restart(evidence.service),
            ),
        )
    group = ("--gid", account) if failed.facts.get("group") else ("--user-group",)
    made = make.words("useradd", "--system", *group, "--home-dir", evidence.home, "--shell", "/bin/bash", account)
    folders = dict.fromkeys([evidence.home, evidence.work_folder or evidence.home])
    owned = [make.words("chown", "-R", f"{account}:", folder) for folder in folders]
    return Diagnosis(
        "account",
        f"The account {account}, which the service runs under, does not exist.",
        known,
        remedy="Make it again, give it the agent's folders, and start the service.",
        commands=(made, *owned, *make.restart(evidence.service)),
    )


def program_rules(evidence: Evidence) -> Diagnosis | None:
    """The program or its packages are missing or broken."""
    known = (unit_line(evidence), *last_lines(evidence, 2))
    if failed := evidence.failed("program"):
        program = failed.facts.get("program", "")
        if "not marked" in failed.detail:
            return Diagnosis(
                "program",
                f"The agent's program {program} is not marked as executable.",
                (failed.detail, *known),
                remedy="Mark it, and start the service.",
                commands=(make.words("chmod", "a+rx", program), *make.restart(evidence.service)),
            )
        return Diagnosis(
            "program",
            f"The agent's program cannot be run: {failed.detail}.",
            (*([f"It leads to {leads}."] if (leads := failed.facts.get("leads to")) else []), *known),
            remedy="Install the agent's program again; key, name, account and environment stay.",
            commands=repair(evidence),
        )
    failed = evidence.failed("packages")
    if not failed:
        return None
    if failed.facts.get("without"):
        return _astray(evidence, failed, known)
    if found := re.search(r"(?:Permission denied|PermissionError).*?'?(/[^':|]+)", failed.detail):
        opened = _opened(found.group(1), _environment_of(failed.facts.get("program", "")))
        if not opened:
            return Diagnosis(
                "packages",
                f"The account {evidence.account} may not enter {found.group(1)}, where the agent's Python is.",
                (failed.detail, *known),
                remedy="A person must install Python where every account can read it, as in /usr, and run "
                f"`{' '.join(repair(evidence))}`.",
            )
        return Diagnosis(
            "packages",
            f"The account {evidence.account} may not read what the agent's program needs: {found.group(1)}.",
            (failed.detail, *known),
            remedy="Let every account read it, and start the service.",
            commands=(
                *opened,
                *make.restart(evidence.service),
            ),
        )
    return Diagnosis(
        "packages",
        f"The agent's Python packages are broken: {failed.detail}.",
        known,
        remedy="Install the agent's program again; key, name, account and environment stay.",
        commands=repair(evidence),
    )


def _astray(evidence: Evidence, failed: Check, known: tuple[str, ...]) -> Diagnosis:
    """A variable of the service that leads Python astray: without it, the packages can be loaded."""
    name = failed.facts["without"]
    removed = make.without_variable(name, environment_files(evidence))
    return Diagnosis(
        "environment",
        f"The variable {name} in the service's environment keeps the agent's Python from starting: {failed.detail}.",
        (f"Without {name} its packages can be loaded.", *known),
        remedy="Take the variable out, and start the service.",
        commands=(*removed, *make.restart(evidence.service)) if removed else (),
    )


def _opened(closed: str, environment: str) -> tuple[str, ...]:
    """All of the agent's own environment; of the system's own folders no more than what is closed. A person's folder is
    not opened to everybody."""
    if closed.startswith(f"{environment}/"):
        return (make.words("chmod", "-R", "a+rX", environment),)
    if closed in OF_PYTHON or closed.startswith(tuple(f"{folder}/" for folder in OF_PYTHON)):
        return (make.words("chmod", "a+rX", closed),)
    return ()


def _environment_of(program: str) -> str:
    """The virtual environment of the agent's Python, never a folder above it, which may belong to a person."""
    return program.rpartition("/bin/")[0] or "/opt/paddock"


def folder_rules(evidence: Evidence) -> Diagnosis | None:
    """The agent's own folder and what is in it."""
    agent = Agent(evidence.account, evidence.service)
    if failed := evidence.failed("folder"):
        found = _and_started(explain_part(_part(failed, "agent's folder"), agent), evidence)
        return _folder_gone(found, evidence) if found.cause == "missing" else found
    if failed := evidence.failed("key"):
        return _key(evidence, failed)
    if failed := evidence.failed("spool"):
        return _spool(evidence, failed)
    return None


def _folder_gone(found: Diagnosis, evidence: Evidence) -> Diagnosis:
    """An empty folder in its place would have no key in it."""
    return replace(
        found,
        sentence=f"The agent's folder {evidence.home} is gone, and its key with it.",
        remedy="A person must bring the folder back, from where it was moved or from a backup; or make an entry pass "
        "for this host and run its bring-up command on the machine.",
        commands=(),
    )


def _part(check: Check, name: str) -> Part:
    return Part(name, check.detail, check.facts)


def _and_started(found: Diagnosis, evidence: Evidence) -> Diagnosis:
    """The same diagnosis with what this service wrote, and its start after the remedy."""
    again = make.restart(evidence.service)
    started = again if found.commands and found.commands[-1] != again[-1] else ()
    known = (*found.known, unit_line(evidence), *last_lines(evidence, 2))
    return replace(found, known=known, commands=(*found.commands, *started))


def _key(evidence: Evidence, failed: Check) -> Diagnosis:
    home, key = evidence.home, f"{evidence.home}/identity.json"
    known = (failed.detail, unit_line(evidence), *last_lines(evidence, 2))
    if "(EACCES)" in failed.detail or "(EPERM)" in failed.detail:
        return Diagnosis(
            "key closed",
            f"The account {evidence.account} may not read the agent's key {key}.",
            known,
            remedy="Give the agent's folder back to its account, and start the service.",
            commands=(
                make.words("chown", "-R", f"{evidence.account}:", home),
                make.words("chmod", "600", key),
                *make.restart(evidence.service),
            ),
        )
    if "(EISDIR)" in failed.detail or "(ENOTDIR)" in failed.detail:
        sentence = f"The agent's key {key} is not a file."
    elif "(ENOENT)" in failed.detail:
        sentence = f"The agent's key {key} is gone."
    else:
        sentence = f"The agent's key {key} is damaged."
    return Diagnosis(
        "key",
        sentence,
        known,
        remedy="A person must make an entry pass for this host and run its bring-up command on the machine, or put the "
        "file back from a backup: the key exists nowhere else.",
    )


def _spool(evidence: Evidence, failed: Check) -> Diagnosis:
    file = failed.facts.get("file", f"{evidence.home}/spool.sqlite3")
    known = (failed.detail, unit_line(evidence), *last_lines(evidence, 2))
    if failed.facts.get("attributes") == "immutable":
        return Diagnosis(
            "immutable",
            f"The file with the agent's unsent messages is marked immutable, so nothing can be written to it: {file}.",
            known,
            remedy="Take the mark away, and start the service.",
            commands=(make.words("chattr", "-i", file), *make.restart(evidence.service)),
        )
    if beside := failed.facts.get("beside", ""):
        return Diagnosis(
            "state damaged",
            f"{beside} is not a file: the agent keeps a part of its unsent messages there, beside {file}.",
            known,
            remedy="Move it aside and start the service. Nothing is lost by that.",
            commands=(make.words("mv", beside, f"{beside}.moved-away"), *make.restart(evidence.service)),
        )
    is_file = failed.facts.get("kind") == "file" or failed.facts.get("nearest") != file
    if is_file and re.search("readonly|unable to open", failed.detail):
        return Diagnosis(
            "state closed",
            f"The account {evidence.account} may not write the agent's messages in {file}.",
            known,
            remedy="Give the agent's folder back to its account, and start the service.",
            commands=(
                make.words("chown", "-R", f"{evidence.account}:", evidence.home),
                make.words("chmod", "u+rw", file),
                *make.restart(evidence.service),
            ),
        )
    return Diagnosis(
        "state damaged",
        f"The file with the agent's unsent messages is damaged: {file}.",
        known,
        remedy="Move it aside and start the service. What had not been sent is lost; the server notices which attempts "
        "that concerns.",
        commands=(make.words("mv", file, f"{file}.damaged"), *make.restart(evidence.service)),
    )


def room_rules(evidence: Evidence) -> Diagnosis | None:
    """A part of the trial of work that failed for the account: only where the agent itself gave up over it."""
    for check in evidence.checks:
        if check.name.startswith("trial: ") and not check.ok:
            part = _part(check, check.name.removeprefix("trial: "))
            found = _and_started(explain_part(part, Agent(evidence.account, evidence.service)), evidence)
            # The account's home often is the agent's folder.
            return _folder_gone(found, evidence) if part.folder == evidence.home and found.cause == "missing" else found
    return None


def crash_rules(evidence: Evidence) -> Diagnosis | None:
    """The program ends by itself with an error that none of the checks explains."""
    status = evidence.unit.get("ExecMainStatus", "0")
    if status in ("", "0") or evidence.unit.get("ExecMainCode") != "1":
        return None
    error = next((line for line in reversed(evidence.log) if re.match(r"[\w.]*(Error|Exception)\b", line)), "")
    words = error or (evidence.log[-1] if evidence.log else "")
    return Diagnosis(
        "ends by itself",
        f"The agent starts and ends again with status {status}" + (f": {words}" if words else "."),
        (unit_line(evidence), *last_lines(evidence, 8)),
        "Why: all that it needs was tried and works.",
        (
            Possibility("Its program is damaged in a place that the checks do not touch.", " ".join(repair(evidence))),
            Possibility(
                "It met something that it was not written for: its last lines say where.",
                make.words("journalctl", "--unit", evidence.service, "--lines", "60", "--no-pager"),
            ),
        ),
        "Install the program again first: that changes nothing else.",
        repair(evidence),
    )
