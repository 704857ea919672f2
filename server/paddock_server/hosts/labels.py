"""Labels as people write them, and as they are kept."""

from __future__ import annotations

from collections.abc import Iterable

from django.core.exceptions import ValidationError

from ..errors import Invalid
from .models import LABEL


def clean_labels(labels: Iterable[str]) -> list[str]:
    """Lower case, no spaces round them, no repeats, in order. Raises Invalid for one that no term could name."""
    cleaned = list(dict.fromkeys(label.strip().lower() for label in labels if label.strip()))
    for label in cleaned:
        try:
            LABEL(label)
        except ValidationError as error:
            raise Invalid(f'"{label[:80]}" cannot be a label. {error.message}') from None
    return cleaned
