"""Goes into a machine over SSH and runs its bring-up script there. What becomes of it shows on its sheet."""

from __future__ import annotations

from asgiref.sync import async_to_sync

from paddock_core.bring_up import BringUpStep

from ...errors import Invalid, NotNow
from ...hosts.actions.make_pass import make_pass
from ...hosts.actions.revoke_pass import end_spare_pass
from ...hosts.models import EntryPass
from ...install.scripts import script_for
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process import event_loop
from ...storage import action, run_in_writer
from .. import ssh
from ..choices import choices_of
from ..models import BringUp, ReportedStep, TrustedMachine
from .note_step import note_step

PASS_HOURS = 1
"""For how long the pass of one trip is good."""


def look(actor: Actor, sheet: BringUp, address: str, port: int) -> dict[str, str]:
    """The key that the machine shows, for a person to compare. Raises NotNow where nothing answers."""
    actor.demand(Role.ADMINISTRATOR, sheet.paddock.name, "Bringing in a host")
    try:
        key = async_to_sync(ssh.find_key)(address.strip(), port)
    except ssh.SshFailed as error:
        raise NotNow(str(error)) from None
    known = TrustedMachine.objects.filter(address=address.strip(), port=port).first()
    standing = "new" if known is None else "trusted" if known.key == ssh.written(key) else "changed"
    return {"fingerprint": key.get_fingerprint(), "kind": key.get_algorithm(), "standing": standing}


def go_in(actor: Actor, sheet: BringUp, address: str, port: int, user: str, fingerprint: str, password: str) -> None:
    """Starts it. Raises NotNow for a key that is not the one that was trusted, Invalid for a system without a shell."""
    actor.demand(Role.ADMINISTRATOR, sheet.paddock.name, "Bringing in a host")
    if sheet.system == "windows":
        raise Invalid("Going in over SSH is for Linux and macOS. Paste the command into PowerShell.")
    if not user.strip() or any(mark in password + user for mark in "\r\n\0"):
        raise Invalid("The account is missing, or it or the password has a line break in it.")
    address = address.strip()
    try:
        key = async_to_sync(ssh.find_key)(address, port)
    except ssh.SshFailed as error:
        raise NotNow(str(error)) from None
    if key.get_fingerprint() != fingerprint:
        raise NotNow(
            f"{address} shows another key now ({key.get_fingerprint()}) than the one you trusted. Nothing was sent."
        )
    _trust(actor, sheet, address, port, ssh.written(key))
    if sheet.host_id:
        raise NotNow(f"{sheet.host} has joined already and needs no pass any more.")
    # A pass for this one trip: the one in the command that a person may have pasted stays good.
    made, secret = make_pass(
        actor, sheet.paddock, f"for {sheet}, over SSH"[:100], PASS_HOURS, 1, tuple(sheet.labels), sheet.slots
    )
    script = script_for(sheet.server, sheet.system, sheet.code, choices_of(sheet)).text
    target = ssh.Target(address, port, user.strip(), ssh.written(key), password)
    _begin_trip(actor, sheet, target)
    by_hand = sheet.supervisor == "by hand"
    event_loop.post(lambda: event_loop.start(_bring_up(sheet.pk, target, script, secret, by_hand, made.pk)))


@action
@requires(Role.ADMINISTRATOR, "Bringing in a host", of="sheet.paddock.name")
def _begin_trip(actor: Actor, sheet: BringUp, target: ssh.Target) -> None:
    ReportedStep.objects.filter(bring_up=sheet).delete()
    note_step(sheet, BringUpStep.FETCH.value, "begun", target.address, found=f"Going in over SSH as {target.user}.")
    write(
        actor,
        "went in over SSH for",
        "host",
        str(sheet),
        sheet.paddock.name,
        {"address": target.address, "user": target.user},
    )


@action
@requires(Role.ADMINISTRATOR, "Bringing in a host", of="sheet.paddock.name")
def _trust(actor: Actor, sheet: BringUp, address: str, port: int, key: str) -> None:
    """Keeps a key that is trusted for the first time. Raises NotNow for a changed one: that is never taken."""
    known, is_new = TrustedMachine.objects.get_or_create(
        address=address, port=port, defaults={"key": key, "trusted_by": actor.name}
    )
    if known.key != key:
        raise NotNow(
            f"The key of {address} has changed since {known.trusted_by} trusted it on {known.trusted_at:%Y-%m-%d}. If "
            "the machine was reinstalled, forget its old key first."
        )
    if is_new:
        write(actor, "trusted the SSH key of", "address", f"{address}:{port}", sheet.paddock.name)


@action
@requires(Role.ADMINISTRATOR, "Forgetting a machine's key", of="sheet.paddock.name")
def forget_key(actor: Actor, sheet: BringUp, address: str, port: int) -> None:
    """Forgets the key of a machine that was reinstalled."""
    if TrustedMachine.objects.filter(address=address.strip(), port=port).delete()[0]:
        write(actor, "forgot the SSH key of", "address", f"{address.strip()}:{port}", sheet.paddock.name)


async def _bring_up(pk: int, target: ssh.Target, script: str, secret: str, by_hand: bool, pass_pk: int) -> None:
    try:
        code, output = await ssh.run_script(target, script, secret, by_hand)
    except ssh.SshFailed as error:
        await run_in_writer(_note, pk, target.address, "failed", str(error), error.remedy)
        return
    finally:
        await run_in_writer(_end_trip, pass_pk)
    if code:
        await run_in_writer(_note_output, pk, target.address, code, output.replace(secret, "…"))
    else:
        await run_in_writer(_note, pk, target.address, "done", f"Sent over SSH as {target.user}.", ())


def _end_trip(pass_pk: int) -> None:
    end_spare_pass(EntryPass.objects.select_related("paddock").get(pk=pass_pk))


def _note(pk: int, address: str, mark: str, found: str, remedy: tuple[str, ...]) -> None:
    sheet = BringUp.objects.select_related("paddock").get(pk=pk)
    note_step(sheet, BringUpStep.FETCH.value, mark, address, found=found, remedy=remedy)


def _note_output(pk: int, address: str, code: int, output: str) -> None:
    """The script failed. If it reported no failure itself, for example when the machine has no way to the server, its
    last words are the evidence."""
    has_reported = ReportedStep.objects.filter(bring_up=pk, failed=True).exists()
    last = "\n".join(output.strip().splitlines()[-8:])
    if has_reported:
        _note(pk, address, "done", "Sent over SSH.", ())
    else:
        _note(pk, address, "failed", f"The script ended with code {code}. Its last words: {last}"[:2000], ())
