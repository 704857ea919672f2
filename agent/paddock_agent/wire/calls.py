"""What is asked and answered over HTTP: joining, the steps of a bring-up, the watch."""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta

from ..doctor.evidence import Evidence
from ..services.port import ServiceState
from .shared import Count, Facts, Line, Word

# ---- joining -------------------------------------------------------------------------------------------------------


class JoinRequest(msgspec.Struct, frozen=True):
    """POST /agent/v1/join. ``secret`` is the entry pass. An empty ``name`` means the machine's own; empty ``labels``
    or ``slots`` 0 mean those of the pass."""

    secret: Line
    facts: Facts
    name: Word = ""
    labels: Annotated[list[Word], Meta(max_length=100)] = msgspec.field(default_factory=list)
    slots: Annotated[int, Meta(ge=0, le=1000)] = 0
    sheet: Word = ""
    """The bring-up sheet that this machine follows, "" for none."""


class JoinAnswer(msgspec.Struct, frozen=True):
    """The agent's own key, shown this once, and under which name and where it now stands."""

    key: Line
    host: Word
    paddock: Word
    admitted: bool
    slots: int


class Checked(msgspec.Struct, frozen=True, omit_defaults=True):
    """One check of the preflight. ``mark`` is ok, mind (goes on, but should be known) or missing."""

    name: Word
    mark: Word
    found: Line = ""
    why: Line = ""
    remedy: Annotated[list[Line], Meta(max_length=10)] = msgspec.field(default_factory=list)


class StepReport(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/bring-up: how far a machine is with its bring-up. ``mark`` is begun, done or failed. No pass and
    no key: the sheet's code allows to report to that sheet, and nothing else."""

    sheet: Word
    step: Word
    mark: Word
    hostname: Word = ""
    found: Line = ""
    remedy: Annotated[list[Line], Meta(max_length=10)] = msgspec.field(default_factory=list)
    checks: Annotated[list[Checked], Meta(max_length=50)] = msgspec.field(default_factory=list)


class KnownMachine(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/bring-up/known with the agent's key: the machine that follows this sheet is its host."""

    sheet: Word
    hostname: Word = ""


class PassQuestion(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/ask: would a pass and a name be taken now? Nothing is used up by asking."""

    secret: Line
    name: Word = ""
    hostname: Word = ""
    sheet: Word = ""


class PassAnswer(msgspec.Struct, frozen=True):
    """Yes: into this paddock, under this name. A no is a problem with its sentence."""

    paddock: Word
    name: Word
    gate: bool


# ---- the watch -----------------------------------------------------------------------------------------------------


class WatchKey(msgspec.Struct, frozen=True):
    """The answer to POST /agent/v1/watch-key, which is asked with the agent's key: a key that may report, and nothing
    else. It replaces the one before. ``every`` is how many seconds lie between reports."""

    key: Line
    every: Annotated[int, Meta(ge=1, le=3600)]
    signer: Word = ""
    """The public key with which the server signs orders to upgrade (Ed25519, hexadecimal)."""


class WatchReport(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/watch: the agent's service as its manager sees it. ``boot`` is as in Facts, ``uptime`` in seconds.

    ``on_purpose``: it was stopped by the agent's own command. ``started``: the watch has just started it.
    ``starts_left``: how often it may still do so within the hour. ``why_absent``: why the host has no service manager.
    ``evidence``: what was found when the host was examined. ``upgrades``: this host can carry out an upgrade.
    ``power_refused``: why it did not carry out an order to power down.
    """

    host: Word
    at: float
    state: ServiceState
    boot: Word = ""
    uptime: float = 0.0
    on_purpose: bool = False
    started: bool = False
    starts_left: Count = 0
    why_absent: Line = ""
    evidence: Evidence | None = None
    upgrades: bool = False
    power_refused: Line = ""


class WatchAnswer(msgspec.Struct, frozen=True):
    """``start``: the service should run, and the watch may start it. ``asked``: a person asks for it now, so that it
    does not matter whether it was stopped on purpose, or how often it was started. ``examine``: the server does not
    hear the agent, or a person asks: report again, with evidence. ``upgrade``: the number of an order to carry
    out, 0 for none. ``power_down``: the text of an order to power the machine down, with its ``signature`` (Ed25519,
    hexadecimal), "" for none."""

    start: bool = False
    asked: bool = False
    examine: bool = False
    upgrade: Count = 0
    power_down: Line = ""
    signature: Word = ""


# ---- upgrades ------------------------------------------------------------------------------------------------------


class UpgradeReport(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/upgrade with the watch's key: how far the order is. ``step`` is asked, installing, draining,
    switched, proven, went back, kept (the old version never stopped) or left out (the same, and the new one is not to
    blame); ``why`` and ``evidence`` say why it ended so.
    """

    order: Count
    step: Word
    why: Line = ""
    evidence: Annotated[list[Line], Meta(max_length=20)] = msgspec.field(default_factory=list)


class UpgradeAnswer(msgspec.Struct, frozen=True, omit_defaults=True):
    """``order`` is the text of the order, where it was asked for, with its ``signature`` (Ed25519, hexadecimal).
    ``proven``: the server has seen the new version connect, survey and run a job. ``go_back``: why it must not stay.
    ``stop``: the upgrade is not wanted any more, if nothing was switched yet."""

    order: str = ""
    signature: Word = ""
    proven: bool = False
    go_back: Line = ""
    stop: bool = False


class UpgradeWish(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/upgrade/ask with the watch's key: an administrator of the host wants it upgraded, to ``version``
    or, with "", to the newest that the server holds."""

    version: Word = ""


class UpgradeOrdered(msgspec.Struct, frozen=True):
    """The answer to UpgradeWish."""

    order: Count
    version: Word
