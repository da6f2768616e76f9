"""A column of times made into a time axis: unwrapped, rising, with a new segment where a counter began
anew."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Times = npt.NDArray[np.int64]

WRAP = 2**32  # a board's counter, whatever it counts
LATEST_START_US = 100_000_000_000  # times that begin later than about a day are counted from their first
LARGEST_US = 2**62
DATES_FROM_US = 631_152_000_000_000  # 1990: a time of day and not an uptime


def rolled_over(before: Array, after: Array) -> npt.NDArray[np.bool_]:
    """Where a 32-bit counter began anew between two stamps, shape (n,): from its upper half to its lower."""
    return np.asarray((before > WRAP / 2) & (before < WRAP) & (after < WRAP / 2))


@dataclass(frozen=True)
class PlacedRows:
    """Times, µs, never falling, and the segment of each row, both of shape (n,)."""

    times: Times
    segments: Times


class TimeAxis:
    """Places the rows of a file, a block at a time.

    Parameters: unit_us, µs in one step of the column's numbers; wraps, whether the numbers are a 32-bit
    counter's; shifts, whether numbers from long ago are counted from their first.
    A time that falls begins a new segment, which goes on where the last one ended, a usual step later; equal
    times stay equal. ``backward`` counts the falls, ``repeated`` the equal ones, ``wrapped`` the roll-overs;
    ``shift_us`` was taken off every time, because the file counts from long ago.
    """

    def __init__(self, unit_us: float, wraps: bool = True, shifts: bool = True) -> None:
        self._unit, self._wraps, self._shifts = unit_us, wraps, shifts
        self._last: float | None = None  # as the file says
        self._end = 0  # as placed
        self._add = 0.0
        self._step = 0.0
        self._segment = 0
        self.shift_us = 0
        self.backward = self.repeated = self.wrapped = 0

    def place(self, stamps: Array) -> PlacedRows:
        """Place rows whose stamps, shape (n,), are finite numbers of steps."""
        if not stamps.size:
            return PlacedRows(np.zeros(0, np.int64), np.zeros(0, np.int64))
        if self._last is None:
            first = float(stamps[0]) * self._unit
            if (self._shifts and first > LATEST_START_US) or first < 0:
                self.shift_us = round(max(-LARGEST_US, min(LARGEST_US, first)))
                self._add = -float(self.shift_us)
            self._last = float(stamps[0])
        steps = np.diff(stamps, prepend=self._last)
        rising = steps[steps > 0]
        if rising.size:
            self._step = float(np.median(rising)) * self._unit
        falls = np.flatnonzero(steps < 0)
        self.repeated += int((steps[1:] == 0).sum())
        add = np.full(stamps.shape, self._add)
        segments = np.full(stamps.shape, self._segment, np.int64)
        for index in falls.tolist():
            before = self._last if index == 0 else float(stamps[index - 1])
            if self._wraps and rolled_over(np.array([before]), stamps[index : index + 1])[0]:
                self._add += WRAP * self._unit
                self.wrapped += 1
            else:
                # where the last segment ended, and one usual step more
                self._add += (before - float(stamps[index])) * self._unit + max(self._step, 1.0)
                self._segment += 1
                self.backward += 1
            add[index:], segments[index:] = self._add, self._segment
        placed = np.clip(stamps * self._unit + add, -LARGEST_US, LARGEST_US)
        times = np.maximum.accumulate(np.maximum(np.rint(placed).astype(np.int64), self._end))
        self._last, self._end = float(stamps[-1]), int(times[-1])
        return PlacedRows(times, segments)
