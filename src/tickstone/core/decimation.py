"""Many readings on few pixels: minimum and maximum per bin, so that a spike is never lost."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Bins = npt.NDArray[np.intp]


def bins(n: int, width: int) -> Bins:
    """First index of each bin when ``n`` readings are laid on at most ``width`` bins, shape (bins,).

    >>> bins(10, 3).tolist()
    [0, 3, 6]
    """
    count = max(1, min(n, width))
    return np.asarray(np.arange(count) * n // count, dtype=np.intp) if n else np.zeros(0, np.intp)


def extremes(values: Array, starts: Bins) -> tuple[Array, Array]:
    """Minimum and maximum of each bin, NaN readings left out; a bin of NaN alone gives NaN.

    >>> [x.tolist() for x in extremes(np.array([1.0, np.nan, 3.0, 0.0]), bins(4, 2))]
    [[1.0, 0.0], [1.0, 3.0]]
    """
    if not len(starts):
        return np.zeros(0), np.zeros(0)
    return np.fmin.reduceat(values, starts), np.fmax.reduceat(values, starts)


def middles(times: Array, starts: Bins) -> Array:
    """Middle time of each bin, halfway between its first and last reading."""
    if not len(starts):
        return np.zeros(0)
    last = np.append(starts[1:], len(times)) - 1
    return np.asarray((times[starts] + times[last]) / 2)
