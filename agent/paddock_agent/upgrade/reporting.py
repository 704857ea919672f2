"""Telling the server how far an upgrade is, with the key of the host's watch."""

from __future__ import annotations

import json
import urllib.error
from collections.abc import Mapping
from typing import Any

from ..doctor.note import Note
from ..errors import AgentError, Dismissed, Unreachable
from ..http_client import post, problem_of
from .progress import Progress

PATH = "/agent/v1/upgrade"
PATIENCE = 10.0


def tell(note: Note, progress: Progress) -> Mapping[str, Any]:
    """Reports; returns the server's answer (wire.UpgradeAnswer). Raises Unreachable, or Dismissed where the server does
    not know the key."""
    report = {
        "order": progress.order,
        "step": progress.step.value,
        "why": progress.why,
        "evidence": list(progress.evidence),
    }
    return ask(note, PATH, report)


def ask(note: Note, path: str, body: Mapping[str, Any]) -> Mapping[str, Any]:
    """The server's answer to a request with the watch's key. Raises as ``tell`` does, and AgentError with the server's
    sentence where it refuses."""
    address = f"{note.server}{path}"
    try:
        data = post(address, json.dumps(body).encode(), {"Authorization": f"Bearer {note.key}"}, PATIENCE)
        answer = json.loads(data)
    except urllib.error.HTTPError as error:
        if error.code == 401:
            raise Dismissed(problem_of(error)) from None
        raise (AgentError if error.code < 500 else Unreachable)(problem_of(error)) from None
    except ValueError as error:
        raise Unreachable(f"{address} is not a Yellow Paddock server: {error}") from None
    if not isinstance(answer, dict):
        raise Unreachable(f"{address} is not a Yellow Paddock server.")
    return answer
