"""The bring-up of one machine: which steps are done, which failed, where it waits, and for whom.

Two kinds of things are known. What the machine's own bring-up reports (``ReportedTimes``), which may stop at any time;
and what the server observes (``ObservedBringUp``): a host that joined, connected, was surveyed, was admitted and ran
its proof job."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

QUIET_SECONDS = 15 * 60
"""A step of the machine's that was begun and not heard of for so long is taken for cut off."""
MAX_REASON_LENGTH = 160
CALL_SECONDS = 60
"""A service that was started and has not called the server for so long is in trouble."""


class BringUpStep(StrEnum):
    """The steps, in order."""

    FETCH = "fetch"
    PREFLIGHT = "preflight"
    INSTALL = "install"
    JOIN = "join"
    SERVICE = "service"
    CONNECT = "connect"
    SURVEY = "survey"
    ADMIT = "admit"
    PROVE = "prove"


REPORTED_STEPS = frozenset(
    {BringUpStep.FETCH, BringUpStep.PREFLIGHT, BringUpStep.INSTALL, BringUpStep.JOIN, BringUpStep.SERVICE}
)
"""What the machine, or the server on its behalf, tells of; the other steps are seen."""

TITLES = {
    BringUpStep.FETCH: "Script fetched",
    BringUpStep.PREFLIGHT: "Machine checked",
    BringUpStep.INSTALL: "Agent installed",
    BringUpStep.JOIN: "Joined",
    BringUpStep.SERVICE: "Service set up and started",
    BringUpStep.CONNECT: "First heartbeat",
    BringUpStep.SURVEY: "Surveyed",
    BringUpStep.ADMIT: "Admitted",
    BringUpStep.PROVE: "Proved by a job",
}


class State(StrEnum):
    """How one step stands. LEFT_OUT: this bring-up has no such step."""

    WAITS = "waits"
    NOW = "now"
    DONE = "done"
    FAILED = "failed"
    LEFT_OUT = "left out"


class Phase(StrEnum):
    """How the whole stands. CUT_OFF: the machine reported a step and has been silent since."""

    EXPECTED = "expected"
    UNDER_WAY = "under way"
    FAILED = "failed"
    CUT_OFF = "cut off"
    AT_THE_GATE = "at the gate"
    FINISHED = "finished"
    GIVEN_UP = "given up"


@dataclass(frozen=True)
class ReportedTimes:
    """What the machine reported of one step. Times in seconds since the epoch; ``remedy`` are commands for the
    machine."""

    began: float
    ended: float | None = None
    failed: bool = False
    found: str = ""
    remedy: tuple[str, ...] = ()


@dataclass(frozen=True)
class ObservedBringUp:
    """What the server knows of the host. Times as in ``ReportedTimes``, None for what has not happened;
    ``proof`` is the state of the proof job, "" for none."""

    joined: float | None = None
    connected: float | None = None
    surveyed: float | None = None
    admitted: float | None = None
    turned_away: bool = False
    proof: str = ""
    proof_began: float | None = None
    proof_ended: float | None = None
    proof_reason: str = ""


@dataclass(frozen=True)
class Row:
    """One step as the sheet shows it."""

    step: BringUpStep
    state: State
    at: float | None = None
    seconds: float | None = None
    detail: str = ""
    remedy: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """The step in words."""
        return TITLES[self.step]


@dataclass(frozen=True)
class Progress:
    """The sheet: how the whole stands, in a sentence, and its steps."""

    phase: Phase
    sentence: str
    rows: tuple[Row, ...]


def progress(
    reported: Mapping[BringUpStep, ReportedTimes],
    seen: ObservedBringUp,
    now: float,
    *,
    by_hand: bool = False,
    given_up: bool = False,
    family: str = "linux",
) -> Progress:
    """Where a bring-up is. What the server observes overrules what the machine reported: a machine that joined has been
    fetched for, checked and installed, whether it reported that or not; and a failure is past once a later step is
    done."""
    rows = [_row(step, reported.get(step), seen, by_hand) for step in BringUpStep]
    rows = _past_failures(rows)
    rows = _with_current(rows, seen, now, family)
    return Progress(*_whole(rows, reported, seen, now, given_up), rows=tuple(rows))


def _row(step: BringUpStep, reported: ReportedTimes | None, seen: ObservedBringUp, by_hand: bool) -> Row:
    if step is BringUpStep.SERVICE and by_hand:
        return Row(step, State.LEFT_OUT, detail="Started by hand. A person must start it again after each reboot.")
    if step is BringUpStep.PROVE:
        return _proof(seen)
    if step is BringUpStep.JOIN and seen.joined is not None:
        return Row(step, State.DONE, seen.joined)
    if step in REPORTED_STEPS:
        if reported is None:
            return Row(step, State.WAITS)
        if reported.failed:
            return Row(step, State.FAILED, reported.ended, detail=reported.found, remedy=reported.remedy)
        if reported.ended is None:
            return Row(step, State.NOW, reported.began, detail=reported.found)
        return Row(step, State.DONE, reported.ended, reported.ended - reported.began, reported.found)
    at = {BringUpStep.CONNECT: seen.connected, BringUpStep.SURVEY: seen.surveyed, BringUpStep.ADMIT: seen.admitted}[
        step
    ]
    if step is BringUpStep.ADMIT and seen.turned_away:
        return Row(step, State.FAILED, detail="It was turned away from the gate.")
    return Row(step, State.WAITS if at is None else State.DONE, at)


