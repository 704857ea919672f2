"""Wakes a host, notes the tries, and gives up on it."""

from __future__ import annotations

from collections.abc import Sequence

from django.utils import timezone

from paddock_core.standby.power import Power, PowerEvent

from ...changes import announce
from ...errors import NotNow
from ...health.actions.note_power import note_power
from ...health.models import Health
from ...hosts.models import Host
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...people.permission import checks_itself, requires
from ...storage import action
from ..models import Wake
from ..policies import Policies
from .run_wake_script import cancel_wake_script

MAX_EVIDENCE = 10


@action
@checks_itself("a policy says which role it takes")
def wake(actor: Actor, host: Host) -> None:
    """A person wants it on. Raises NotNow for one that is on, or on its way."""
    demand_waker(actor, "Waking hosts", host)
    if host.standing != Host.Standing.ADMITTED:
        raise NotNow(f"{host.name} is not inside yet: it is {host.standing}.")
    if not begin_wake(host, by=actor):
        raise NotNow(f"{host.name} is {host.power}. Only a host that is off can be woken.")


def demand_waker(actor: Actor, what: str, *hosts: Host) -> None:
    """Raises NotAllowed for a person whose role the policy of a host does not let change its power."""
    policies = Policies(timezone.now())
    for host in hosts:
        policy = policies.of(host)
        actor.demand(Role(policy.wakers) if policy else Role.OPERATOR, host.paddock.name, what)


@action
@checks_itself("a policy says which role it takes, for each host")
def wake_for_survey(actor: Actor, hosts: Sequence[Host]) -> list[Host]:
    """Wakes those that sleep; their agents survey them when they start, and they power down again later. Returns which
    are being woken. Raises NotNow where none sleeps."""
    demand_waker(actor, "Waking hosts", *hosts)
    asleep = [host for host in hosts if host.power == Power.ASLEEP.value]
    if not asleep:
        raise NotNow("None of these hosts is asleep.")
    return [host for host in asleep if begin_wake(host, wanted_by="A survey", by=actor)]


@action
def begin_wake(host: Host, jobs: Sequence[int] = (), keeps: str = "", wanted_by: str = "", by: Actor = SERVER) -> bool:
    """From now on it is being woken: the loop sends what wakes it. False where it cannot be woken now. A host that is
    ``wanted_by`` other work powers down again after it."""
    detail = f"For job {', '.join(map(str, jobs[:5]))}." if jobs else f"{by.name} asked for it." if by != SERVER else ""
    if keeps:
        detail = f"{keeps} keeps more hosts awake."
    if wanted_by:
        detail = f"{wanted_by} needs it."
    if note_power(host, PowerEvent.WAKE_ORDERED, detail, by) is None:
        return False
    Wake.objects.create(
        host=host,
        at=timezone.now(),
        by=by.name,
        jobs=list(jobs)[:100],
        keeps=(keeps or wanted_by)[:200],
        returns=bool(wanted_by),
    )
    return True


@action
def note_try(row: Wake, what: Sequence[str]) -> None:
    """The loop tried to wake it: ``what`` was done, in sentences."""
    # A neighbour may have answered already.
    row.refresh_from_db(fields=["tries", "tried"])
    _evidence(row, what)
    row.tries += 1
    row.tried_at = timezone.now()
    row.save(update_fields=["tries", "tried_at", "tried"])
    announce("host", row.host.name, row.host.paddock.name)


@action
def note_relayed(row: Wake, what: str) -> None:
    """What a neighbour says of the packet that it was asked to send."""
    _evidence(row, [what])
    row.save(update_fields=["tried"])
    announce("host", row.host.name, row.host.paddock.name)


def _evidence(row: Wake, what: Sequence[str]) -> None:
    now = timezone.now().timestamp()
    row.tried = [*row.tried, *({"what": one[:300], "at": now} for one in what)][-MAX_EVIDENCE:]


@action
def give_up_wake(row: Wake) -> None:
    """It did not come up: it counts no more until a person has looked at it."""
    host = row.host
    if host.power == Power.WAKING.value:
        note_power(host, PowerEvent.WAKE_OVERDUE)
    row.ended_at, row.worked = timezone.now(), False
    row.save(update_fields=["ended_at", "worked"])
    cancel_wake_script(host.name)
    last = Wake.objects.filter(host=host, worked=True).first()
    good = [{"what": "The last wake that worked.", "at": last.ended_at.timestamp()}] if last and last.ended_at else []
    Health.objects.update_or_create(host=host, defaults={"power_evidence": [*row.tried, *good]})
    announce("host", host.name, host.paddock.name)


@action
@requires(Role.OPERATOR, "Counting on a host again", of="host.paddock.name")
def count_again(actor: Actor, host: Host) -> None:
    """A person looked at a host that did not wake. Raises NotNow for any other."""
    if note_power(host, PowerEvent.LOOKED_AT, by=actor) is None:
        raise NotNow(f"{host.name} is {host.power}: there is nothing to look at.")
    Health.objects.filter(host=host).update(power_evidence=[])
