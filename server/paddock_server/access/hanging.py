"""What keeps an account from being deleted: the records that name it."""

from __future__ import annotations

from django.contrib.auth.models import User

from ..logbook.models import Entry


def what_hangs_on(user: User) -> str:
    """The reason as a clause; "" where nothing hangs on the account. The logbook holds every act, jobs included."""
    owned = list(user.service_accounts.values_list("user__username", flat=True)[:3])
    if owned:
        return f"it owns {', '.join(owned)}"
    acts = Entry.objects.filter(who=user.get_username()).exclude(verb__in=("logged in", "logged out")).count()
    return f"the logbook has {acts} {'act' if acts == 1 else 'acts'} of it" if acts else ""
