from __future__ import annotations

from datetime import datetime, timedelta

from django.conf import settings
from django.core.validators import RegexValidator
from django.db import models
from django.db.models import functions

from paddock_agent.wire import MAX_SERVICES, default_slots
from paddock_core.link_state import Link
from paddock_core.standby.power import ASLEEP_ON_PURPOSE, USUAL_WAKE_SECONDS, Power

POWER_CHOICES = [(state.value, state.value) for state in Power]
LINK_CHOICES = [(state.value, state.value) for state in Link]

NAME = RegexValidator(
    r"^[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?$",
    "A name has letters, digits and hyphens, at most 63, and starts and ends with a letter or a digit.",
)
LABEL = RegexValidator(
    r"^[a-z0-9][a-z0-9._+/-]{0,62}$",
    "A label has letters, digits and . _ + / -, at most 63, and starts with a letter or a digit.",
)


MAX_SUGGESTED_SLOTS = 64
UNDO_DAYS = 7
"""How long a retirement can be undone."""


def suggested_slots(cores: int, memory: int) -> int:
    """How many jobs at a time a machine is good for by its own word, which may be wrong: so never too many."""
    return min(MAX_SUGGESTED_SLOTS, default_slots(cores, memory))


def any_pipeline() -> list[str]:
    """The fence of a new paddock lets in all pipelines, until a person restricts it."""
    return ["*"]


class Paddock(models.Model):
    """A fenced group of hosts. ``grace`` is the seconds of silence after which a host is lost, ``lease`` after which
    what runs there is given up, 0 for the server's own;
    ``services`` are watched on all its hosts. ``pipelines`` are patterns of those that its fence lets in.
    With ``follows_versions`` its agents are upgraded to a new version once other hosts have proven it for a day.
    What jobs leave running is ended where it ``ends_processes``; warm folders stay ``warm_days`` after their last
    use."""

    name = models.CharField(max_length=63, unique=True, validators=[NAME])
    purpose = models.CharField(max_length=200, blank=True)
    admits_at_once = models.BooleanField(default=False)
    networks = models.JSONField(default=list)
    grace = models.PositiveIntegerField(default=0)
    watch_may_start = models.BooleanField(default=False)
    services = models.JSONField(default=list)
    pipelines = models.JSONField(default=any_pipeline)
    ends_processes = models.BooleanField(default=True)
    warm_days = models.PositiveIntegerField(default=14)
    lease = models.PositiveIntegerField(default=0)
    chores_need_approval = models.BooleanField(default=False)
    rollouts_need_approval = models.BooleanField(default=False)
    follows_versions = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class EntryPass(models.Model):
    """A secret with which new agents may ask to join one paddock. Only its hash is kept."""

    name = models.CharField(max_length=100)
    paddock = models.ForeignKey(Paddock, models.CASCADE, related_name="passes")
    digest = models.CharField(max_length=64, unique=True)
    labels = models.JSONField(default=list)
    slots = models.PositiveIntegerField(default=0)
    uses = models.PositiveIntegerField()
    used = models.PositiveIntegerField(default=0)
    ends_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]


class Guessing(models.Model):
    """Wrong passes from one address. It goes when a person has looked at it, or a day has passed without another."""

    address = models.CharField(max_length=100, unique=True)
    tries = models.PositiveIntegerField(default=0)
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()

    class Meta:
        ordering = ["-last_at"]


