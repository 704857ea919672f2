from django.db import models

from paddock_core.findings import Severity

from ..hosts.models import LINK_CHOICES, POWER_CHOICES

SEVERITIES = [(one.value, one.value) for one in Severity]


class LinkChange(models.Model):
    """A change of a host's link, with its cause."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="link_changes")
    at = models.DateTimeField(db_index=True)
    state = models.CharField(max_length=20, choices=LINK_CHOICES)
    cause = models.CharField(max_length=300)

    class Meta:
        ordering = ["id"]


class HoldChange(models.Model):
    """A host was held, drained or resumed (``holding`` is "" then): what availability leaves out."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="hold_changes")
    at = models.DateTimeField(db_index=True)
    holding = models.CharField(max_length=20, blank=True)

    class Meta:
        ordering = ["id"]


class PowerChange(models.Model):
    """The power of a host changed. ``wake_seconds`` is what a wake that ended took; None for other changes."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="power_changes")
    at = models.DateTimeField(db_index=True)
    state = models.CharField(max_length=20, choices=POWER_CHOICES)
    cause = models.CharField(max_length=300)
    by = models.CharField(max_length=200, blank=True)
    wake_seconds = models.FloatField(null=True)

    class Meta:
        ordering = ["id"]


class ServiceChange(models.Model):
    """A service went into another state: the agent's own, as the watch saw it (``name`` is "" then), or a watched
    one."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="service_changes")
    name = models.CharField(max_length=200, blank=True)
    at = models.DateTimeField(db_index=True)
    state = models.CharField(max_length=20)
    detail = models.CharField(max_length=500, blank=True)

    class Meta:
        ordering = ["id"]


class WatchedService(models.Model):
    """A watched service of a host in its last reported state. ``tried`` is the result of the last start or stop."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="watched")
    name = models.CharField(max_length=200)
    running = models.CharField(max_length=20)
    detail = models.CharField(max_length=500, blank=True)
    since = models.DateTimeField()
    tried = models.JSONField(default=dict)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["host", "name"], name="one_watched_service_a_name")]


class Health(models.Model):
    """The health of a host beside its link: the last report of the watch (``report``, a wire.WatchReport, in
    the same words since ``state_since``), what was strange about what it sent, the trend of its disk (a
    paddock_core.trend.Trend), and the ``evidence`` of its last examination (a wire.Evidence).
    ``refused_versions`` are those of the agent that went back since the last that was proven. ``power_evidence`` is
    what was done to wake it or to power it down, with ``what`` and ``at``; ``down_failed`` says why it stayed on."""

    host = models.OneToOneField("hosts.Host", models.CASCADE, related_name="health")
    report = models.JSONField(default=dict)
    reported_at = models.DateTimeField(null=True)
    state_since = models.DateTimeField(null=True)
    started_at = models.DateTimeField(null=True)
    start_asked_at = models.DateTimeField(null=True)
    certificate_ends = models.DateTimeField(null=True)
    anomalies = models.JSONField(default=dict)
    disk_trend = models.JSONField(null=True)
    evidence = models.JSONField(null=True)
    examined_at = models.DateTimeField(null=True)
    refused_versions = models.JSONField(default=list)
    power_evidence = models.JSONField(default=list)
    down_failed = models.CharField(max_length=300, blank=True)


class FreshReadings(models.Model):
    """The readings of one host in one minute, each of them: for the last hour. See paddock_core.vitals."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="+")
    at = models.DateTimeField(db_index=True)
    data = models.BinaryField()


class HourOfReadings(models.Model):
    """The readings of one host in one hour: its minutes for two days, its summary for a year."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="+")
    at = models.DateTimeField()
    minutes = models.BinaryField(null=True)
    summary = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["host", "at"], name="one_row_an_hour")]


class Finding(models.Model):
    """One diagnosed trouble, from when it opens to when it closes; what it says is of its last evaluation."""

    key = models.CharField(max_length=400, db_index=True)
    code = models.CharField(max_length=60, db_index=True)
    about = models.CharField(max_length=300, blank=True)
    title = models.CharField(max_length=200)
    severity = models.CharField(max_length=10, choices=SEVERITIES)
    sentence = models.TextField()
    since = models.DateTimeField()
    evidence = models.JSONField(default=list)
    remedy = models.JSONField(default=dict)
    unknown = models.TextField(blank=True)
    possible = models.JSONField(default=list)
    hosts = models.JSONField(default=list)
    paddock = models.CharField(max_length=63, blank=True, db_index=True)

    opened_at = models.DateTimeField(db_index=True)
    closed_at = models.DateTimeField(null=True, db_index=True)
    acknowledged_by = models.CharField(max_length=200, blank=True)
    acknowledged_at = models.DateTimeField(null=True)
    note = models.CharField(max_length=1000, blank=True)
    snoozed_until = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["key"], condition=models.Q(closed_at=None), name="one_open_finding_a_trouble"
            ),
        ]
