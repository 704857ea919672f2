from contextlib import suppress
from itertools import pairwise, product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_core import versions
from paddock_core.errors import VersionError
from paddock_core.versions import parse, parse_range

ORDERED = [
    ("generic", ["1.2", "1.2.1", "1.10", "2", "10.0.22621.0"]),
    ("generic", ["3.13.0.dev1", "3.13.0a1", "3.13.0b2", "3.13.0rc1", "3.13.0", "3.13.1"]),
    ("generic", ["9.0.100-preview.1", "9.0.100-preview.2", "9.0.100-rc.1", "9.0.100"]),
    ("generic", ["1.0-SNAPSHOT", "1.0-rc1", "1.0"]),
    ("generic", ["v18.19.0", "v20.11.0", "v20.20.2"]),
    ("generic", ["go1.20.14", "go1.21rc2", "go1.21.5"]),
    ("generic", ["1.1.1", "1.1.1a", "1.1.1w", "3.0.13"]),
    ("generic", ["9.2", "9.2p1", "9.2p2", "9.3"]),
    ("generic", ["9.0.100-preview.1", "9.0.100-preview.1.2", "9.0.100-preview.7.24407.12"]),
    ("generic", ["2023-12-31", "2024-05-01", "2024-05-02", "2024.06.1"]),
    ("generic", ["14.38.33130", "14.38.33135", "14.40"]),
    ("jdk", ["1.8.0", "1.8.0_20-b08", "1.8.0_20-b26", "8u392-b08", "9", "17.0.9", "17.0.9+9"]),
    ("semver", ["v9.0.100-preview.1", "9.0.100-preview.7.24407.12", "9.0.100-rc.1", "9.0.100", "20.11"]),
    ("pep440", ["3.13.0.dev1", "3.13.0a1", "3.13.0rc1", "3.13.0", "3.13.0.post1", "1!1"]),
    ("debian", ["12.2.0-13", "12.2.0-14~deb12u1", "12.2.0-14", "12.2.0-14+b1", "1:1"]),
    ("maven", ["1.0-alpha-1", "1.0-SNAPSHOT", "1.0", "1.0-sp", "1.0-x", "1.0-1", "1.0.1"]),
    ("date", ["2024", "2024-05", "20240501", "2024/5/2", "2024.12.31"]),
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


PIECES = {
    "generic": [
        "1",
        "2.0",
        "10",
        "rc1",
        "-preview.2",
        "b3",
        "a",
        "w",
        "p1",
        "-LTS",
        "+9",
        "_17",
        "~deb12u1",
        " (15C500b)",
    ],
    "jdk": ["1.8.0_392", "8u392", "17", ".0", ".9", "-ea", "-12", "+9", "+10", "-LTS", "-b08"],
    "semver": ["1", ".2", ".0", "-rc", "-1", ".alpha", ".10", "+5"],
    "pep440": ["1", "2!", ".0", ".10", "a1", "rc", ".post1", ".dev2", "+x.1"],
    "debian": ["1", "0:", ".0", "~", "a", "-1", "+b1", "~rc1", "10"],
    "maven": ["1", ".0", ".", "-", "alpha", "1", "SNAPSHOT", "final", "sp", "x", "0", "ga"],
    "date": ["2024", "-05", "-01", "20240501", ".12", "/31", "-nightly"],
}


def readable(scheme):
    """All versions of up to three pieces: alike enough that they often compare equal or nearly so."""
    texts = {"".join(pieces) for size in (1, 2, 3) for pieces in product(PIECES[scheme], repeat=size)}
    found = []
    for text in sorted(texts):
        with suppress(VersionError):
            found.append(versions.parse(text, scheme))
    return found


READABLE = {scheme: readable(scheme) for scheme in versions.SCHEMES}
schemes = st.sampled_from(versions.SCHEMES)


@settings(max_examples=500)
@given(schemes.flatmap(lambda scheme: st.tuples(*[st.sampled_from(READABLE[scheme])] * 3)))
def test_the_order_of_every_scheme_is_total(made):
    x, y, z = sorted(made)
    for one, other in ((x, y), (y, z), (x, z)):
        assert (one < other) + (one == other) + (one > other) == 1
        assert one <= other
        assert (one == other) == (other == one)
        assert one != other or hash(one) == hash(other)


def test_what_was_read_reads_back_the_same():
    for scheme, several in READABLE.items():
        assert len(several) >= 30
        assert [one for one in several if versions.parse(str(one), scheme) != one] == []


def test_versions_of_two_schemes_have_no_order():
    assert versions.parse("17") != versions.parse("17", "jdk")
    with pytest.raises(TypeError):
        assert versions.parse("17") < versions.parse("18", "jdk")


def test_a_scheme_that_is_not_there_is_refused_by_name():
    with pytest.raises(VersionError) as caught:
        versions.parse("17", "jvm")
    assert "jdk" in str(caught.value)


def test_a_bound_that_names_no_build_means_all_its_builds():
    built = versions.parse("17.0.9+9", "jdk")
    inside = [
        text
        for text in ("<=17.0.9", "=17.0.9", ">17.0.9", "17.0.9+8..18", ">17.0.9+8")
        if parse_range(text, "jdk").contains(built)
    ]
    assert inside == ["<=17.0.9", "=17.0.9", "17.0.9+8..18", ">17.0.9+8"]


@given(st.text(max_size=300), st.sampled_from(versions.SCHEMES))
def test_any_text_is_read_or_refused_by_name(text, scheme):
    try:
        versions.parse(text, scheme)
    except VersionError as error:
        assert 1 <= error.column <= versions.MAX_RANGE_LENGTH + 1


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
        (">=17 <17", 6, "empty"),
        ("=17 <17", 5, "empty"),
        (">17 =17", 5, "empty"),
        ("=17 =18", 1, "empty"),
        (">17.0.1 <17.0.1", 9, "empty"),
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


@pytest.mark.parametrize(
    ("text", "version"), [(">=17 <=17", "17"), ("17..17", "17.0.5"), (">=17 <17.0.1", "17.0.0"), ("=17 <=17", "17")]
)
def test_a_range_that_holds_one_version_is_not_empty(text, version):
    assert parse_range(text).contains(parse(version))