class Host(models.Model):
    """A machine with our agent. Its record stays after it was turned away; its name is free again then.
    ``asked_labels`` and ``asked_slots`` are what it asked for at joining beyond what its pass gives. ``cannot`` are the
    parts that failed when its agent last tried whether it can work (wire.FailedPart). ``wake_seconds`` is what a wake
    usually takes."""

    class Standing(models.TextChoices):
        AT_THE_GATE = "at the gate"
        ADMITTED = "admitted"
        TURNED_AWAY = "turned away"
        RETIRED = "retired"

    class Holding(models.TextChoices):
        NO = "", "no"
        HELD = "held"
        DRAINING = "draining"

    name = models.CharField(max_length=63, validators=[NAME])
    paddock = models.ForeignKey(Paddock, models.PROTECT, related_name="hosts")
    standing = models.CharField(max_length=20, choices=Standing, default=Standing.AT_THE_GATE)
    key_digest = models.CharField(max_length=64, unique=True, null=True)
    watch_digest = models.CharField(max_length=64, unique=True, null=True)

    link = models.CharField(max_length=20, choices=LINK_CHOICES, default=Link.NEVER_SEEN.value)
    link_since = models.DateTimeField(null=True)
    link_cause = models.CharField(max_length=300, blank=True)
    address = models.CharField(max_length=100, blank=True)

    power = models.CharField(max_length=20, choices=POWER_CHOICES, default=Power.ON.value)
    power_since = models.DateTimeField(null=True)
    power_cause = models.CharField(max_length=300, blank=True)
    wake_seconds = models.FloatField(default=USUAL_WAKE_SECONDS)

    holding = models.CharField(max_length=20, choices=Holding, default=Holding.NO, blank=True)
    hold_reason = models.CharField(max_length=300, blank=True)
    held_by = models.CharField(max_length=200, blank=True)
    held_at = models.DateTimeField(null=True)
    hold_until = models.DateTimeField(null=True)

    machine = models.CharField(max_length=200, blank=True, db_index=True)
    calls_from_elsewhere = models.CharField(max_length=300, blank=True)
    facts = models.JSONField(default=dict)
    labels = models.JSONField(default=list)
    slots = models.PositiveIntegerField(default=1)
    asked_labels = models.JSONField(default=list)
    asked_slots = models.PositiveIntegerField(default=0)
    reserved = models.BooleanField(default=False)
    services = models.JSONField(default=list)
    surveyed_at = models.DateTimeField(null=True)
    broken = models.JSONField(default=list)
    details = models.JSONField(default=dict)
    looked_for = models.JSONField(default=list)
    survey_digest = models.CharField(max_length=64, blank=True)
    survey_took = models.FloatField(default=0.0)
    probes = models.PositiveIntegerField(default=0)
    probes_refused = models.CharField(max_length=2000, blank=True)
    cannot = models.JSONField(default=list)
    cannot_since = models.DateTimeField(null=True)

    joined_at = models.DateTimeField(auto_now_add=True)
    joined_with = models.ForeignKey(EntryPass, models.SET_NULL, null=True, related_name="hosts")
    decided_at = models.DateTimeField(null=True)
    decided_by = models.CharField(max_length=200, blank=True)
    retired_because = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                functions.Lower("name"),
                condition=models.Q(standing__in=["at the gate", "admitted"]),
                name="one_living_host_a_name",
            ),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def unable(self) -> str:
        """What keeps it from working, in a line; "" where nothing failed."""
        first = self.cannot[0] if self.cannot else None
        more = f", and {len(self.cannot) - 1} more" if len(self.cannot) > 1 else ""
        return f"{first['part']}: {first['why']}{more}"[:300] if first else ""

    @property
    def sleeps(self) -> bool:
        """Whether it is off on purpose, and can be woken or is."""
        return self.link != Link.CONNECTED and Power(self.power) in ASLEEP_ON_PURPOSE

    @property
    def undo_until(self) -> datetime | None:
        """Until when a retirement can be undone: its key is kept so long, and opens nothing. None where it cannot."""
        if self.standing != self.Standing.RETIRED or not self.key_digest or not self.decided_at:
            return None
        return self.decided_at + timedelta(days=UNDO_DAYS)

    @property
    def suggested_slots(self) -> int:
        """How many jobs at a time its hardware is good for."""
        return suggested_slots(self.facts.get("cores", 0), self.facts.get("memory", 0))

    @property
    def watched_services(self) -> list[str]:
        """The names of the services that are watched here: those of the paddock, and its own."""
        return list(dict.fromkeys([*self.paddock.services, *self.services]))[:MAX_SERVICES]

    @property
    def grace(self) -> float:
        """Seconds of silence after which it is lost."""
        return float(self.paddock.grace or settings.LINK_GRACE_SECONDS)

    @property
    def lease(self) -> float:
        """Seconds of silence after which what runs on it is given up."""
        return max(self.grace, float(self.paddock.lease or settings.LEASE_SECONDS))


LIVING = (Host.Standing.AT_THE_GATE, Host.Standing.ADMITTED)
STANDINGS = Host.Standing.choices
