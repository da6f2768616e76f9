"""Columns of times made into a time axis; levels and numbers read out over a stretch."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tickstone.core.lanes import changes, pulses, statistics
from tickstone.core.time_axis import WRAP, TimeAxis


def place(stamps: list[float], unit_us: float = 1.0, **said: bool) -> tuple[list[int], list[int], TimeAxis]:
    axis = TimeAxis(unit_us, **said)
    placed = axis.place(np.array(stamps, float))
    return placed.times.tolist(), placed.segments.tolist(), axis


def test_a_32_bit_counter_rolls_over_without_a_break() -> None:
    times, segments, axis = place([WRAP - 1000, WRAP - 500, 0, 500])
    assert np.diff(times).tolist() == [500, 500, 500]
    assert (segments, axis.wrapped, axis.backward) == ([0, 0, 0, 0], 1, 0)
    assert place([WRAP - 500, 500], 1000.0)[2].wrapped == 1  # milliseconds roll over too


def test_a_fall_begins_a_segment_that_goes_on_where_the_last_one_ended() -> None:
    times, segments, axis = place([0, 20, 40, 3, 23], 1000.0)
    assert times == [0, 20_000, 40_000, 60_000, 80_000]
    assert (segments, axis.backward, axis.repeated) == ([0, 0, 0, 1, 1], 1, 0)
    assert place([5, 5, 5])[0] == [5, 5, 5]
    assert place([5, 5, 5])[2].repeated == 2


def test_dates_are_counted_from_their_first_and_uptimes_are_not() -> None:
    date_us = 1_790_000_000_000_000.0
    times, _, axis = place([date_us, date_us + 7])
    assert (times, axis.shift_us) == ([0, 7], round(date_us))
    assert place([3_541_698, 3_541_700])[0] == [3_541_698, 3_541_700]
    assert place([date_us, date_us + 7], wraps=False, shifts=False)[0] == [round(date_us), round(date_us) + 7]
    assert place([-5, 5])[0] == [0, 10]


@given(st.lists(st.floats(-1e18, 1e18), min_size=1, max_size=60), st.lists(st.integers(1, 59), max_size=4))
def test_whatever_comes_the_axis_never_falls_and_pieces_give_the_whole(
    stamps: list[float], cuts: list[int]
) -> None:
    whole = TimeAxis(1.0).place(np.array(stamps))
    assert (np.diff(whole.times) >= 0).all()
    assert (np.diff(whole.segments) >= 0).all()
    rising = np.sort(np.abs(stamps)) % 1e9
    rising.sort()
    axis = TimeAxis(1.0)
    bounds = [0, *sorted(set(cuts)), len(rising)]
    pieces = np.concatenate([axis.place(rising[a:b]).times for a, b in itertools.pairwise(bounds)])
    np.testing.assert_array_equal(pieces, TimeAxis(1.0).place(rising).times)


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=50))
def test_statistics_are_those_of_numpy(values: list[float]) -> None:
    array = np.array([*values, np.nan])
    found = statistics(np.arange(array.size) * 0.5, array)
    assert found.mean == pytest.approx(np.nanmean(array))
    assert found.sd == pytest.approx(np.nanstd(array, ddof=1))
    assert (found.low, found.high, found.n, found.missing, found.rate_hz) == (
        min(values),
        max(values),
        array.size,
        1,
        2.0,
    )


def test_nothing_and_one_reading_say_no_more_than_they_know() -> None:
    none = statistics(np.zeros(0), np.zeros(0))
    assert (none.n, none.mean, none.sd, none.rate_hz) == (0, None, None, None)
    one = statistics(np.array([1.0]), np.array([7.0]))
    assert (one.mean, one.sd, one.rate_hz) == (7.0, None, None)
    flat = pulses(np.array([0.0, 1.0]), np.array([1.0, 1.0]))
    assert (flat.rises, flat.period_s, flat.high_s, flat.high_share) == (0, None, None, 1.0)


@given(st.lists(st.integers(1, 50), min_size=3, max_size=40), st.integers(1, 5))
def test_pulses_of_a_known_wave(halves: list[int], told: int) -> None:
    """A level told ``told`` times in each of its states: the pulses are those of its states, however often it
    is told."""
    edges = np.cumsum([0, *halves]).astype(float)
    times = np.concatenate([np.linspace(a, b, told, endpoint=False) for a, b in itertools.pairwise(edges)])
    levels = np.repeat(np.arange(len(halves)) % 2, told).astype(float)
    found = pulses(times, levels)
    rises = edges[1:-1:2]
    assert found.rises == rises.size
    assert changes(levels).size == len(halves)
    if rises.size > 1:
        assert found.period_s == pytest.approx((rises[-1] - rises[0]) / (rises.size - 1))
    whole = halves[1:-1]  # high first, then by turns
    for seen, lasted in ((found.high_s, whole[::2]), (found.low_s, whole[1::2])):
        assert (seen is None) == (not lasted)
        if seen is not None:
            assert (seen.least, seen.most) == (min(lasted), max(lasted))


def test_a_level_told_once_or_never_has_no_share() -> None:
    for told in ([], [1.0]):
        found = pulses(np.array(told), np.array(told))
        assert (found.rises, found.high_share, found.period_s) == (0, None, None)
