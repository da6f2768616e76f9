"""How well a mean, and a fit of few points, are known: so that ± 2 sd is honestly 95 %."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.calibration.rounding import (
    FINE_STEPS,
    level_of_rounded,
    noise_of_rounded,
    rounding_left,
    step_of,
)
from tickstone.core.noise import MAD_TO_SD, sample_sd, without_spikes

Array = npt.NDArray[np.float64]

BATCHES = 10
LEAST_TO_ADVISE = 20  # readings held, fewer of which say nothing of their noise
CHAINS = (40, 25)  # into how many means readings are put together to see slow dependence
LEAST_FOR_CORRELATION = 8
CLOSEST = 0.98
FEW = 0.8  # of the independent readings that a correlation leaves: it is itself known only so well
COARSE, TAILS, DRIFT = "coarse", "tails", "drift"
HEAVY = 1.25  # times the robust sd of a normal population
EXCESS = 0.7  # of kurtosis over that of a normal population; of few readings chance makes as much
NOT_ONE_NUMBER = {
    "": (),
    COARSE: (
        "Its readings come in steps coarser than its noise: what is seen are the steps, and no ± holds.",
    ),
    TAILS: (
        "Now and then it jumps far beyond the rest: one number does not say such a noise, and no ± holds.",
    ),
    DRIFT: ("It drifts while it is held, which is no noise: let it warm up. As it is, no ± holds.",),
}
DRIFTS = 9.0  # half intervals of the mean that a drift must come to over all readings, to be plain
DRIFT_LEAST = 0.75  # of the spread: less makes nothing of it


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
    not known), in their unit; a coarser one is seen in the readings themselves. Returns: Mean. Readings that
    hang together (flicker, slow drift) are no n independent ones, see `_sd_of_mean`. Noise below a step does
    not average rounding out, however many readings there are: see `level_of_rounded`.

    >>> mean_of([1.0, 3.0]).value
    2.0
    """
    x = np.asarray(readings, np.float64)
    x = without_spikes(x[np.isfinite(x)])
    if x.size == 0:
        return Mean(math.nan, math.inf, math.nan, 0)
    spread, middle = sample_sd(x), float(x.mean())
    sd, effective = _sd_of_mean(x)
    step = max(step, step_of(x))
    if step > 0 and spread < FINE_STEPS * step:
        middle, rounded = level_of_rounded(x, step, effective)
        return Mean(middle, max(sd, rounded), spread, int(x.size))
    return Mean(
        middle, math.hypot(sd, rounding_left(noise_of_rounded(spread, step), step)), spread, int(x.size)
    )


