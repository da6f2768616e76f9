"""Pieces of a run worked out by hand: whether a step goes over the finish, how a band answers, how late a
lamp is."""

from __future__ import annotations

import numpy as np
import pytest

from tickstone.core.drive import loop
from tickstone.core.drive.bench import _late, _with_band

FINISH = np.array([100.0, -50.0, 100.0, 50.0])  # across the way, 100 mm long


@pytest.mark.parametrize(
    ("before", "after", "over"),
    [
        ((90, 0), (110, 0), 1),
        ((110, 0), (90, 0), 1),  # either way round
        ((90, 0), (99, 0), 0),  # not there yet
        ((101, 0), (120, 0), 0),  # past it
        ((90, 49), (110, 49), 1),  # just within an end
        ((90, 51), (110, 51), 0),  # beside it
        ((90, -49), (110, -49), 1),
        ((90, -51), (110, -51), 0),
        ((90, 0), (90, 40), 0),  # along it
    ],
)
def test_a_step_goes_over_the_finish_or_beside_it(
    before: tuple[float, float], after: tuple[float, float], over: int
) -> None:
    assert loop.crosses(np.array(before, float), np.array(after, float), FINISH) == over


def test_without_a_finish_nothing_is_crossed() -> None:
    assert loop.crosses(np.zeros(2), np.ones(2), np.zeros(0)) == 0


def test_a_band_trips_below_and_clears_above() -> None:
    moved = np.array([300.0, 250, 199, 210, 240, 251, 240, 199.9, 250])
    near = _with_band(moved, 200.0, 250.0)
    assert near.tolist() == [False, False, True, True, True, False, False, True, True]


def test_a_lamp_is_late_by_the_loops_until_it_answers() -> None:
    true = np.array([0, 0, 1, 1, 1, 0, 0, 0], bool)  # turns after loops 1 and 4
    late, wanted = _late(true, np.array([3, 4]), 0.02)
    assert (late, wanted) == (20.0, 2)  # two loops, and none
    assert _late(true, np.zeros(0, np.int64), 0.02) == (None, 2)
    assert _late(np.ones(5, bool), np.array([2]), 0.02) == (None, 0)
