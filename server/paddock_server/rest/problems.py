"""Errors as problem details (RFC 9457): every error of the API, unknown addresses included."""

from __future__ import annotations

import http
import logging

from django.core.exceptions import DisallowedHost, PermissionDenied
from django.db import IntegrityError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import set_rollback

from ..errors import ActionError, NotAllowed
from ..storage.trouble import trouble_of
from .refusals import Refusal, refused

WRONG_NAME = "The server does not go by the name in this address. PADDOCK_HOSTS lists, with commas, those that it has."
log = logging.getLogger("paddock.api")

CONTENT_TYPE = "application/problem+json"


def problem(status: int, title: str, detail: str, **extra: object) -> dict[str, object]:
    """The members of a problem. ``type`` stays about:blank: title and status say what kind it is."""
    return {"type": "about:blank", "title": title, "status": status, "detail": detail, **extra}


def handle(error: Exception, context: dict[str, object]) -> Response | None:
    """Django REST framework's hook: turns what a view raised into a problem."""
    headers: dict[str, str] = {}
    if isinstance(error, Http404):
        error = exceptions.NotFound("Not found, or you may not see it.")
    elif isinstance(error, PermissionDenied):
        error = exceptions.PermissionDenied(str(error) or None)
    if isinstance(error, NotAllowed):
        _announce_refusal(error, context)
    if isinstance(error, ActionError):
        body = problem(error.status, error.title, error.detail, **error.extra)
        if "retry_after" in error.extra:
            headers["Retry-After"] = str(error.extra["retry_after"])
    elif isinstance(error, exceptions.ValidationError):
        errors = list(_flatten(error.detail))
        detail = "; ".join(f"{e['pointer'].lstrip('/') or 'body'}: {e['detail']}" for e in errors[:5])
        body = problem(400, "What was sent is not right", detail, errors=errors)
    elif isinstance(error, exceptions.APIException):
        if getattr(error, "auth_header", None):
            headers["WWW-Authenticate"] = error.auth_header  # type: ignore[attr-defined]
        if getattr(error, "wait", None):
            headers["Retry-After"] = str(int(error.wait) + 1)  # type: ignore[attr-defined]
        body = problem(error.status_code, http.HTTPStatus(error.status_code).phrase, str(error.detail))
    elif isinstance(error, IntegrityError):
        detail = "Another person did the same at the same moment. Reload, and repeat it if it is still needed."
        body = problem(409, "Not possible now", detail)
    elif isinstance(error, OverflowError):
        body = problem(400, "What was sent is not right", "A number in it is larger than this server takes.")
    elif trouble := trouble_of(error):
        log.error("The storage gives trouble: %s", error)
        if trouble.retry_after:
            headers["Retry-After"] = str(trouble.retry_after)
        body = problem(trouble.status, trouble.title, trouble.detail)
    else:
        return None
    set_rollback()
    return Response(body, status=int(str(body["status"])), headers=headers, content_type=CONTENT_TYPE)


def _announce_refusal(error: NotAllowed, context: dict[str, object]) -> None:
    user = getattr(context.get("request"), "user", None)
    needs = error.extra.get("needs")
    if user is not None and user.is_authenticated and isinstance(needs, dict):
        name, paddock = user.get_username(), str(needs.get("paddock") or "")
        refused.send(Refusal(name, error.detail, str(needs.get("role")), paddock))


def _flatten(detail: object, pointer: str = "") -> list[dict[str, str]]:
    """The fields' errors as JSON pointers with a sentence each."""
    if isinstance(detail, dict):
        return [e for key, value in detail.items() for e in _flatten(value, _below(pointer, key))]
    if isinstance(detail, list) and any(isinstance(one, dict | list) for one in detail):
        return [e for i, value in enumerate(detail) for e in _flatten(value, f"{pointer}/{i}") if value]
    if isinstance(detail, list):
        return [{"pointer": pointer, "detail": str(one)} for one in detail]
    return [{"pointer": pointer, "detail": str(detail)}]


def _below(pointer: str, key: object) -> str:
    return pointer if key == "non_field_errors" else f"{pointer}/{key}"


def respond(status: int, title: str, detail: str) -> HttpResponse:
    """A problem outside Django REST framework."""
    return JsonResponse(problem(status, title, detail), status=status, content_type=CONTENT_TYPE)


def not_found(request: HttpRequest, *_: object, **__: object) -> HttpResponse:
    """For addresses of the API that do not exist."""
    return respond(404, "No such address", f"Nothing is at {request.path}. The addresses are in /api/v1/docs/.")


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """For what Django refuses before any view sees it."""
    if isinstance(exception, DisallowedHost):
        return respond(400, "Not a name of this server", WRONG_NAME)
    return respond(400, "Bad request", "The server cannot make sense of this request.")


def failed(request: HttpRequest) -> HttpResponse:
    """For unexpected errors; the log has the details."""
    return respond(500, "The server failed", "This is a fault of the server; its log says more.")


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """For a form of another site, or a page that is too old."""
    return respond(403, "The page is too old", f"Load the page again and repeat this ({reason}).")
