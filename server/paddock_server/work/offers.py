"""Offers are leased: one that is not answered in time is taken back."""

from __future__ import annotations

from django.db import transaction

from ..link import running
from ..storage import run_in_writer

OFFER_SECONDS = 60.0


def watch(attempt_id: int) -> None:
    """Takes the offer back, some time after the transaction is through, unless it was answered by then."""
    transaction.on_commit(lambda: running.post_later(OFFER_SECONDS, _expire, attempt_id))


def _expire(attempt_id: int) -> None:
    from .actions.expire_offer import expire_offer

    running.start(run_in_writer(expire_offer, attempt_id, OFFER_SECONDS))
