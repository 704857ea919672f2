"""Does what the board proposes. Every remedy is carried out by the action that does it elsewhere too, which asks for
the role that it needs."""

from __future__ import annotations

from collections.abc import Sequence

from paddock_core.remedies import RemedyKind

from ...errors import Invalid, NotNow
from ...health.actions.try_service import try_service
from ...hosts.actions.admit import admit
from ...hosts.actions.ask_survey import ask_survey
from ...hosts.actions.change import change
from ...hosts.actions.hold import resume
from ...hosts.models import Host
from ...hosts.queries import host_called
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself
from ...storage import action
from ...work.actions.change_job import correct_terms, corrected_lines, let_in
from ...work.models import Job

BY_HAND = {
    RemedyKind.BRING_BACK: "Its agent has to be started on the host; the host's sheet says how.",
    RemedyKind.SET_VARIABLE: "Variables are set on the host, for the account of the agent.",
    RemedyKind.JOIN_GROUP: "Groups are changed on the host.",
    RemedyKind.CLEAR_DISK: "Disks are cleared on the host.",
    RemedyKind.INSTALL_LIKE: "Tools are installed on the host; the next survey finds them.",
    RemedyKind.MEND_TOOL: "Tools are mended on the host; the next survey asks them again.",
    RemedyKind.INSTALL: "Tools are installed on the host; the next survey finds them.",
    RemedyKind.NEW_HOST: "Bring in a host from the yard.",
}
"""What the server cannot do, and who can."""


NEEDS_ADMINISTRATOR = {
    RemedyKind.ADMIT,
    RemedyKind.ADD_LABEL,
    RemedyKind.REMOVE_LABEL,
    RemedyKind.WATCH_SERVICE,
    RemedyKind.ADD_SLOTS,
}
"""What takes an administrator of the host's paddock; the rest takes an operator."""


def needed_role(kind: RemedyKind) -> Role:
    """The least role that may carry it out."""
    return Role.ADMINISTRATOR if kind in NEEDS_ADMINISTRATOR else Role.OPERATOR


def can_be_done(kind: RemedyKind) -> bool:
    """Whether the server can carry it out."""
    return kind not in BY_HAND


@action
@checks_itself("the action that the remedy comes to asks")
def apply_remedy(
    actor: Actor, kind: RemedyKind, place: str, what: str, instead: str, jobs: Sequence[Job], *, for_good: bool = True
) -> None:
    """``jobs`` are those that it is for: a correction changes each of them. Raises NotNow for what is done by hand."""
    if kind in BY_HAND:
        raise NotNow(BY_HAND[kind])
    if kind is RemedyKind.CORRECT:
        if not jobs or not instead:
            raise Invalid("A correction names the jobs that it is for, and the term to write.")
        for job in jobs:
            correct_terms(actor, job, corrected_lines(job, what, instead))
        return
    if kind is RemedyKind.LET_IN:
        if not jobs:
            raise Invalid("Say which job is to be let in.")
        for job in jobs if not for_good else jobs[:1]:
            let_in(actor, job, place, for_good=for_good)
        return
    _on_host(actor, kind, host_called(actor, place), what)


def _on_host(actor: Actor, kind: RemedyKind, host: Host, what: str) -> None:
    match kind:
        case RemedyKind.SURVEY:
            ask_survey(actor, host)
        case RemedyKind.START_SERVICE:
            try_service(actor, host, what, "start")
        case RemedyKind.RESUME:
            resume(actor, host)
        case RemedyKind.ADMIT:
            admit(actor, host)
        case RemedyKind.ADD_LABEL:
            change(actor, host, labels=[*host.labels, what] if what else None, reserved=None if what else False)
        case RemedyKind.REMOVE_LABEL:
            change(actor, host, labels=[one for one in host.labels if one != what])
        case RemedyKind.WATCH_SERVICE:
            change(actor, host, services=[*host.services, what])
        case RemedyKind.ADD_SLOTS:
            change(actor, host, slots=int(what))
