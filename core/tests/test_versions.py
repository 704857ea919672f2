from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core import versions
from paddock_core.errors import VersionError
from paddock_core.ranges import parse_range

ORDERED = [
    ("generic", ["1.2", "1.2.1", "1.10", "2", "10.0.22621.0"]),
    ("generic", ["3.13.0.dev1", "3.13.0a1", "3.13.0b2", "3.13.0rc1", "3.13.0", "3.13.1"]),
    ("generic", ["9.0.100-preview.1", "9.0.100-preview.2", "9.0.100-rc.1", "9.0.100"]),
    ("generic", ["1.0-SNAPSHOT", "1.0-rc1", "1.0"]),
    ("generic", ["v18.19.0", "v20.11.0", "v20.20.2"]),
    ("generic", ["go1.20.14", "go1.21rc2", "go1.21.5"]),
    ("jdk", ["1.7.0_80", "1.8.0_20", "8u392", "11.0.21+9", "17-ea", "17.0.9+8", "17.0.9+9", "21"]),
]


@pytest.mark.parametrize(("scheme", "texts"), ORDERED)
def test_versions_are_ordered_as_listed(scheme, texts):
    parsed = [versions.parse(text, scheme) for text in texts]
    for earlier, later in pairwise(parsed):
        assert earlier < later, f"{earlier} should be before {later}"


@pytest.mark.parametrize(
    ("scheme", "one", "other"),
    [
        ("generic", "1.2", "1.2.0.0"),
        ("generic", "2.44.0.windows.1", "2.44.0"),
        ("generic", "20.11.0-LTS", "20.11"),
        ("generic", "15.2 (15C500b)", "15.2"),
        ("jdk", "1.8.0_392", "8u392"),
    ],
)
def test_versions_that_mean_the_same_are_equal(scheme, one, other):
    a, b = versions.parse(one, scheme), versions.parse(other, scheme)
    assert a == b
    assert hash(a) == hash(b)


@pytest.mark.parametrize(
    ("text", "column"),
    [("", 1), ("   ", 4), ("none", 1), ("  x1", 3), ("1" * 201, 201), ("1.2." + "9" * 50, 5)],
)
def test_what_is_no_version_is_refused_with_its_column(text, column):
    with pytest.raises(VersionError) as caught:
        versions.parse(text)
    assert caught.value.column == column


version_texts = (
    st.lists(st.integers(0, 10**6), min_size=1, max_size=5)
    .map(lambda parts: ".".join(map(str, parts)))
    .flatmap(
        lambda release: st.sampled_from(["", "rc1", "-preview.2", "b3", "-LTS", "+9", "_17"]).map(
            lambda end: release + end
        )
    )
)


@given(version_texts, version_texts, version_texts)
def test_the_order_is_total(a, b, c):
    x, y, z = (versions.parse(text) for text in (a, b, c))
    assert (x < y) + (x == y) + (x > y) == 1
    if x <= y <= z:
        assert x <= z


@given(st.text(max_size=300), st.sampled_from(versions.SCHEMES))
def test_any_text_is_read_or_refused_by_name(text, scheme):
    try:
        versions.parse(text, scheme)
    except VersionError as error:
        assert 1 <= error.column <= versions.LONGEST + 1


@pytest.mark.parametrize(
    ("text", "inside", "outside"),
    [
        ("17", ["17", "17.0.9+9", "17.99"], ["16.9", "18", "17-ea", "170"]),
        ("3.8", ["3.8", "3.8.7"], ["3.80", "3.9", "3.7"]),
        ("3.8+", ["3.8", "3.8.7", "4", "30"], ["3.7.9", "3.8.0rc1"]),
        ("17..21", ["17", "18.2", "21", "21.0.5"], ["16", "22", "17-ea"]),
        (">=3.8 <4", ["3.8", "3.99"], ["3.7", "4", "4.0-rc1"]),
        (">3.8 <=3.9", ["3.8.1", "3.9"], ["3.8", "3.9.1"]),
        ("=2.39.5", ["2.39.5", "2.39.5.0"], ["2.39.6"]),
    ],
)
def test_ranges_contain_what_they_say(text, inside, outside):
    wanted = parse_range(text)
    assert [v for v in inside if not wanted.contains(versions.parse(v))] == []
    assert [v for v in outside if wanted.contains(versions.parse(v))] == []
    assert parse_range(str(wanted)) == wanted


def test_a_jdk_range_takes_the_old_numbering():
    assert parse_range("8", "jdk").contains(versions.parse("1.8.0_392", "jdk"))
    assert parse_range("1.8", "jdk").contains(versions.parse("8u392", "jdk"))


@pytest.mark.parametrize(
    ("text", "column", "says"),
    [
        ("", 1, "too early"),
        ("3.8 +4", 6, ""),
        ("17..", 5, "too early"),
        ("abc", 1, "abc"),
        (">= <4", 4, ""),
        (">=18 <17", 6, "empty"),
        ("21..17", 5, "empty"),
        (">3 <=3", 4, "empty"),
    ],
)
def test_a_wrong_range_says_where_and_why(text, column, says):
    with pytest.raises(VersionError) as caught:
        parse_range(text)
    assert caught.value.column == column
    assert says in caught.value.message


@given(version_texts, version_texts)
def test_a_range_between_two_versions_holds_just_what_lies_there(low, high):
    a, b = versions.parse(low), versions.parse(high)
    if a > b:
        with pytest.raises(VersionError):
            parse_range(f">={low} <={high}")
        return
    between = parse_range(f">={low} <={high}")
    assert between.contains(a)
    assert between.contains(b)
