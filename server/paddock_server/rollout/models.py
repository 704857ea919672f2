from __future__ import annotations

from django.db import models

from paddock_core.rollout import AT_WORK, HostStep, Hours, Rules

ROLLOUT_STATES = [
    (one, one) for one in ("waiting for approval", "rolling", "paused", "ended", "stopped", "turned down")
]
STEPS = [(step.value, step.value) for step in HostStep]
OPEN_STATES = ("waiting for approval", "rolling", "paused")
UNFINISHED = (HostStep.WAITING.value, HostStep.UNREACHABLE.value, *(step.value for step in AT_WORK))


def one_wave() -> list[str]:
    """All at once, after the canaries."""
    return ["100%"]


class RolloutRules(models.Model):
    """How a rollout goes: see paddock_core.rollout.Rules. Times are in seconds. ``hours`` are "", or have start, end,
    days and zone. Jobs have ``drain_limit`` to end, a new version ``proof_limit`` to prove itself."""

    waves = models.JSONField(default=one_wave)
    pause = models.PositiveIntegerField(default=0)
    per_paddock = models.PositiveIntegerField(default=5)
    per_kind = models.PositiveIntegerField(default=5)
    stop_after = models.PositiveIntegerField(default=1)
    canaries = models.BooleanField(default=True)
    hours = models.JSONField(null=True)
    drain_limit = models.PositiveIntegerField(default=6 * 3600)
    proof_limit = models.PositiveIntegerField(default=300)

    class Meta:
        abstract = True

    @property
    def rules(self) -> Rules:
        """For the core."""
        hours = self.hours and Hours(self.hours["start"], self.hours["end"], tuple(self.hours["days"]))
        return Rules(
            tuple(self.waves), float(self.pause), self.per_paddock, self.per_kind, self.stop_after, hours or None,
            self.canaries,
        )  # fmt: skip


RULE_FIELDS = tuple(field.name for field in RolloutRules._meta.local_fields)


class Rollout(RolloutRules):
    """A version of the agent on its way to hosts. ``undoes`` is the rollout whose hosts this one takes back; its
    ``version`` is then "", because each host goes to the version that it had."""

    version = models.CharField(max_length=60, blank=True)
    undoes = models.ForeignKey("self", models.SET_NULL, null=True, related_name="undone_by")
    chosen_by = models.CharField(max_length=2000, blank=True)
    state = models.CharField(max_length=30, choices=ROLLOUT_STATES, db_index=True)
    reason = models.CharField(max_length=500, blank=True)
    asked_by = models.CharField(max_length=200)
    asked_at = models.DateTimeField()
    approved_by = models.CharField(max_length=200, blank=True)
    stopped_by = models.CharField(max_length=200, blank=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class RolloutHost(models.Model):
    """One host of a rollout; its key is the number of its order. It goes from the version ``before`` to ``version``.
    ``drained``: the rollout itself held the host; ``wakes``: it had to be woken. ``heard_at`` is when its upgrade was
    last heard of. ``proof`` is the job with which it proves itself; ``evidence`` are the lines from the host where
    it went back."""

    rollout = models.ForeignKey(Rollout, models.CASCADE, related_name="hosts")
    place = models.PositiveIntegerField()
    wave = models.PositiveIntegerField()
    host = models.ForeignKey("hosts.Host", models.PROTECT, related_name="rollouts")
    version = models.CharField(max_length=60)
    before = models.CharField(max_length=60, blank=True)
    step = models.CharField(max_length=20, choices=STEPS, default=HostStep.WAITING.value, db_index=True)
    detail = models.CharField(max_length=2000, blank=True)
    evidence = models.JSONField(default=list)
    drained = models.BooleanField(default=False)
    wakes = models.BooleanField(default=False)
    proof = models.ForeignKey("work.Job", models.SET_NULL, null=True, related_name="+")
    begun_at = models.DateTimeField(null=True)
    heard_at = models.DateTimeField(null=True)
    switched_at = models.DateTimeField(null=True)
    connected_at = models.DateTimeField(null=True)
    surveyed_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["place"]
