"""Work done under another account, in a process of its own: what root may do says little about what a service may."""

from __future__ import annotations

import contextlib
import json
import os
import select
import signal
import time
from collections.abc import Callable, Mapping
from typing import Any

if os.name == "posix":
    import pwd

PATIENCE = 60.0
MAX_ANSWER_BYTES = 256 * 1024


class NotPossible(Exception):
    """The account could not be taken on, or its process gave no answer."""


def as_account(account: str, work: Callable[[], Any], variables: Mapping[str, str], patience: float = PATIENCE) -> Any:
    """What ``work`` returns (JSON's types) when ``account`` does it with these environment variables. Who is not root
    does it as itself. Raises NotPossible."""
    reader, writer = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(reader)
        _answer(account, work, variables, writer)
    os.close(writer)
    try:
        return _read(reader, patience)
    finally:
        os.close(reader)
        with contextlib.suppress(ProcessLookupError):
            os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)


def _answer(account: str, work: Callable[[], Any], variables: Mapping[str, str], writer: int) -> None:
    """The child: never returns."""
    try:
        if os.geteuid() == 0:
            entry = pwd.getpwnam(account)
            os.initgroups(account, entry.pw_gid)
            os.setgid(entry.pw_gid)
            os.setuid(entry.pw_uid)
        os.environ.clear()
        os.environ.update(variables)
        answer = {"done": work()}
    except BaseException as error:  # the parent must hear of every failure, an exit included
        answer = {"failed": f"{type(error).__name__}: {error}"}
    with contextlib.suppress(OSError):
        os.write(writer, json.dumps(answer).encode()[:MAX_ANSWER_BYTES])
    os._exit(0)


def _read(reader: int, patience: float) -> Any:
    data, ends = b"", time.monotonic() + patience
    while True:
        ready, _, _ = select.select([reader], [], [], max(0.0, ends - time.monotonic()))
        if not ready:
            raise NotPossible(f"it did not end within {patience:g} s")
        piece = os.read(reader, 65536)
        if not piece:
            break
        data += piece
    try:
        answer = json.loads(data)
    except ValueError:
        raise NotPossible("its process ended without an answer") from None
    if "failed" in answer:
        raise NotPossible(str(answer["failed"]))
    return answer["done"]
