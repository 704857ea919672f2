"""Rows with kept statements: what they write is what the ORM writes."""

import datetime

import pytest
from django.db import DatabaseError, connection
from django.db.models import F
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from paddock_server.logbook.models import Entry
from paddock_server.storage.rows import insert, update
from paddock_server.work.models import Job

pytestmark = pytest.mark.django_db

NOW = datetime.datetime(2031, 5, 4, 3, 2, 1, 999, tzinfo=datetime.UTC)
TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=30)
VALUES = {
    "name": st.one_of(TEXT, st.sampled_from([5, "", "it's"])),
    "terms": st.lists(TEXT, max_size=3),
    "environment": st.dictionaries(TEXT, TEXT, max_size=2),
    "reason_term": st.none() | st.integers(0, 4),
    "slots": st.integers(1, 1000) | st.just("7"),
    "warm": st.booleans(),
    "started_at": st.none() | st.just(NOW),
    "rerun_of": st.none() | st.integers(1, 99),
}


def raw(row):
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT * FROM {row._meta.db_table} WHERE id = %s", [row.pk])
        return cursor.fetchone()[1:]


def job(**fields):
    return Job(**{"pipeline": "p", "script": "true", "submitted_at": NOW, "submitted_by": "x", **fields})


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.fixed_dictionaries(VALUES), st.fixed_dictionaries({}, optional=VALUES))
def test_kept_statements_write_what_the_orm_writes(first, then):
    ours, theirs = job(**first), job(**first)
    insert(ours)
    theirs.save(force_insert=True)
    assert raw(ours) == raw(theirs)
    for row in (ours, theirs):
        for name, value in then.items():
            setattr(row, name, value)
    if then:
        update(ours, list(then))
        theirs.save(update_fields=list(then))
    assert raw(ours) == raw(theirs)
    read = Job.objects.get(pk=ours.pk)
    assert (read.terms, read.environment, read.warm) == (ours.terms, ours.environment, ours.warm)


def test_a_moment_that_is_set_by_itself_is_set_here_too():
    row = Entry(who="x", verb="submitted", noun="job", thing="1", details={})
    insert(row)
    assert Entry.objects.get(pk=row.pk).at == row.at


def test_what_no_column_can_hold_is_refused():
    row = job(name="n")
    insert(row)
    row.slots = F("slots") + 1
    with pytest.raises(DatabaseError):
        update(row, ["slots"])
    row.slots = "many"
    with pytest.raises(ValueError, match="many"):
        update(row, ["slots"])
