"""The web application's page, and the answer outside the API when the storage fails."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from .rest.problems import respond
from .storage.trouble import Trouble, trouble_of

NOT_BUILT = "The web part is not built yet. `make web` builds it; `make demo` and `make test` do so by themselves."


def page(request: HttpRequest, *_: object, **__: object) -> HttpResponse:
    """The one page; its own router shows the screens."""
    index = settings.WEB / "index.html"
    if not index.is_file():
        return HttpResponse(NOT_BUILT, status=503, content_type="text/plain; charset=utf-8")
    text = index.read_text(encoding="utf-8")
    text = text.replace('="./', f'="{settings.STATIC_URL}').replace(
        'name="server-path" content=""', f'name="server-path" content="{settings.SUB_PATH}"'
    )
    response = HttpResponse(text, content_type="text/html; charset=utf-8")
    response.headers["Cache-Control"] = "no-cache"
    return response


class SaidTrouble:
    """Middleware: storage trouble in views outside the API becomes an answer that says so."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self._get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Django's hook for what a view raised."""
        trouble = trouble_of(error)
        return answer(trouble) if trouble else None


def answer(trouble: Trouble) -> HttpResponse:
    """The problem as an answer."""
    response = respond(trouble.status, trouble.title, trouble.detail)
    if trouble.retry_after:
        response.headers["Retry-After"] = str(trouble.retry_after)
    return response
