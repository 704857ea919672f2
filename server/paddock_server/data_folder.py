"""Where the server keeps everything: ``PADDOCK_DATA``, or the user's data folder."""

from __future__ import annotations

import os
import secrets
from collections.abc import Callable
from pathlib import Path

import platformdirs


def data_folder() -> Path:
    """The folder, made if it is not there, for its user alone."""
    named = os.environ.get("PADDOCK_DATA")
    folder = Path(named) if named else Path(platformdirs.user_data_dir("yellow-paddock", appauthor=False))
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return folder.absolute()


def secret_key(folder: Path) -> str:
    """The key that signs sessions."""
    return kept_secret(folder / "secret-key", lambda: secrets.token_urlsafe(50))


def kept_secret(file: Path, make: Callable[[], str]) -> str:
    """A secret made when it is first asked for, and kept in a file for the server's user alone."""
    if not file.exists():
        try:
            handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        except FileExistsError:
            return file.read_text()
        with os.fdopen(handle, "w") as fresh:
            fresh.write(make())
    return file.read_text()
