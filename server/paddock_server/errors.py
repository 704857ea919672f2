"""The named errors of the server. Each becomes problem details with a sentence that a person can act on."""

from __future__ import annotations


class ActionError(Exception):
    """Something that an action will not do. ``extra`` goes into the problem's members."""

    status = 400
    title = "This cannot be done"

    def __init__(self, detail: str, **extra: object) -> None:
        self.detail = detail
        self.extra = extra
        super().__init__(detail)


class Invalid(ActionError):
    """What was sent is wrong; ``errors`` says which part, as a list of ``{"pointer", "detail", …}``."""

    title = "What was sent is not right"


class NotAllowed(ActionError):
    """The person's role does not reach this. ``needs``, where it is given, has the role and the paddock that would."""

    status = 403
    title = "Your role does not allow this"


class NotThere(ActionError):
    """No such thing, or none that the person may see."""

    status = 404
    title = "Not found"


class NotNow(ActionError):
    """Possible in principle, but not in the present state."""

    status = 409
    title = "Not possible now"


class PassRefused(ActionError):
    """The entry pass is wrong, used up, revoked or past its end."""

    status = 403
    title = "The entry pass was refused"


class TooManyTries(ActionError):
    """Too many wrong tries: the next one must wait."""

    status = 429
    title = "Too many wrong tries"


class NotLoggedIn(ActionError):
    """Name and password do not go together."""

    status = 401
    title = "Not logged in"


class PassUnknown(PassRefused):
    """No such pass at all: a slip, or a guess."""


class KeyUnknown(ActionError):
    """No living host has this key."""

    status = 401
    title = "The key is not known"
