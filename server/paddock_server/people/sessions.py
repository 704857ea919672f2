"""Sessions of people. The database has the hash of a session's key; what changes a session is an action."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from paddock_core.access.session_life import SessionLimits, is_over

from ..secret import digest
from ..storage import action
from .events import session_ended, shut_out
from .models import Session

ABOUT = "about"
"""The key of a session's data under which its log-in is described."""


def limits_of(session: Session) -> SessionLimits:
    """Those of people who signed on elsewhere are tighter: that they may not come any more is seen at the next
    sign-on."""
    age = settings.SIGN_ON_SESSION_AGE_SECONDS if session.provider_id else settings.SESSION_AGE_SECONDS
    return SessionLimits(idle=settings.SESSION_IDLE_SECONDS, age=age)


def has_ended(session: Session) -> bool:
    """By its expiry date, by its age, or because nothing was heard of it."""
    now = timezone.now()
    if session.expire_date <= now:
        return True
    if session.opened_at is None or session.last_seen_at is None:
        return False
    opened, seen = session.opened_at.timestamp(), session.last_seen_at.timestamp()
    return is_over(limits_of(session), opened, seen, now.timestamp())


def living_session(key_digest: str) -> Session | None:
    """The session with this hash, if it has not ended."""
    found = Session.objects.filter(session_key=key_digest).first()
    return None if found is None or has_ended(found) else found


class SessionStore(db.SessionStore):
    """Django's, with hashed keys and rows that say whose session it is."""

    @classmethod
    def get_model_class(cls) -> type[Session]:
        return Session

    def _get_session_from_db(self) -> Session | None:
        found = living_session(digest(self.session_key or ""))
        if found is None:
            self._session_key = None
        return found

    def exists(self, session_key: str) -> bool:
        return Session.objects.filter(session_key=digest(session_key)).exists()

    def create_model_instance(self, data: dict[str, Any]) -> Session:
        about = data.get(ABOUT, {})
        user = data.get("_auth_user_id")
        now = timezone.now()
        return Session(
            session_key=digest(self._get_or_create_session_key()),  # type: ignore[attr-defined]
            session_data=self.encode(data),
            expire_date=self.get_expiry_date(),
            user_id=int(user) if user else None,
            opened_at=datetime.fromtimestamp(about["opened"], UTC) if about else None,
            last_seen_at=now,
            address=about.get("address", ""),
            browser=about.get("browser", ""),
            method=about.get("method", ""),
            provider_id=about.get("provider"),
        )

    def delete(self, session_key: str | None = None) -> None:
        key = session_key or self.session_key
        if key:
            _delete_row(digest(key))

    save = action(db.SessionStore.save)


@action
def _delete_row(key_digest: str) -> None:
    Session.objects.filter(session_key=key_digest).delete()


def end_sessions(found: QuerySet[Session]) -> int:
    """Within an action: ends these sessions. Returns how many there were."""
    ended = list(found.values_list("session_key", flat=True))
    Session.objects.filter(session_key__in=ended).delete()
    for key_digest in ended:
        transaction.on_commit(partial(session_ended.send, key_digest))
    return len(ended)


def shut_out_user(user: User) -> None:
    """Within an action: ends the person's sessions, feeds and downloads, those of tokens as well."""
    end_sessions(user.browser_sessions.all())
    transaction.on_commit(partial(shut_out.send, user.pk))
