"""Sends the proof job: it lands on this host alone, and its log shows host, account, work folder and tool versions."""

from __future__ import annotations

import re

from paddock_core.bring_up import BringUpStep
from paddock_core.lifecycle import JobState
from paddock_core.link_state import Link

from ...changes import announce
from ...errors import NotNow
from ...hosts.models import Host
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ...work.actions.submit import WantedJob, submit
from ..models import BringUp

PIPELINE = "bring-up"
MAX_TOOLS = 20
TIME_LIMIT = 300
NAME_OF_TOOL = re.compile(r"[a-z0-9][a-z0-9._+-]{0,40}")

ASK = {
    "cargo": "cargo --version", "cmake": "cmake --version", "docker": "docker --version", "gcc": "gcc --version",
    "git": "git --version", "make": "make --version", "maven": "mvn --version", "node": "node --version",
    "npm": "npm --version", "perl": "perl -v", "xcode": "xcodebuild -version",
}  # fmt: skip
"""How a script asks a tool that it finds on its path; the others are shown by what the job was bound to."""


@action
@requires(Role.ADMINISTRATOR, "Proving a host", of="sheet.paddock.name")
def prove(actor: Actor, sheet: BringUp) -> None:
    """Raises NotNow for a host that could not take the job, or that is at it."""
    host = sheet.host
    if host is None or not _is_ready(host):
        raise NotNow("The host has to be admitted, connected and surveyed before a job can prove it.")
    if sheet.proof and JobState(sheet.proof.state) in (JobState.WAITING, JobState.OFFERED, JobState.RUNNING):
        raise NotNow(f"Job {sheet.proof.pk} is proving it just now.")
    tools = sorted({one.tool for one in host.installations.all() if NAME_OF_TOOL.fullmatch(one.tool)})[:MAX_TOOLS]
    sheet.proof = submit(
        actor,
        WantedJob(
            f"prove {host.name}"[:100],
            PIPELINE,
            [f"host {host.name}", *(f"tool {tool}" for tool in tools)],
            script_for(host.facts.get("os", ""), tools),
            time_limit=TIME_LIMIT,
        ),
        is_internal=True,
    )
    sheet.save(update_fields=["proof"])
    announce("bring-up", sheet.pk, sheet.paddock.name)


def prove_if_ready(host: Host) -> None:
    """Sends the first proof job by itself, as soon as the host can take it."""
    sheets = BringUp.objects.select_related("paddock", "host").filter(host=host, proof=None, given_up_at=None)
    sheet = sheets.order_by("-id").first()
    if sheet and _is_ready(host) and (not sheet.repairs or _is_set_up(sheet)):
        sheet.host = host
        prove(SERVER, sheet)


def _is_set_up(sheet: BringUp) -> bool:
    """The service was set up again, and the host surveyed since: before that, the old agent works there."""
    service = sheet.reported_steps.filter(step=BringUpStep.SERVICE.value, failed=False, ended_at__isnull=False).first()
    surveyed = sheet.host.surveyed_at if sheet.host else None
    return bool(service and surveyed and surveyed >= service.began_at)


def _is_ready(host: Host) -> bool:
    return host.standing == Host.Standing.ADMITTED and host.link == Link.CONNECTED and host.surveyed_at is not None


def script_for(system: str, tools: list[str]) -> str:
    """The script in the host's usual shell. ``tools`` are checked names: the host reported them."""
    lines = ['echo "host:    $(hostname)"', 'echo "account: $(id -un)"', 'echo "folder:  $(pwd)"']
    shown = "${}"
    if system == "windows":
        lines = ["hostname", "whoami", "pwd"]
        shown = "$env:{}"
    for tool in tools:
        variable = f"PADDOCK_TOOL_{re.sub(r'[^A-Z0-9]', '_', tool.upper())}"
        lines.append(f'echo "{tool} {shown.format(variable + "_VERSION")} at {shown.format(variable + "_PATH")}"')
        if tool in ASK:
            lines.append(ASK[tool])
    return "\n".join(lines) + "\n"
