"""Fields that several parts of the API share."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from paddock_core.fleet import Readiness

READINESS_CHOICES = [(one.value, one.value) for one in Readiness]
MAX_NUMBER = 2**53
"""More than anything here has a number for, exact in JSON everywhere, and what the database can hold."""


class NumberField(serializers.IntegerField):
    """The number of a thing, such as a job."""

    def __init__(self, **more: Any) -> None:
        super().__init__(min_value=1, max_value=MAX_NUMBER, **more)


class AddressField(serializers.CharField):
    """The name or address of a machine."""

    def to_internal_value(self, data: Any) -> str:
        address: str = super().to_internal_value(data)
        if not address.isprintable() or any(one in address for one in " /\\@?#\"'<>"):
            raise serializers.ValidationError("This is not a host name or an address.")
        try:
            address.encode("idna")
        except UnicodeError:
            raise serializers.ValidationError("This is not a host name or an address.") from None
        return address
