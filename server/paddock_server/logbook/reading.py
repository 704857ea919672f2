"""What the logbook says of one thing."""

from __future__ import annotations

from .models import Entry


def last_reason(verb: str, noun: str, thing: str) -> str:
    """The reason that was given when this last happened to the thing; "" for none."""
    entry = Entry.objects.filter(verb=verb, noun=noun, thing=thing).order_by("-id").first()
    return str(entry.details.get("reason", "")) if entry else ""
