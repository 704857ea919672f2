"""Who this agent is: its key and its server, in a file that only its user can read."""

from __future__ import annotations

import os
from pathlib import Path

import msgspec
import platformdirs

from .errors import NotJoined
from .preflight.plan import HOMES
from .system.real import RealSystem

FILE = "identity.json"


class Identity(msgspec.Struct, frozen=True):
    """What joining gave: the server's address, the key, and the names."""

    server: str
    key: str
    host: str
    paddock: str
    work_folder: str


def default_home() -> Path:
    """The agent's own folder: ``PADDOCK_AGENT_HOME``, or what the system has for the data of services (for root) and of
    a user's programs (for others)."""
    if named := os.environ.get("PADDOCK_AGENT_HOME"):
        return Path(named)
    system = RealSystem()
    if system.is_privileged():
        return Path(HOMES[system.family])
    return Path(platformdirs.user_data_dir("paddock-agent", appauthor=False))


def save(home: Path, identity: Identity) -> None:
    """Writes the identity whole or not at all, readable by its user alone from the first byte."""
    home.mkdir(parents=True, exist_ok=True, mode=0o700)
    fresh = home / (FILE + ".new")
    fresh.unlink(missing_ok=True)
    handle = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(msgspec.json.format(msgspec.json.encode(identity)))
        file.flush()
        os.fsync(file.fileno())
    fresh.replace(home / FILE)


def load(home: Path) -> Identity:
    """Reads the identity. Raises NotJoined where there is none, or it cannot be read."""
    try:
        return msgspec.json.decode((home / FILE).read_bytes(), type=Identity)
    except FileNotFoundError:
        raise NotJoined(
            f"This machine has not joined a server yet: {home} has no key.  "
            "Run `paddock-agent join --server URL --pass SECRET` first."
        ) from None
    except (OSError, msgspec.DecodeError) as error:
        raise NotJoined(f"The key in {home / FILE} cannot be read: {error}") from None


def forget(home: Path) -> None:
    """Removes the identity."""
    (home / FILE).unlink(missing_ok=True)
