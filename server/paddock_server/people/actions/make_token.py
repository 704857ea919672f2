"""Makes a token with which a program acts for a person."""

from __future__ import annotations

from django.contrib.auth.models import User

from ... import secret
from ...errors import NotThere
from ...logbook.write import write
from ...storage import action
from ..actor import Actor
from ..models import Role, Token
from ..permission import requires


@action
@requires(Role.ADMINISTRATOR, "Making a token")
def make_token(actor: Actor, user_name: str, name: str) -> str:
    """The token itself, which is shown this once. Raises NotThere for an unknown person."""
    user = User.objects.filter(username=user_name).first()
    if user is None:
        known = ", ".join(User.objects.order_by("username").values_list("username", flat=True)[:20]) or "none yet"
        raise NotThere(f"No person is called {user_name}. Known people: {known}.")
    token = secret.make("token")
    Token.objects.create(user=user, name=name, digest=secret.digest(token))
    write(actor, "made", "token", name, details={"user": user_name})
    return token
