"""How answers travel: compressed for those who ask, and not at all where nothing has changed."""

from __future__ import annotations

import gzip
import json
import re

import pytest
from django.conf import settings
from django.http import HttpResponse, StreamingHttpResponse
from django.test import RequestFactory

from paddock_server.rest.compression import Compression

GZIP = {"HTTP_ACCEPT_ENCODING": "br, gzip"}


def test_a_long_answer_is_compressed_for_who_asks(administrator, new_host):
    for _ in range(8):
        new_host()
    plain = administrator.get("/api/v1/hosts/")
    packed = administrator.get("/api/v1/hosts/", **GZIP)
    assert "Content-Encoding" not in plain.headers
    assert packed.headers["Content-Encoding"] == "gzip"
    assert "Accept-Encoding" in packed.headers["Vary"]
    assert json.loads(gzip.decompress(packed.content)) == json.loads(plain.content)
    assert len(packed.content) * 3 < len(plain.content)


@pytest.mark.parametrize(
    ("status", "kind", "is_packed"),
    [
        (200, "application/json", True),
        (200, "text/csv; charset=utf-8", True),
        (206, "text/plain", False),
        (200, "application/octet-stream", False),
        (200, "image/png", False),
        (400, "application/problem+json", False),
    ],
)
def test_parts_of_files_and_what_is_no_text_stay_as_they_are(status, kind, is_packed):
    answer = HttpResponse(b"tide " * 200, status=status, content_type=kind)
    request = RequestFactory().get("/", **GZIP)
    assert Compression(lambda _: answer)(request).has_header("Content-Encoding") == is_packed


def test_a_stream_is_not_held_back():
    answer = StreamingHttpResponse([b"tide " * 200], content_type="text/plain")
    assert not Compression(lambda _: answer)(RequestFactory().get("/", **GZIP)).has_header("Content-Encoding")


@pytest.mark.parametrize("more", [{}, GZIP], ids=["plain", "compressed"])
def test_what_has_not_changed_is_not_sent_again(administrator, new_host, more):
    new_host("knot-01")
    first = administrator.get("/api/v1/hosts/", **more)
    tag = first.headers["ETag"]
    again = administrator.get("/api/v1/hosts/", HTTP_IF_NONE_MATCH=tag, **more)
    assert (again.status_code, again.content) == (304, b"")
    new_host("knot-02")
    changed = administrator.get("/api/v1/hosts/", HTTP_IF_NONE_MATCH=tag, **more)
    assert changed.status_code == 200
    assert changed.headers["ETag"] != tag


def test_built_files_stay_in_the_browser_by_their_names_and_the_page_does_not():
    test = re.compile(settings.WHITENOISE_IMMUTABLE_FILE_TEST)
    assert test.match("/static/assets/index-C3yP5a_E.js")
    assert test.match("/static/assets/barlow-latin-400-normal-qiz4-Cze.woff2")
    for name in ("/static/mark.svg", "/static/index.html", "/static/assets/x.js", "/api/assets/index-C3yP5a_E.js"):
        assert not test.match(name), name
