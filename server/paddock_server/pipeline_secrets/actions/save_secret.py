"""Keeps a secret, or changes one. Its value is never shown again."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils import timezone

from paddock_core.pipeline_file.steps import SECRET_NAME

from ...errors import Invalid, NotAllowed, NotThere
from ...hosts.models import Paddock
from ...logbook.write import write
from ...patterns import clean_patterns
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself
from ...sealing import seal
from ...storage import action
from ..access import ANY
from ..models import PipelineSecret

MIN_VALUE_LENGTH, MAX_VALUE_LENGTH = 6, 8000


@action
@checks_itself("in each paddock where the secret is given, before and after")
def save_secret(
    actor: Actor,
    name: str,
    value: str | None,
    pipelines: Sequence[str],
    paddocks: Sequence[str],
    *,
    purpose: str = "",
    sources_only: bool = False,
) -> PipelineSecret:
    """Makes it, or changes it; without a ``value`` that stays. An administrator of some paddocks keeps secrets for
    those alone. Raises Invalid for invalid fields."""
    cleaned, places = clean_patterns(pipelines), _clean_paddocks(paddocks)
    _demand(actor, places)
    if not SECRET_NAME.fullmatch(name) or name.startswith("PADDOCK_"):
        _wrong("name", "A secret's name has capital letters, digits and _, and does not start with PADDOCK_.")
    if not cleaned:
        _wrong("pipelines", "Say which pipelines may have it; * is for all.")
    one = PipelineSecret.objects.filter(name=name).first()
    if one:
        _demand(actor, one.paddocks)
    if value is None and one is None:
        _wrong("value", "A new secret needs its value.")
    now = timezone.now()
    given = {
        "purpose": purpose, "pipelines": cleaned, "paddocks": places, "sources_only": sources_only,
        "changed_by": actor.name, "changed_at": now,
    }  # fmt: skip
    if value is not None:
        if not MIN_VALUE_LENGTH <= len(value) <= MAX_VALUE_LENGTH or "\0" in value:
            _wrong(
                "value",
                f"A secret needs {MIN_VALUE_LENGTH} to {MAX_VALUE_LENGTH} characters; shorter ones cannot be masked in "
                "logs.",
            )
        given["sealed"] = seal(name, value)
    kept, is_new = PipelineSecret.objects.update_or_create(
        name=name, defaults=given, create_defaults={**given, "made_by": actor.name}
    )
    verb = "added" if is_new else "changed" if value is None else "replaced"
    write(actor, verb, "secret", name, details={"pipelines": cleaned, "paddocks": places, "sources_only": sources_only})
    return kept


@action
@checks_itself("in each paddock where the secret is given, before and after")
def remove_secret(actor: Actor, name: str) -> None:
    """Raises NotThere. Jobs that name it are refused from now on."""
    one = PipelineSecret.objects.filter(name=name).first()
    if one is None:
        raise NotThere(f"No secret is called {name[:100]}.")
    _demand(actor, one.paddocks)
    one.delete()
    write(actor, "removed", "secret", name)


def _demand(actor: Actor, paddocks: Sequence[str]) -> None:
    for paddock in [None] if ANY in paddocks else paddocks:
        actor.demand(Role.ADMINISTRATOR, paddock, "Keeping secrets")


def _clean_paddocks(paddocks: Sequence[str]) -> list[str]:
    if ANY in paddocks:
        return [ANY]
    named = list(dict.fromkeys(paddocks))
    known = set(Paddock.objects.filter(name__in=named).values_list("name", flat=True))
    for name in named:
        if name not in known:
            _wrong("paddocks", f"No paddock is called {name[:63]}.")
    if not named:
        _wrong("paddocks", "Say in which paddocks it may be given; * is for all.")
    return named


def _wrong(field: str, detail: str) -> None:
    raise Invalid(detail, errors=[{"pointer": f"/{field}", "detail": detail}])


def visible_secrets(actor: Actor) -> list[PipelineSecret]:
    """The secrets that the actor may change, without their values. Raises NotAllowed."""
    if not actor.may_anywhere(Role.ADMINISTRATOR):
        raise NotAllowed("Seeing which secrets there are needs the role administrator.")
    mine = actor.where(Role.ADMINISTRATOR)
    return [one for one in PipelineSecret.objects.all() if mine is None or set(one.paddocks) <= set(mine)]
