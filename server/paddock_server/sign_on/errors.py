"""Why a sign-on did not work."""

from __future__ import annotations

from ..errors import ActionError


class SignOnRefused(ActionError):
    """The person does not come in; the sentence is for the person."""

    status = 403
    title = "Sign-on refused"


class ProviderTrouble(SignOnRefused):
    """The provider did not answer, or its answer is invalid; an administrator has to look at it."""

    status = 409
    title = "The sign-on provider gives trouble"
