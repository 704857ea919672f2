"""How many, when, and what it costs."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.planning.cost import HOURS_PER_MONTH, OwnCost, RentedCost, break_even, slot_hour
from paddock_core.planning.sizing import MAX_TRIED, breaking_factor, growth, outgrown, smallest, weekly


@given(st.integers(0, MAX_TRIED), st.floats(1, 100))
def test_the_smallest_number_is_found_with_few_rehearsals(needed, target):
    asked = []

    def wait(number):
        asked.append(number)
        return target + (needed - number)

    found = smallest(wait, target)
    assert found.count == needed
    assert len(asked) == len(set(asked)) <= 2 * math.log2(MAX_TRIED) + 3
    assert [number for number, _ in found.curve] == sorted(asked)


def test_a_target_that_no_number_reaches_has_none():
    found = smallest(lambda _: 100.0, 60.0, most=9)
    assert found.count is None
    assert found.curve[-1] == (9, 100.0)


def test_growth_is_found_in_spite_of_an_odd_week():
    weeks = [100 * 1.04**n for n in range(8)]
    assert growth(weeks).rate == pytest.approx(0.04, abs=1e-9)
    weeks[3] = 20.0
    found = growth(weeks)
    assert found.rate == pytest.approx(0.04, abs=0.01)
    assert found.level == pytest.approx(weeks[-1], rel=0.05)


def test_work_that_stays_as_it_is_does_not_surely_grow():
    rng = np.random.default_rng(4)
    certain = sum(growth(rng.lognormal(3, 0.1, 8)).is_certain for _ in range(100))
    assert certain <= 20
    assert growth([1.0, 2.0, 3.0]) is None
    assert growth([1.0, 2.0, 0.0, 3.0]) is None


def test_whole_weeks_are_counted_back_from_now():
    day = 86_400.0
    sent = np.array([0.0, 1 * day, 8 * day, 13.9 * day])
    assert weekly(sent, np.array([1.0, 2.0, 4.0, 8.0]), 14 * day) == (3.0, 12.0)
    assert weekly(sent[:0], sent[:0], day) == ()


def test_when_the_target_breaks():
    assert breaking_factor(lambda factor: 100 * factor, 150) == pytest.approx(1.5, rel=0.03)
    assert breaking_factor(lambda factor: 100 * factor, 90) == 1.0
    assert breaking_factor(lambda _: 1.0, 90) is None
    grows = growth([100 * 1.04**n for n in range(8)])
    found = outgrown(grows, 1.3)
    assert found.weeks == pytest.approx(math.log(1.3) / math.log(1.04))
    assert found.soonest <= found.weeks <= found.latest
    assert outgrown(growth([100.0] * 8), 1.3) is None, "it does not grow"
    assert outgrown(None, 1.0).weeks == 0


def test_what_a_month_costs():
    own = OwnCost(price=2400, years=4, watts=100, energy_price=0.3, room=10)
    assert own.month() == pytest.approx(50 + 0.1 * HOURS_PER_MONTH * 0.3 + 10)
    assert own.month(0) == pytest.approx(60)
    assert RentedCost(0.5, 0.1).month(100, 20) == pytest.approx(52)
    found = slot_hour(100, 200, 2)
    assert (found.used, found.offered) == (0.5, pytest.approx(100 / (2 * HOURS_PER_MONTH)))
    assert slot_hour(100, 0, 0).used is None


@given(st.floats(1, 5000), st.floats(0.01, 20))
def test_owned_and_rented_cost_the_same_where_they_meet(price, per_hour):
    own, rented = OwnCost(price=price, years=1), RentedCost(per_hour)
    found = break_even(own, rented)
    if found.hours is None:
        assert rented.month(HOURS_PER_MONTH) < own.month() * (1 + 1e-9)
    else:
        assert rented.month(found.hours) == pytest.approx(own.month())
    assert break_even(own, RentedCost(0)).hours is None
