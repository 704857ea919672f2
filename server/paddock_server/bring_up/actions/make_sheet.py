"""Says which machine is coming: makes its sheet, and the pass that it comes with."""

from __future__ import annotations

import re
import secrets
from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.core.exceptions import ValidationError

from paddock_agent.wire import folder_trouble
from paddock_core.settings_file import ADDRESS

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.actions.make_pass import make_pass
from ...hosts.labels import clean_labels
from ...hosts.models import LIVING, NAME, EntryPass, Host, Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import BringUp

ACCOUNT = re.compile(r"(?:[A-Za-z0-9_.-]+\\|\.\\)?[A-Za-z0-9_][A-Za-z0-9_.-]{0,63}")
ARCHES_OF = {"linux": ("x64", "arm64"), "macos": ("x64", "arm64"), "windows": ("x64",)}


@dataclass(frozen=True)
class Wanted:
    """What is chosen for a machine. "" and 0 leave it to the machine, or to the default."""

    system: str
    arch: str
    server: str
    name: str = ""
    labels: Sequence[str] = ()
    slots: int = 0
    work_folder: str = ""
    supervisor: str = "service"
    account: str = ""


@action
@requires(Role.ADMINISTRATOR, "Bringing in a host", of="paddock.name")
def make_sheet(
    actor: Actor, paddock: Paddock, wanted: Wanted, hours: int = 24, *, repairs: bool = False
) -> tuple[BringUp, str]:
    """The sheet, and the secret of its pass, which is good for one machine. A sheet that ``repairs`` is for a host of
    this paddock, which keeps its key; its system is the host's own, whatever was chosen. Raises Invalid and NotNow for
    choices that could not work."""
    named = Host.objects.select_related("paddock").filter(name__iexact=wanted.name.strip(), standing__in=LIVING)
    taken = named.first()
    if repairs and taken:
        wanted = _of_its_system(wanted, taken)
    checked = check(wanted)
    if taken and not (repairs and taken.paddock_id == paddock.pk):
        raise NotNow(
            f"{taken.name} is a host in {taken.paddock.name} already. Repair it, choose another name, or retire it "
            "first."
        )
    if repairs and not taken:
        raise NotNow(f"No host is called {checked.name or 'that'} to repair.")
    called = f"for {wanted.name}" if wanted.name else f"for a {wanted.system} machine"
    made_pass, secret = make_pass(actor, paddock, called, hours, 1, tuple(checked.labels), wanted.slots)
    sheet = sheet_of(actor, paddock, made_pass, checked)
    sheet.save()
    write(
        actor, "expected", "host", str(sheet), paddock.name, {"system": wanted.system, "supervisor": wanted.supervisor}
    )
    announce("bring-up", sheet.pk, paddock.name)
    return sheet, secret


def _of_its_system(wanted: Wanted, host: Host) -> Wanted:
    """As the host's agent reported it last: the command is written for that."""
    system, arch = host.facts.get("os", ""), host.facts.get("arch", "")
    return replace(wanted, system=system, arch=arch) if arch in ARCHES_OF.get(system, ()) else wanted


def sheet_of(actor: Actor, paddock: Paddock, entry_pass: EntryPass, wanted: Wanted, batch: str = "") -> BringUp:
    """One sheet of what was checked, unsaved."""
    return BringUp(
        code=secrets.token_urlsafe(12),
        batch=batch,
        paddock=paddock,
        entry_pass=entry_pass,
        made_by=actor.name,
        **vars(wanted),
    )


def check(wanted: Wanted) -> Wanted:
    """What is wanted, tidied. Raises Invalid with every field that is wrong."""
    errors = []
    name, account, folder = wanted.name.strip(), wanted.account.strip(), wanted.work_folder.strip()
    server = wanted.server.strip().rstrip("/")
    labels: list[str] = []
    if name:
        try:
            NAME(name)
        except ValidationError as error:
            errors.append({"pointer": "/name", "detail": f'The name "{name[:80]}" will not do. {error.message}'})
    try:
        labels = clean_labels(wanted.labels)
    except Invalid as error:
        errors.append({"pointer": "/labels", "detail": error.detail})
    if wanted.arch not in ARCHES_OF[wanted.system]:
        errors.append({"pointer": "/arch", "detail": f"There are no packages for {wanted.system} on {wanted.arch}."})
    if folder and (trouble := folder_trouble(folder, wanted.system)):
        errors.append({"pointer": "/work_folder", "detail": f'The work folder "{folder}" will not do. {trouble}'})
    if account and not ACCOUNT.fullmatch(account):
        errors.append({"pointer": "/account", "detail": f'"{account[:80]}" cannot be the name of an account.'})
    if wanted.supervisor == "log-in" and wanted.system != "macos":
        errors.append(
            {"pointer": "/supervisor", "detail": "Starting at log-in is for macOS. Choose a service, or by hand."}
        )
    if not ADDRESS.fullmatch(server):
        errors.append(
            {
                "pointer": "/server",
                "detail": f'"{server[:80]}" is not a server address. Example: http://paddock:8200.',
            }
        )
    if errors:
        raise Invalid(" ".join(error["detail"] for error in errors), errors=errors)
    return Wanted(wanted.system, wanted.arch, server, name, labels, wanted.slots, folder, wanted.supervisor, account)
