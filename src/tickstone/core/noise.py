"""How noisy, how still: robust measures of readings."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]

MAD_TO_SD = 1.4826  # for a normal population


def sample_sd(values: npt.ArrayLike) -> float:
    """Sample standard deviation (n − 1); 0 for fewer than two values."""
    x = np.asarray(values, dtype=np.float64)
    return float(x.std(ddof=1)) if x.size > 1 else 0.0


def step_noise(values: npt.ArrayLike) -> float | None:
    """Noise of a signal that may also move: robust sd of second differences, divided by √6.

    A second difference is blind to steady motion, so a target that is pushed along does not count as noise.

    Parameters: values, shape (n,), any unit, NaN = missing (left out before differencing).
    Returns: standard deviation in the same unit, or None with fewer than eight usable values.
    Source: difference-based variance of second order (Gasser, Sroka & Jennen-Steinmetz, Biometrika 73 (1986)
    625), with the median absolute deviation in place of the mean square.

    >>> step_noise([1.0, 2.0]) is None
    True
    """
    x = np.asarray(values, dtype=np.float64)
    x = x[np.isfinite(x)]
    if x.size < 8:
        return None
    steps = np.diff(x, 2)
    mad = float(np.median(np.abs(steps - np.median(steps))))
    if mad == 0:  # coarse quantisation: most steps are exactly equal
        return float(steps.std()) / math.sqrt(6)
    return MAD_TO_SD * mad / math.sqrt(6)


@dataclass(frozen=True)
class Stillness:
    """``spread`` is the sd of the window, ``drift`` the difference of the halves' medians, both in the
    input's unit."""

    still: bool
    mean: float
    spread: float
    drift: float
    n: int


def stillness(values: npt.ArrayLike, limit: float, least: int) -> Stillness:
    """Judge whether a window of readings stands still.

    Parameters: values, shape (n,), NaN = dropout and left out; limit, the largest sd that counts as still,
    and half of it the largest drift between the window's halves; least, how many usable readings a verdict
    needs. Returns: Stillness. A single spike beyond five robust deviations is set aside (order: reject, then
    judge).

    >>> stillness([10.0, 10.1, 9.9, 10.0, 10.1, 9.9], 0.5, 6).still
    True
    """
    x = np.asarray(values, dtype=np.float64)
    x = x[np.isfinite(x)]
    kept = without_spikes(x)
    if kept.size < 2:
        return Stillness(False, math.nan, math.nan, math.nan, int(kept.size))
    half = kept.size // 2
    drift = float(np.median(kept[half:]) - np.median(kept[:half]))
    spread = sample_sd(kept)
    still = (
        kept.size >= least and spread <= limit and abs(drift) <= max(limit / 2, 3 * spread / math.sqrt(half))
    )
    return Stillness(bool(still), float(kept.mean()), spread, drift, int(kept.size))


def without_spikes(values: Array) -> Array:
    """Values within five robust deviations of the median (all of them when the deviation is zero)."""
    if values.size == 0:
        return values
    middle = np.median(values)
    mad = float(np.median(np.abs(values - middle)))
    return values if mad == 0 else values[np.abs(values - middle) <= 5 * MAD_TO_SD * mad]
