"""From evidence to a diagnosis: the first rule that holds, along the chain of what an agent needs. The cause that is
nearest to the start of the chain comes first; what follows from it is never claimed beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from .commands import restart, with_sudo
from .diagnosis import WELL, Diagnosis
from .evidence import Evidence
from .rules_of_host import account_rules, crash_rules, folder_rules, program_rules, room_rules
from .rules_of_server import is_heard, process_rules, server_rules, starting_rules
from .rules_of_unit import (
    account_override_rules,
    ended_rules,
    is_running,
    last_lines,
    override_rules,
    sandbox_rules,
    unit_line,
    unit_rules,
)

Rule = Callable[[Evidence], Diagnosis | None]
STARTING = (unit_rules, account_rules, override_rules, program_rules, account_override_rules, folder_rules)
"""Without these it does not start, whoever asks."""
CONNECTING = (server_rules,)
LEFT = (room_rules, sandbox_rules, ended_rules, crash_rules, process_rules)
"""What is left where all that can be tried from outside works."""


def diagnose(evidence: Evidence) -> Diagnosis:
    """What is wrong with an agent that is not connected. WELL where its service was stopped in order, and nothing is in
    the way of its next start."""
    if is_running(evidence) and is_heard(evidence):
        broken = unit_rules(evidence)
        return _as_run_there(broken, evidence) if broken else WELL
    if "no Python" in evidence.trouble:
        return Diagnosis(
            "no python",
            "No Python 3.11 or newer can be started on the machine, so neither can the agent.",
            (f"The watch's own script: {evidence.trouble}.",),
            "What has become of it: without a Python the host cannot be examined.",
            remedy="A person must install Python again, or make it a program that everybody may run; then start the "
            "service.",
        )
    if " is broken: " in evidence.trouble:
        return _broken_python(evidence)
    if evidence.trouble:
        return Diagnosis("not examined", f"The host could not be examined: {evidence.trouble}.", last_lines(evidence))
    if evidence.unit.get("ActiveState") == "activating" and evidence.unit.get("SubState", "").startswith("start"):
        rules: tuple[Rule, ...] = (*STARTING, starting_rules)
    elif is_running(evidence):
        rules = (*STARTING, *CONNECTING, *LEFT)
    else:
        rules = (*STARTING, *_if_ended(evidence))
    for rule in rules:
        if found := rule(evidence):
            return _as_run_there(found, evidence)
    if not is_running(evidence) and evidence.unit.get("Result") in ("success", ""):
        return WELL
    unknown = Diagnosis(
        "unknown",
        "The agent does not run, and nothing that is known explains it.",
        (unit_line(evidence), *last_lines(evidence, 10)),
        "The cause.",
        remedy="Start it again, and read its log.",
        commands=restart(evidence.service),
    )
    return _as_run_there(unknown, evidence)


def _broken_python(evidence: Evidence) -> Diagnosis:
    """The machine's Python starts, and lacks a part of its own library."""
    return Diagnosis(
        "broken python",
        f"The machine's own Python lacks a part of its library, so the agent cannot run: {evidence.trouble}.",
        (f"The watch's own script: {evidence.trouble}.",),
        "Which file it is: without that Python the host cannot be examined.",
        remedy="A person must install the package again that the missing file belongs to, then start the service. On "
        "Debian and Ubuntu `dpkg -S FILE` names it: for Python's own modules it is libpython3.11-stdlib, with the "
        "version of that Python.",
    )


def _if_ended(evidence: Evidence) -> tuple[Rule, ...]:
    """A service that was stopped in order needs no explanation from the network."""
    if evidence.unit.get("Result") in ("success", "") and evidence.unit.get("ActiveState") == "inactive":
        return ()
    own = evidence.unit.get("ExecMainStatus", "")
    first = (server_rules,) if own in AGENT_GAVE_UP else ()
    return (*first, room_rules, sandbox_rules, ended_rules, server_rules, crash_rules)


AGENT_GAVE_UP = ("4", "5", "6")
"""The agent's own exit codes that are about its server and its key."""


def _as_run_there(found: Diagnosis, evidence: Evidence) -> Diagnosis:
    """Commands for who is logged in there: through sudo where the host has it."""
    if not evidence.has_sudo:
        return found
    possible = tuple(
        replace(one, command="".join(with_sudo([one.command] if one.command else []))) for one in found.possible
    )
    return replace(found, commands=with_sudo(found.commands), possible=possible)
