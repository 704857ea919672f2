"""Offers are leased: one that is not answered in time is taken back."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction

from ..process import event_loop
from ..storage import run_in_writer

OFFER_SECONDS = 60.0


class _Offers:
    expire: Callable[[int, float], None]


_offers = _Offers()


def watch(attempt_id: int) -> None:
    """Takes the offer back, some time after the transaction is through, unless it was answered by then."""
    transaction.on_commit(lambda: event_loop.post_later(OFFER_SECONDS, _expire, attempt_id))


def expire_by(expire_offer: Callable[[int, float], None]) -> None:
    """Sets the action that withdraws an offer; called once, at the start."""
    _offers.expire = expire_offer


def _expire(attempt_id: int) -> None:
    event_loop.start(run_in_writer(_offers.expire, attempt_id, OFFER_SECONDS))
