"""Reads a file of recorded runs, one JSON object per line, and takes it in batch by batch."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ..errors import Invalid
from ..people.actor import Actor
from .actions.import_past import MAX_RECORDS, import_past

MAX_LINE_BYTES = 16 * 1024


def import_runs(actor: Actor, origin: str, file: Path) -> str:
    """Imports the file and returns a sentence. Raises Invalid with the line that is wrong; the batches before it stay
    imported, and importing the file again adds only the rest."""
    added = known = closed = 0
    for first, records in batches(file):
        try:
            counts = import_past(actor, origin, records)
        except Invalid as error:
            raise Invalid(f"{file.name}, in the {len(records)} records from line {first}: {error}") from None
        added, known, closed = added + counts["added"], known + counts["known"], closed + counts["closed"]
    again = f" {known} were imported before." if known else ""
    return f"Imported {added} runs and {closed} closed times from {origin}.{again}"


def batches(file: Path) -> Iterator[tuple[int, list[Any]]]:
    """The records, with the line at which each batch begins. Raises Invalid for a line that is not a JSON object."""
    batch: list[Any] = []
    first = 1
    with file.open("rb") as lines:
        for number, line in enumerate(iter(lambda: lines.readline(MAX_LINE_BYTES + 1), b""), start=1):
            if len(line) > MAX_LINE_BYTES:
                raise Invalid(f"{file.name}, line {number}: longer than {MAX_LINE_BYTES} bytes.")
            if not line.strip():
                continue
            try:
                record = json.loads(line)
            except ValueError as error:
                raise Invalid(f"{file.name}, line {number}: not JSON: {error}") from None
            if not isinstance(record, dict):
                raise Invalid(f"{file.name}, line {number}: not an object.")
            batch.append(record)
            if len(batch) == MAX_RECORDS:
                yield first, batch
                batch, first = [], number + 1
    if batch:
        yield first, batch
