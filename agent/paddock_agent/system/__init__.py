"""The machine, behind one narrow port: the real one in ``real``; a simulated one ships with the stand-ins."""

from .port import (
    Candidate,
    Completed,
    Disk,
    FoundFile,
    Hardware,
    RegistryKey,
    Script,
    ScriptProcess,
    Survivor,
    System,
    Use,
)

__all__ = [
    "Candidate",
    "Completed",
    "Disk",
    "FoundFile",
    "Hardware",
    "RegistryKey",
    "Script",
    "ScriptProcess",
    "Survivor",
    "System",
    "Use",
]
