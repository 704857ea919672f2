"""Names that look alike, tokens' scopes, roles from groups, the end of sessions."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_core.access.group_mapping import MappedRole, Member, mapped_roles, preview
from paddock_core.access.names import MAX_NAME_LENGTH, name_trouble, similar_name, skeleton
from paddock_core.access.roles import EVERYWHERE, RANKS, Scope, merged, token_roles
from paddock_core.access.session_life import CLOCK_TOLERANCE, SessionLimits, is_over

ROLES = st.sampled_from(sorted(RANKS))
PLACES = st.sampled_from([EVERYWHERE, "shoreline", "workshop", "orchard"])
HELD = st.dictionaries(PLACES, ROLES, max_size=4)


@pytest.mark.parametrize(
    ("name", "other"),
    [
        ("harbourmaster", "HARBOURMASTER"),
        ("paul", "\u0440\u0430ul"),  # Cyrillic er and a
        ("boatswain", "b0atswain"),
        ("kim", "k\u0456m"),  # Cyrillic i
        ("lookout", "I00kout"),
        ("tide.ci", "tide-ci"),
        ("renee", "rene\u0301e"),
        ("morning", "rnorning"),
        ("wave", "vvave"),
        ("ferry", "fe\u200brry"),
        ("ａda", "ada"),  # noqa: RUF001
    ],
)
def test_names_that_look_alike(name, other):
    assert skeleton(name) == skeleton(other)
    assert similar_name(other, ["deckhand", name]) == name


@pytest.mark.parametrize(
    ("name", "other"), [("anna", "ana"), ("tide-ci", "tide-cd"), ("avocet1", "avocet2"), ("pilot", "pivot")]
)
def test_names_that_differ(name, other):
    assert similar_name(other, [name]) is None


@settings(max_examples=1000)
@given(st.text(max_size=80) | st.text("rnvcl.-wmd\u0456", max_size=12))
def test_a_skeleton_is_stable_and_every_name_gets_a_verdict(name):
    assert skeleton(skeleton(name)) == skeleton(name)
    assert isinstance(name_trouble(name), str)


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("", "Enter a name"),
        ("two words", "no spaces"),
        ("tab\tname", "no spaces"),
        ("a/b", "no '/'"),
        ("<b>", "no '<'"),
        ("...", "at least one letter"),
        ("p\u0430ul", "mixes letters of Cyrillic and Latin"),
        ("x" * (MAX_NAME_LENGTH + 1), f"at most {MAX_NAME_LENGTH}"),
        ("x\u202ey", "no '"),
    ],
)
def test_what_cannot_be_a_name(name, says):
    assert says in name_trouble(name)


@pytest.mark.parametrize(
    "name", ["x" * MAX_NAME_LENGTH, "first.last", "a@saltmarsh.example", "\u0438\u0432\u0430\u043d", "x1_+-"]
)
def test_what_can_be_a_name(name):
    assert name_trouble(name) == ""


def _rank_in(roles, place):
    return max((RANKS[roles[name]] for name in (place, EVERYWHERE) if name in roles), default=-1)


@given(HELD, st.sampled_from(Scope), st.lists(PLACES, max_size=3))
def test_a_token_never_has_more_than_its_person(held, scope, paddocks):
    left = token_roles(held, scope, paddocks)
    for roles in (left.roles, left.job_roles):
        for place in ("shoreline", "workshop", "orchard", "annex"):
            assert _rank_in(roles, place) <= _rank_in(held, place)
            if paddocks and place not in paddocks:
                assert _rank_in(roles, place) == -1


@pytest.mark.parametrize(
    ("scope", "roles", "job_roles"),
    [
        ("read", {"": "viewer"}, {"": "viewer"}),
        ("jobs", {"": "viewer"}, {"": "operator"}),
        ("operate", {"": "operator"}, {"": "operator"}),
        ("all", {"": "administrator"}, {"": "administrator"}),
    ],
)
def test_what_a_scope_leaves_of_an_administrator(scope, roles, job_roles):
    left = token_roles({"": "administrator"}, Scope(scope))
    assert (left.roles, left.job_roles) == (roles, job_roles)


def test_a_limited_token_has_the_higher_of_both_roles():
    held = {"": "viewer", "shoreline": "operator"}
    assert token_roles(held, Scope.ALL, ["shoreline", "annex"]).roles == {"shoreline": "operator", "annex": "viewer"}
    assert token_roles({"shoreline": "operator"}, Scope.ALL, ["annex"]).roles == {}


def test_the_highest_role_counts():
    assert merged([("a", "viewer"), ("a", "administrator"), ("a", "operator"), ("b", "viewer")]) == {
        "a": "administrator",
        "b": "viewer",
    }


MAPPING = [
    MappedRole("team", "operator", "shoreline"),
    MappedRole("leads", "administrator"),
    MappedRole("all", "viewer"),
]


@pytest.mark.parametrize(
    ("groups", "roles"),
    [
        ([], {}),
        (["Team"], {}),
        (["team", "all"], {"shoreline": "operator", "": "viewer"}),
        (["leads", "all"], {"": "administrator"}),
    ],
)
def test_roles_of_groups(groups, roles):
    assert mapped_roles(groups, MAPPING) == roles


def test_a_preview_says_who_comes_in_and_who_is_locked_out():
    members = [
        Member("ada", ["leads"], {}),
        Member("ben", ["team"], {}),
        Member("cleo", ["team"], {"annex": "viewer"}),
        Member("dot", ["new"], {}),
        Member("gone", ["team"], {}, is_disabled=True),
    ]
    found = preview(members, MAPPING, [MappedRole("leads", "administrator"), MappedRole("new", "viewer")])
    assert [one.name for one in found.locked_out] == ["ben"]
    assert [one.name for one in found.let_in] == ["dot"]
    assert [(one.name, one.after) for one in found.changed] == [("cleo", {"annex": "viewer"})]
    assert found.administrators_left == 1
    assert preview(members, MAPPING, []).administrators_left == 0
    assert preview(members, MAPPING, [], locals_left=2).administrators_left == 2


@given(st.lists(st.builds(MappedRole, st.sampled_from("abc"), ROLES, PLACES), max_size=5))
def test_the_same_mapping_changes_nothing(mapping):
    members = [Member("ada", ["a", "b"], {"annex": "viewer"}), Member("ben", ["c"], {})]
    found = preview(members, mapping, list(mapping))
    assert (found.let_in, found.locked_out, found.changed) == ((), (), ())


LIMITS = SessionLimits(idle=100, age=1000)


@pytest.mark.parametrize(
    ("opened", "seen", "now", "over"),
    [
        (0, 0, 99, False),
        (0, 0, 100, True),
        (0, 950, 999, False),
        (0, 950, 1000, True),
        (1000, 1000, 1000 - CLOCK_TOLERANCE, False),  # set back a little
        (1000, 1000, 999 - CLOCK_TOLERANCE, True),  # set back to before the log-in
        (1000, 1900, 1899 - CLOCK_TOLERANCE, True),
        (0, 0, 10**9, True),  # jumps ahead
    ],
)
def test_when_a_session_is_over(opened, seen, now, over):
    assert is_over(LIMITS, opened, seen, now) is over


@given(st.floats(0, 2000), st.floats(0, 2000), st.floats(0, 4000), st.floats(0, 4000))
def test_a_session_that_is_over_stays_so_while_the_clock_goes_on(opened, idle, first, more):
    seen = opened + idle
    now = seen + first
    if is_over(LIMITS, opened, seen, now):
        assert is_over(LIMITS, opened, seen, now + more)
