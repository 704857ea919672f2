from __future__ import annotations

import hashlib
from pathlib import Path

from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.utils.html import format_html, format_html_join
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..api.problems import respond
from .index import agent_version, normalized, wheels

SCRIPT = Path(__file__).with_name("paddock.sh")
SIMPLE_JSON = "application/vnd.pypi.simple.v1+json"
NOT_GATHERED = "The packages for hosts have not been gathered on this server. `make wheels` does so."


def _script(request: HttpRequest | Request) -> str:
    """The script with this server's address in it, as the browser or the host knows it."""
    server = request.build_absolute_uri("/").rstrip("/")
    return SCRIPT.read_text(encoding="utf-8").replace("@SERVER@", server).replace("@VERSION@", agent_version())


def script(request: HttpRequest) -> HttpResponse:
    """The bring-up script for Linux and macOS."""
    if not agent_version():
        return respond(503, "Not ready", NOT_GATHERED)
    return HttpResponse(_script(request), content_type="text/x-shellscript; charset=utf-8")


def script_checksum(request: HttpRequest | Request) -> str:
    """The SHA-256 of the script as it is served now; "" where there is none."""
    return hashlib.sha256(_script(request).encode()).hexdigest() if agent_version() else ""


class BringUpSerializer(serializers.Serializer):
    """``agent_version`` is "" where the packages for hosts have not been gathered, and nothing can be handed out."""

    agent_version = serializers.CharField()
    script = serializers.CharField(help_text="The address of the bring-up script for Linux and macOS.")
    sha256 = serializers.CharField(help_text="The checksum of the script as it is served now.")


class BringUpView(APIView):
    """What a person needs to bring in a host: the script's address and its checksum."""

    @extend_schema(responses=BringUpSerializer)
    def get(self, request: Request) -> Response:
        address = request.build_absolute_uri("/install/paddock.sh")
        shown = {"agent_version": agent_version(), "script": address, "sha256": script_checksum(request)}
        return Response(BringUpSerializer(shown).data)


def projects(request: HttpRequest) -> HttpResponse:
    """PEP 503: all projects."""
    names = sorted({wheel.name for wheel in wheels()})
    if SIMPLE_JSON in request.headers.get("Accept", ""):
        body = {"meta": {"api-version": "1.0"}, "projects": [{"name": name} for name in names]}
        return JsonResponse(body, content_type=SIMPLE_JSON)
    return _page(format_html_join("\n", '<a href="{}/">{}</a>', ((name, name) for name in names)))


def project(request: HttpRequest, name: str) -> HttpResponse:
    """PEP 503: the files of one project, each with its hash."""
    files = [wheel for wheel in wheels() if wheel.name == normalized(name)]
    if not files:
        return respond(404, "There is no such project", f"This index has no {name[:100]}.")
    if SIMPLE_JSON in request.headers.get("Accept", ""):
        listed = [
            {"filename": one.file.name, "url": f"/install/files/{one.file.name}", "hashes": {"sha256": one.sha256}}
            for one in files
        ]
        body = {"meta": {"api-version": "1.0"}, "name": normalized(name), "files": listed}
        return JsonResponse(body, content_type=SIMPLE_JSON)
    links = ((one.file.name, one.sha256, one.file.name) for one in files)
    return _page(format_html_join("\n", '<a href="/install/files/{}#sha256={}">{}</a><br>', links))


def file(request: HttpRequest, name: str) -> HttpResponse | FileResponse:
    """One package. Only what is in the index is handed out."""
    found = next((wheel for wheel in wheels() if wheel.file.name == name), None)
    if found is None:
        return respond(404, "There is no such file", f"This index has no {name[:200]}.")
    return FileResponse(found.file.open("rb"), content_type="application/octet-stream")


def _page(links: str) -> HttpResponse:
    return HttpResponse(format_html("<!DOCTYPE html><html><body>\n{}\n</body></html>\n", links))
