from django.db import models

from ..hosts.models import LINK_CHOICES


class LinkChange(models.Model):
    """A change of a host's link, with its cause."""

    host = models.ForeignKey("hosts.Host", models.CASCADE, related_name="link_changes")
    at = models.DateTimeField(db_index=True)
    state = models.CharField(max_length=20, choices=LINK_CHOICES)
    cause = models.CharField(max_length=300)

    class Meta:
        ordering = ["id"]
