"""What is known of the names in terms: of tools by the catalogue, and what each kit asks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from .kinds import Term


@dataclass(frozen=True)
class ToolWords:
    """``schemes`` by the name of a tool, where it is not generic; ``aliases`` give the name that another word means.
    ``kits`` are the terms of each kit, by its name in lower case."""

    schemes: Mapping[str, str] = field(default_factory=dict)
    aliases: Mapping[str, str] = field(default_factory=dict)
    kits: Mapping[str, tuple[Term, ...]] = field(default_factory=dict)

    def name(self, word: str) -> str:
        """The tool's name: ``java`` is ``jdk``. A word that is not an alias is used as it is."""
        return self.aliases.get(word, word)

    def scheme(self, tool: str) -> str:
        """The version scheme of a tool."""
        return self.schemes.get(tool, "generic")


FEW_WORDS = ToolWords({"jdk": "jdk"})
"""Where no catalogue is at hand."""
