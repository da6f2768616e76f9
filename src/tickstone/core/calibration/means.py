"""How well a mean, and a fit of few points, are known: so that ± 2 sd is honestly 95 %."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.noise import sample_sd, without_spikes

Array = npt.NDArray[np.float64]

BATCHES = 10
LEAST_FOR_BATCHES = 40  # four readings a batch


def coverage(freedom: float) -> float:
    """Factor by which a standard deviation of few degrees of freedom is widened, so that ± 2 of it are 95 %.

    Half of Student's t (JCGM 100:2008, G.3): 6.35 for one degree of freedom, 0.98 for very many.

    >>> round(coverage(3), 3)
    1.591
    """
    from scipy.special import stdtrit  # here, since loading it takes longer than most calculations

    return float(stdtrit(freedom, 0.975)) / 2.0 if freedom > 0 else math.inf


@dataclass(frozen=True)
class Mean:
    """A mean with its own ``sd`` (half of its 95 % interval), and the ``spread`` of single readings (k =
    1)."""

    value: float
    sd: float
    spread: float
    n: int


@dataclass(frozen=True)
class HeldMean:
    """What is kept of a held reading, in its raw unit: its mean, half of that mean's 95 % interval, the
    spread of single readings (k = 1), and how many there were."""

    mean: float
    mean_sd: float
    sd: float = 0.0
    n: int = 1

    @classmethod
    def of(cls, mean: Mean) -> HeldMean:
        """From a mean."""
        return cls(mean.value, mean.sd, mean.spread, mean.n)


@dataclass(frozen=True)
class HeldMeans:
    """The same of several readings at once, a list each, and the least number of readings of any."""

    means: list[float]
    mean_sds: list[float]
    spreads: list[float]
    n: int

    @classmethod
    def of(cls, means: Sequence[Mean]) -> HeldMeans:
        """From means, one a reading."""
        return cls(
            [mean.value for mean in means],
            [mean.sd for mean in means],
            [mean.spread for mean in means],
            min(mean.n for mean in means),
        )

    def each(self) -> list[Mean]:
        """One mean a reading."""
        spreads = zip(self.means, self.mean_sds, self.spreads, strict=True)
        return [Mean(value, sd, spread, self.n) for value, sd, spread in spreads]


def mean_of(readings: npt.ArrayLike, step: float = 0.0) -> Mean:
    """The mean of readings in time order, and how well it is known.

    Parameters: readings, shape (n,), NaN left out; step, of the converter or timer that rounded them (0:
    none). Returns: Mean. Readings that hang together (flicker, slow drift) are no n independent ones: from
    LEAST_FOR_BATCHES on the means of ten batches tell (Law & Kelton, Simulation Modeling and Analysis, method
    of batch means; from memory). What rounding leaves over when the noise is smaller than a step is added,
    step/√12 without any noise.

    >>> mean_of([1.0, 3.0]).value
    2.0
    """
    x = np.asarray(readings, np.float64)
    x = without_spikes(x[np.isfinite(x)])
    if x.size == 0:
        return Mean(math.nan, math.inf, math.nan, 0)
    spread = sample_sd(x)
    if x.size >= LEAST_FOR_BATCHES:
        means = np.array([part.mean() for part in np.array_split(x, BATCHES)])
        sd = sample_sd(means) / math.sqrt(BATCHES) * coverage(BATCHES - 1)
    elif x.size > 1:
        sd = spread / math.sqrt(x.size) * coverage(x.size - 1)
    else:
        sd = 0.0
    return Mean(float(x.mean()), math.hypot(sd, rounding_sd(spread, step)), spread, int(x.size))


def rounding_sd(spread: float, step: float) -> float:
    """What rounding to ``step`` leaves in a mean of readings that scatter by ``spread``, k = 1.

    Rounding is undone by averaging over noise: what is left shrinks as exp(−2π²(spread/step)²) (Widrow &
    Kollár, Quantization Noise, 2008; from memory).

    >>> round(rounding_sd(0.0, 1.0), 4)
    0.2887
    """
    if step <= 0:
        return 0.0
    return step / math.sqrt(12.0) * math.exp(-2.0 * (math.pi * spread / step) ** 2)


def repeats(results: Sequence[float]) -> Mean:
    """Mean of results that were each measured anew; its sd needs two of them."""
    x = np.asarray(results, np.float64)
    spread = sample_sd(x)
    sd = spread / math.sqrt(x.size) * coverage(x.size - 1) if x.size > 1 else math.inf
    return Mean(float(x.mean()), sd, spread, int(x.size))


@dataclass(frozen=True)
class Straight:
    """``y = slope·x + offset``; sds are half of 95 % intervals (None below three points), ``rest`` what is
    left, shape (n,), ``spread`` its sd (n − 2), and ``leverage`` each point's own pull."""

    slope: float
    offset: float
    slope_sd: float | None
    offset_sd: float | None
    covariance: float | None
    rest: Array
    spread: float | None
    leverage: Array


def straight(x: npt.ArrayLike, y: npt.ArrayLike) -> Straight:
    """Least-squares line with honest intervals for few points; x needs two different values."""
    xs, ys = np.asarray(x, np.float64), np.asarray(y, np.float64)
    middle, n = float(xs.mean()), xs.size
    sxx = float(((xs - middle) ** 2).sum())
    slope = float(((xs - middle) * (ys - ys.mean())).sum() / sxx)
    offset = float(ys.mean()) - slope * middle
    rest = ys - (slope * xs + offset)
    leverage = 1.0 / n + (xs - middle) ** 2 / sxx
    if n < 3:
        return Straight(slope, offset, None, None, None, rest, None, leverage)
    spread = math.sqrt(float((rest**2).sum()) / (n - 2))
    wide = spread * coverage(n - 2)
    return Straight(
        slope,
        offset,
        wide / math.sqrt(sxx),
        wide * math.sqrt(1.0 / n + middle**2 / sxx),
        -(wide**2) * middle / sxx,
        rest,
        spread,
        leverage,
    )
