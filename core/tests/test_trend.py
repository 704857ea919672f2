"""Trends of free disk: found where they are, with an interval that holds the truth, and not raised on noise."""

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy import stats

from paddock_core.trend import DAY, STEP, Trend, falling, theil_sen

GB = 1024.0**3
HOURS = np.arange(0, 14 * 24) * 3600.0


def test_a_steady_fall_is_found_with_its_time():
    trend = falling(HOURS, 100 * GB - 5 * GB * HOURS / DAY)
    assert trend is not None
    assert 0 <= HOURS[-1] - trend.at < STEP / 2, "it ends with the newest of its steps"
    assert 0 <= trend.since - HOURS[0] < STEP
    assert trend.level == pytest.approx(100 * GB - 5 * GB * trend.at / DAY, rel=0.02)
    assert trend.slope * DAY == pytest.approx(-5 * GB, rel=0.02)
    assert trend.empty_in() / DAY == pytest.approx(100 / 5 - 14, abs=0.3)
    soon, late = trend.empty_between()
    assert soon <= trend.empty_in() <= late


def test_noise_alone_raises_nothing_however_often_it_is_asked():
    raised = 0
    for seed in range(200):
        chance = np.random.default_rng(seed)
        raised += falling(HOURS, 50 * GB + chance.normal(0, 4 * GB, len(HOURS))) is not None
    assert raised <= 8  # the interval's own 1 in 50 on either side, of which one counts, and some luck


def test_builds_that_fill_and_clear_the_disk_are_no_trend():
    sawtooth = 80 * GB - (HOURS % (9 * 3600)) / 3600 * 3 * GB
    assert falling(HOURS, sawtooth) is None


def test_the_interval_holds_the_true_slope():
    held = 0
    for seed in range(100):
        chance = np.random.default_rng(seed)
        trend = falling(HOURS, 200 * GB - 4 * GB * HOURS / DAY + chance.normal(0, 6 * GB, len(HOURS)))
        held += trend is not None and trend.slope_low <= -4 * GB / DAY <= trend.slope_high
    assert held >= 92


def test_wild_points_do_not_move_it():
    values = 100 * GB - 5 * GB * HOURS / DAY
    values[::7] = 3 * GB
    trend = falling(HOURS, values)
    assert trend is not None
    assert trend.slope * DAY == pytest.approx(-5 * GB, rel=0.05)


def test_after_a_clearing_only_what_follows_counts():
    values = np.where(HOURS < 7 * DAY, 60 * GB - 8 * GB * HOURS / DAY, 90 * GB - 2 * GB * (HOURS - 7 * DAY) / DAY)
    trend = falling(HOURS, values)
    assert trend is not None
    assert trend.slope * DAY == pytest.approx(-2 * GB, rel=0.05)
    assert trend.since >= 6.9 * DAY
    just_now = np.where(HOURS < 13.5 * DAY, 60 * GB - 4 * GB * HOURS / DAY, 100 * GB)
    assert falling(HOURS, just_now) is None


@pytest.mark.parametrize("values", [[], [1.0], [float("nan")] * 40])
def test_too_little_tells_nothing(values):
    assert falling([i * 3600.0 for i in range(len(values))], values) is None


def test_the_band_for_drawing_never_goes_below_nothing():
    trend = falling(HOURS, 40 * GB - 2.5 * GB * HOURS / DAY)
    assert trend is not None
    band = trend.line(trend.at + 60 * DAY, 30)
    assert all(0 <= low <= value <= high for _, value, low, high in band)
    assert band[-1][1] == 0


def test_the_line_is_drawn_from_the_level_down_its_slope_and_never_below_nothing():
    trend = Trend(at=1000.0, level=50.0, slope=-2.0, slope_low=-5.0, slope_high=-1.0, since=0.0)
    assert trend.line(1020.0, 3) == [(1000.0, 50.0, 50.0, 50.0), (1010.0, 30.0, 0.0, 40.0), (1020.0, 10.0, 0.0, 30.0)]
    assert (trend.empty_in(), trend.empty_between()) == (25.0, (10.0, 50.0))


@given(
    st.lists(st.tuples(st.integers(0, 40), st.integers(-1000, 1000)), min_size=2, max_size=40),
    st.sampled_from([0.5, 0.9, 0.98]),
)
def test_the_slope_and_its_interval_are_those_of_scipy(points, confidence):
    x, y = (np.array(one, float) for one in zip(*points, strict=True))
    assume(len(set(x)) > 1)
    expected = stats.theilslopes(y, x, confidence)
    assume(np.isfinite(expected.low_slope))  # so many ties that its variance is below zero
    assert theil_sen(x, y, confidence) == pytest.approx((expected.slope, expected.low_slope, expected.high_slope))
