from django.conf import settings
from django.db import models


class Role(models.TextChoices):
    """What a person may do; each role can do what those before it can."""

    VIEWER = "viewer"
    OPERATOR = "operator"
    ADMINISTRATOR = "administrator"


class Grant(models.Model):
    """One person's role, for one paddock, or for everything where ``paddock`` is empty."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="grants")
    role = models.CharField(max_length=20, choices=Role)
    paddock = models.ForeignKey("hosts.Paddock", models.CASCADE, null=True, blank=True, related_name="grants")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["user", "paddock"], name="one_grant_a_paddock", nulls_distinct=False),
        ]


class Token(models.Model):
    """A program's key to the API, acting for a person. Only the hash of it is kept."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=100)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
