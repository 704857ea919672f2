"""Fills every table of a new database with two rows, by the kinds of its columns, and prints it as SQL: what a version
leaves to the tests of upgrades.

    PADDOCK_DATA=$(mktemp -d) .venv/bin/python tools/fill_tables.py > server/tests/databases/DATE.sql
"""

from __future__ import annotations

import datetime as dt
import os
import sqlite3
import sys
from contextlib import closing
from typing import Any

os.environ["DJANGO_SETTINGS_MODULE"] = "paddock_server.settings"
import django

django.setup()
from django.apps import apps  # noqa: E402
from django.conf import settings  # noqa: E402
from django.core.management import call_command  # noqa: E402
from django.db import IntegrityError, models, transaction  # noqa: E402

ROWS = 2
NOON = dt.datetime(2026, 11, 20, 12, 0, tzinfo=dt.UTC)


def value_for(field: Any, number: int) -> object:
    """A value for a column, another one for each row."""
    if isinstance(field, models.ForeignKey):
        there = list(field.related_model.objects.order_by("pk")[:ROWS])
        return there[min(number, len(there) - 1)] if there else None
    if field.choices:
        options = [one for one, _ in field.flatchoices]
        return options[number % len(options)]
    if isinstance(field, models.DateTimeField):
        return NOON + dt.timedelta(hours=number)
    if isinstance(field, models.DateField):
        return NOON.date() + dt.timedelta(days=number)
    if isinstance(field, models.BooleanField):
        return bool(number)
    if isinstance(field, models.IntegerField):
        return number + 1
    if isinstance(field, models.FloatField):
        return number + 0.5
    if isinstance(field, models.BinaryField):
        return bytes([number, 255])
    if isinstance(field, models.JSONField):
        return {} if field.get_default() is None else field.get_default()
    if isinstance(field, models.CharField | models.TextField):
        return f"{field.name}-{number}"[: field.max_length or 50]
    raise TypeError(f"{field} is of a kind that this tool does not know: {type(field).__name__}")


def fill(model: Any) -> None:
    """Rows for one table, whose foreign keys have theirs. Rows that a constraint refuses are left out."""
    fields = [one for one in model._meta.concrete_fields if not one.primary_key or one.is_relation]
    for number in range(model.objects.count(), ROWS):
        row = model(**{field.name: value_for(field, number) for field in fields})
        try:
            with transaction.atomic():
                models.Model.save_base(row, force_insert=True)
        except IntegrityError as error:
            print(f"{model.__name__}, row {number}: {error}", file=sys.stderr)


def main() -> int:
    """Exit code 1 where a table stays empty."""
    call_command("migrate", verbosity=0)
    missing = [one for one in apps.get_models(include_auto_created=True) if not one._meta.proxy]
    filled: set[Any] = set()
    while ready := [one for one in missing if _required(one) - {one} <= filled]:
        for model in ready:
            fill(model)
            filled.add(model)
            missing.remove(model)
    empty = [one.__name__ for one in [*missing, *filled] if not one.objects.exists()]
    if empty:
        print(f"These tables are empty: {', '.join(empty)}", file=sys.stderr)
        return 1
    with closing(sqlite3.connect(settings.DATABASES["default"]["NAME"])) as database:
        print("\n".join(database.iterdump()))
    return 0


def _required(model: Any) -> set[Any]:
    return {one.related_model for one in model._meta.concrete_fields if one.is_relation and not one.null}


if __name__ == "__main__":
    sys.exit(main())
