from django.db import models

from ..health.models import SEVERITIES

KINDS = [("mail", "mail"), ("webhook", "webhook")]
EVENTS = [("opened", "opened"), ("closed", "closed")]
DELIVERY_STATES = [(state, state) for state in ("waiting", "sent", "given up", "not needed")]


class NotificationRule(models.Model):
    """A notification rule: which findings it sends, where, and when not.

    An empty ``paddocks`` or ``codes`` means all; ``severity`` the least severe. Within ``gather_seconds`` what is found
    goes into one message. In the quiet hours, from ``quiet_from`` to ``quiet_to`` minutes after midnight in ``zone`` on
    ``quiet_days`` (0 is Monday), messages wait for their end, except urgent findings where ``urgent_anyway``.
    ``sealed`` is the secret that signs webhooks, sealed as pipelines' secrets are: a copy of the database alone does
    not give it away."""

    name = models.CharField(max_length=100, unique=True)
    kind = models.CharField(max_length=10, choices=KINDS)
    target = models.CharField(max_length=500)
    sealed = models.BinaryField(default=b"")
    severity = models.CharField(max_length=10, choices=SEVERITIES, default="soon")
    paddocks = models.JSONField(default=list)
    codes = models.JSONField(default=list)
    notifies_when_closed = models.BooleanField(default=True)
    gather_seconds = models.PositiveIntegerField(default=60)
    quiet_from = models.PositiveIntegerField(null=True)
    quiet_to = models.PositiveIntegerField(null=True)
    quiet_days = models.JSONField(default=list)
    zone = models.CharField(max_length=60, default="UTC")
    urgent_anyway = models.BooleanField(default=True)
    is_on = models.BooleanField(default=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)

    @property
    def sealed_for(self) -> str:
        """What its secret is sealed for: a rule keeps its name."""
        return f"webhook {self.name}"

    class Meta:
        ordering = ["name"]


class Delivery(models.Model):
    """One message of a rule, from when it is gathered to when it has arrived, or was given up."""

    rule = models.ForeignKey(NotificationRule, models.CASCADE, related_name="deliveries")
    state = models.CharField(max_length=12, choices=DELIVERY_STATES, default="waiting", db_index=True)
    due_at = models.DateTimeField()
    tries = models.PositiveIntegerField(default=0)
    trouble = models.CharField(max_length=500, blank=True)
    subject = models.CharField(max_length=300, blank=True)
    body = models.TextField(blank=True)
    made_at = models.DateTimeField(auto_now_add=True)
    sent_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    @property
    def identity(self) -> str:
        """The same for each try, and never again, also in a database that was set back."""
        return f"{self.pk}.{self.made_at:%Y%m%d%H%M%S}"

    def finding_numbers(self) -> tuple[int, ...]:
        """Of the findings that it is about."""
        return tuple(self.items.values_list("finding", flat=True))


class DeliveryItem(models.Model):
    """A finding's opening or closing, in a message."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="items")
    finding = models.ForeignKey("health.Finding", models.CASCADE, related_name="items")
    event = models.CharField(max_length=10, choices=EVENTS)
    at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
