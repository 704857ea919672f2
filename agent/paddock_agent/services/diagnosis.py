"""What is wrong with the agent's service, in words, with the command that mends it. A pure function of its state."""

from __future__ import annotations

import shlex
from collections.abc import Callable
from dataclasses import dataclass

from ..system.port import Family
from .port import Cause, ServiceState

START = "paddock-agent service start"
INSTALL = "paddock-agent service install"


@dataclass(frozen=True)
class Diagnosis:
    """``is_well`` is true where nothing has to be done. ``remedy`` are commands for that host."""

    is_well: bool
    sentence: str
    remedy: tuple[str, ...] = ()


def diagnose(state: ServiceState) -> Diagnosis:
    """The first thing that keeps the service from running now and after the next boot."""
    if state.running == "missing":
        return Diagnosis(
            False, f"The service {state.name} does not exist on this host, so the agent does not run.", (INSTALL,)
        )
    enable = enabling(state.family, state.name)
    if state.running == "running":
        if not state.starts_at_boot:
            return Diagnosis(
                False, "The service runs, but is not set to start at boot: it will be gone then.", (enable,)
            )
        again = f" It was started again {state.restarts} times." if state.restarts else ""
        when = state.start_type if state.start_type == "at log-in" else "at boot"
        return Diagnosis(True, f"The service runs as {state.account} and starts {when}.{again}")
    if state.running == "stopped" and state.cause in (Cause.UNKNOWN, Cause.DISABLED):
        boot = "" if state.starts_at_boot else " It is not set to start at boot either."
        return Diagnosis(
            False, f"The service was stopped.{boot}", (*(() if state.starts_at_boot else (enable,)), START)
        )
    cause, remedy = _CAUSES[state.cause](state)
    code = f" ({state.code})" if state.code else ""
    tries = " It is being tried again every few seconds." if state.running == "trying again" else ""
    return Diagnosis(False, f"The service does not start: {cause}{code}.{tries}", (*remedy, START))


def enabling(family: Family, name: str) -> str:
    """The command that sets a service to start at boot."""
    match family:
        case "linux":
            return f"systemctl enable {quoted(family, name)}"
        case "macos":
            return f"sudo launchctl enable {quoted(family, f'system/{name}')}"
        case "windows":
            return f"Set-Service -Name {quoted(family, name)} -StartupType Automatic"


def making_account(family: Family, account: str) -> str:
    """The command that makes an account for a service."""
    match family:
        case "linux":
            return f"useradd --system --create-home --shell /bin/bash {quoted(family, account)}"
        case "macos":
            return f"sudo sysadminctl -addUser {quoted(family, account)} -password -"
        case "windows":
            # New-LocalUser takes the plain name: ".\\" and the machine's own name only say that it is of this machine.
            name = quoted(family, account.rpartition("\\")[2])
            return f"New-LocalUser -Name {name} -Password (Read-Host -AsSecureString) -PasswordNeverExpires"


def quoted(family: Family, word: str) -> str:
    """One word of a command line that people copy. It may come from another host, so it may be anything."""
    if family == "windows":
        doubled = word.replace("'", "''")
        return f"'{doubled}'"
    return shlex.quote(word)


def _last_words(state: ServiceState) -> str:
    return f": {state.evidence[-1]}" if state.evidence else ""


def _logon_failed(state: ServiceState) -> tuple[str, tuple[str, ...]]:
    return (
        f"the account {state.account} could not log on: its password is wrong or has expired, or the account is locked",
        (f"{INSTALL} --user {quoted(state.family, state.account)} --ask-password",),
    )


def _killed(state: ServiceState) -> tuple[str, tuple[str, ...]]:
    return f"it was ended from outside ({state.result})", ()


_Explanation = Callable[[ServiceState], tuple[str, tuple[str, ...]]]

_CAUSES: dict[Cause, _Explanation] = {
    Cause.NO_ACCOUNT: lambda s: (f"the account {s.account} does not exist", (making_account(s.family, s.account),)),
    Cause.NO_GROUP: lambda s: (
        f"the group of the account {s.account} does not exist",
        (f"id {quoted(s.family, s.account)}",),
    ),
    Cause.NO_PROGRAM: lambda s: (f"its program {s.program} is missing or may not be run", (INSTALL,)),
    Cause.NO_FOLDER: lambda s: ("its folder is missing or closed to its account", (INSTALL,)),
    Cause.NOT_JOINED: lambda s: (
        "this machine has not joined a server, or its account cannot read the key",
        ("paddock-agent join",),
    ),
    Cause.DISMISSED: lambda s: (
        "the server does not know its key: the host was turned away or retired",
        ("paddock-agent join --again",),
    ),
    Cause.LOGON_FAILED: _logon_failed,
    Cause.NO_LOGON_RIGHT: lambda s: (
        f"the account {s.account} has not the right to log on as a service",
        (f"{INSTALL} --user {quoted(s.family, s.account)} --ask-password",),
    ),
    Cause.TOO_MANY_STARTS: lambda s: (f"it ended at once too many times{_last_words(s)}", ()),
    Cause.NO_ANSWER: lambda s: (
        f"its program did not tell the service manager in time that it runs{_last_words(s)}",
        (),
    ),
    Cause.DISABLED: lambda s: ("it is disabled", (enabling(s.family, s.name),)),
    Cause.NO_LOGIN: lambda s: (
        f"it starts when {s.account} logs in, and no session of that account is open",
        ("paddock-agent service install",),
    ),
    Cause.KILLED: _killed,
    Cause.ENDED: lambda s: (f"it ended with status {s.exit_status}{_last_words(s)}", ()),
    Cause.UNKNOWN: lambda s: (f"its manager does not say why{_last_words(s)}", ()),
}
