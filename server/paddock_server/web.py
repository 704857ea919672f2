"""The web application's page, and whether the server can serve."""

from __future__ import annotations

from django.conf import settings
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse

NOT_BUILT = "The web part is not built yet. `make web` builds it; `make demo` and `make test` do so by themselves."


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
