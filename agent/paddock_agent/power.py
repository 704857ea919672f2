"""Powering this host down on the server's word: the watch's part. Needs the server's signature, and an idle agent."""

from __future__ import annotations

import json
from pathlib import Path

from .doctor.note import Note
from .errors import AgentError, CommandFailed
from .replacing import running_attempts
from .system import System
from .system.paths import paths_of
from .upgrade.folders import current_folder, python_in

CONTEXT = b"yellow paddock power down\n"
"""What is signed begins with its purpose, so that no signature can be used for another."""
ORDER, LAST_ORDER = "power-order.json", "power-order-done"
"""Files in the watch's folder: the order, and the number of the last one that was carried out. An older one is not
carried out again."""
PATIENCE = 30.0
_COMMANDS = {
    "linux": ["systemctl", "poweroff"],
    "macos": ["shutdown", "-h", "now"],
    "windows": ["shutdown", "/s", "/t", "0"],
}


class PowerOrderRefused(AgentError):
    """An order that this host does not carry out; the sentence says why."""


def order_text(host: str, number: int) -> str:
    """The order as the server sends and signs it."""
    return json.dumps({"host": host, "number": number})


def signed_text(text: str) -> bytes:
    """What the signature of an order is over."""
    return CONTEXT + text.encode()


async def begin(system: System, note: Note, folder: str, text: str, signature: str) -> None:
    """The watch's part: hands the order to the agent's own Python, since checking a signature needs the agent's
    packages. ``folder`` is the watch's. Raises CommandFailed with what kept the host from going. An order that is being
    carried out already is left alone: the server repeats it until the host is gone."""
    paths = paths_of(system)
    if _is_begun(system, folder, text):
        return
    system.write_text(paths.join(folder, ORDER), json.dumps({"text": text, "signature": signature}), 0o600)
    python = python_in(system, current_folder(system, note.prefix))
    done = await system.run([python, "-m", "paddock_agent", "watch", "power-down", "--folder", folder], 2 * PATIENCE)
    if done.exit_code:
        lines = (done.stderr.strip() or done.stdout.strip()).splitlines()
        raise CommandFailed(lines[-1][:500] if lines else "The program that powers the host down ended at once.")


def _is_begun(system: System, folder: str, text: str) -> bool:
    try:
        return int(json.loads(text)["number"]) <= _last_order(system, folder)
    except (ValueError, TypeError, KeyError):
        return False


def _last_order(system: System, folder: str) -> int:
    last = (system.read_text(paths_of(system).join(folder, LAST_ORDER)) or "0").strip()
    return int(last) if last.isdecimal() else 0


async def carry_out(system: System, note: Note, folder: str) -> None:
    """Checks the order and powers this machine down. Raises PowerOrderRefused, CommandFailed."""
    number = _checked(system, note, folder)
    # Its own notes, not what the server believes: a job that runs here must not die.
    if running := running_attempts(Path(note.home)):
        raise PowerOrderRefused(f"This host does not power down while attempts run on it: {', '.join(running[:3])}.")
    system.write_text(paths_of(system).join(folder, LAST_ORDER), f"{number}\n", 0o600)
    done = await system.run(_COMMANDS[system.family], PATIENCE)
    if done.exit_code:
        raise CommandFailed(f"{' '.join(_COMMANDS[system.family])}: {(done.stderr or done.stdout).strip()[:300]}")


def _checked(system: System, note: Note, folder: str) -> int:
    """The number of the order, if it may be carried out."""
    # The watch has this module too, and none of the agent's packages.
    from nacl.exceptions import BadSignatureError
    from nacl.signing import VerifyKey

    if not note.signer:
        raise PowerOrderRefused(
            "The watch of this host does not know its server's key. Run: paddock-agent watch install"
        )
    try:
        given = json.loads(system.read_text(paths_of(system).join(folder, ORDER)) or "{}")
        text = str(given["text"])
        VerifyKey(bytes.fromhex(note.signer)).verify(signed_text(text), bytes.fromhex(given["signature"]))
        order = json.loads(text)
        host, number = str(order["host"]), int(order["number"])
    except (BadSignatureError, ValueError, TypeError, KeyError):
        raise PowerOrderRefused("The order to power down is not signed by the server that this host knows.") from None
    if host.lower() != note.host.lower():
        raise PowerOrderRefused(f"The order to power down is for {host[:80]}.")
    if number <= _last_order(system, folder):
        raise PowerOrderRefused("The order to power down was carried out before.")
    return number
