"""What the numbers of a column of times count, where neither its name nor a unit says it: judged by how they
are spaced."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.wording import readable, significant

SECONDS_US, MILLIS_US, MICROS_US = 1e6, 1e3, 1.0
WORDS = {SECONDS_US: "seconds", MILLIS_US: "milliseconds", MICROS_US: "microseconds"}
LIKELY_HZ = 30.0  # rows a second of most recordings
POSSIBLE_HZ = (0.19, 1100.0)  # rows a second that sensors of a bench are read at
LEAST_ROWS = 3


@dataclass(frozen=True)
class TimeUnit:
    """µs in one step of a column of times, and what it may be as well; ``step``, between rows, in steps."""

    unit_us: float
    other_us: float | None = None
    step: float = 0.0

    def doubt(self, name: str) -> str:
        """The question that a person must answer, with what follows from it; empty where it is plain."""
        if self.other_us is None:
            return ""
        either, other = (
            f"{WORDS[unit_us]} ({_pace(1e6 / (self.step * unit_us))})"
            for unit_us in (self.unit_us, self.other_us)
        )
        return readable(f"{name} may count {either} or {other}: say which.")


def _pace(rate_hz: float) -> str:
    rate = significant(rate_hz)
    return f"{rate} row{'' if rate == '1' else 's'} a second"


def time_unit(stamps: npt.ArrayLike) -> TimeUnit:
    """What times count, by their first rows.

    Parameters: stamps, shape (n,), NaN = missing. Boards count whole milliseconds or microseconds; fractions
    are of seconds, unless they come in steps that no seconds would. Two units are possible where both make
    rates at which sensors are read.

    >>> time_unit([0.0, 0.05, 0.1, 0.15]).unit_us, time_unit([0, 20, 40, 60]).unit_us
    (1000000.0, 1000.0)
    >>> time_unit([0, 1, 2, 3]).other_us
    1000000.0
    """
    known = np.asarray(stamps, np.float64)
    steps = np.diff(known[np.isfinite(known)])
    rising = steps[steps > 0]
    if rising.size < LEAST_ROWS - 1:
        return TimeUnit(MILLIS_US)
    step = float(np.median(rising))
    whole = bool((known[np.isfinite(known)] % 1 == 0).all())
    rates = {unit_us: 1e6 / (step * unit_us) for unit_us in (MILLIS_US, MICROS_US, SECONDS_US)}
    low, high = POSSIBLE_HZ
    possible = [unit_us for unit_us, rate_hz in rates.items() if low <= rate_hz <= high]
    if not whole and SECONDS_US in possible:
        return TimeUnit(SECONDS_US, step=step)
    if whole and possible:
        return TimeUnit(possible[0], possible[1] if len(possible) > 1 else None, step)
    nearest = min(rates, key=lambda unit_us: abs(math.log(rates[unit_us] / LIKELY_HZ)))
    return TimeUnit(nearest, step=step)
