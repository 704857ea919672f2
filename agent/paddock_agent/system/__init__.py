"""The machine, behind one narrow port: the real one in ``real``; a simulated one ships with the stand-ins."""

from .port import Completed, Disk, Hardware, ScriptProcess, System

__all__ = ["Completed", "Disk", "Hardware", "ScriptProcess", "System"]
