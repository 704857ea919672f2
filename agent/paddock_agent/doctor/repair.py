"""Repairs an agent's installation: its unit as it was written, its program from the server, its folders' owner, the
server's address. The key, the host's name, the account and the environment file stay as they are."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import tempfile
import urllib.request
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from ..errors import AgentError
from ..limits import folder_trouble
from .account_evidence import IDENTITY
from .collect import collect
from .note import FILE, Note, note_text
from .server_evidence import tried_server
from .unit_evidence import UNIT_COPY

PATIENCE = 60.0
INSTALL_PATIENCE = 900.0


def repair(note: Note, folder: str, server: str = "", work: str = "") -> Iterator[str]:
    """Repairs what is broken; says each thing that it did, in a line. Raises AgentError."""
    if server or work:
        note = _redirected(note, folder, server, work)
        yield f"The agent now goes by: server {note.server}, work folder {note.work_folder}."
    if _unit_differs(note, folder):
        _write_unit(note, folder)
        yield f"The unit {note.service} is written again as it was."
    evidence = collect(note, folder)
    if failed := evidence.failed("program") or evidence.failed("packages"):
        yield f"The program is broken ({failed.detail}); it is installed again from {note.server}."
        _install_again(note)
        yield "The program is installed again."
    for place in dict.fromkeys([note.home, note.work_folder]):
        if place and note.account:
            Path(place).mkdir(parents=True, exist_ok=True)
            _command("chown", "-R", f"{note.account}:", place)
    yield f"The folders belong to {note.account}."
    _command("systemctl", "daemon-reload")
    _command("systemctl", "enable", note.service)
    subprocess.run(["systemctl", "reset-failed", note.service], capture_output=True, check=False, timeout=PATIENCE)
    _command("systemctl", "restart", note.service)
    yield f"{note.service} is started."


def _redirected(note: Note, folder: str, server: str, work: str) -> Note:
    """Another address or work folder, written into the agent's key file and the watch's note."""
    key = Path(note.home, IDENTITY)
    try:
        known = json.loads(key.read_text())
    except (OSError, ValueError) as error:
        raise AgentError(f"The agent's key {key} cannot be read: {error}") from None
    if server:
        server = server.rstrip("/")
        tried = tried_server(server, known.get("key", ""))
        # The agent is not connected there yet, and a wrong clock is not a fault of the address.
        failed = next((one for one in tried if not one.ok and one.name not in ("connected", "clock")), None)
        if failed:
            raise AgentError(f"The agent keeps its address, as {server} will not do: {failed.detail}.")
        known["server"] = server
    if work:
        if why := folder_trouble(work, "linux"):
            raise AgentError(f"The agent keeps its work folder, as {work} will not do: {why}")
        known["work_folder"] = work
    note = replace(note, server=known["server"], work_folder=known["work_folder"])
    about = key.stat()
    _write_privately(key, json.dumps(known), about.st_uid, about.st_gid)
    _write_privately(Path(folder, FILE), note_text(note), 0, 0)
    return note


def _write_privately(file: Path, text: str, user: int, group: int) -> None:
    """Writes a file whole or not at all, readable by its owner alone from the first byte."""
    fresh = file.with_name(file.name + ".new")
    fresh.unlink(missing_ok=True)
    handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "w") as opened:
        opened.write(text)
    os.chown(fresh, user, group)
    fresh.replace(file)


def _unit_file(note: Note) -> Path:
    return Path("/etc/systemd/system", note.service)


def _unit_differs(note: Note, folder: str) -> bool:
    copy, unit = Path(folder, UNIT_COPY), _unit_file(note)
    if not copy.exists():
        return False
    return unit.is_symlink() or not unit.is_file() or unit.read_bytes() != copy.read_bytes()


def _write_unit(note: Note, folder: str) -> None:
    unit = _unit_file(note)
    if unit.exists() and not unit.is_symlink():
        shutil.copy2(unit, unit.with_name(unit.name + ".before-repair"))
    unit.unlink(missing_ok=True)
    shutil.copyfile(Path(folder, UNIT_COPY), unit)
    unit.chmod(0o644)
    _command("systemctl", "daemon-reload")


def _install_again(note: Note) -> None:
    """Runs the server's install script again: it keeps the key and reinstalls the agent."""
    prefix = note.prefix or "/opt/paddock"
    for mark in Path(prefix).glob("agent-*/complete"):
        mark.unlink()
    with tempfile.TemporaryDirectory() as scratch:
        script = Path(scratch, "paddock.sh")
        try:
            with urllib.request.urlopen(f"{note.server}/install/paddock.sh", timeout=PATIENCE) as answer:  # noqa: S310
                script.write_bytes(answer.read())
        except (OSError, ValueError) as error:
            raise AgentError(f"The program cannot be fetched from {note.server}: {error}") from None
        done = subprocess.run(
            ["/bin/sh", str(script), "--prefix", prefix, "--user", note.account],
            cwd=scratch,
            env={**os.environ, "PADDOCK_AGENT_HOME": note.home, "PADDOCK_WORK": note.work_folder, "PADDOCK_PASS": ""},
            capture_output=True,
            text=True,
            check=False,
            stdin=subprocess.DEVNULL,
            timeout=INSTALL_PATIENCE,
        )
    if done.returncode:
        words = (done.stderr.strip() or done.stdout.strip()).splitlines()[-3:]
        raise AgentError("The program could not be installed again: " + " | ".join(words))


def _command(*words: str) -> None:
    done = subprocess.run(words, capture_output=True, text=True, check=False, timeout=PATIENCE)
    if done.returncode:
        raise AgentError(f"{' '.join(words[:2])}: {(done.stderr or done.stdout).strip()}")
