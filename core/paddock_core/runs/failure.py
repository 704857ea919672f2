"""What a script's exit code and the end of its log mean, in a sentence, with the likely cure.

Exit codes above 128 follow the convention of POSIX shells (128 + signal); 126 and 127 are theirs too. The codes of
Windows are the NTSTATUS values that a process ends with.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from ..units import memory_size

MAX_LINES = 200
MAX_LINE_LENGTH = 1000
MUCH_MEMORY = 0.8
"""Of the host's memory: a killed script that used more most likely ran out of it."""

_WORD = r"(?P<name>[^\s:'\"\u2018\u2019\u201c\u201d`]{1,200})"
_NOT_FOUND = (
    rf"^(?:\S+: )?(?:line (?P<line>\d+): )?{_WORD}: command not found$",
    rf"^(?:\S*sh: )(?P<line>\d+): {_WORD}: not found$",
    rf"^(?:\S*/)?\w*sh: (?:line \d+: )?{_WORD}: not found$",
    rf"^zsh: command not found: {_WORD}$",
    rf"^\S+:(?P<line>\d+): command not found: {_WORD}$",
    rf"^'{_WORD}' is not recognized as an internal or external command",
    rf"^(?:\S+ ?: )?The term '{_WORD}' is not recognized as (?:the name of|a name of)",
    rf"^make(?:\[\d+\])?: {_WORD}: No such file or directory$",
    rf"^FileNotFoundError: \[(?:Errno 2|WinError 2)\] .*: '{_WORD}'$",
    rf"^(?:/\S+/)?env: [\u2018']?{_WORD}[\u2019']?: No such file or directory$",
    rf"^(?:\S+: )?exec: \"{_WORD}\": executable file not found in",
    rf"^(?:\S+: )?(?:line (?P<line>\d+): )?{_WORD}: No such file or directory$",
)
_INTERPRETER = re.compile(rf"(?:^|\s){_WORD}: (?P<by>[^\s:]+): bad interpreter: (?P<why>.*)$")
_NOT_EXECUTABLE = re.compile(rf"(?:^|: ){_WORD}: Permission denied$")
_OTHER_MACHINE = re.compile(rf"{_WORD}: (?:cannot execute binary file|Exec format error|cannot execute: required file)")
_IS_FOLDER = re.compile(rf"(?:^|: ){_WORD}: Is a directory$")
_NO_MEMORY = (
    r"\bOutOfMemoryError\b",
    r"\bstd::bad_alloc\b",
    r"^MemoryError\b",
    r"JavaScript heap out of memory",
    r"virtual memory exhausted",
    r"[Cc]annot allocate memory",
    r"Killed signal terminated program",
    r"LLVM ERROR: out of memory",
    r"^Killed$",
)
_NO_RIGHTS = (
    r"requires? superuser privilege",
    r"needs superuser privilege",
    r"\b[Aa]re you root\?",
    r"[Mm]ust be (?:run as|the|run by) (?:root|superuser)",
    r"sudo: (?:a password is required|a terminal is required|no tty present|.* may not run sudo|.*not in the sudoers)",
    r"Could not open lock file .*\(13: Permission denied\)",
    r"requires elevation",
    r"This command (?:must|has to) be run (?:as administrator|as root)",
)
_NO_ROOM = r"[Nn]o space left on device|There is not enough space on the disk|ENOSPC"
_SIGNALS = {
    "SIGSEGV": "A program crashed: invalid memory access (segmentation fault).",
    "SIGABRT": "A program aborted because of an internal error.",
    "SIGILL": "A program used an instruction that this processor lacks: it was built for another kind.",
    "SIGBUS": "A program crashed on a memory access (bus error); a full disk under a mapped file does that too.",
    "SIGFPE": "A program crashed on an impossible calculation (floating point exception).",
    "SIGPIPE": "A program wrote to another one that had already ended.",
    "SIGTERM": "The script was terminated (SIGTERM), but not by this server.",
    "SIGINT": "The script was interrupted (SIGINT), but not by this server.",
    "SIGHUP": "The script lost its session (SIGHUP).",
    "SIGXCPU": "The script exceeded the processor time limit of its account.",
    "SIGXFSZ": "The script exceeded the file size limit of its account.",
}
_SIGNAL_NUMBERS = {1: "SIGHUP", 2: "SIGINT", 4: "SIGILL", 6: "SIGABRT", 7: "SIGBUS", 8: "SIGFPE", 9: "SIGKILL",
                   11: "SIGSEGV", 13: "SIGPIPE", 15: "SIGTERM", 24: "SIGXCPU", 25: "SIGXFSZ"}  # fmt: skip
