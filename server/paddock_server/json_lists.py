"""Asking the database whether a list in a column of JSON has a value."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db.models import BooleanField, Func, Q, Value
from django.db.models.sql.compiler import SQLCompiler


class _Listed(Func):
    output_field = BooleanField()

    def as_sql(self, compiler: SQLCompiler, connection: Any, *_: Any, **__: Any) -> Any:
        column, *values = (compiler.compile(one) for one in self.get_source_expressions())
        marks = ", ".join(sql for sql, _ in values)
        params = [*column[1], *(one for _, given in values for one in given)]
        return f"EXISTS (SELECT 1 FROM json_each({column[0]}) WHERE value IN ({marks}))", params  # noqa: S608 - marks, and a column of ours


def listed(column: str, values: Collection[str]) -> Q:
    """Whether the list in ``column`` has one of the values."""
    return Q(_Listed(column, *(Value(one) for one in values)))