def _proof(seen: ObservedBringUp) -> Row:
    took = seen.proof_ended - seen.proof_began if seen.proof_ended and seen.proof_began else None
    match seen.proof:
        case "":
            return Row(BringUpStep.PROVE, State.WAITS)
        case "passed":
            return Row(BringUpStep.PROVE, State.DONE, seen.proof_ended, took, "The job passed.")
        case "waiting" | "offered" | "running":
            sentence = f"The job is {seen.proof}." + (f" {seen.proof_reason}" if seen.proof == "waiting" else "")
            return Row(BringUpStep.PROVE, State.NOW, seen.proof_began, detail=sentence)
        case ended:
            return Row(BringUpStep.PROVE, State.FAILED, seen.proof_ended, took, f"The job {ended}. Its log shows why.")


def _past_failures(rows: list[Row]) -> list[Row]:
    """Marks every step before the last one reached as done, even if no report of it came. Admission is never the last
    one reached: an administrator may admit a machine before it gets further."""
    reached = [
        i for i, row in enumerate(rows) if row.state in (State.DONE, State.NOW) and row.step is not BringUpStep.ADMIT
    ]
    last = max(reached, default=-1)
    passed = (State.WAITS, State.NOW, State.FAILED)
    return [
        Row(row.step, State.DONE, row.at)
        if i < last and row.state in passed and row.step is not BringUpStep.ADMIT
        else row
        for i, row in enumerate(rows)
    ]


def _with_current(rows: list[Row], seen: ObservedBringUp, now: float, family: str) -> list[Row]:
    """The first step that waits gets the reason why it does."""
    if any(row.state in (State.FAILED, State.NOW) for row in rows):
        return rows
    first = next((i for i, row in enumerate(rows) if row.state is State.WAITS), None)
    if first is None:
        return rows
    row = rows[first]
    fresh = list(rows)
    before = rows[first - 1] if first else None
    if (
        row.step is BringUpStep.CONNECT
        and before
        and before.step is BringUpStep.SERVICE
        and before.at
        and now - before.at > CALL_SECONDS
    ):
        fresh[first] = Row(
            row.step, State.FAILED, detail="The service was started, but its agent has not connected.",
            remedy=_LOOKING[family],
        )  # fmt: skip
    else:
        fresh[first] = Row(row.step, State.NOW if first else State.WAITS, detail=_WAITING[row.step])
    return fresh


_WAITING = {
    BringUpStep.FETCH: "The command has not been run on the machine yet.",
    BringUpStep.PREFLIGHT: "The script was fetched. Next: check the machine.",
    BringUpStep.INSTALL: "The machine meets the prerequisites. Next: install the agent.",
    BringUpStep.JOIN: "The agent is installed. Next: join the paddock.",
    BringUpStep.SERVICE: "It has joined. Next: set up the service.",
    BringUpStep.CONNECT: "Waiting for its agent to connect.",
    BringUpStep.SURVEY: "Its agent is surveying its tools.",
    BringUpStep.ADMIT: "It waits at the gate. No job runs on it until an administrator admits it.",
    BringUpStep.PROVE: "Waiting for its agent and its survey. Then a proof job runs.",
}
_LOOKING = {
    "linux": ("paddock-agent service status", "journalctl --unit 'paddock-agent-*' --lines 30"),
    "macos": ("paddock-agent service status",),
    "windows": ("paddock-agent service status",),
}


def _why(detail: str) -> str:
    """The first sentence of a reason, short enough to stand in a list; with the end of the sentence that it ends."""
    first = detail.strip().partition("\n")[0].partition(". ")[0].rstrip(".")
    if len(first) > MAX_REASON_LENGTH:
        return f": {first[:MAX_REASON_LENGTH].rsplit(' ', 1)[0]} …"
    return f": {first}." if first else "."


def _whole(
    rows: list[Row], reported: Mapping[BringUpStep, ReportedTimes], seen: ObservedBringUp, now: float, given_up: bool
) -> tuple[Phase, str]:
    by_step = {row.step: row for row in rows}
    if by_step[BringUpStep.PROVE].state is State.DONE:
        return Phase.FINISHED, "Its proof job passed."
    current = next((row for row in rows if row.state in (State.FAILED, State.NOW)), None)
    where = f"at “{current.title}”" if current else "before it began"
    if given_up:
        return Phase.GIVEN_UP, f"Given up {where}."
    if current is None or (current.step is BringUpStep.FETCH and not reported):
        return Phase.EXPECTED, "Expected, not seen yet."
    if current.state is State.FAILED:
        return Phase.FAILED, f"Stopped {where}{_why(current.detail)}"
    if current.step is BringUpStep.ADMIT:
        return Phase.AT_THE_GATE, "It waits at the gate: admit it or turn it away."
    last = max((one.ended or one.began for one in reported.values()), default=0.0)
    last = max(
        last, *(at or 0.0 for at in (seen.joined, seen.connected, seen.surveyed, seen.admitted, seen.proof_began))
    )
    if now - last > QUIET_SECONDS and current.step is not BringUpStep.PROVE:
        return (
            Phase.CUT_OFF,
            f"No report since it stopped {where}. Run the command again; it continues from there.",
        )
    return Phase.UNDER_WAY, f"Under way, {where}."