_WINDOWS_CODES = {
    0xC0000005: "A program crashed: invalid memory access (access violation).",
    0xC0000135: "A program could not start: a library (DLL) that it needs is not on this host.",
    0xC000007B: "A program could not start: it, or a library of it, was built for another processor.",
    0xC0000017: "A program ran out of memory.",
    0xC00000FD: "A program crashed: its calls were nested too deeply (stack overflow).",
    0xC0000409: "A program ended itself because its stack was damaged.",
    0xC000013A: "The script was interrupted (Ctrl+C), but not by this server.",
    9009: "The script calls a command that is not on this host's PATH.",
}


@dataclass(frozen=True)
class StepEnd:
    """How a step ended, and the ``account`` that it ran as. ``memory`` is the most that the run used, and
    ``host_memory`` what its host has; in bytes, 0 where not known."""

    exit_code: int | None
    signal: str = ""
    memory: int = 0
    host_memory: int = 0
    account: str = ""


@dataclass(frozen=True)
class Failure:
    """What an end means: ``sentence`` is what happened, ``cure`` what most likely helps ("" where nothing is likely).
    ``tool`` is the tool whose term is missing from the job; ``evidence`` the line of the log that says so."""

    sentence: str
    cure: str = ""
    tool: str = ""
    evidence: str = ""


def explain_failure(
    end: StepEnd, log_end: Sequence[str], commands: Mapping[str, str], named: Collection[str]
) -> Failure | None:
    """Why a step failed; None where its exit code is its own business and its log's end says nothing known.

    ``log_end`` are the last lines that it printed, plain text. ``commands`` give the tool behind a command, and
    ``named`` are the tools that the job's terms name.
    """
    lines = [line.strip()[:MAX_LINE_LENGTH] for line in log_end[-MAX_LINES:]]
    signal = end.signal or _signal_of(end.exit_code)
    if end.exit_code == 0 and not end.signal:
        return None
    for rule in (_interpreter, _binary, _not_executable):
        if found := rule(end, lines):
            return found
    if found := _not_found(end, lines, commands, named):
        return found
    if found := _no_memory(end, signal, lines):
        return found
    if line := _last(lines, *_NO_RIGHTS):
        who = f"the agent's account {end.account}" if end.account else "the agent's account"
        return Failure(
            f"It needs root or administrator rights, but ran as {who}.",
            "Jobs and chores run as that account. Install it on the machine yourself, or let the account run this one "
            "command through sudo without a password (`visudo`), and call it with `sudo -n`. Whoever may send jobs "
            "there could then run it too.",
            evidence=line,
        )
    if line := _last(lines, _NO_ROOM):
        return Failure(
            "The disk was full.", "Add a term with the space that the job needs: `disk 20 GB free`.", evidence=line
        )
    if signal == "SIGKILL":
        return Failure(
            "The script was killed (SIGKILL), but not by this server.",
            "Most often the system does that when memory runs out: its log says so. Ask for more with a term as "
            "`memory 16 GB`, or run fewer things at once.",
        )
    if signal in _SIGNALS:
        return Failure(_SIGNALS[signal])
    if end.exit_code is not None and (meaning := _WINDOWS_CODES.get(end.exit_code & 0xFFFFFFFF)):
        return Failure(meaning)
    return None


def _signal_of(code: int | None) -> str:
    if code is None:
        return ""
    return _SIGNAL_NUMBERS.get(code - 128 if code > 128 else -code, "")


def _last(lines: Sequence[str], *patterns: str) -> str:
    """The last line that one of the patterns is found in; "" for none."""
    return next((line for line in reversed(lines) if any(re.search(pattern, line) for pattern in patterns)), "")


