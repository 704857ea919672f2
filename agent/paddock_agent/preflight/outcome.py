"""What one check found."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Literal

Mark = Literal["ok", "mind", "missing"]


@dataclass(frozen=True)
class Check:
    """``mark`` is ok, mind (it goes on, but should be known) or missing (it has to be mended first). ``why`` says what
    it matters for, ``remedy`` are commands for this machine."""

    name: str
    mark: Mark
    found: str
    why: str = ""
    remedy: tuple[str, ...] = ()

    def as_json(self) -> dict[str, object]:
        """For ``preflight --json`` and the bring-up sheet."""
        return {**asdict(self), "remedy": list(self.remedy)}

    def lines(self) -> list[str]:
        """For a terminal."""
        first = f"  {self.mark:<8}{self.name}: {self.found}"
        return [
            first,
            *([f"          {self.why}"] if self.why else []),
            *(f"          do: {one}" for one in self.remedy),
        ]


def is_fit(checks: Iterable[Check]) -> bool:
    """Whether nothing is missing."""
    return all(check.mark != "missing" for check in checks)


def verdict(checks: Iterable[Check]) -> tuple[str, str]:
    """For the bring-up sheet: done or failed, and what is missing in a line."""
    missing = [check for check in checks if check.mark == "missing"]
    if not missing:
        return "done", ""
    first = missing[0]
    others = f" And also: {', '.join(check.name for check in missing[1:])}." if missing[1:] else ""
    return "failed", f"{first.name}: {first.why or first.found}{others}"
