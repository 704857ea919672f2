from django.db import models

from paddock_core.surveys import What

WHATS = [(one.value, one.value) for one in What]


class Installation(models.Model):
    """One version of one tool at one place on one host, as the last survey found it."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="installations")
    tool = models.CharField(max_length=200, db_index=True)
    version = models.CharField(max_length=200)
    path = models.CharField(max_length=2000)
    home = models.CharField(max_length=2000, blank=True)
    plain = models.BooleanField(default=False)
    evidence = models.CharField(max_length=2000, blank=True)
    exit_code = models.IntegerField(null=True)
    output = models.CharField(max_length=2000, blank=True)
    also = models.JSONField(default=list)
    seen_since = models.DateTimeField()

    class Meta:
        ordering = ["tool", "-plain", "path"]


class SurveyChange(models.Model):
    """One thing that a survey found otherwise than the one before: it happened after ``not_before`` (None: before the
    first survey) and no later than ``at``. ``before`` and ``after`` are None where the thing was not there."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="survey_changes")
    kind = models.CharField(max_length=20)
    name = models.CharField(max_length=200)
    place = models.CharField(max_length=2000, blank=True)
    what = models.CharField(max_length=10, choices=WHATS)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)
    not_before = models.DateTimeField(null=True)
    at = models.DateTimeField()
    because = models.CharField(max_length=40, blank=True)
    accepted_by = models.CharField(max_length=200, blank=True)
    accepted_at = models.DateTimeField(null=True)
    note = models.CharField(max_length=500, blank=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["host", "at"]), models.Index(fields=["kind", "name", "at"])]


class Kit(models.Model):
    """A named list of terms that hosts are meant to meet: those of some paddocks, and those with one of some labels."""

    name = models.CharField(max_length=63, unique=True)
    purpose = models.CharField(max_length=200, blank=True)
    terms = models.JSONField(default=list)
    paddocks = models.ManyToManyField("hosts.Paddock", related_name="kits")
    labels = models.JSONField(default=list)
    changed_at = models.DateTimeField(auto_now=True)
    changed_by = models.CharField(max_length=200)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class ToolEdit(models.Model):
    """One version of a definition that an administrator wrote, of a tool of the catalogue or a new one. An empty text
    takes the server's definition out again. ``release`` numbers the sets of probes: None for one that is not
    released."""

    tool = models.CharField(max_length=60, db_index=True)
    number = models.PositiveIntegerField()
    text = models.TextField(blank=True)
    note = models.CharField(max_length=200, blank=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField()
    release = models.PositiveIntegerField(null=True, unique=True)
    released_by = models.CharField(max_length=200, blank=True)
    released_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["tool", "-number"]
        constraints = [models.UniqueConstraint(fields=["tool", "number"], name="one_edit_a_number")]


class Trial(models.Model):
    """A dry run of one definition on one host, and what it found there."""

    edit = models.ForeignKey(ToolEdit, models.CASCADE, related_name="trials")
    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="trials")
    asked_by = models.CharField(max_length=200)
    asked_at = models.DateTimeField()
    answered_at = models.DateTimeField(null=True)
    found = models.JSONField(default=list)
    broken = models.JSONField(default=list)
    took = models.FloatField(default=0.0)
    why = models.CharField(max_length=2000, blank=True)

    class Meta:
        ordering = ["-id"]
