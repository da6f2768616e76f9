"""What a stretch of readings says at a glance: statistics of numbers, pulses and periods of levels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Places = npt.NDArray[np.intp]


@dataclass(frozen=True)
class Statistics:
    """Readings of a stretch: how many and how many of them mean nothing, mean, sample sd (n − 1), extremes,
    and their rate (None with fewer than two). ``mean``, ``low`` and ``high`` are None without a reading,
    ``sd`` with fewer than two."""

    n: int
    missing: int
    mean: float | None
    sd: float | None
    low: float | None
    high: float | None
    rate_hz: float | None


def statistics(times_s: Array, values: Array) -> Statistics:
    """Statistics of readings at times, s, both of shape (n,); NaN means nothing and is counted apart.

    >>> statistics(np.array([0.0, 0.5, 1.0]), np.array([1.0, np.nan, 3.0]))
    Statistics(n=3, missing=1, mean=2.0, sd=1.4142135623730951, low=1.0, high=3.0, rate_hz=2.0)
    """
    known = values[np.isfinite(values)]
    lasted = float(times_s[-1] - times_s[0]) if times_s.size > 1 else 0.0
    return Statistics(
        values.size,
        values.size - known.size,
        float(known.mean()) if known.size else None,
        float(known.std(ddof=1)) if known.size > 1 else None,
        float(known.min()) if known.size else None,
        float(known.max()) if known.size else None,
        (times_s.size - 1) / lasted if lasted > 0 else None,
    )


def changes(levels: Array) -> Places:
    """Where a level differs from the one before, the first one included; rows of NaN are passed over.

    >>> changes(np.array([0.0, 0.0, np.nan, 1.0, 1.0, 0.0])).tolist()
    [0, 3, 5]
    """
    rows = np.flatnonzero(np.isfinite(levels))
    if not rows.size:
        return rows
    values = levels[rows]
    return np.asarray(rows[np.concatenate([[True], values[1:] != values[:-1]])])


@dataclass(frozen=True)
class Widths:
    """Widths of pulses, s."""

    mean: float
    least: float
    most: float


@dataclass(frozen=True)
class Pulses:
    """Pulses of a level, s: how often it rose, the mean time from rise to rise, the widths of whole pulses at
    high and at low, and the share of the time at high. None where too few are whole."""

    rises: int
    period_s: float | None
    high_s: Widths | None
    low_s: Widths | None
    high_share: float | None


def pulses(times_s: Array, levels: Array) -> Pulses:
    """Pulses of a level told at times, s, both of shape (n,): a level holds until another is told.

    >>> pulses(np.array([0.0, 1.0, 2.0, 4.0, 5.0]), np.array([0.0, 1.0, 0.0, 1.0, 0.0])).period_s
    3.0
    """
    rows = changes(levels)
    when, level = times_s[rows], levels[rows] > 0.5
    rising = when[level & (np.arange(rows.size) > 0)]
    lasted = np.diff(when)
    whole, kinds = lasted[1:], level[1:-1]  # the first level began before the stretch

    def three(widths: Array) -> Widths | None:
        return Widths(float(widths.mean()), float(widths.min()), float(widths.max())) if widths.size else None

    period = float((rising[-1] - rising[0]) / (rising.size - 1)) if rising.size > 1 else None
    share = None
    if rows.size and times_s[-1] > when[0]:
        held = np.append(lasted, times_s[-1] - when[-1])
        share = float(held[level].sum() / held.sum())
    return Pulses(int(rising.size), period, three(whole[kinds]), three(whole[~kinds]), share)
