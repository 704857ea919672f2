"""Folders of this machine's disk: removed whole, measured, and searched without being led out of them."""

from __future__ import annotations

import contextlib
import os
import shutil
import stat
import sys
from collections.abc import Iterator
from pathlib import Path

from ..errors import BadPattern, CommandFailed
from ..file_pattern import file_pattern
from .port import FoundFile

if sys.platform != "win32":
    import pwd

_ZEROS = bytes(1024 * 1024)
MAX_EXAMINED = 200_000
"""Entries of a folder that a search looks at, at most."""


def remove(folder: Path) -> None:
    """Removes a folder, or what can be removed of it. A folder that its own maker has closed is opened first."""

    def opened(_do: object, path: str, _: object) -> None:
        with contextlib.suppress(OSError):
            if not Path(path).is_symlink():
                if Path(path) != folder:  # what is above the folder belongs to others
                    Path(path).parent.chmod(0o700)
                Path(path).chmod(0o700)
            if Path(path).is_dir() and not Path(path).is_symlink():
                shutil.rmtree(path, ignore_errors=True)
            else:
                Path(path).unlink(missing_ok=True)

    if folder.is_symlink():
        folder.unlink(missing_ok=True)
    else:
        shutil.rmtree(folder, onerror=opened)


def read_of(file: Path, account: str, limit: int) -> str | None:
    """See the port. On Windows the folder's own list of access keeps others from writing there."""
    handle = os.open(file, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
    with os.fdopen(handle, "rb") as opened:
        about = os.fstat(opened.fileno())
        if not stat.S_ISREG(about.st_mode):
            return None
        if sys.platform != "win32" and about.st_uid != pwd.getpwnam(account).pw_uid:
            return None
        opened.seek(max(0, about.st_size - limit))
        return opened.read(limit).decode("utf-8", "replace")


def write_private(file: Path, text: str, account: str) -> None:
    """See the port. On Windows the folder's own list of access says who may read it."""
    fresh = file.with_name(file.name + ".new")
    fresh.unlink(missing_ok=True)
    handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as opened:
        opened.write(text)
        opened.flush()
        os.fsync(opened.fileno())
        if sys.platform != "win32":
            entry = pwd.getpwnam(account)
            os.fchown(opened.fileno(), entry.pw_uid, entry.pw_gid)
    fresh.replace(file)


def reserve(file: Path, size: int) -> None:
    """See the port."""
    handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as opened:
        if sys.platform == "linux":
            os.posix_fallocate(opened.fileno(), 0, size)
            return
        for _ in range(size // len(_ZEROS)):
            opened.write(_ZEROS)


def flush(folder: Path) -> None:
    """Writes the folder's own entries to the disk."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def names_in(folder: Path) -> list[str]:
    """See the port."""
    try:
        with os.scandir(folder) as entries:
            return sorted(entry.name for entry in entries if entry.is_dir(follow_symlinks=False))
    except OSError:
        return []


def size_of(folder: Path) -> tuple[int, int]:
    """See the port. Files with several names count once for each."""
    size = files = 0
    for entry in _walk(folder):
        with contextlib.suppress(OSError):
            found = entry.stat(follow_symlinks=False)
            if not stat.S_ISDIR(found.st_mode):
                files += 1
                size += found.st_size if sys.platform == "win32" else found.st_blocks * 512
    return size, files


def find(folder: Path, pattern: str) -> list[FoundFile]:
    """See the port."""
    if not folder.is_dir():
        raise CommandFailed(f"the folder {folder} is not there any more")
    root = os.path.realpath(folder)
    try:
        matches = file_pattern(pattern).matches
    except BadPattern as error:
        raise CommandFailed(str(error)) from None
    found = []
    for number, entry in enumerate(_walk(Path(root))):
        if number > MAX_EXAMINED:
            raise CommandFailed(f"it has more than {MAX_EXAMINED} entries; name a folder in the pattern")
        if entry.is_dir(follow_symlinks=False):
            continue
        below = os.path.relpath(entry.path, root).replace(os.sep, "/")
        if matches(below):
            place = os.path.realpath(entry.path)
            with contextlib.suppress(OSError):
                looked = os.stat(place)  # noqa: PTH116
                if stat.S_ISREG(looked.st_mode) and place.startswith(root + os.sep):
                    found.append(FoundFile(below, place, looked.st_size))
    return sorted(found, key=lambda one: one.path)


def _walk(folder: Path) -> Iterator[os.DirEntry[str]]:
    """All entries below a folder, without following links."""
    waiting = [str(folder)]
    while waiting:
        try:
            with os.scandir(waiting.pop()) as entries:
                for entry in entries:
                    if entry.is_dir(follow_symlinks=False):
                        waiting.append(entry.path)
                    yield entry
        except OSError:
            continue
