from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.html import format_html, format_html_join

from paddock_core.bring_up import BringUpStep

from ..install.index import agent_version, normalized, wheels
from ..install.scripts import file_for, script_for
from ..rest.addresses import server_address
from ..rest.problems import respond
from .actions.note_step import note_step, sheets_with
from .choices import choices_for_all, choices_of

SIMPLE_JSON = "application/vnd.pypi.simple.v1+json"
NOT_GATHERED = "The packages for hosts have not been gathered on this server. `make wheels` does so."


def script(request: HttpRequest, file: str) -> HttpResponse:
    """A bring-up script. With ``?sheet=CODE`` it has the choices of that sheet, or of that batch, at its head."""
    if not agent_version():
        return respond(503, "Not ready", NOT_GATHERED)
    code = request.GET.get("sheet", "")
    server, choices = server_address(request), {}
    if code:
        sheets = sheets_with(code)
        fitting = [sheet for sheet in sheets if file_for(sheet.system) == file]
        if not fitting:
            return respond(404, "No such sheet", "No open bring-up sheet has this code for this script.")
        server = fitting[0].server
        choices = choices_of(fitting[0]) if fitting[0].code == code else choices_for_all(fitting)
        if fitting[0].code == code:
            note_step(fitting[0], BringUpStep.FETCH.value, "done", request.META.get("REMOTE_ADDR", ""))
    system = "windows" if file == "paddock.ps1" else "linux"
    text = script_for(server, system, code, choices).text
    return HttpResponse(text, content_type="text/plain; charset=utf-8")


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
        return respond(404, "No such project", f"This index has no {name[:100]}.")
    folder = f"{settings.SUB_PATH}/install/files/"
    if SIMPLE_JSON in request.headers.get("Accept", ""):
        listed = [
            {"filename": one.file.name, "url": f"{folder}{one.file.name}", "hashes": {"sha256": one.sha256}}
            for one in files
        ]
        body = {"meta": {"api-version": "1.0"}, "name": normalized(name), "files": listed}
        return JsonResponse(body, content_type=SIMPLE_JSON)
    links = ((folder, one.file.name, one.sha256, one.file.name) for one in files)
    return _page(format_html_join("\n", '<a href="{}{}#sha256={}">{}</a><br>', links))


def file(request: HttpRequest, name: str) -> HttpResponse:
    """One package. Only what is in the index is handed out."""
    found = next((wheel for wheel in wheels() if wheel.file.name == name), None)
    if found is None:
        return respond(404, "No such file", f"This index has no {name[:200]}.")
    return HttpResponse(found.file.read_bytes(), content_type="application/octet-stream")


def _page(links: str) -> HttpResponse:
    return HttpResponse(format_html("<!DOCTYPE html><html><body>\n{}\n</body></html>\n", links))
