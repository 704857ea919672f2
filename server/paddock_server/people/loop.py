"""What time does to people: temporary roles and sessions end, and what was noted of roles' usage is written."""

from __future__ import annotations

import asyncio
import logging
from datetime import datetime, timedelta
from functools import partial

from channels.db import database_sync_to_async
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from ..changes import announce
from ..logbook.write import write
from ..storage import action
from .actor import SERVER
from .events import roles_changed
from .models import Grant, Session
from .role_usage import taken_usage
from .sessions import end_sessions, has_ended

INTERVAL_SECONDS = 15.0
STALE_SESSION_AGE = timedelta(minutes=10)
log = logging.getLogger("paddock.people")


async def people_loop() -> None:
    """For ever."""
    while True:
        await asyncio.sleep(INTERVAL_SECONDS)
        try:
            await database_sync_to_async(let_time_pass)()
        except Exception:
            log.exception("Ended roles and sessions could not be removed. It is tried again.")


def let_time_pass() -> None:
    """What the loop does each time."""
    if usage := taken_usage():
        _write_usage(usage)
    if Grant.objects.filter(ends_at__lte=timezone.now()).exists():
        end_temporary_roles()
    ended = [one.pk for one in Session.objects.exclude(user=None).defer("session_data") if has_ended(one)]
    if ended or _strangers().exists():
        _remove_sessions(ended)


def _strangers() -> QuerySet[Session]:
    """Sessions of browsers that did not log in, some time after their end."""
    return Session.objects.filter(user=None, expire_date__lt=timezone.now() - STALE_SESSION_AGE)


@action
def _write_usage(usage: dict[tuple[str, str], datetime]) -> None:
    for (name, paddock), at in usage.items():
        Grant.objects.filter(user__username=name, paddock__name=paddock or None).update(last_used_at=at)


@action
def end_temporary_roles() -> None:
    """Removes the roles whose time is over, with a line in the logbook for each."""
    for grant in Grant.objects.filter(ends_at__lte=timezone.now()).select_related("user", "paddock"):
        name, place = grant.user.get_username(), grant.paddock.name if grant.paddock else ""
        write(SERVER, "ended", "role", name, place, {"role": grant.role, "granted by": grant.granted_by})
        announce("person", name)
        transaction.on_commit(partial(roles_changed.send, grant.user_id))
        grant.delete()


@action
def _remove_sessions(ended: list[str]) -> None:
    end_sessions(Session.objects.filter(pk__in=ended))
    _strangers().delete()
