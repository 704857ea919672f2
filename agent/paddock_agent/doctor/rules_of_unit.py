"""Causes that lie in the unit: masked, missing, overridden, conditions, limits, and what stopped it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from . import commands as make
from .diagnosis import Diagnosis, Possibility
from .evidence import Evidence, Override
from .unit_settings import KEYS_OF_MESSAGE, KEYS_OF_RESULT, KEYS_OF_STATUS, NEEDS, SANDBOX


def unit_rules(evidence: Evidence) -> Diagnosis | None:
    """What keeps the unit from being started at all."""
    unit = evidence.unit
    loaded = unit.get("LoadState", "")
    if loaded == "masked" or unit.get("MaskedBy"):
        return _masked(evidence, unit.get("MaskedBy") or f"/etc/systemd/system/{evidence.service}")
    if loaded == "not-found" or (loaded == "loaded" and unit.get("FragmentExists") == "no"):
        gone = unit.get("FragmentPath") or f"/etc/systemd/system/{evidence.service}"
        still = " It still runs, but the machine's next start will not start it." if is_running(evidence) else ""
        return Diagnosis(
            "unit missing",
            f"The service's unit {gone} does not exist any more.{still}",
            (unit_line(evidence),),
            remedy="Write the unit again; account, environment and key stay.",
            commands=repair(evidence),
        )
    if loaded in ("bad-setting", "error"):
        return _bad_setting(evidence)
    if "no" in (unit.get("ConditionResult"), unit.get("AssertResult")) and not is_running(evidence):
        lines = _with_keys(evidence, ("Condition", "Assert"))
        if lines:
            return _remove_lines(
                evidence, "condition", "The service is not started, as a condition of its unit is not met", lines
            )
    return None if is_running(evidence) else _unmet_need(evidence)


def _unmet_need(evidence: Evidence) -> Diagnosis | None:
    """Another unit without which this one is not started, and that cannot be started itself."""
    unmet = evidence.unit.get("UnmetNeeds", "").split()
    if not unmet:
        return None
    name, _, how = unmet[0].partition("=")
    what = {"not-found": "does not exist", "masked": "is masked", "failed": "has failed"}.get(how, f"is {how}")
    sentence = f"The service is not started without {name}, and that {what}"
    lines = [one for one in evidence.overrides if one.key in NEEDS and name in one.value.split()]
    if lines:
        return _remove_lines(evidence, "dependency", sentence, lines)
    return Diagnosis(
        "dependency",
        f"{sentence}.",
        (unit_line(evidence), *last_lines(evidence)),
        "Why." if how == "failed" else "",
        (Possibility(f"{name} says why.", make.words("systemctl", "status", "--no-pager", name)),),
        f"A person must bring {name} back, or take it out of the units that the agent's service requires.",
    )


def override_rules(evidence: Evidence) -> Diagnosis | None:
    """A line of the unit that explains how the service ended, by the manager's own number or word."""
    if is_running(evidence):
        return None
    unit = evidence.unit
    status, result = unit.get("ExecMainStatus", ""), unit.get("Result", "")
    lines = _with_keys(evidence, (*KEYS_OF_STATUS.get(status, ()), *KEYS_OF_RESULT.get(result, ())))
    if not lines:
        return None
    how = f"status {status}" if status in KEYS_OF_STATUS else f"result “{result}”"
    return _remove_lines(
        evidence, "override", f"The service does not start ({how}), and this was changed in its unit", lines
    )


def account_override_rules(evidence: Evidence) -> Diagnosis | None:
    """Another account was put into the unit, and that may not enter what belongs to the agent's own."""
    lines = [one for one in evidence.overrides if one.key in ("User", "Group") and one.value]
    if not lines or not (evidence.failed("folder") or evidence.failed("key")):
        return None
    return _remove_lines(
        evidence,
        "override",
        f"The service runs as {evidence.account}, who may not enter the agent's folder {evidence.home}",
        lines,
    )


