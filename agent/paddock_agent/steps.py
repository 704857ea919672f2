"""Telling the server how far the bring-up of this machine is, so that its sheet can follow. Needs no package.

``python -m paddock_agent.steps STEP MARK [FOUND]`` is how the bring-up scripts report; PADDOCK_SERVER and PADDOCK_SHEET
say where. Unsent reports are dropped: the bring-up itself does not depend on them.
"""

from __future__ import annotations

import contextlib
import json
import os
import socket
import sys
import urllib.error
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from .address import clean_address
from .errors import AgentError
from .http_client import post

PATIENCE = 10.0
MAX_TEXT_LENGTH = 2000


@dataclass(frozen=True)
class Reporter:
    """Where to report: ``sheet`` is the code of a bring-up sheet, "" for none; then nothing is reported."""

    server: str
    sheet: str
    hostname: str

    @classmethod
    def from_environment(cls, environment: Mapping[str, str]) -> Reporter:
        """As the scripts set it."""
        return cls(
            environment.get("PADDOCK_SERVER", ""),
            environment.get("PADDOCK_SHEET", ""),
            socket.gethostname().split(".")[0],
        )

    def tell(
        self,
        step: str,
        mark: str,
        found: str = "",
        remedy: Sequence[str] = (),
        checks: Sequence[Mapping[str, object]] = (),
    ) -> None:
        """Reports one step: ``mark`` is begun, done or failed."""
        if not self.sheet or not self.server:
            return
        report = {
            "sheet": self.sheet,
            "step": step,
            "mark": mark,
            "hostname": self.hostname[:200],
            "found": found[:MAX_TEXT_LENGTH],
            "remedy": [one[:MAX_TEXT_LENGTH] for one in remedy],
            "checks": list(checks),
        }
        with contextlib.suppress(AgentError, urllib.error.HTTPError):
            post(f"{clean_address(self.server)}/agent/v1/bring-up", json.dumps(report).encode(), {}, PATIENCE)


def tell_known(home: Path, reporter: Reporter) -> int:
    """Ties the sheet to the host that this machine already is, by its key. Returns 1 if the server refuses."""
    if not reporter.sheet:
        return 0
    try:
        known = json.loads((home / "identity.json").read_text())
        body = json.dumps({"sheet": reporter.sheet, "hostname": reporter.hostname[:200]}).encode()
        headers = {"Authorization": f"Bearer {known['key']}"}
        post(f"{clean_address(str(known['server']))}/agent/v1/bring-up/known", body, headers, PATIENCE)
    except (OSError, ValueError, KeyError, TypeError, AgentError) as error:
        sys.stderr.write(f"The bring-up sheet does not follow: {error}\n")
        return 1
    return 0


def main(arguments: Sequence[str]) -> int:
    """``STEP MARK [FOUND]`` reports one step; with "-" as FOUND, the last lines of standard input. ``known HOME`` ties
    the sheet to the host that this machine already is."""
    step, mark, *found = arguments
    if step == "known":
        return tell_known(Path(mark), Reporter.from_environment(os.environ))
    found_text = "\n".join(sys.stdin.read().strip().splitlines()[-6:]) if found == ["-"] else " ".join(found)
    Reporter.from_environment(os.environ).tell(step, mark, found_text)
    return 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
