import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.errors import ContradictionError, TermError
from paddock_core.terms import LabelTerm, OsTerm, ToolTerm, parse_term, parse_terms


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
        ("\uff4f\uff53 linux", 1, None, "os"),
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