def _sd_of_mean(x: Array) -> tuple[float, float]:
    """Half of the 95 % interval of a mean, by what its readings scatter, and how many independent readings
    they are worth.

    Parameters: x, shape (n,), in time order. The means of ten batches tell (Law & Kelton, Simulation Modeling
    and Analysis, method of batch means), widened by what a first-order autoregression leaves of their
    dependence: its correlation is that of neighbours, of readings and of means of a few, with its
    small-sample bias taken off (Kendall, Biometrika 41 (1954) 403; sources from memory). Few independent
    readings widen it as few degrees of freedom do.
    """
    n = int(x.size)
    if n < 2:
        return 0.0, 1.0
    batches = BATCHES if n >= 2 * BATCHES else n
    sizes = n // batches + (np.arange(batches) < n % batches)
    means = np.add.reduceat(x, np.cumsum(sizes) - sizes) / sizes
    wider, independent, worth, power = 1.0, float(n), float(n), float(x.var())
    for count in (n, *(count for count in CHAINS if 2 * count <= n)):
        size = n // count
        chain = x[: n // size * size].reshape(-1, size).mean(axis=1)
        together = _correlation(chain, every=count == n)
        if together > 0:
            wider = max(wider, _left_together(together, chain.size, batches))
            share = _variance_of_mean(together, chain.size)
            independent = min(independent, 1.0 / share)
            worth = min(worth, power / (float(chain.var()) * share))
    sd = sample_sd(means) / math.sqrt(batches) * coverage(batches - 1) * math.sqrt(wider)
    if independent < n:
        sd *= max(coverage(max(FEW * independent - 1.0, 1.0)) / coverage(BATCHES - 1), 1.0)
    return sd, worth


def readings_together(readings: Array) -> float:
    """How many neighbouring readings are worth one independent one, 1 on. Shape (n,), finite, in time
    order."""
    together = _correlation(readings, every=True)
    return (1.0 + together) / (1.0 - together)


def _correlation(chain: Array, every: bool) -> float:
    """Correlation of neighbours, 0 to CLOSEST. That of means of a few counts only where chance would not make
    it."""
    off = chain - chain.mean()
    power = float((off**2).sum())
    if power == 0 or chain.size < LEAST_FOR_CORRELATION:
        return 0.0
    seen = float((off[1:] * off[:-1]).sum()) / power
    if not every and seen + 1.0 / chain.size <= 2.0 / math.sqrt(chain.size):
        return 0.0
    return min(max(seen + (1.0 + 3.0 * seen) / chain.size, 0.0), CLOSEST)


def _variance_of_mean(together: float, n: int) -> float:
    """Variance of the mean of n readings of variance 1 whose neighbours correlate (first-order
    autoregression)."""
    r = together
    return (1 + r) / (1 - r) / n - 2 * r * (1 - r**n) / (n * (1 - r)) ** 2


def _left_together(together: float, n: int, batches: int) -> float:
    """By how much the variance that batch means give of the whole mean is too small."""
    size = n / batches
    if together <= 0 or size < 1:
        return 1.0
    whole, of_batch = _variance_of_mean(together, n), _variance_of_mean(together, max(round(size), 1))
    return whole * (batches - 1) / max(of_batch - whole, 1e-12)


@dataclass(frozen=True)
class Scatter:
    """By how much single readings scatter (k = 1), and half of the 95 % interval of that; none where one
    number does not say what their noise is: ``why`` (COARSE, TAILS, DRIFT)."""

    spread: float
    sd: float | None
    why: str = ""


def scatter_of(readings: npt.ArrayLike, step: float = 0.0) -> Scatter:
    """The noise of readings of a thing that is still, as a constant of its own.

    Parameters: readings, shape (n,), in time order, NaN left out; step, of the converter or timer, in their
    unit (0: not known). Returns: Scatter. Its interval is that of the mean of the squares (see `mean_of`), so
    that readings that hang together count for few.
    """
    x = np.asarray(readings, np.float64)
    x = x[np.isfinite(x)]
    spread = sample_sd(x)
    step = max(step, step_of(x))
    if step > 0 and spread < FINE_STEPS * step:
        return Scatter(spread, None, COARSE)
    if x.size < 3 or spread == 0:
        return Scatter(spread, None)
    rest, drift = without_drift(x)
    sd, effective = _sd_of_mean(rest)
    if abs(drift) > max(DRIFTS * sd, DRIFT_LEAST * spread):
        return Scatter(spread, None, DRIFT)
    off = x - x.mean()
    robust = MAD_TO_SD * float(np.median(np.abs(x - np.median(x))))
    excess = float((off**4).mean() / (off**2).mean() ** 2) - 3.0
    if spread > HEAVY * robust or excess > max(EXCESS, 2.5 * math.sqrt(24.0 / x.size)):
        return Scatter(spread, None, TAILS)
    spread *= math.sqrt(1.0 / max(1.0 - 1.0 / max(effective, 1.0), 0.5))
    share = _sd_of_mean(off**2)[0] / (2.0 * spread**2)
    return Scatter(spread, spread * share * (1.0 + 2.0 * share))  # a spread that came out small seems surer


def without_drift(readings: Array) -> tuple[Array, float]:
    """Readings, shape (n,), n ≥ 2, less the straight line through them, and by how much that line changes
    from the first to the last."""
    places = np.linspace(-0.5, 0.5, readings.size)
    off = readings - readings.mean()
    drift = float((off * places).sum() / (places**2).sum())
    return off - drift * places, drift


def below_a_step(spreads: Sequence[float], step: float, n: int) -> tuple[str, ...]:
    """What to do where noise lies below a step of the converter, so that more readings say no more; nothing
    where most readings spread over steps. ``n`` of them were held."""
    if n < LEAST_TO_ADVISE or not spreads or float(np.median(spreads)) >= FINE_STEPS * step:
        return ()
    return (
        "Its noise is less than a step of the converter: the rounding stays in the ±, and more readings do "
        "not help. A finer range does, or a lower reference, or a little noise added to the signal.",
    )


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
