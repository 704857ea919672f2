"""Takes in which files are kept of an attempt, and then the files, piece by piece."""

from __future__ import annotations

import os
from pathlib import Path

from paddock_agent import wire

from ...changes import announce
from ...errors import Invalid, NotNow, NotThere
from ...hosts.models import Host
from ...rest.files import sha256_of
from ...storage import action
from ...work.actions.record_report import attempt_called
from ..models import LeftOut, Output
from ..test_results import read_results

MAX_FILE_BYTES = 2 * 1024**3
PIECE = 2 * 1024 * 1024
KEPT_FREE = 1024**3
"""Bytes of the server's own disk that files leave free."""


@action
def record_outputs(host: Host, report: wire.Outputs) -> None:
    """Notes the files of an attempt. A list that comes again is passed over."""
    attempt = attempt_called(host, report.attempt)
    if attempt is None or attempt.outputs.exists() or attempt.left_out.exists():
        return
    Output.objects.bulk_create(
        Output(
            attempt=attempt,
            number=number,
            path=one.path,
            size=one.size,
            sha256=one.sha256[:64],
            refused="It has more bytes than this server keeps." if one.size > MAX_FILE_BYTES else "",
        )
        for number, one in enumerate(report.files)
    )
    LeftOut.objects.bulk_create(LeftOut(attempt=attempt, reason=one) for one in report.left_out)
    announce("job", attempt.job_id)


def save_piece(host: Host, name: str, number: int, offset: int, data: bytes) -> tuple[int, bool]:
    """Puts a piece of a file behind what is there; how many bytes are there then, and whether that is all.

    A piece that does not begin where the file ends changes nothing: the answer says where it ends. Raises NotThere for
    a file that was not announced, Invalid for one that differs from the announced one, NotNow where the disk is full.
    """
    attempt = attempt_called(host, name)
    output = attempt and attempt.outputs.filter(number=number).first()
    if not attempt or not output:
        raise NotThere("This attempt has no such file: it was not announced yet, or is another host's.")
    if output.refused:
        raise Invalid(output.refused)
    if output.whole:
        return output.size, True
    file: Path = output.file
    file.parent.mkdir(parents=True, exist_ok=True)
    have = file.stat().st_size if file.exists() else 0
    if offset == have and len(data) <= output.size - have:
        disk = os.statvfs(file.parent)
        if disk.f_bavail * disk.f_frsize < KEPT_FREE + len(data):
            raise NotNow("The server's disk is nearly full: nothing more is kept until there is room.")
        with file.open("ab") as kept:
            kept.write(data)
        have += len(data)
    if have < output.size:
        return have, False
    if sha256_of(file) != output.sha256:
        file.unlink()
        _refuse(output, "What came is not the file that was announced: its hash is another.")
        raise Invalid("The file's hash is not the announced one.")
    _finish(output)
    return have, True


@action
def _finish(output: Output) -> None:
    Output.objects.filter(pk=output.pk).update(whole=True)
    read_results(output)
    announce("job", output.attempt.job_id)


@action
def _refuse(output: Output, why: str) -> None:
    Output.objects.filter(pk=output.pk).update(refused=why)
    announce("job", output.attempt.job_id)
