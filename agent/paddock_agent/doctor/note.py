"""What the watch and the doctor of one agent go by: a file in the watch's folder, which only root can read."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass

from ..errors import NotJoined

FILE = "watch.json"


@dataclass(frozen=True)
class Note:
    """``server``, ``key`` and ``host`` say where and as whom the watch reports; the others say which service it is, and
    where the agent's folders and its program are. ``signer`` is the public key with which the server signs the orders
    to upgrade (Ed25519, hexadecimal)."""

    server: str
    key: str
    host: str
    service: str
    home: str = ""
    work_folder: str = ""
    account: str = ""
    prefix: str = ""
    signer: str = ""


def read_note(text: str | None, folder: str) -> Note:
    """The note in the watch's ``folder``. Raises NotJoined where there is none, or it cannot be read."""
    if text is None:
        raise NotJoined(
            f"No watch in {folder}, or this account may not read it. As an administrator: paddock-agent watch install"
        )
    try:
        known = json.loads(text)
        return Note(**{name: str(value) for name, value in known.items() if name in Note.__dataclass_fields__})
    except (ValueError, TypeError, AttributeError) as error:
        raise NotJoined(f"The file of the watch in {folder} cannot be read: {error}") from None


def note_text(note: Note) -> str:
    """The note as it is kept."""
    return json.dumps(asdict(note))
