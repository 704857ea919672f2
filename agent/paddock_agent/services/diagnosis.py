"""What is wrong with the agent's service, in words, with the command that mends it. A pure function of its state."""

from __future__ import annotations

from dataclasses import dataclass

from .port import ServiceState


@dataclass(frozen=True)
class Diagnosis:
    """``is_well`` is true where nothing has to be done. ``remedy`` are commands for that host."""

    is_well: bool
    sentence: str
    remedy: tuple[str, ...] = ()


def diagnose(state: ServiceState) -> Diagnosis:
    """The first thing that keeps the service from running now and after the next boot."""
    name = state.name
    start = "paddock-agent service start"
    if state.running == "missing":
        return Diagnosis(
            False,
            f"There is no service {name} on this host: nothing keeps the agent running.",
            ("paddock-agent service install",),
        )
    if state.running == "running":
        if not state.starts_at_boot:
            return Diagnosis(
                False,
                "The service runs, but is not set to start at boot: it will be gone then.",
                (f"systemctl enable {name}",),
            )
        again = f" It was started again {state.restarts} times." if state.restarts else ""
        return Diagnosis(True, f"The service runs as {state.account} and starts at boot.{again}")
    if state.running == "stopped" and state.result in ("", "success"):
        boot = "" if state.starts_at_boot else " It is not set to start at boot either."
        enable = () if state.starts_at_boot else (f"systemctl enable {name}",)
        return Diagnosis(False, f"The service was stopped.{boot}", (*enable, start))
    cause, remedy = _cause(state)
    tries = " It is being tried again every few seconds." if state.running == "trying again" else ""
    return Diagnosis(False, f"The service does not start: {cause}.{tries}", (*remedy, start))


def _cause(state: ServiceState) -> tuple[str, tuple[str, ...]]:
    """Why it ended, and what mends that. 200 to 242 are the service manager's own (systemd.exec(5), "Process exit
    codes"): it could not start the program. 5 and 6 are the agent's, see the cli module."""
    account = state.account
    match state.exit_status:
        case 217:
            return f"the account {account} does not exist (status 217)", (
                f"useradd --system --create-home --shell /bin/bash {account}",
            )
        case 216:
            return f"the group of the account {account} does not exist (status 216)", (f"id {account}",)
        case 203:
            return f"its program {state.program} is missing or may not be run (status 203)", (
                "paddock-agent service install",
            )
        case 200:
            return "its folder is missing or closed to its account (status 200)", ("paddock-agent service install",)
        case 5:
            return "this machine has not joined a server, or its account cannot read the key", ("paddock-agent join",)
        case 6:
            return "the server does not know its key: the host was turned away or retired", (
                "paddock-agent join --again",
            )
        case None:
            return f"it was ended from outside ({state.result})", ()
        case status:
            last = f": {state.evidence[-1]}" if state.evidence else ""
            return f"it ended with status {status}{last}", ()
