"""How regularly lines come: rate, jitter, gaps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

GAP_FACTOR = 2.5  # an interval this many times the usual one is a gap


@dataclass(frozen=True)
class Rhythm:
    """``rate_hz`` and ``jitter_ms`` (sd of the intervals without gaps) are None with fewer than three
    times."""

    rate_hz: float | None
    jitter_ms: float | None
    gaps: int


def rhythm(times_s: npt.ArrayLike) -> Rhythm:
    """Rate, jitter and gaps of rising times, shape (n,), s.

    >>> rhythm([0.0, 0.05, 0.10, 0.15])
    Rhythm(rate_hz=20.0, jitter_ms=0.0, gaps=0)
    """
    times = np.asarray(times_s, dtype=np.float64)
    if times.size < 3:
        return Rhythm(None, None, 0)
    steps = np.diff(times)
    usual = float(np.median(steps))
    if usual <= 0:
        return Rhythm(None, None, 0)
    regular = steps[steps <= GAP_FACTOR * usual]
    return Rhythm(
        round(1.0 / usual, 3), round(float(regular.std()) * 1000, 3), int((steps > GAP_FACTOR * usual).sum())
    )
