"""Where the server keeps everything: ``PADDOCK_DATA``, or the user's data folder."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import stat
from collections.abc import Callable, Iterator
from pathlib import Path

import platformdirs


class FolderInUse(Exception):
    """Another server has the data folder."""


class FolderOpen(Exception):
    """Others may get at the data folder, and its modes cannot be mended."""


def data_folder() -> Path:
    """The folder, made if it is not there, for its user alone."""
    named = os.environ.get("PADDOCK_DATA")
    folder = Path(named) if named else Path(platformdirs.user_data_dir("yellow-paddock", appauthor=False))
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return folder.absolute()


def secret_key(folder: Path) -> str:
    """The key that signs sessions."""
    return stored_secret(folder / "secret-key", lambda: secrets.token_urlsafe(50))


def stored_secret(file: Path, make: Callable[[], str]) -> str:
    """A secret made when it is first asked for, and kept in a file for the server's user alone."""
    if not file.exists():
        try:
            handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        except FileExistsError:
            return file.read_text()
        with os.fdopen(handle, "w") as fresh:
            fresh.write(make())
    return file.read_text()


@contextlib.contextmanager
def locked(folder: Path) -> Iterator[None]:
    """Holds the folder for one server; the system lets go of it with the process, however that ends. Raises FolderInUse
    where another server has it: two on one database would each take what the other does for a fault."""
    handle = os.open(folder / "server.lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            holder = os.pread(handle, 20, 0).decode("ascii", "replace").strip() or "unknown"
            raise FolderInUse(
                f"A server already uses the data folder {folder} (process {holder}). Stop that one first, or set "
                "PADDOCK_DATA to another folder."
            ) from None
        os.ftruncate(handle, 0)
        os.pwrite(handle, f"{os.getpid()}\n".encode(), 0)
        yield
    finally:
        os.close(handle)


def close_to_others(folder: Path) -> None:
    """Takes the rights of other accounts from the folder and from what lies directly in it, such as keys and database;
    deeper, the folder keeps others out. Raises FolderOpen, with the remedy, if it belongs to another account."""
    for place in (folder, *folder.iterdir()):
        with contextlib.suppress(FileNotFoundError):
            mode = place.lstat().st_mode
            if stat.S_ISLNK(mode) or not mode & 0o077:
                continue
            try:
                place.chmod(stat.S_IMODE(mode) & ~0o077)
            except PermissionError:
                raise FolderOpen(
                    f"Other accounts can read or change {place}, and this account cannot mend that. Run as root: "
                    f"chown -R {os.geteuid()} {folder} && chmod -R go-rwx {folder}"
                ) from None
