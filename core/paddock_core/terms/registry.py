"""What the rest of the core needs to know of each kind of term, in one place.

A new kind is a class in ``kinds.py``, a row here, a rule in ``terms.lark`` with its case in ``reading.py``, and its
cases in ``verdicts.py``, ``reasons.py`` and ``remedies.py``. ``core/tests/test_term_kinds.py`` finds what is missing.
"""

from __future__ import annotations

from dataclasses import dataclass

from .kinds import (
    ArchTerm,
    CoresTerm,
    DiskTerm,
    DisplayTerm,
    EnvTerm,
    GroupTerm,
    HostTerm,
    KitTerm,
    LabelTerm,
    MemoryTerm,
    OsTerm,
    PaddockTerm,
    ServiceTerm,
    ToolTerm,
)


@dataclass(frozen=True)
class TermKind:
    """``subject`` begins the term. ``reads`` are the fields of a host that decide it. ``is_single``: a host has exactly
    one of these, so two different ones exclude each other. ``is_fixed``: nothing that an administrator does to a host
    changes it."""

    term: type
    subject: str
    reads: tuple[str, ...] = ()
    is_single: bool = False
    is_fixed: bool = False


KINDS = (
    TermKind(OsTerm, "os", ("os", "os_version"), is_single=True, is_fixed=True),
    TermKind(ArchTerm, "arch", ("arch",), is_single=True, is_fixed=True),
    TermKind(ToolTerm, "tool", ("surveyed", "installations")),
    TermKind(LabelTerm, "label", ("labels",)),
    TermKind(KitTerm, "kit"),
    TermKind(HostTerm, "host", ("name",), is_single=True, is_fixed=True),
    TermKind(PaddockTerm, "paddock", ("paddock",), is_single=True, is_fixed=True),
    TermKind(CoresTerm, "cores", ("cores",), is_fixed=True),
    TermKind(MemoryTerm, "memory", ("memory",), is_fixed=True),
    TermKind(DiskTerm, "disk", ("disk_free",)),
    TermKind(ServiceTerm, "service", ("services",)),
    TermKind(EnvTerm, "env", ("surveyed", "os", "variables", "values")),
    TermKind(GroupTerm, "user group", ("surveyed", "groups")),
    TermKind(DisplayTerm, "display", ("surveyed", "display")),
)
READS = {one.term: one.reads for one in KINDS if one.reads}
SINGLE = tuple(one.term for one in KINDS if one.is_single)
FIXED = tuple(one.term for one in KINDS if one.is_fixed)
