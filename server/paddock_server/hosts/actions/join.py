"""An agent asks to join with an entry pass: it gets a key of its own, and stands at the gate."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec
from django.core.exceptions import ValidationError
from django.db.models import F
from django.utils import timezone

from paddock_agent import wire
from paddock_core.suspicion import is_outside

from ... import secret
from ...changes import announce
from ...errors import Invalid, NotNow, PassRefused, PassUnknown
from ...logbook.write import write
from ...people.actor import Actor
from ...storage import action
from ..events import Joined, joined
from ..labels import clean_labels
from ..models import LIVING, NAME, EntryPass, Host, suggested_slots


@action
def join(request: wire.JoinRequest, address: str) -> tuple[Host, str]:
    """The new host and its key. Raises PassRefused, Invalid for a wrong name or label, NotNow for a taken name."""
    entry_pass = pass_of(request.secret)
    name = name_for(request.name, request.facts.hostname)
    demand_free(name)
    key = secret.make("key")
    asked = clean_labels(request.labels)
    host = Host.objects.create(
        name=name,
        paddock=entry_pass.paddock,
        key_digest=secret.digest(key),
        facts=msgspec.to_builtins(request.facts),
        labels=clean_labels(entry_pass.labels),
        slots=entry_pass.slots or suggested_slots(request.facts.cores, request.facts.memory),
        joined_with=entry_pass,
        address=address,
        machine=request.facts.machine,
    )
    joined.send(Joined(host, request.sheet))
    _note_asked(host, asked, request.slots)
    if entry_pass.paddock.admits_at_once and not is_outside(address, entry_pass.paddock.networks):
        host.standing = Host.Standing.ADMITTED
        host.decided_at, host.decided_by = timezone.now(), f"the fence of {entry_pass.paddock.name}"
        host.save(update_fields=["standing", "decided_at", "decided_by"])
    EntryPass.objects.filter(pk=entry_pass.pk).update(used=F("used") + 1)
    pass_holder = Actor(f"the pass {entry_pass.name}", None)
    write(pass_holder, "joined", "host", name, host.paddock.name, {"address": address, "standing": host.standing})
    announce("host", name, host.paddock.name)
    announce("pass", entry_pass.pk, host.paddock.name)
    return host, key


def _note_asked(host: Host, labels: Sequence[str], slots: int) -> None:
    """What the machine asks for beyond what its pass and its sheet give is only noted: an administrator decides. Fewer
    slots than it was given it may have."""
    if 0 < slots < host.slots:
        host.slots = slots
    host.asked_labels = [label for label in labels if label not in host.labels]
    host.asked_slots = slots if slots > host.slots else 0
    host.save(update_fields=["slots", "asked_labels", "asked_slots"])


def pass_of(given: str) -> EntryPass:
    """The pass with this secret, if it is good now. Raises PassRefused, saying why it is not."""
    found = EntryPass.objects.select_related("paddock").filter(digest=secret.digest(given.strip())).first()
    if found is None:
        raise PassUnknown(
            "The server knows no such entry pass. Look whether the end of it was cut off when it was copied, "
            "or whether it is from another server."
        )
    again = "An administrator can make a new one."
    if found.revoked_at:
        raise PassRefused(f'The pass "{found.name}" was revoked on {found.revoked_at:%Y-%m-%d at %H:%M} UTC. {again}')
    if found.ends_at <= timezone.now():
        raise PassRefused(f'The pass "{found.name}" ended on {found.ends_at:%Y-%m-%d at %H:%M} UTC. {again}')
    if found.used >= found.uses:
        times = "once" if found.uses == 1 else f"{found.uses} times"
        raise PassRefused(f'The pass "{found.name}" is used up: it was good for joining {times}. {again}')
    return found


def demand_free(name: str) -> None:
    """Raises NotNow for a name that a living host has."""
    if taken := Host.objects.filter(name__iexact=name, standing__in=LIVING).first():
        where = "stands at the gate of" if taken.standing == Host.Standing.AT_THE_GATE else "is a host in"
        raise NotNow(
            f"{taken.name} {where} {taken.paddock.name} already. "
            "Join with another --name, or turn the old one away first."
        )


def name_for(asked: str, hostname: str) -> str:
    """The name asked for, or one made of the machine's own. Raises Invalid for one that will not do."""
    name = asked.strip() or re.sub(r"[^A-Za-z0-9-]+", "-", hostname).strip("-")[:63]
    try:
        NAME(name)
    except ValidationError as error:
        raise Invalid(f'The name "{name[:80]}" will not do. {error.message}') from None
    return name