def sandbox_rules(evidence: Evidence) -> Diagnosis | None:
    """All that the agent needs works outside of its unit: then what its unit takes away is in the way."""
    lines = [one for one in evidence.overrides if one.key in SANDBOX and one.value != ""]
    if not lines:
        return None
    if named := _named_by_a_message(evidence, lines):
        return named
    if len(lines) == 1:
        return _remove_lines(
            evidence,
            "override",
            "All that the agent needs works outside of its unit, and one line was added to that",
            lines,
            "That this line is the cause follows from there being no other; the log does not say so.",
        )
    # The last line of each file first, so that the numbers of the others stay right.
    ordered = sorted(lines, key=lambda one: (one.file, -one.line))
    then = " && ".join(("systemctl daemon-reload", *make.restart(evidence.service)))
    return Diagnosis(
        "override",
        "All that the agent needs works outside of its unit, to which lines were added: one of them is in the way.",
        (unit_line(evidence), *last_lines(evidence)),
        "Which of the lines it is.",
        tuple(Possibility(f"{_shown(one)}.", " && ".join((*_without(evidence, [one]), then))) for one in ordered),
        "Take the lines out one by one, in this order, until the agent connects.",
    )


def _named_by_a_message(evidence: Evidence, lines: Sequence[Override]) -> Diagnosis | None:
    """The lines that bring about what the agent wrote last."""
    written = "\n".join((*evidence.words[-4:], *evidence.log[-6:]))
    for message, keys in KEYS_OF_MESSAGE.items():
        found = [one for one in lines if one.key in keys]
        if message in written and found:
            return _remove_lines(
                evidence,
                "override",
                f"The agent's last words say “{message}”. All that it needs works outside of its unit, and that has",
                found,
            )
    return None


@dataclass(frozen=True)
class _End:
    """What one result of the service manager means (systemd.service(5))."""

    cause: str
    sentence: str
    unknown: str = ""
    remedy: str = "Start it again."


_ENDS = {
    "oom-kill": _End(
        "memory",
        "The service was ended because its memory ran out.",
        remedy="Start it again. If it happens again, give the machine more memory or fewer slots.",
    ),
    "signal": _End("killed", "The agent was ended by signal {status}.", "Who sent the signal."),
    "core-dump": _End("killed", "The agent was ended by signal {status}.", "Whether that is a fault of its own."),
    "start-limit-hit": _End(
        "too many starts",
        "The service was started too often within two minutes, so its manager starts it no more.",
        "Who started it, or what ended it each time.",
    ),
    "timeout": _End(
        "slow start", "The service manager gave up waiting for the service to start or to stop.", "What took so long."
    ),
}


def ended_rules(evidence: Evidence) -> Diagnosis | None:
    """What the service manager itself says about the end, where nothing nearer explains it."""
    end = _ENDS.get(evidence.unit.get("Result", ""))
    if is_running(evidence) or end is None:
        return None
    return Diagnosis(
        end.cause,
        end.sentence.format(status=evidence.unit.get("ExecMainStatus", "0")),
        (unit_line(evidence), *last_lines(evidence)),
        end.unknown,
        remedy=end.remedy,
        commands=make.restart(evidence.service),
    )


def is_running(evidence: Evidence) -> bool:
    """Whether the service has a process that is its agent."""
    return evidence.unit.get("ActiveState") in ("active", "reloading") and evidence.process.get("pid", "0") != "0"


def repair(evidence: Evidence, *options: str) -> tuple[str, ...]:
    """The doctor's own repair: it knows the unit, the account and the packages."""
    doctor = ("/bin/sh", evidence.doctor) if evidence.doctor else ("paddock-agent",)
    return (make.words(*doctor, "repair", *options),)


def environment_files(evidence: Evidence) -> list[str]:
    """The environment files of the service, as the manager names them."""
    return re.findall(r"(/\S+) \(", evidence.unit.get("EnvironmentFiles", ""))


