"""Changes the catalogue: a definition is written, tried on chosen hosts, and then released to all."""

from __future__ import annotations

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from paddock_agent.catalogue import read_tool
from paddock_agent.errors import BadTool
from paddock_core.errors import VersionError
from paddock_core.link_state import Link
from paddock_core.versions import parse_range

from ...changes import announce
from ...errors import Invalid, NotNow, NotThere
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from .. import fleet_vocabulary
from ..catalogue import catalogue, forget
from ..models import ToolEdit
from ..probes import send_probes

MAX_SET_BYTES = 600 * 1024
"""Bytes of all released definitions together: they go to agents in one message."""
_WHAT = "Changing the catalogue"


def edit_numbered(tool: str, number: int) -> ToolEdit:
    """One version of a definition. Raises NotThere."""
    edit = ToolEdit.objects.filter(tool=tool, number=number).first()
    if edit is None:
        raise NotThere(f"The definition of {tool} has no version {number}.")
    return edit


@action
@requires(Role.ADMINISTRATOR, _WHAT)
def write_definition(actor: Actor, tool: str, text: str, note: str) -> ToolEdit:
    """Keeps a new version of a tool's definition; nothing runs yet. Raises Invalid with what is wrong in it."""
    if text.strip():
        check_definition(tool, text)
    elif tool not in catalogue().own:
        raise Invalid(f"The server has no definition of {tool} of its own that could be taken out.")
    last = ToolEdit.objects.filter(tool=tool).aggregate(Max("number"))["number__max"] or 0
    edit = ToolEdit.objects.create(
        tool=tool, number=last + 1, text=text.strip() and text, note=note, made_by=actor.name, made_at=timezone.now()
    )
    write(actor, "wrote a definition of", "tool", tool, details={"version": edit.number, "note": note})
    return edit


def check_definition(name: str, text: str) -> None:
    """Raises Invalid for a definition that cannot be used, or that would take another tool's words."""
    try:
        tool = read_tool(text)
        for end in tool.ends:
            parse_range(end.line, tool.scheme)
    except BadTool as error:
        raise Invalid(str(error), errors=[{"pointer": "/text", "detail": str(error)}]) from None
    except VersionError as error:
        mistake = f"ends: {end.line}: {error}"
        raise Invalid(mistake, errors=[{"pointer": "/text", "detail": mistake}]) from None
    known = catalogue()
    mistake = ""
    if tool.name != name:
        mistake = f"It names the tool {tool.name}, and is kept as {name}."
    elif name not in known.tools and (meant := known.words.name(name)) != name:
        mistake = f"{name} is another word for {meant}: change that one."
    for alias in tool.aliases:
        taken = alias if alias in known.tools else known.words.aliases.get(alias, name)
        if taken != name:
            mistake = f"The alias {alias} belongs to {taken}."
    if mistake:
        raise Invalid(mistake, errors=[{"pointer": "/text", "detail": mistake}])


@action
@requires(Role.ADMINISTRATOR, _WHAT)
def release(actor: Actor, edit: ToolEdit) -> ToolEdit:
    """Sends a definition to all agents, signed. From then on terms and surveys go by it. Raises NotNow."""
    newest = ToolEdit.objects.filter(tool=edit.tool).exclude(release=None).order_by("-release").first()
    if edit.release is not None:
        raise NotNow(f"Version {edit.number} is released already. Write a new one to come back to it.")
    if newest is not None and newest.number > edit.number:
        raise NotNow(f"Version {newest.number} was released since. Write a new one from this text.")
    if edit.text:
        check_definition(edit.tool, edit.text)
    edit.release = (ToolEdit.objects.aggregate(Max("release"))["release__max"] or 0) + 1
    edit.released_by, edit.released_at = actor.name, timezone.now()
    edit.save()
    _read_anew()
    transaction.on_commit(forget)
    if len(catalogue().own_text) > MAX_SET_BYTES:
        forget()
        raise Invalid(f"All definitions of this server together would pass {MAX_SET_BYTES // 1024} KiB.")
    write(
        actor, "released a definition of", "tool", edit.tool, details={"version": edit.number, "release": edit.release}
    )
    connected = Host.objects.filter(link=Link.CONNECTED.value).values_list("pk", flat=True)
    send_probes(connected)
    announce("catalogue", edit.tool)
    return edit


def _read_anew() -> None:
    forget()
    fleet_vocabulary.forget()
