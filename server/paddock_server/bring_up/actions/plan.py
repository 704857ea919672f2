"""Says that many machines are coming: a sheet for each, and one pass for all of them."""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from paddock_core.expected_hosts import Expected, read_planned

from ...changes import announce
from ...errors import ActionError, Invalid
from ...hosts.actions.make_pass import make_pass
from ...hosts.models import LIVING, Host, Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import BringUp
from .make_sheet import Wanted, check, sheet_of

SHOWN_MISTAKES = 20


@action
@requires(Role.ADMINISTRATOR, "Bringing in hosts", of="paddock.name")
def plan(actor: Actor, paddock: Paddock, text: str, server: str, hours: int) -> tuple[list[BringUp], str]:
    """The sheets, and the secret of their pass. Raises Invalid with every mistake and its row; nothing is made then."""
    expected, mistakes = read_planned(text)
    errors = [
        {
            "pointer": f"/{one.row}/{one.column}",
            "detail": f"Row {one.row}, {one.column}: {one.sentence}" if one.row else one.sentence,
        }
        for one in mistakes
    ]
    wanted = [] if errors else [_checked(number, one, server, errors) for number, one in enumerate(expected, 1)]
    errors += _already_in_use(expected)
    if errors:
        more = f" And {len(errors) - SHOWN_MISTAKES} more." if len(errors) > SHOWN_MISTAKES else ""
        raise Invalid(" ".join(str(error["detail"]) for error in errors[:SHOWN_MISTAKES]) + more, errors=errors)
    entry_pass, secret = make_pass(actor, paddock, f"for {len(wanted)} expected hosts", hours, len(wanted))
    batch = secrets.token_urlsafe(12)
    sheets = BringUp.objects.bulk_create(sheet_of(actor, paddock, entry_pass, one, batch) for one in wanted if one)
    names = [sheet.name for sheet in sheets]
    write(actor, "expected", "hosts", f"{len(names)} hosts", paddock.name, {"names": names})
    announce("bring-up", batch, paddock.name)
    return sheets, secret


def _checked(number: int, one: Expected, server: str, errors: list[dict[str, str]]) -> Wanted | None:
    try:
        return check(
            Wanted(
                one.system,
                one.arch,
                server,
                one.name,
                one.labels,
                one.slots,
                one.work_folder,
                one.supervisor,
                one.account,
            )
        )
    except ActionError as error:
        errors.append({"pointer": f"/{number}", "detail": f"Row {number}: {error.detail}"})
        return None


def _already_in_use(expected: Sequence[Expected]) -> list[dict[str, str]]:
    """The names that a living host has, or that are expected already."""
    hosts = Host.objects.filter(standing__in=LIVING).values_list("name", "paddock__name")
    known = {name.lower(): f"is a host in {paddock} already" for name, paddock in hosts}
    awaited = BringUp.objects.filter(host=None, given_up_at=None).values_list("name", flat=True)
    known |= {name.lower(): "is expected already" for name in awaited if name}
    return [
        {"pointer": f"/{number}/name", "detail": f"Row {number}, name: {one.name} {known[one.name.lower()]}."}
        for number, one in enumerate(expected, 1)
        if one.name.lower() in known
    ]
