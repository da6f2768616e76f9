"""The latest readings of one sensor, kept in memory for the windows that watch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]

FIRST_LOOK = 256  # rows that are looked back over before more are copied


@dataclass(frozen=True)
class ReadingStretch:
    """Readings in time order, all of shape (n,): times in s, raw, converted (NaN = nothing), reason codes."""

    times_s: Array
    raw: Array
    values: Array
    codes: npt.NDArray[np.int8]
    last_seq: int


class History:
    """The latest rows of one sensor as they came, all its channels: a ring of fixed size."""

    def __init__(self, size: int, channels: int) -> None:
        self._times = np.zeros(size)
        self._rows = np.full((channels, size), np.nan)
        self._count = 0

    def add(self, times_s: Array, rows: Array) -> None:
        """Add rows: times, shape (n,), s; rows, shape (channels, n), NaN where not told."""
        size = self._times.size
        keep = slice(max(0, times_s.size - size), None)
        places = (self._count + np.arange(times_s.size)[keep]) % size
        self._times[places], self._rows[:, places] = times_s[keep], rows[:, keep]
        self._count += times_s.size

    def clear(self) -> None:
        """Forget everything."""
        self._count = 0

    def recent(self, since_s: float, least: int) -> tuple[Array, Array]:
        """Rows since a time, and at least the last ``least``: times, shape (n,), and rows, shape (channels,
        n)."""
        size = FIRST_LOOK
        while size < self._held and self._times[(self._count - size) % self._times.size] >= since_s:
            size *= 4  # what is looked back over is short, as a rule
        places = np.arange(self._count - min(max(size, least), self._held), self._count) % self._times.size
        times = self._times[places]
        first = min(int(np.searchsorted(times, since_s)), max(0, times.size - least))
        return times[first:], self._rows[:, places[first:]]

    @property
    def newest_s(self) -> float | None:
        """The time of the newest row, s; None before the first."""
        return float(self._times[(self._count - 1) % self._times.size]) if self._count else None

    @property
    def _held(self) -> int:
        return min(self._count, self._times.size)


class Ring:
    """A ring of fixed size; every reading has a number, so that each window asks for what it has not seen."""

    def __init__(self, size: int) -> None:
        self._size = size
        self._rows = np.zeros((3, size))
        self._codes = np.zeros(size, np.int8)
        self._count = 0

    @property
    def count(self) -> int:
        """How many readings have ever come."""
        return self._count

    def add(self, times_s: Array, raw: Array, values: Array, codes: npt.NDArray[np.int8]) -> None:
        """Add readings, each of shape (n,); only the last ``size`` of them can stay."""
        keep = slice(max(0, len(times_s) - self._size), None)
        places = (self._count + np.arange(len(times_s))[keep]) % self._size
        self._rows[0, places], self._rows[1, places], self._rows[2, places] = (
            times_s[keep],
            raw[keep],
            values[keep],
        )
        self._codes[places] = codes[keep]
        self._count += len(times_s)

    def since(self, seq: int, most: int | None = None) -> ReadingStretch:
        """The readings after number ``seq`` that are still here, at most the last ``most``."""
        first = max(seq, self._count - self._size, 0)
        if most is not None:
            first = max(first, self._count - most)
        places = np.arange(first, self._count) % self._size
        times, raw, values = self._rows[:, places]
        return ReadingStretch(times, raw, values, self._codes[places], self._count)

    def last_seconds(self, seconds: float) -> ReadingStretch:
        """The readings of the last ``seconds`` before the newest one."""
        size = FIRST_LOOK
        stretch = self.since(0, size)
        while stretch.times_s.size == size and stretch.times_s[0] >= stretch.times_s[-1] - seconds:
            size *= 4
            stretch = self.since(0, size)
        if stretch.times_s.size == 0:
            return stretch
        first = int(np.searchsorted(stretch.times_s, stretch.times_s[-1] - seconds, "left"))
        return ReadingStretch(
            stretch.times_s[first:],
            stretch.raw[first:],
            stretch.values[first:],
            stretch.codes[first:],
            stretch.last_seq,
        )
