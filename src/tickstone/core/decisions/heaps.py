"""Two heaps of readings under several conditions: how often each threshold misreads, and which one stands
safest.

A reading is high when it is above the threshold. All thresholds are whole counts, from 0 to the converter's
highest code.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import erfc

from tickstone.core.checks import check_length, check_whole
from tickstone.core.thresholds import Population, population
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
Whole = npt.NDArray[np.int64]

EDGE_SDS = 3.0  # a heap's edge: one reading in 740 lies beyond it, if it is normal
OUTLINE_POINTS = 200


@dataclass(frozen=True)
class Pair:
    """The two heaps of one sensor under one condition: readings that should be low, and readings that should
    be high."""

    condition: str
    low: Array
    high: Array
    low_fit: Population
    high_fit: Population


def pair(condition: str, low: npt.ArrayLike, high: npt.ArrayLike) -> Pair:
    """Two heaps, shapes (n,) and (m,), counts. Raises BadInput for ``low`` or ``high`` when one is empty."""
    low_x, high_x = np.asarray(low, dtype=np.float64), np.asarray(high, dtype=np.float64)
    return Pair(condition, low_x, high_x, population(low_x, "low"), population(high_x, "high"))


def counted(low: npt.ArrayLike, high: npt.ArrayLike, top: int) -> Whole:
    """How many readings each whole threshold 0 … ``top`` would misread, by counting: shape (top + 1,).

    Parameters: low and high, counts, shapes (n,) and (m,); top, the highest code of the converter.
    Returns: for a threshold t, the low ones above t and the high ones not above it.

    >>> counted([1, 2], [2, 3], 4).tolist()
    [2, 1, 1, 2, 2]
    """
    check_whole(top, 1, "top")

    def not_above(values: npt.ArrayLike) -> Whole:
        codes = np.clip(np.ceil(np.asarray(values, dtype=np.float64)), 0, top + 1).astype(np.int64)
        return np.cumsum(np.bincount(codes, minlength=top + 2)[: top + 1])

    low_under, high_under = not_above(low), not_above(high)
    return (np.asarray(low).size - low_under) + high_under


def fitted(low: Population, high: Population, thresholds: npt.ArrayLike) -> Array:
    """Misreads per 1000 of each threshold by two normal heaps at equal priors, shape as ``thresholds``:
    ``1000·½·(both tails)``.

    >>> [round(float(one), 2) for one in fitted(Population(100, 50), Population(300, 50), [100, 200])]
    [250.02, 22.75]
    """
    t = np.asarray(thresholds, dtype=np.float64)
    root = np.sqrt(2.0)
    return np.asarray(
        250.0 * (erfc((t - low.mean) / (low.sd * root)) + erfc((high.mean - t) / (high.sd * root)))
    )


@dataclass(frozen=True)
class Safest:
    """The threshold with the greatest margin under the worst condition: ``margin`` in counts from the nearest
    heap's edge (EDGE_SDS from its middle; negative when edges cross), and the conditions, by place in the
    list, whose heaps bound it."""

    threshold: float
    margin: float
    low_from: int
    high_from: int


def safest(pairs: Sequence[tuple[Population, Population]]) -> Safest:
    """The threshold that stays farthest from every heap's edge under all conditions.

    Parameters: (low, high) heaps, one for each condition, at least one. Returns: Safest: half way between the
    highest low edge and the lowest high edge, which is where the least of all margins is greatest.
    Raises: BadInput for ``pairs`` when there is none.

    >>> safest([(Population(120, 15), Population(800, 90))]).threshold
    347.5
    """
    check_length(pairs, 1, "pairs")
    lows = np.array([low.mean + EDGE_SDS * low.sd for low, _ in pairs])
    highs = np.array([high.mean - EDGE_SDS * high.sd for _, high in pairs])
    low_from, high_from = int(lows.argmax()), int(highs.argmin())
    low_edge, high_edge = float(lows[low_from]), float(highs[high_from])
    return Safest((low_edge + high_edge) / 2, (high_edge - low_edge) / 2, low_from, high_from)


@dataclass(frozen=True)
class OddsTable:
    """What every whole threshold would mean under each condition; shapes (conditions, top + 1)."""

    counted: Whole
    readings: tuple[int, ...]
    fitted: Array
    margin: Array
    margin_sds: Array

    @property
    def worst(self) -> Whole:
        """The condition, by place, with the least margin at each threshold, shape (top + 1,)."""
        return np.asarray(self.margin.argmin(axis=0), dtype=np.int64)


def table(pairs: Sequence[Pair], top: int) -> OddsTable:
    """Misreads and margins of every whole threshold 0 … ``top`` of one sensor, under every condition.

    Raises: BadInput for ``pairs`` when there is none.
    """
    check_length(pairs, 1, "pairs")
    t = np.arange(top + 1, dtype=np.float64)
    margins, sds = [], []
    for item in pairs:
        over, under = t - item.low_fit.mean, item.high_fit.mean - t
        edge = EDGE_SDS
        margins.append(np.minimum(over - edge * item.low_fit.sd, under - edge * item.high_fit.sd))
        sds.append(np.minimum(over / item.low_fit.sd, under / item.high_fit.sd))
    return OddsTable(
        np.array([counted(entry.low, entry.high, top) for entry in pairs]),
        tuple(entry.low.size + entry.high.size for entry in pairs),
        np.array([fitted(entry.low_fit, entry.high_fit, t) for entry in pairs]),
        np.array(margins),
        np.array(sds),
    )


def white_is_high(black: Sequence[Array], white: Sequence[Array], conditions: Sequence[str]) -> bool:
    """Whether pale reads high, from the means under every condition. Raises BadInput for ``marks`` when
    conditions disagree (black and white were mixed up in one), or when the two read the same."""
    gaps = [float(w.mean() - b.mean()) for b, w in zip(black, white, strict=True)]
    if all(abs(gap) < 1e-9 for gap in gaps):
        raise BadInput("Ground and line read the same: nothing tells them apart.", "marks")
    ways = {gap > 0 for gap in gaps if abs(gap) > 1e-9}
    if len(ways) > 1:
        most = sum(gap > 0 for gap in gaps) * 2 > len(gaps)
        odd = next(name for name, gap in zip(conditions, gaps, strict=True) if (gap > 0) != most)
        raise BadInput(f"In {odd} ground and line are the other way round: are its marks mixed up?", "marks")
    return ways.pop()


def outline(values: Array, low: float, high: float) -> tuple[tuple[float, float], ...]:
    """The shape of a heap for drawing, (count, height from 0 to 1): a density smoothed with a normal kernel
    of Silverman's width, but not below the width of one count nor of the drawing's own grain.

    Source: Silverman, Density Estimation (1986), eq. 3.31.
    """
    spread = float(values.std())
    width = max(1.06 * spread * values.size ** (-1 / 5), 0.5, (high - low) / 600.0)
    first, last = float(values.min()) - 3.5 * width, float(values.max()) + 3.5 * width
    at = np.linspace(first, last, OUTLINE_POINTS)
    codes, numbers = np.unique(np.round(values / (width / 4)) * (width / 4), return_counts=True)
    density = np.exp(-(((at[:, None] - codes[None, :]) / width) ** 2) / 2) @ numbers
    density /= density.max()
    return tuple((float(x), float(y)) for x, y in zip(at, density, strict=True) if y > 1e-3)
