"""Rows that are written for every job: the same statements as the ORM makes, kept instead of made each time, which
costs several times as much as running them. Tables and columns are the models' own, quoted; values go beside."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any, TypeAlias

from django.db import connection, models
from django.db.models import Field, Model

AnyField: TypeAlias = "Field[Any, Any]"


def insert(row: Model) -> None:
    """Writes a new row, and gives it its number. No signals are sent."""
    statement, fields = _insertion(type(row))
    with connection.cursor() as cursor:
        cursor.execute(statement, _values(row, fields, is_new=True))
        row.pk = cursor.lastrowid
    row._state.adding, row._state.db = False, connection.alias


def update(row: Model, names: Sequence[str]) -> None:
    """Writes some fields of a row that is there. No signals are sent."""
    statement, fields = _changing(type(row), tuple(names))
    with connection.cursor() as cursor:
        cursor.execute(statement, [*_values(row, fields, is_new=False), row.pk])


_AS_THEY_ARE: dict[type, tuple[type, ...]] = {
    **dict.fromkeys((models.CharField, models.TextField), (str, type(None))),
    **dict.fromkeys((models.IntegerField, models.PositiveIntegerField, models.ForeignKey), (int, type(None))),
    models.BooleanField: (bool, type(None)),
}
"""Values that the ORM hands to SQLite as they are, by field. Asking it costs more than running the statement."""
_EMPTY: dict[type, str] = {list: "[]", dict: "{}"}


def _values(row: Model, fields: Sequence[AnyField], *, is_new: bool) -> list[Any]:
    return [_value(row, field, is_new) for field in fields]


def _value(row: Model, field: AnyField, is_new: bool) -> Any:
    value = getattr(row, field.attname)
    if type(value) in _AS_THEY_ARE.get(type(field), ()):
        return value
    if type(field) is models.JSONField and type(value) in _EMPTY and not value:
        return _EMPTY[type(value)]
    return field.get_db_prep_save(field.pre_save(row, is_new), connection)


def _quoted(name: str | None) -> str:
    assert name
    return str(connection.ops.quote_name(name))


def _field(model: type[Model], name: str) -> AnyField:
    field = model._meta.get_field(name)
    assert isinstance(field, Field)
    return field


@lru_cache(maxsize=100)
def _insertion(model: type[Model]) -> tuple[str, tuple[AnyField, ...]]:
    fields = tuple(field for field in model._meta.concrete_fields if not field.primary_key)
    columns = ", ".join(_quoted(field.column) for field in fields)
    table = connection.ops.quote_name(model._meta.db_table)
    return f"INSERT INTO {table} ({columns}) VALUES ({', '.join(['%s'] * len(fields))})", fields  # noqa: S608


@lru_cache(maxsize=500)
def _changing(model: type[Model], names: tuple[str, ...]) -> tuple[str, tuple[AnyField, ...]]:
    fields = tuple(_field(model, name) for name in names)
    columns = ", ".join(f"{_quoted(field.column)} = %s" for field in fields)
    key, table = (_quoted(name) for name in (model._meta.pk.column, model._meta.db_table))
    return f"UPDATE {table} SET {columns} WHERE {key} = %s", fields  # noqa: S608
