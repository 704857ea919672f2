import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.errors import ContradictionError, TermError
from paddock_core.terms import LabelTerm, OsTerm, ToolTerm, parse_asked, parse_term, parse_terms, read_line


@pytest.mark.parametrize(
    ("text", "canonical"),
    [
        ("os linux", "os linux"),
        ("  OS   MacOS 14+ ", "os macos 14+"),
        ("arch arm64", "arch arm64"),
        ("label bench-rig", "label bench-rig"),
        ("label os", "label os"),
        ("host Avocet-01", "host avocet-01"),
        ("tool jdk 17..21", "tool jdk 17..21"),
        ("tool Maven >=3.8 <4", "tool maven >=3.8 <4"),
        ("tool git", "tool git"),
        ("tool c++ 12", "tool c++ 12"),
        ("tool node v20.11", "tool node v20.11"),
    ],
)
def test_terms_are_read_and_written_canonically(text, canonical):
    term = parse_term(text)
    assert str(term) == canonical
    assert parse_term(canonical) == term


@pytest.mark.parametrize(
    ("text", "column", "nearest", "expected"),
    [
        ("tol jdk 17", 1, "tool", "tool"),
        ("oss linux", 1, "os", "os"),
        ("os linx", 4, "linux", "linux"),
        ("os", 3, None, "macos"),
        ("arch arm46", 6, "arm64", "arm64"),
        ("label", 6, None, "a name"),
        ("label two words", 11, None, "the end of the line"),
        ("tool jdk 17 18", 13, None, "the end of the line"),
        ("tool jdk seventeen", 10, None, "a version"),
        ("", 1, None, "os"),
        ("\uff4f\uff53 linux", 1, None, ""),
        ("label a\nlabel b", 8, None, ""),
    ],
)
def test_a_wrong_term_says_which_column_and_what_was_expected(text, column, nearest, expected):
    with pytest.raises(TermError) as caught:
        parse_term(text)
    error = caught.value
    assert (error.column, error.nearest) == (column, nearest)
    assert expected in (*error.expected, "")
    assert f"column {column}" in str(error)


def test_an_empty_range_is_refused_in_the_term_that_has_it():
    with pytest.raises(TermError, match="empty") as caught:
        parse_term("tool jdk >=18 <17")
    assert caught.value.column == 15


@pytest.mark.parametrize("texts", [["os linux", "os macos"], ["arch x64", "tool git", "arch arm64"]])
def test_terms_that_no_host_can_meet_together_are_refused(texts):
    with pytest.raises(ContradictionError, match="no host can meet both"):
        parse_terms(texts)


def test_repeats_are_folded_and_order_is_kept():
    assert parse_terms(["label b", "os linux", "label  B"]) == (LabelTerm("b"), OsTerm("linux"))


names = st.from_regex(r"[a-z0-9][a-z0-9._+-]{0,20}", fullmatch=True)
ranges = st.sampled_from(["", " 17", " 3.8+", " 17..21", " >=3.8 <4", " =2.39.5"])


@given(names, ranges, st.integers(1, 4))
def test_every_tool_term_round_trips_whatever_the_spaces(name, wanted, spaces):
    term = parse_term(" " * spaces + "tool" + " " * spaces + name + wanted)
    assert isinstance(term, ToolTerm)
    assert parse_term(str(term)) == term


@given(st.text(max_size=250))
def test_any_text_is_a_term_or_a_term_error_with_a_column_inside_it(text):
    try:
        parse_term(text)
    except TermError as error:
        assert 1 <= error.column <= max(len(text), 200) + 1


simple_terms = st.one_of(
    st.sampled_from(
        [
            "os linux", "os macos 14+", "arch arm64", "kit shoreline-builder", "host knot-01", "paddock orchard",
            "service tide-db running", "env JAVA_HOME", "user group docker", "display", "not label slow",
            'user group "Remote Users"', "memory 16 GB", "tool git, cmake 3.20+",
        ]
    ),
    st.integers(1, 512).map(lambda n: f"cores {n}+"),
    st.tuples(st.decimals(1, 9999, places=3), st.sampled_from(["MB", "g", "TB", "GiB", " mib"])).map(
        lambda size: f"disk {size[0]}{size[1]} free"
    ),
    st.text("abz =,;'\u00e9", max_size=9).map(lambda value: f'env LANG = "{value}"'),
)  # fmt: skip
nested_terms = st.recursive(
    simple_terms,
    lambda inner: st.one_of(
        inner.map(lambda one: f"not ({one})"),
        st.lists(inner, min_size=1, max_size=3).map(lambda several: f"(any of ({') or ('.join(several)}))"),
        st.lists(inner, min_size=1, max_size=3).map(lambda several: f"(({') and ('.join(several)}))"),
    ),
    max_leaves=4,
)


@given(nested_terms)
def test_what_is_written_canonically_reads_back_as_the_same_and_stays_so(text):
    try:
        term = parse_term(text)
    except TermError as error:
        assert "deep" in error.message or "at most" in error.message
        return
    again = parse_term(str(term))
    assert (again, str(again)) == (term, str(term))
    assert read_line(str(term)).notes == ()


@pytest.mark.parametrize(
    ("text", "canonical"),
    [
        ("memory 1.5 TiB", "memory 1536 GiB"),
        ("memory 16g", "memory 16 GB"),
        ("disk 40 gb free", "disk 40 GB free"),
        ("cores 8+", "cores 8"),
        ("not not label a", "label a"),
        ("any of (any of label a or label b) or label a", "any of label a or label b"),
        ("any of label a", "label a"),
        ("not (label a and label b)", "not (label a and label b)"),
        ("env LANG = C.UTF-8", "env LANG = C.UTF-8"),
    ],
)
def test_joined_terms_and_quantities_are_written_in_one_way(text, canonical):
    assert str(parse_term(text)) == canonical


def test_what_was_forgiven_is_said():
    assert read_line("label bench-rig").notes == ()
    assert "Spaces round the line" in read_line(" label bench-rig  ").notes[0]
    assert "Case" in read_line("Label Bench-Rig").notes[0]
    assert "an unusual space character" in read_line("label\u00a0bench-rig").notes[0]
    assert read_line("tool jdk").notes == ()


def test_lines_that_prefer_are_kept_apart_and_joined_lines_are_opened():
    asked = parse_asked(["os linux", "Prefer label fast-disk", "tool git, cmake 3.20+", "prefer label fast-disk"])
    assert [str(term) for term in asked.terms] == ["os linux", "tool git", "tool cmake 3.20+"]
    assert [str(term) for term in asked.prefers] == ["label fast-disk"]
    with pytest.raises(TermError) as caught:
        parse_asked(["prefer lable x"])
    assert (caught.value.column, caught.value.nearest) == (8, "label")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("t\u043e\u043el jdk", "cyrillic small letter o"),
        ("label relea\u0455e", "cyrillic small letter dze"),
        ("(" * 300, "deep"),
        ("not " * 90 + "display", "deep"),
        ("memory 16", "a size with its unit"),
        ("label " + "x" * 500, "at most 400"),
    ],
)
def test_what_cannot_be_meant_is_explained(text, says):
    with pytest.raises(TermError, match=says):
        parse_term(text)


@pytest.mark.parametrize("texts", [["label a", "not label a"], ["not display", "display"], ["paddock a", "paddock b"]])
def test_a_term_and_its_opposite_are_refused(texts):
    with pytest.raises(ContradictionError):
        parse_terms(texts)
