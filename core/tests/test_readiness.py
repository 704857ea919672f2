from dataclasses import dataclass

import pytest

from paddock_core.link_state import Link
from paddock_core.readiness import Mark, readiness_of


@dataclass
class Chain:
    link: Link = Link.CONNECTED
    link_cause: str = ""
    kept_by: str = "paddock-agent.service"
    admitted: bool = True
    holding: str = ""
    hold_reason: str = ""
    surveyed: bool = True
    installations: int = 12
    slots: int = 4
    working: int = 1
    disk_free: int = 50 * 1024**3


@pytest.mark.parametrize(
    ("change", "name", "mark", "says"),
    [
        ({}, "Connected", Mark.HOLDS, "answers"),
        ({}, "Admitted", Mark.HOLDS, "admitted by a person"),
        (
            {"link": Link.LOST, "link_cause": "The connection closed."},
            "Connected",
            Mark.BROKEN,
            "The connection closed.",
        ),
        ({"kept_by": ""}, "Service running", Mark.WEAK, "gone after a reboot"),
        ({"admitted": False}, "Admitted", Mark.BROKEN, "at the gate"),
        ({"holding": "held", "hold_reason": "new disk"}, "Not held", Mark.BROKEN, "held: new disk"),
        ({"surveyed": False}, "Surveyed", Mark.BROKEN, "unknown"),
        ({"disk_free": 10**6}, "Disk free", Mark.BROKEN, "1 MB free"),
        ({"working": 4}, "Slot free", Mark.BROKEN, "0 of 4 slots"),
        ({"link": Link.STOPPED}, "Slot free", Mark.UNKNOWN, "away"),
    ],
)
def test_one_link_of_the_chain(change, name, mark, says):
    steps = {step.name: step for step in readiness_of(**vars(Chain(**change)))}
    assert steps[name].mark is mark
    assert says in steps[name].detail


def test_a_host_ready_for_work_has_no_broken_link():
    assert {step.mark for step in readiness_of(**vars(Chain()))} == {Mark.HOLDS}
