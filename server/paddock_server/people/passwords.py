"""Passwords that may be set."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.utils import timezone

from ..errors import Invalid
from .models import Account


def set_password(user: User, password: str) -> None:
    """Within an action. Raises Invalid for a password that is too weak."""
    try:
        validate_password(password, user)
    except ValidationError as error:
        detail = " ".join(error.messages)
        raise Invalid(detail, errors=[{"pointer": "/password", "detail": detail}]) from None
    user.set_password(password)
    user.save(update_fields=["password"])
    Account.objects.filter(user=user).update(password_changed_at=timezone.now())
