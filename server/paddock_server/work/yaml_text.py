"""YAML into plain values, bounded, with the line of everything: a pipeline file comes from anybody's repository."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import yaml
from yaml.constructor import ConstructorError
from yaml.nodes import MappingNode, Node, ScalarNode, SequenceNode

from paddock_core.pipeline_file import Remark

from ..errors import Invalid

MAX_FILE_BYTES = 512 * 1024
DEEPEST = 12
MAX_VALUES = 20_000
"""Values of a file once its aliases are written out: a file that doubles itself ends here."""

Pointer = tuple[str | int, ...]
SCALARS = {f"tag:yaml.org,2002:{name}" for name in ("str", "int", "float", "bool", "null", "timestamp")}


@dataclass
class Placed:
    """A file's values, and the line (from 1) of each by its pointer."""

    data: Any = None
    lines: dict[Pointer, int] = field(default_factory=dict)

    def line(self, pointer: Pointer) -> int:
        """The line of a value, or of the nearest one around it."""
        while pointer and pointer not in self.lines:
            pointer = pointer[:-1]
        return self.lines.get(pointer, 1)

    def shown(self, remark: Remark) -> dict[str, object]:
        """A remark as the API gives it."""
        return {
            "level": remark.level.value,
            "line": self.line(remark.pointer),
            "column": remark.column,
            "pointer": "".join(f"/{part}" for part in remark.pointer),
            "sentence": remark.sentence,
            "nearest": remark.nearest,
        }


def read_yaml(text: str) -> Placed:
    """Raises Invalid, with the line, for what is not YAML, too large, too deep, or has a key twice."""
    if len(text.encode(errors="replace")) > MAX_FILE_BYTES:
        raise Invalid(f"A pipeline file has at most {MAX_FILE_BYTES // 1024} KiB; this one has {len(text) // 1024}.")
    try:
        _refuse_depth(text)
        node = yaml.compose(text, Loader=yaml.SafeLoader)
        if node is None:
            raise Invalid("The file is empty. It says `pipeline:` and `jobs:`.")
        placed = Placed()
        placed.data = _Values(placed.lines).value(node, ())
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        where = f"Line {mark.line + 1}, column {mark.column + 1}: " if mark else ""
        raise _not_yaml(f"{where}this is not YAML: {error.problem or error.context}.", mark) from None
    except yaml.YAMLError as error:
        raise _not_yaml(f"This is not YAML: {error}.", None) from None
    return placed


def _not_yaml(problem: str, mark: Any) -> Invalid:
    line = mark.line + 1 if mark else 1
    return Invalid(problem, errors=[{"pointer": "", "detail": problem, "line": line}])


def _refuse_depth(text: str) -> None:
    """Before anything is composed: that goes as deep as the text does."""
    depth = 0
    for event in yaml.parse(text, Loader=yaml.SafeLoader):
        if isinstance(event, yaml.MappingStartEvent | yaml.SequenceStartEvent):
            depth += 1
            if depth > DEEPEST:
                line = (event.start_mark.line if event.start_mark else 0) + 1
                raise Invalid(f"Line {line}: the file is more than {DEEPEST} levels deep. A pipeline file needs five.")
        elif isinstance(event, yaml.MappingEndEvent | yaml.SequenceEndEvent):
            depth -= 1


class _Values:
    def __init__(self, lines: dict[Pointer, int]) -> None:
        self._lines = lines
        self._left = MAX_VALUES
        self._scalars = yaml.constructor.SafeConstructor()

    def value(self, node: Node, at: Pointer) -> Any:
        line = node.start_mark.line + 1
        self._lines.setdefault(at, line)
        self._left -= 1
        if self._left < 0 or len(at) > DEEPEST:
            raise Invalid(f"Line {line}: with its aliases written out the file has more than {MAX_VALUES} values.")
        if isinstance(node, SequenceNode):
            return [self.value(one, (*at, place)) for place, one in enumerate(node.value)]
        if isinstance(node, MappingNode):
            return self._mapping(node, at)
        assert isinstance(node, ScalarNode)
        if node.tag not in SCALARS:
            raise Invalid(f"Line {line}: {node.tag[:60]} is not a kind of value for a pipeline file.")
        if node.tag.endswith(":timestamp"):
            return node.value
        try:
            return self._scalars.construct_object(node)
        except (ConstructorError, ValueError):
            return node.value

    def _mapping(self, node: MappingNode, at: Pointer) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for key, value in node.value:
            line = key.start_mark.line + 1
            if not isinstance(key, ScalarNode):
                raise Invalid(f"Line {line}: a key is a plain word.")
            if key.value in found:
                raise Invalid(f'Line {line}: "{key.value[:60]}" is there twice; the second would hide the first.')
            self._lines[(*at, key.value)] = line
            found[key.value] = self.value(value, (*at, key.value))
        return found
