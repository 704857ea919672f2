import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.suspicion import Known, Oddity, calls_from_elsewhere, is_an_earlier_boot, is_outside, suspicions

NEW = Known("knot-01", "m1", "10.0.0.7")


@pytest.mark.parametrize(
    ("others", "networks", "oddities"),
    [
        ([], [], []),
        ([Known("knot-02", "m2")], ["10.0.0.0/24"], []),
        ([Known("knot-02", "m1")], [], [Oddity.SAME_MACHINE]),
        ([Known("knot-02", "m1", is_living=False)], [], []),
        ([Known("KNOT-01", "m1", is_living=False)], [], [Oddity.SAME_NAME]),
        ([Known("knot-02", "")], [], []),
        ([], ["192.168.0.0/16", "fd00::/8"], [Oddity.OUTSIDE]),
        ([Known("knot-02", "m1"), Known("knot-01", "m9", is_living=False)], ["10.0.0.7"],
         [Oddity.SAME_MACHINE, Oddity.SAME_NAME]),
    ],
)  # fmt: skip
def test_odd_things_about_a_newcomer(others, networks, oddities):
    assert [one.oddity for one in suspicions(NEW, others, networks)] == oddities


def test_an_earlier_host_of_that_name_says_whether_it_is_the_same_machine():
    for machine, says in (("m1", "the same machine"), ("m9", "another machine"), ("", "knot-01.")):
        (one,) = suspicions(NEW, [Known("knot-01", machine, is_living=False)], [])
        assert says in one.sentence


@pytest.mark.parametrize(
    ("joined", "calling", "odd"),
    [("a", "b", True), ("a", "a", False), ("", "b", False), ("", "", False), ("a", "", True)],
)
def test_an_identity_that_calls_from_elsewhere(joined, calling, odd):
    assert calls_from_elsewhere(joined, calling) is odd


def test_a_newcomer_without_a_machine_id_is_odd():
    assert [one.oddity for one in suspicions(Known("knot-01", ""), [], [])] == [Oddity.NO_MACHINE]


@pytest.mark.parametrize(
    ("boots", "calling", "in_turns"),
    [
        ([], "a", False),
        (["a"], "a", False),
        (["a"], "b", False),
        (["a", "b"], "a", True),
        (["a", "b"], "b", False),
        (["a", "b", "c"], "a", True),
        (["a", "b", "a"], "a", False),
        (["", "b"], "", False),
    ],
)
def test_no_machine_returns_to_an_earlier_boot(boots, calling, in_turns):
    assert is_an_earlier_boot(boots, calling) is in_turns


@given(st.text(max_size=20) | st.ip_addresses().map(str))
def test_any_address_is_inside_or_outside(address):
    assert is_outside(address, []) is False
    assert isinstance(is_outside(address, ["10.0.0.0/8", "::/0"]), bool)