def unit_line(evidence: Evidence) -> str:
    """How the service is, by its manager, in a line."""
    unit = evidence.unit
    status = unit.get("ExecMainStatus", "0")
    ended = f", last exit status {status}" if status not in ("", "0") else ""
    restarts = unit.get("NRestarts", "0")
    again = f", started again {restarts} times" if restarts not in ("", "0") else ""
    return (
        f"{evidence.service}: {unit.get('LoadState', '?')}, {unit.get('ActiveState', '?')} "
        f"({unit.get('SubState', '?')}), result {unit.get('Result', '?')}{ended}{again}."
    )


def last_lines(evidence: Evidence, number: int = 4) -> tuple[str, ...]:
    """The end of what the agent wrote, and of the service's log."""
    words = [f"The agent's last words: {line}" for line in evidence.words[-2:]]
    log = [f"The service's log: {line}" for line in evidence.log[-number:]]
    return (*words, *log)


def _masked(evidence: Evidence, masked: str) -> Diagnosis:
    if masked.startswith("/run/"):
        commands = (make.words("systemctl", "unmask", "--runtime", evidence.service), *make.restart(evidence.service))
        return Diagnosis(
            "masked",
            f"The service is masked by {masked}: nothing can start it.",
            (unit_line(evidence),),
            remedy="Unmask it and start it.",
            commands=commands,
        )
    return Diagnosis(
        "masked",
        f"The service is masked by {masked}, a link to /dev/null: nothing can start it.",
        (unit_line(evidence),),
        remedy="Remove the mask, write the unit again, and start it.",
        commands=(make.words("systemctl", "unmask", evidence.service), *repair(evidence)),
    )


def _bad_setting(evidence: Evidence) -> Diagnosis:
    """The lines that the manager complained about by file and number, and those that start another program besides."""
    words = evidence.unit.get("LoadError", "")
    named: dict[tuple[str, int], str] = {}
    for line in evidence.log:
        if found := re.search(r"(/\S+\.(?:conf|service)):(\d+): (.*)", line):
            named[found.group(1), int(found.group(2))] = found.group(3)
    lines = [one for one in evidence.overrides if (one.file, one.line) in named]
    if "ExecStart" in " ".join((words, *evidence.log[-6:])):
        lines += [one for one in evidence.overrides if one.key == "ExecStart" and one not in lines]
    if lines:
        why = next(iter(named.values()), words)
        return _remove_lines(evidence, "bad setting", f"The unit cannot be read ({why})", lines)
    return Diagnosis(
        "bad setting",
        f"The unit cannot be read: {words}.",
        (unit_line(evidence), *last_lines(evidence)),
        remedy="Write the unit again.",
        commands=repair(evidence),
    )


def _with_keys(evidence: Evidence, keys: Sequence[str]) -> list[Override]:
    """The lines that set one of the keys, or a group of them by its first word (Limit, Condition)."""
    return [
        one
        for one in evidence.overrides
        if any(one.key == key or (key in ("Limit", "Condition", "Assert") and one.key.startswith(key)) for key in keys)
    ]


def _shown(line: Override) -> str:
    return f"{line.file} line {line.line}: {line.key}={line.value}"


def _remove_lines(
    evidence: Evidence, cause: str, sentence: str, lines: Sequence[Override], unknown: str = ""
) -> Diagnosis:
    return Diagnosis(
        cause,
        f"{sentence}: {'; '.join(_shown(one) for one in lines)}.",
        (unit_line(evidence), *last_lines(evidence)),
        unknown,
        (),
        "Take the line out, unless it was meant; then it has to be corrected by who wrote it.",
        (*_without(evidence, lines), "systemctl daemon-reload", *make.restart(evidence.service)),
    )


def _without(evidence: Evidence, lines: Sequence[Override]) -> list[str]:
    """Deletes lines from their files, each with the empty line of its key that stands before it: that takes away what
    the unit itself says, and would leave the service with nothing."""
    emptied = [
        reset
        for reset in evidence.overrides
        if reset.value == ""
        and any((one.file, one.key) == (reset.file, reset.key) and reset.line < one.line for one in lines)
    ]
    return make.without_lines({(one.file, one.line) for one in (*lines, *emptied)})
