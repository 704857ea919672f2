"""What is installed, as a CycloneDX 1.6 bill of materials and as rows for CSV.

A host is a component of the type ``device``; each installation one of the type ``application``, with its package URL,
and its path, home and evidence as properties. Sources: CycloneDX 1.6 (ECMA-424), package URL (ECMA-427).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

COLUMNS = ("paddock", "host", "system", "tool", "version", "path", "home", "plain", "broken", "evidence")


_UNRESERVED = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~")


@dataclass(frozen=True)
class Item:
    """One installation, or, with ``broken``, one that does not work and why."""

    tool: str
    version: str
    path: str
    home: str = ""
    plain: bool = False
    evidence: str = ""
    broken: str = ""


@dataclass(frozen=True)
class Inventory:
    """One host with what is on it. ``system`` is its system's name and version, as its maker writes it."""

    host: str
    paddock: str
    system: str
    surveyed_at: str
    items: Sequence[Item] = field(default_factory=tuple)


def purl(tool: str, version: str, kind: str = "") -> str:
    """The package URL of a version of a tool. ``kind`` is the part before the version where it is not generic.

    >>> purl("jdk", "17.0.9+9")
    'pkg:generic/jdk@17.0.9%2B9'
    """
    return f"{kind or f'pkg:generic/{_quoted(tool)}'}@{_quoted(version)}"


def _quoted(text: str) -> str:
    """Percent-encoded, but for the unreserved characters of RFC 3986."""
    return "".join(chr(b) if chr(b) in _UNRESERVED else f"%{b:02X}" for b in text.encode())


def bill(
    inventories: Sequence[Inventory],
    made_at: str,
    serial: UUID,
    kinds: Mapping[str, str],
    titles: Mapping[str, str],
    version: str,
) -> dict[str, object]:
    """A bill of materials of these hosts. ``made_at`` is RFC 3339; ``kinds`` are package URLs of tools without version;
    ``titles`` how tools are called; ``version`` that of this program."""
    tool = {"type": "application", "name": "Yellow Paddock", "version": version}
    components, dependencies = [], []
    for one in inventories:
        refs = []
        parts = [_component(one.host, number, item, kinds, titles) for number, item in enumerate(one.items)]
        refs = [str(part["bom-ref"]) for part in parts]
        components.append(_device(one))
        components.extend(parts)
        dependencies.append({"ref": f"host/{one.host}", "dependsOn": refs})
    return {
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "serialNumber": f"urn:uuid:{serial}",
        "version": 1,
        "metadata": {"timestamp": made_at, "tools": {"components": [tool]}},
        "components": components,
        "dependencies": dependencies,
    }


def _device(one: Inventory) -> dict[str, object]:
    properties = {"paddock": one.paddock, "system": one.system, "surveyed_at": one.surveyed_at}
    return {"type": "device", "bom-ref": f"host/{one.host}", "name": one.host, "properties": _properties(properties)}


def _component(
    host: str, number: int, item: Item, kinds: Mapping[str, str], titles: Mapping[str, str]
) -> dict[str, object]:
    properties = {
        "path": item.path,
        "home": item.home,
        "plain": "yes" if item.plain else "",
        "broken": item.broken,
        "evidence": item.evidence,
    }
    component: dict[str, object] = {
        "type": "application",
        "bom-ref": f"host/{host}/{number}/{item.tool}",
        "name": titles.get(item.tool, item.tool),
        "properties": _properties({"tool": item.tool, **properties}),
    }
    if item.version:
        component["version"] = item.version
        component["purl"] = purl(item.tool, item.version, kinds.get(item.tool, ""))
    return component


def _properties(properties: Mapping[str, str]) -> list[dict[str, str]]:
    return [{"name": f"yellow-paddock:{name}", "value": value} for name, value in properties.items() if value]


def rows(inventories: Iterable[Inventory]) -> Iterator[tuple[str, ...]]:
    """The same as rows of COLUMNS, without the heading. What a spreadsheet would take for a formula begins with a
    quote, as what hosts say is not to be trusted."""
    for one in inventories:
        for item in one.items:
            plain = "yes" if item.plain else "no"
            cells = (one.paddock, one.host, one.system, item.tool, item.version, item.path, item.home, plain,
                     item.broken, item.evidence)  # fmt: skip
            yield tuple(harmless(cell) for cell in cells)


def harmless(cell: str) -> str:
    """``=1+1`` -> ``'=1+1``."""
    return f"'{cell}" if cell.startswith(("=", "+", "-", "@", "\t", "\r")) else cell
