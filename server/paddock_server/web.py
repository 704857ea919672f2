"""The web application's page, and what browsers are told to allow on it."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "connect-src 'self' ws: wss:; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'"
)

NOT_BUILT = "The web part is not built yet. `make web` builds it; `make demo` and `make test` do so by themselves."


def content_security(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: nothing is loaded from anywhere else, and no script stands in a page."""

    def middleware(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response

    return middleware


def page(request: HttpRequest, *_: object, **__: object) -> HttpResponse:
    """The one page; its own router shows the screens."""
    index = settings.WEB / "index.html"
    if not index.is_file():
        return HttpResponse(NOT_BUILT, status=503, content_type="text/plain; charset=utf-8")
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response.headers["Cache-Control"] = "no-cache"
    return response


def healthz(request: HttpRequest) -> HttpResponse:
    """200 once the server can serve: it answers, and so does its database."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return JsonResponse({"status": "ok"})
