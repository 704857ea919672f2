"""Task Scheduler as the stand-ins have it: as much of schtasks as the watch needs."""

from __future__ import annotations

import shlex
import xml.etree.ElementTree as ElementTree
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from paddock_agent.system.port import Completed

if TYPE_CHECKING:
    from .parts_of_system import SimulatedParts

NAMESPACE = "{http://schemas.microsoft.com/windows/2004/02/mit/task}"


@dataclass
class SimulatedTasks:
    """One host's."""

    system: SimulatedParts
    run_program: Callable[[str, str], int | None]
    stop_program: Callable[[str], None]
    on_demand: set[str] = field(default_factory=set)
    at_work: set[str] = field(default_factory=set)

    def ended(self, name: str) -> None:
        """The program of a task has ended."""
        self.at_work.discard(name)

    def answer(self, command: Sequence[str]) -> Completed:
        """What schtasks says."""
        match list(command):
            case ["schtasks", "/Create", "/TN", name, "/XML", place, "/F"]:
                text = self.system.read_text(place)
                if text is None:
                    return Completed(1, "", "ERROR: The system cannot find the file specified.\n")
                listed = ElementTree.fromstring(text)  # noqa: S314 - our own agent wrote it
                found = listed.find(f"{NAMESPACE}Actions/{NAMESPACE}Exec")
                if found is None:
                    return Completed(1, "", "ERROR: The task XML is malformed.\n")
                arguments = found.findtext(f"{NAMESPACE}Arguments") or ""
                words = [word.strip('"') for word in shlex.split(arguments, posix=False)]
                if listed.find(f"{NAMESPACE}Triggers/{NAMESPACE}TimeTrigger") is None:
                    self.on_demand.add(name)
                else:
                    self.system.repeat(name, [found.findtext(f"{NAMESPACE}Command") or "", *words])
                return Completed(0, "SUCCESS\n", "")
            case ["schtasks", "/Query", "/TN", name, *_]:
                if name in self.at_work:
                    return Completed(0, f'"\\{name}","N/A","Running"\n', "")
                known = name in self.system.repeated or name in self.on_demand
                return Completed(0, name, "") if known else Completed(1, "", "ERROR: The system cannot find it.\n")
            case ["schtasks", "/Delete", "/TN", name, "/F"]:
                self.system.repeated.pop(name, None)
                self.on_demand.discard(name)
            case ["schtasks", "/Run", "/TN", name] if name in self.on_demand and name not in self.at_work:
                self.at_work.add(name)
                self.run_program(name, "SYSTEM")
            case ["schtasks", "/End", "/TN", name] if name in self.at_work:
                self.at_work.discard(name)
                self.stop_program(name)
        return Completed(0, "SUCCESS\n", "")
