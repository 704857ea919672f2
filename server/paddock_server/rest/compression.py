"""Answers compressed for clients that ask for it."""

from __future__ import annotations

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware

KINDS = ("application/json", "application/problem+json", "text/", "application/vnd.", "image/svg+xml")


class Compression(GZipMiddleware):
    """Middleware: gzip for whole texts. Parts of files and what streams stay as they are, so that ranges are right and
    the end of a stream comes when it comes."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Django's hook for an answer."""
        is_text = response.headers.get("Content-Type", "").startswith(KINDS)
        if response.streaming or response.status_code != 200 or not is_text:
            return response
        return super().process_response(request, response)
