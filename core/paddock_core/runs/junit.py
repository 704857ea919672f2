"""Results of tests in JUnit XML, as many tools write it: bounded, and without what XML can be abused for."""

from __future__ import annotations

from dataclasses import dataclass
from xml.parsers import expat

from ..units import disk_size

MAX_CASES = 20_000
MAX_FILE_BYTES = 20 * 1024 * 1024
MAX_MESSAGE_LENGTH = 4000
DEEPEST = 50


class UnreadableTests(ValueError):
    """The file is not JUnit XML, or cannot be read. The message has the position."""


@dataclass(frozen=True)
class Case:
    """One test. ``outcome`` is passed, failed, error or skipped."""

    suite: str
    name: str
    outcome: str = "passed"
    seconds: float = 0.0
    message: str = ""


def read_junit(data: bytes) -> list[Case]:
    """All tests of a file. Raises UnreadableTests."""
    if len(data) > MAX_FILE_BYTES:
        raise UnreadableTests(f"it has {disk_size(len(data))}, the limit is {disk_size(MAX_FILE_BYTES)}")
    reader = _Reader()
    parser = expat.ParserCreate()
    parser.buffer_text = True
    parser.StartDoctypeDeclHandler = reader.refuse
    parser.EntityDeclHandler = reader.refuse
    parser.StartElementHandler = reader.start
    parser.EndElementHandler = reader.end
    parser.CharacterDataHandler = reader.text
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise UnreadableTests(f"line {error.lineno}: {expat.ErrorString(error.code)}") from None
    if reader.root not in ("testsuite", "testsuites"):
        raise UnreadableTests(f"it is not JUnit XML: its first element is <{reader.root[:40]}>")
    return reader.cases


class _Reader:
    def __init__(self) -> None:
        self.root = ""
        self.cases: list[Case] = []
        self._suites: list[str] = []
        self._depth = 0
        self._case: Case | None = None
        self._text: list[str] | None = None

    def refuse(self, *_: object) -> None:
        raise UnreadableTests("it has a document type, which is not supported")

    def start(self, name: str, given: dict[str, str]) -> None:
        self._depth += 1
        if self._depth > DEEPEST:
            raise UnreadableTests(f"its elements are nested more than {DEEPEST} deep")
        self.root = self.root or name
        if name == "testsuite":
            self._suites.append(given.get("name", "")[:500])
        elif name == "testcase":
            if len(self.cases) >= MAX_CASES:
                raise UnreadableTests(f"it has more than {MAX_CASES} tests")
            suite = given.get("classname") or (self._suites[-1] if self._suites else "")
            self._case = Case(suite[:500], given.get("name", "")[:500], "passed", _seconds(given.get("time", "")))
        elif name in ("failure", "error", "skipped") and self._case:
            outcome = {"failure": "failed"}.get(name, name)
            self._case = Case(
                self._case.suite,
                self._case.name,
                outcome,
                self._case.seconds,
                given.get("message", "")[:MAX_MESSAGE_LENGTH],
            )
            self._text = []

    def text(self, data: str) -> None:
        if self._text is not None and sum(map(len, self._text)) < MAX_MESSAGE_LENGTH:
            self._text.append(data)

    def end(self, name: str) -> None:
        self._depth -= 1
        if name == "testsuite" and self._suites:
            self._suites.pop()
        elif name in ("failure", "error", "skipped") and self._case and self._text is not None:
            one, text = self._case, "".join(self._text).strip()
            message = one.message if text.startswith(one.message) is False and one.message else ""
            whole = f"{message}\n{text}".strip() if text else one.message
            self._case = Case(one.suite, one.name, one.outcome, one.seconds, whole[:MAX_MESSAGE_LENGTH])
            self._text = None
        elif name == "testcase" and self._case:
            self.cases.append(self._case)
            self._case = None


def _seconds(text: str) -> float:
    try:
        seconds = float(text.replace(",", "")) if len(text) < 30 else 0.0
    except ValueError:
        return 0.0
    return seconds if 0 <= seconds < 1e7 else 0.0


def newly_failing(now: list[Case], before: list[Case] | None) -> set[tuple[str, str]]:
    """The tests that fail now and did not in the run before: those that passed, or were not there. Without a run before
    nothing is new."""
    if before is None:
        return set()
    failed = {(one.suite, one.name) for one in before if one.outcome in ("failed", "error")}
    return {(one.suite, one.name) for one in now if one.outcome in ("failed", "error")} - failed