def _interpreter(end: StepEnd, lines: Sequence[str]) -> Failure | None:
    for line in reversed(lines):
        if found := _INTERPRETER.search(line):
            by = found["by"]
            if by.endswith(("^M", "\r")):
                return Failure(
                    f"{found['name']} has Windows line ends, so its interpreter is not found.",
                    "Store it with Unix line ends: `*.sh text eol=lf` in .gitattributes.",
                    evidence=line,
                )
            return Failure(
                f"{found['name']} asks for the interpreter {by}, which this host does not have there.",
                f"Write `#!/usr/bin/env {by.rpartition('/')[2]}` as its first line, and add the tool as a term.",
                evidence=line,
            )
    return None


def _binary(end: StepEnd, lines: Sequence[str]) -> Failure | None:
    if end.exit_code not in (126, 127, 1, 2):
        return None
    for line in reversed(lines):
        if found := _OTHER_MACHINE.search(line):
            return Failure(
                f"{found['name']} cannot run on this host: it was built for another system or processor.",
                "Build it for this one, or say which hosts can run it: `arch x64` or `arch arm64`.",
                evidence=line,
            )
    return None


def _not_executable(end: StepEnd, lines: Sequence[str]) -> Failure | None:
    if end.exit_code != 126:
        return None
    for line in reversed(lines):
        if found := _IS_FOLDER.search(line):
            return Failure(f"{found['name']} is a folder, not a program.", evidence=line)
        if found := _NOT_EXECUTABLE.search(line):
            return Failure(
                f"{found['name']} is not executable.",
                "Make it executable in the repository: "
                f"`git update-index --chmod=+x {found['name'].removeprefix('./')}`.",
                evidence=line,
            )
    return Failure("The script calls a file that is not executable.", "Make it executable: `chmod +x`.")


def _not_found(
    end: StepEnd, lines: Sequence[str], commands: Mapping[str, str], named: Collection[str]
) -> Failure | None:
    for line in reversed(lines):
        found = next((match for pattern in _NOT_FOUND if (match := re.search(pattern, line))), None)
        if not found:
            continue
        name = found["name"]
        is_plain = "/" not in name and "\\" not in name
        if "No such file" in line and (end.exit_code != 127 or not is_plain) and not line.startswith(("make", "File")):
            if end.exit_code != 127:
                continue  # a file that a command read, and no command
            return Failure(
                f"The script calls {name}, which does not exist.",
                "Check the path, and that an earlier step makes it.",
                evidence=line,
            )
        tool = commands.get(re.sub(r"\.(?:exe|cmd|bat)$", "", name.rpartition("/")[2].lower()), "")
        at = f" on line {found['line']}" if "line" in found.groupdict() and found["line"] else ""
        sentence = f"The script calls {name}{at}, which is not on this host's PATH."
        if tool and tool not in named:
            return Failure(
                sentence, f"Add the term `tool {tool}`: the job then runs where it is installed.", tool, line
            )
        if tool:
            cure = (
                f"The host has {tool}, but not on the PATH. Call it by the variable of its home, or by its full path."
            )
            return Failure(sentence, cure, evidence=line)
        return Failure(sentence, "Check how it is spelt, or install it on the host.", evidence=line)
    if end.exit_code == 127:
        return Failure("The script calls a command that is not on this host's PATH.")
    return None


def _no_memory(end: StepEnd, signal: str, lines: Sequence[str]) -> Failure | None:
    line = _last(lines, *_NO_MEMORY)
    used_much = end.memory and end.host_memory and end.memory > MUCH_MEMORY * end.host_memory
    if not line and not (signal == "SIGKILL" and used_much):
        return None
    used = f" The run used {memory_size(end.memory)}" if end.memory else ""
    has = f" of the {memory_size(end.host_memory)} that the host has" if used and end.host_memory else ""
    return Failure(
        f"It ran out of memory.{used}{has}{'.' if used else ''}",
        "Ask for a host with more (`memory 16 GB`), give the job more slots, or run fewer things at once.",
        evidence=line,
    )
