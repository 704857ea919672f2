"""Files that are kept of an attempt: copied aside with their hash when it ends, and sent when the server can take them.

    HOME/outputs/12-1/manifest.json, 0, 1, 2 …

A file goes in pieces, each behind what the server says that it has: a cut, or a new start of either side, costs one
piece.
"""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
import json
import shutil
import urllib.error
from collections.abc import Sequence
from pathlib import Path

import msgspec

from ..errors import AgentError, CommandFailed
from ..http_client import post, problem_of
from ..system import FoundFile, System
from ..units import disk_size
from ..wire import MAX_OUTPUTS, OutputFile

PIECE = 1024 * 1024
MAX_FILE_BYTES = 1024**3
MAX_ATTEMPT_BYTES = 2 * 1024**3
MAX_OUTBOX_BYTES = 8 * 1024**3
KEPT_FREE = 1024**3
"""Bytes of disk that copies leave free."""
MAX_PATH_LENGTH = 400


class _Manifest(msgspec.Struct):
    attempt: str
    files: list[OutputFile]


class Outbox:
    """The kept files of one agent that the server does not have yet."""

    def __init__(self, system: System, folder: Path) -> None:
        self._system = system
        self._folder = folder
        self.news = asyncio.Event()
        self.news.set()

    def collect(self, attempt: str, folder: str, patterns: Sequence[str]) -> tuple[list[OutputFile], list[str]]:
        """Copies the files that match, and says what was left out and why. To be called in a thread."""
        found: dict[str, FoundFile] = {}
        left_out: list[str] = []
        for pattern in patterns:
            try:
                matching = self._system.find_files(folder, pattern)
            except CommandFailed as error:
                left_out.append(f"{pattern}: {error}")
                continue
            if not matching:
                left_out.append(f"{pattern}: nothing matches it")
            found.update({one.path: one for one in matching})
        room = self._room()
        kept: list[OutputFile] = []
        place = self._folder / attempt
        for path, one in sorted(found.items()):
            if why := _why_not(one, len(kept), sum(file.size for file in kept), room):
                left_out.append(f"{path[:200]}: {why}")
                continue
            place.mkdir(parents=True, exist_ok=True, mode=0o700)
            try:
                kept.append(self._copied(one, place / str(len(kept))))
            except OSError as error:
                left_out.append(f"{path[:200]}: it could not be read: {error.strerror}")
        if kept:
            (place / "manifest.json").write_bytes(msgspec.json.encode(_Manifest(attempt, kept)))
        if len(left_out) > 50:
            left_out = [*left_out[:49], f"and {len(left_out) - 49} more"]
        return kept, left_out

    def _room(self) -> int:
        self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        waiting = sum(file.stat().st_size for file in self._folder.glob("*/*") if file.is_file())
        return min(MAX_OUTBOX_BYTES - waiting, shutil.disk_usage(self._folder).free - KEPT_FREE)

    def _copied(self, one: FoundFile, target: Path) -> OutputFile:
        digest, size = hashlib.sha256(), 0
        with target.open("wb") as copy:
            while size < one.size and (piece := self._system.read_piece(one.place, size, min(PIECE, one.size - size))):
                digest.update(piece)
                copy.write(piece)
                size += len(piece)
        return OutputFile(one.path, size, digest.hexdigest())

    def forget_all(self) -> list[str]:
        """Removes every copy that was not sent; the attempts that they were of."""
        found = [manifest.parent for manifest in self._folder.glob("*/manifest.json")]
        for place in found:
            shutil.rmtree(place, ignore_errors=True)
        return [place.name for place in found]

    async def sending_loop(self, server: str, key: str) -> None:
        """Sends what waits, for ever; while nothing gets through, it tries again ever more rarely."""
        wait = 1.0
        while True:
            await self.news.wait()
            self.news.clear()
            try:
                await asyncio.to_thread(self._send_all, server, key)
                wait = 1.0
            except AgentError:
                await asyncio.sleep(wait)
                wait = min(60.0, wait * 2)
                self.news.set()

    def _send_all(self, server: str, key: str) -> None:
        for manifest in sorted(self._folder.glob("*/manifest.json")):
            try:
                one = msgspec.json.decode(manifest.read_bytes(), type=_Manifest)
            except msgspec.DecodeError:
                shutil.rmtree(manifest.parent, ignore_errors=True)
                continue
            for number, file in enumerate(one.files):
                self._send(
                    f"{server}/agent/v1/outputs/{one.attempt}/{number}", key, manifest.parent / str(number), file
                )
            shutil.rmtree(manifest.parent, ignore_errors=True)

    def _send(self, address: str, key: str, copy: Path, file: OutputFile) -> None:
        """Raises AgentError where the server cannot be reached, or does not know of the file yet."""
        have = 0
        with contextlib.suppress(FileNotFoundError), copy.open("rb") as data:
            while have < file.size or not file.size:
                data.seek(have)
                headers = {"Authorization": f"Bearer {key}", "Content-Type": "application/octet-stream"}
                try:
                    answer = json.loads(post(f"{address}?offset={have}", data.read(PIECE), headers))
                except urllib.error.HTTPError as error:
                    if error.code in (404, 409, 429) or error.code >= 500:
                        raise AgentError(problem_of(error)) from None
                    return  # the server does not want it: the attempt is gone, or it is too large
                except ValueError as error:
                    raise AgentError(f"the server's answer cannot be read: {error}") from None
                if answer.get("whole"):
                    return
                have = min(int(answer["have"]), file.size)


def _why_not(one: FoundFile, number: int, together: int, room: int) -> str:
    """Why a file is not kept, "" where it is."""
    if number >= MAX_OUTPUTS:
        return f"there are more than {MAX_OUTPUTS} files"
    if len(one.path) > MAX_PATH_LENGTH or not one.path.isprintable():
        return "its name is too long, or has characters that cannot be shown"
    try:
        one.path.encode()
    except UnicodeEncodeError:
        return "its name is not UTF-8"
    if one.size > MAX_FILE_BYTES:
        return f"it has {disk_size(one.size)}, the limit is {disk_size(MAX_FILE_BYTES)}"
    if together + one.size > MAX_ATTEMPT_BYTES:
        return f"all files together have more than {disk_size(MAX_ATTEMPT_BYTES)}"
    if together + one.size > room:
        return "the host's disk has no room for a copy"
    return ""
