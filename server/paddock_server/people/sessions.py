"""Sessions of people, as Django keeps them in the database; what changes one is an action."""

from __future__ import annotations

from django.contrib.sessions.backends import db

from ..storage import action


class SessionStore(db.SessionStore):
    """See the module."""

    save = action(db.SessionStore.save)
    delete = action(db.SessionStore.delete)
