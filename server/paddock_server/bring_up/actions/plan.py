"""Says that many machines are coming: a sheet for each, and one pass for all of them."""

from __future__ import annotations

import secrets

from django.db import transaction

from paddock_core.planned import Expected, read_planned

from ...errors import ActionError, Invalid
from ...hosts.actions.make_pass import make_pass
from ...hosts.models import Paddock
from ...people.actor import Actor
from ...people.models import Role
from ..models import BringUp
from .make_sheet import Wanted, add_sheet, check

SHOWN_MISTAKES = 20


@transaction.atomic
def plan(actor: Actor, paddock: Paddock, text: str, server: str, hours: int) -> tuple[list[BringUp], str]:
    """The sheets, and the secret of their pass. Raises Invalid with every mistake and its row; nothing is made then."""
    actor.demand(Role.ADMINISTRATOR, paddock.name, "Bringing in hosts")
    expected, mistakes = read_planned(text)
    errors = [
        {
            "pointer": f"/{one.row}/{one.column}",
            "detail": f"Row {one.row}, {one.column}: {one.sentence}" if one.row else one.sentence,
        }
        for one in mistakes
    ]
    wanted = [] if errors else [_checked(number, one, server, errors) for number, one in enumerate(expected, 1)]
    awaited = {
        name.lower() for name in BringUp.objects.filter(host=None, given_up_at=None).values_list("name", flat=True)
    }
    for number, one in enumerate(expected, 1):
        if one.name and one.name.lower() in awaited:
            errors.append(
                {"pointer": f"/{number}/name", "detail": f"Row {number}, name: {one.name} is expected already."}
            )
    if errors:
        more = f" And {len(errors) - SHOWN_MISTAKES} more." if len(errors) > SHOWN_MISTAKES else ""
        raise Invalid(" ".join(str(error["detail"]) for error in errors[:SHOWN_MISTAKES]) + more, errors=errors)
    entry_pass, secret = make_pass(actor, paddock, f"for {len(wanted)} expected hosts", hours, len(wanted))
    batch = secrets.token_urlsafe(12)
    return [add_sheet(actor, paddock, entry_pass, one, batch) for one in wanted if one], secret


def _checked(number: int, one: Expected, server: str, errors: list[dict]) -> Wanted | None:
    try:
        return check(
            Wanted(
                one.system, one.arch, server, one.name, one.labels, one.slots, one.work_folder, one.kept, one.account
            )
        )
    except ActionError as error:
        errors.append({"pointer": f"/{number}", "detail": f"Row {number}: {error.detail}"})
        return None
