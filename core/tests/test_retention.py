"""Which rule of retention decides, and which rules cannot be."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.retention import RecordKind, RetentionRule, first_mistake, overruling, rule_for

kinds = st.sampled_from([RecordKind.FILES, RecordKind.JOBS])
names = st.sampled_from(["", "orchard", "annex"])
pipelines = st.sampled_from(["", "pilot", "almanac"])
rules = st.lists(
    st.builds(
        RetentionRule,
        st.sampled_from([RecordKind.FILES, RecordKind.JOBS]),
        st.integers(0, 9),
        st.integers(0, 3),
        names,
        pipelines,
    ),
    max_size=8,
    unique_by=lambda one: (one.kind, one.paddock, one.pipeline),
)


@pytest.mark.parametrize(
    ("paddock", "pipeline", "days"),
    [("orchard", "pilot", 1), ("annex", "pilot", 2), ("orchard", "almanac", 3), ("annex", "almanac", 4), ("", "", 4)],
)
def test_the_closest_rule_decides(paddock, pipeline, days):
    given_rules = [
        RetentionRule(RecordKind.FILES, 4),
        RetentionRule(RecordKind.FILES, 3, paddock="orchard"),
        RetentionRule(RecordKind.FILES, 2, pipeline="pilot"),
        RetentionRule(RecordKind.FILES, 1, paddock="orchard", pipeline="pilot"),
        RetentionRule(RecordKind.JOBS, 9),
    ]
    assert rule_for(given_rules, RecordKind.FILES, paddock, pipeline).days == days
    assert rule_for(reversed(given_rules), RecordKind.FILES, paddock, pipeline).days == days
    assert rule_for(given_rules, RecordKind.TESTS, paddock, pipeline).days == 0


@given(rules, names, pipelines)
def test_each_record_belongs_to_the_rule_that_nothing_overrules(found, paddock, pipeline):
    """Scopes without those that overrule them part the records: none is in two, and none with a rule in none."""
    for kind in (RecordKind.FILES, RecordKind.JOBS):
        deciding = [
            one
            for one in found
            if one.is_for(kind, paddock, pipeline)
            and not any(other.is_for(kind, paddock, pipeline) for other in overruling(one, found))
        ]
        assert deciding in ([], [rule_for(found, kind, paddock, pipeline)])
        assert bool(deciding) == any(one.is_for(kind, paddock, pipeline) for one in found)


@pytest.mark.parametrize(
    ("rule", "says"),
    [
        (RetentionRule(RecordKind.FILES, -1), "0 (forever)"),
        (RetentionRule(RecordKind.FILES, 36_501), "36500 days"),
        (RetentionRule(RecordKind.FILES, 36_500), ""),
        (RetentionRule(RecordKind.JOBS, 1, 1001), "last 1000"),
        (RetentionRule(RecordKind.JOBS, 1, 1000), ""),
        (RetentionRule(RecordKind.LOGBOOK, 29), "at least 30"),
        (RetentionRule(RecordKind.LOGBOOK, 30), ""),
        (RetentionRule(RecordKind.LOGBOOK, 0), ""),
        (RetentionRule(RecordKind.LOGBOOK, 90, pipeline="pilot"), "no pipeline"),
        (RetentionRule(RecordKind.SURVEYS, 90, 3), "no job"),
        (RetentionRule(RecordKind.SURVEYS, 90, paddock="annex"), ""),
    ],
)
def test_rules_that_cannot_be(rule, says):
    found = first_mistake([RetentionRule(RecordKind.TESTS, 1), rule])
    assert (found or (1, ""))[0] == 1
    assert says in (found or (1, ""))[1]
    assert (found is None) == (not says)


def test_two_rules_for_the_same_place():
    assert first_mistake([RetentionRule(RecordKind.JOBS, 1), RetentionRule(RecordKind.JOBS, 2)]) == (
        1, "There are two rules for jobs of the same place.",
    )  # fmt: skip
