"""Saves the rules of retention, all at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from paddock_core.retention import RetentionRule, first_mistake

from ...changes import announce
from ...errors import Invalid
from ...hosts.models import Paddock
from ...housekeeping import models
from ...housekeeping.rules import retention_rules
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action

MAX_RULES = 200


@action
@requires(Role.ADMINISTRATOR, "Changing retention")
def save_rules(actor: Actor, rules: Sequence[RetentionRule]) -> None:
    """Expired records are removed within an hour. Raises Invalid with the place of a rule that cannot be."""
    paddocks = checked(rules)
    before = retention_rules()
    if list(rules) == before:
        return
    models.RetentionRule.objects.all().delete()
    for rule in rules:
        models.RetentionRule.objects.create(
            kind=rule.kind.value, paddock=paddocks.get(rule.paddock), pipeline=rule.pipeline, days=rule.days,
            keep_last=rule.keep_last,
        )  # fmt: skip
    details = {"before": [_written(one) for one in before], "after": [_written(one) for one in rules]}
    write(actor, "changed", "retention", "this server", details=details)
    announce("retention", "")


def checked(rules: Sequence[RetentionRule]) -> dict[str, Paddock]:
    """The paddocks that they name. Raises Invalid."""
    if len(rules) > MAX_RULES:
        raise Invalid(f"There are at most {MAX_RULES} rules.")
    found = first_mistake(rules)
    paddocks = {one.name: one for one in Paddock.objects.all()}
    unknown = next((place for place, one in enumerate(rules) if one.paddock and one.paddock not in paddocks), None)
    if found is None and unknown is not None:
        found = unknown, f"There is no paddock {rules[unknown].paddock[:63]}."
    if found:
        raise Invalid(found[1], errors=[{"pointer": f"/rules/{found[0]}", "detail": found[1]}])
    return paddocks


def _written(rule: RetentionRule) -> dict[str, object]:
    return {name: value for name, value in asdict(rule).items() if value not in ("", 0) or name == "days"}
