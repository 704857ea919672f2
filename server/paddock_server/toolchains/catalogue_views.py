from __future__ import annotations

from collections.abc import Mapping
from importlib import resources
from typing import Any

import msgspec
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_agent.catalogue import built_in
from paddock_core.link_state import Link

from ..errors import NotThere
from ..hosts.queries import host_called, visible_hosts
from ..people.actor import Actor, person
from ..rest.reading import validated
from .actions.edit_tool import edit_numbered, release, write_definition
from .actions.try_tool import try_tool
from .catalogue import catalogue, public_key
from .models import ToolEdit, Trial
from .serializers import (
    CatalogueSerializer,
    DefinitionSerializer,
    ToolEditSerializer,
    TrialSerializer,
    TryDefinitionSerializer,
    WriteDefinitionSerializer,
)

SYSTEMS = ("linux", "macos", "windows")


class CatalogueView(APIView):
    """The tools that surveys look for."""

    @extend_schema(operation_id="catalogue", responses=CatalogueSerializer)
    def get(self, request: Request) -> Response:
        known = catalogue()
        newest = {edit.tool: edit for edit in ToolEdit.objects.order_by("number")}
        drafts = {tool for tool, edit in newest.items() if edit.release is None}
        listed = [
            {
                "name": tool.name,
                "title": tool.title,
                "kind": tool.kind,
                "systems": [system for system in SYSTEMS if tool.places(system) is not None],
                "scheme": tool.scheme,
                "own": tool.name in known.own,
                "draft": tool.name in drafts,
            }
            for tool in known.tools.values()
        ]
        unreleased = [
            {
                "name": name,
                "title": name,
                "kind": "other",
                "systems": [],
                "scheme": "generic",
                "own": True,
                "draft": True,
            }
            for name in sorted(drafts - known.tools.keys())
        ]
        behind = {
            host.name: host.probes_refused or "it has not surveyed since"
            for host in visible_hosts(person(request.user)).filter(link=Link.CONNECTED.value)
            if host.probes != known.number
        }
        answer = {"number": known.number, "signer": public_key(), "tools": listed + unreleased, "behind": behind}
        return Response(CatalogueSerializer(answer).data)


class DefinitionView(APIView):
    """How a tool is defined; write a new version of it, an empty one to take the server's own out."""

    @extend_schema(responses=DefinitionSerializer)
    def get(self, request: Request, name: str) -> Response:
        return Response(_definition(person(request.user), name))

    @extend_schema(request=WriteDefinitionSerializer, responses=DefinitionSerializer)
    def post(self, request: Request, name: str) -> Response:
        asked = validated(WriteDefinitionSerializer, request)
        actor = person(request.user)
        write_definition(actor, name, asked["text"], asked["note"])
        return Response(_definition(actor, name))


def _definition(actor: Actor, name: str) -> Mapping[str, Any]:
    known = catalogue()
    edits = list(ToolEdit.objects.filter(tool=name))
    if name not in known.tools and not edits:
        raise NotThere(f"No definition is called {name}.")
    released = next((edit for edit in edits if edit.release is not None), None)
    is_own = name in known.own
    text = released.text if is_own and released else _built_in_text(name)
    trials = Trial.objects.filter(edit__tool=name, host__in=visible_hosts(actor)).select_related("edit", "host")[:200]
    answer = {"name": name, "text": text, "built_in": not is_own, "edits": edits, "trials": trials}
    return DefinitionSerializer(answer).data


def _built_in_text(name: str) -> str:
    file = resources.files("paddock_agent.catalogue") / "tools" / f"{name}.yaml"
    if file.is_file():
        return file.read_text(encoding="utf-8")
    tool = next((one for one in built_in() if one.name == name), None)
    return msgspec.yaml.encode(tool).decode() if tool else ""


class ReleaseView(APIView):
    """Release a version of a definition to all agents."""

    @extend_schema(request=None, responses=ToolEditSerializer)
    def post(self, request: Request, name: str, number: int) -> Response:
        return Response(ToolEditSerializer(release(person(request.user), edit_numbered(name, number))).data)


class TryView(APIView):
    """Try a version of a definition on chosen hosts before it is released."""

    @extend_schema(request=TryDefinitionSerializer, responses=TrialSerializer(many=True))
    def post(self, request: Request, name: str, number: int) -> Response:
        actor = person(request.user)
        asked = validated(TryDefinitionSerializer, request)
        hosts = [host_called(actor, host) for host in dict.fromkeys(asked["hosts"])]
        return Response(TrialSerializer(try_tool(actor, edit_numbered(name, number), hosts), many=True).data)
