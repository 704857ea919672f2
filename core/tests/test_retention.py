"""Which rule of retention decides, and which rules cannot be."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.retention import Kind, RetentionRule, mistake_in, overruling, rule_for

names = st.sampled_from(["", "orchard", "annex"])
pipelines = st.sampled_from(["", "pilot", "almanac"])
rules = st.lists(
    st.builds(
        RetentionRule, st.sampled_from([Kind.FILES, Kind.JOBS]), st.integers(0, 9), st.integers(0, 3), names, pipelines
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
        RetentionRule(Kind.FILES, 4),
        RetentionRule(Kind.FILES, 3, paddock="orchard"),
        RetentionRule(Kind.FILES, 2, pipeline="pilot"),
        RetentionRule(Kind.FILES, 1, paddock="orchard", pipeline="pilot"),
        RetentionRule(Kind.JOBS, 9),
    ]
    assert rule_for(given_rules, Kind.FILES, paddock, pipeline).days == days
    assert rule_for(reversed(given_rules), Kind.FILES, paddock, pipeline).days == days
    assert rule_for(given_rules, Kind.TESTS, paddock, pipeline).days == 0


@given(rules, names, pipelines)
def test_each_record_belongs_to_the_rule_that_nothing_overrules(found, paddock, pipeline):
    """Scopes without those that overrule them part the records: none is in two, and none with a rule in none."""
    for kind in (Kind.FILES, Kind.JOBS):
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
        (RetentionRule(Kind.FILES, -1), "0 (for ever)"),
        (RetentionRule(Kind.FILES, 36_501), "36500 days"),
        (RetentionRule(Kind.FILES, 36_500), ""),
        (RetentionRule(Kind.JOBS, 1, 1001), "last 1000"),
        (RetentionRule(Kind.JOBS, 1, 1000), ""),
        (RetentionRule(Kind.LOGBOOK, 29), "at least 30"),
        (RetentionRule(Kind.LOGBOOK, 30), ""),
        (RetentionRule(Kind.LOGBOOK, 0), ""),
        (RetentionRule(Kind.LOGBOOK, 90, pipeline="pilot"), "no pipeline"),
        (RetentionRule(Kind.SURVEYS, 90, 3), "no job"),
        (RetentionRule(Kind.SURVEYS, 90, paddock="annex"), ""),
    ],
)
def test_rules_that_cannot_be(rule, says):
    found = mistake_in([RetentionRule(Kind.TESTS, 1), rule])
    assert (found or (1, ""))[0] == 1
    assert says in (found or (1, ""))[1]
    assert (found is None) == (not says)


def test_two_rules_for_the_same_place():
    assert mistake_in([RetentionRule(Kind.JOBS, 1), RetentionRule(Kind.JOBS, 2)]) == (
        1, "There are two rules for jobs of the same place.",
    )  # fmt: skip
