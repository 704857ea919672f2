"""Machines that are expected, read from a table: CSV with a heading line, or JSON with a list of objects."""

from __future__ import annotations

import csv
import json
from collections.abc import Mapping
from dataclasses import dataclass

from .spelling import nearest

MAX_MACHINES = 2000
COLUMNS = ("name", "system", "processor", "labels", "slots", "work folder", "supervisor", "account")
_NEEDED = ("name", "system")
_ALSO = {"work_folder": "work folder", "arch": "processor", "os": "system", "user": "account"}


@dataclass(frozen=True)
class Expected:
    """One machine. "" and 0 leave it to the machine, or to the default."""

    name: str
    system: str
    arch: str
    labels: tuple[str, ...] = ()
    slots: int = 0
    work_folder: str = ""
    supervisor: str = "service"
    account: str = ""


@dataclass(frozen=True)
class Mistake:
    """What is wrong, and where: ``row`` counts the machines from 1, 0 for the table as a whole."""

    row: int
    column: str
    sentence: str


def read_planned(text: str) -> tuple[tuple[Expected, ...], tuple[Mistake, ...]]:
    """All machines, and all mistakes. Use the machines only if there are no mistakes."""
    try:
        rows = _rows(text)
    except ValueError as error:
        return (), (Mistake(0, "", str(error)),)
    if not rows:
        return (), (Mistake(0, "", "The table has no machines."),)
    if len(rows) > MAX_MACHINES:
        return (), (Mistake(0, "", f"It has {len(rows)} machines; at most {MAX_MACHINES} go in at a time."),)
    mistakes: list[Mistake] = []
    found = [_expected(number, row, mistakes) for number, row in enumerate(rows, 1)]
    first_of: dict[str, int] = {}
    for number, one in enumerate(found, 1):
        first = first_of.setdefault(one.name.casefold(), number)
        if first != number and one.name:
            mistakes.append(Mistake(number, "name", f"“{one.name}” is the name of row {first} too."))
    return tuple(found), tuple(mistakes)


def _rows(text: str) -> list[Mapping[str, str]]:
    """Each machine as column to text. Raises ValueError, saying what is wrong with the table."""
    text = text.lstrip("\ufeff")
    if text.lstrip().startswith(("[", "{")):
        return _from_json(text)
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        return []
    separator = ";" if lines[0].count(";") > lines[0].count(",") else ","
    try:
        table = list(csv.reader(lines, delimiter=separator, strict=True))
    except csv.Error as error:
        raise ValueError(f"This is not valid CSV: {error}.") from None
    heading = [_column(word) for word in table[0]]
    _demand_columns(heading)
    for number, cells in enumerate(table[1:], 1):
        if len(cells) > len(heading):
            raise ValueError(
                f"Row {number} has {len(cells)} cells, and the heading {len(heading)}. A cell with commas needs quotes."
            )
    return [dict(zip(heading, cells, strict=False)) for cells in table[1:]]


def _from_json(text: str) -> list[Mapping[str, str]]:
    try:
        cells = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ValueError(f"This is not valid JSON: {error}.") from None
    if not isinstance(cells, list) or not all(isinstance(one, dict) for one in cells):
        raise ValueError("The JSON has to be a list of objects, one for each machine.")
    rows: list[Mapping[str, str]] = [{_column(str(key)): _plain(value) for key, value in one.items()} for one in cells]
    for row in rows[:1]:
        _demand_columns(list(row))
    return rows


def _plain(value: object) -> str:
    return ",".join(map(str, value)) if isinstance(value, list) else "" if value is None else str(value)


def _column(word: str) -> str:
    plain = word.strip().lower()
    return _ALSO.get(plain, plain)


def _demand_columns(heading: list[str]) -> None:
    for column in heading:
        if column not in COLUMNS:
            close = nearest(column, COLUMNS)
            meant = f" Did you mean “{close}”?" if close else f" There are {', '.join(COLUMNS)}."
            raise ValueError(f"“{column[:40]}” is not a known column.{meant}")
    for needed in _NEEDED:
        if needed not in heading:
            raise ValueError(
                f"The column “{needed}” is missing. The first line names the columns: {', '.join(COLUMNS)}."
            )


def _expected(number: int, row: Mapping[str, str], mistakes: list[Mistake]) -> Expected:
    cells = {column: (row.get(column) or "").strip() for column in COLUMNS}

    def wrong(column: str, sentence: str) -> None:
        mistakes.append(Mistake(number, column, sentence))

    system = cells["system"].lower()
    if system not in ("linux", "macos", "windows"):
        close = nearest(system, ("linux", "macos", "windows"))
        wrong(
            "system",
            f"“{cells['system'][:40]}” is not a known system."
            + (f" Did you mean {close}?" if close else " There are linux, macos, windows."),
        )
    arch = cells["processor"].lower() or "x64"
    if arch not in ("x64", "arm64"):
        wrong("processor", f"“{cells['processor'][:40]}” is not a known processor. Write x64 or arm64.")
    supervisor = cells["supervisor"].lower() or "service"
    if supervisor not in ("service", "log-in", "by hand"):
        wrong("supervisor", f"“{cells['supervisor'][:40]}” is not a supervisor. Write service, log-in or by hand.")
    if not cells["name"]:
        wrong("name", "The name is missing: the machine is known again by it.")
    slots = int(cells["slots"]) if cells["slots"].isdecimal() and len(cells["slots"]) < 5 else 0
    if cells["slots"] and not (cells["slots"].isdecimal() and slots <= 1000):
        wrong("slots", f"“{cells['slots'][:40]}” is not a number of slots. Write 1 to 1000.")
    labels = tuple(label.strip() for label in cells["labels"].replace(";", ",").split(",") if label.strip())
    return Expected(cells["name"], system, arch, labels, slots, cells["work folder"], supervisor, cells["account"])
