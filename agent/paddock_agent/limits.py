"""What agent and server both go by: how many slots a machine is good for, and which folders builds can live in."""

from __future__ import annotations

import ntpath
import posixpath
import re

CORES_A_SLOT = 2
MEMORY_A_SLOT = 4 * 1024**3
MAX_WORK_FOLDER_LENGTH = {"linux": 90, "macos": 90, "windows": 60}
"""Builds make long paths below it: Windows ends at 260 characters for many programs, sockets end at 107."""


def default_slots(cores: int, memory: int) -> int:
    """One slot for each two cores, as far as there are 4 GiB of memory (in bytes) for each; at least one."""
    return max(1, min(cores // CORES_A_SLOT, memory // MEMORY_A_SLOT))


def folder_trouble(folder: str, family: str) -> str:
    """Why builds could not live in ``folder`` on a host of that family, as a sentence; "" where they could."""
    longest = MAX_WORK_FOLDER_LENGTH[family]
    if not (ntpath if family == "windows" else posixpath).isabs(folder):
        return "It has to be a whole path, from the root on."
    if len(folder) > longest:
        return f"It has {len(folder)} characters; with more than {longest}, paths of builds below it get too long."
    if odd := re.search(r"[^A-Za-z0-9._/:+-]" if family != "windows" else r"[^A-Za-z0-9._\\/:+-]", folder):
        shown = "a space" if odd.group() == " " else f"“{odd.group()}”"
        return f"It has {shown} in it, and tools stumble over that."
    return ""
