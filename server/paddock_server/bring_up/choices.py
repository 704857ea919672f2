"""What was chosen on a sheet, as the environment variables that the scripts and the agent go by."""

from __future__ import annotations

from .models import BringUp


def choices_of(sheet: BringUp) -> dict[str, str]:
    """The variables of one sheet; "" for what is left to the machine."""
    return {
        "PADDOCK_SYSTEM": sheet.system,
        "PADDOCK_ARCH": sheet.arch,
        "PADDOCK_NAME": sheet.name,
        "PADDOCK_LABELS": ",".join(sheet.labels),
        "PADDOCK_SLOTS": str(sheet.slots or ""),
        "PADDOCK_WORK": sheet.work_folder,
        "PADDOCK_SUPERVISOR": sheet.supervisor,
        "PADDOCK_USER": sheet.account,
    }


def choices_for_all(sheets: list[BringUp]) -> dict[str, str]:
    """What is the same on all sheets of a batch: the script is one for all. The rest the server knows when a machine
    joins under its name."""
    every = [choices_of(sheet) for sheet in sheets]
    return (
        {name: value for name, value in every[0].items() if all(one[name] == value for one in every)} if every else {}
    )
