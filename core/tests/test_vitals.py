"""Readings: what can be believed, and how they are thinned."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.vitals import FIELDS, NAMES, WIDTH, by_minute, cleaned, packed, summary, unpacked


@given(st.dictionaries(st.sampled_from(NAMES), st.floats()))
def test_only_what_can_be_is_kept_and_the_rest_is_named(given_):
    found = cleaned(given_)
    for field, value in zip(FIELDS, found.row, strict=True):
        sent = given_.get(field.name)
        possible = sent is not None and field.least <= sent <= field.most
        assert (value == sent) if possible else math.isnan(value)
        assert (field.name in found.invalid) == (sent is not None and not possible)


rows = st.lists(
    st.lists(st.one_of(st.just(math.nan), st.floats(0, 1e6)), min_size=WIDTH, max_size=WIDTH), min_size=1, max_size=20
)


@given(rows)
def test_least_mean_and_most_are_in_order_and_within_what_was_read(given_rows):
    given_rows = np.array(given_rows)
    found = summary(given_rows)
    for column in range(WIDTH):
        read = given_rows[:, column][~np.isnan(given_rows[:, column])]
        if not len(read):
            assert np.isnan(found[column]).all()
            continue
        least, mean, most = found[column]
        assert (least, most) == (read.min(), read.max())
        assert least - 1e-6 <= mean <= most + 1e-6


def test_an_hour_by_minutes_and_then_as_one():
    times = [3600 + 15 * i for i in range(240)]
    rows = np.full((240, WIDTH), np.nan)
    rows[:, 0] = np.arange(240)
    minutes = by_minute(times, rows, 3600)
    assert minutes.shape == (60, WIDTH, 3)
    assert minutes[0, 0].tolist() == [0, 1.5, 3]
    assert np.isnan(minutes[:, 1]).all()
    whole = summary(minutes)
    assert whole[0].tolist() == [0, 119.5, 239]


def test_readings_of_other_hours_are_left_out():
    rows = np.ones((3, WIDTH))
    minutes = by_minute([10.0, 3601.0, 99999.0], rows, 3600)
    assert np.flatnonzero(~np.isnan(minutes[:, 0, 1])).tolist() == [0]


def test_packing_keeps_seven_digits_and_refuses_what_is_none():
    values = np.array([[[1.5e12, math.nan, -3.25]]])
    back = unpacked(packed(values), 1, 1, 3)
    assert back[0, 0, 0] == pytest.approx(1.5e12, rel=1e-6)
    assert np.isnan(back[0, 0, 1])
    for wrong in (b"nonsense", packed(values)[:-3]):
        with pytest.raises(ValueError, match="readings"):
            unpacked(wrong, 1, 1, 3)
    with pytest.raises(ValueError, match="reshape"):
        unpacked(packed(values), 2, 2)
