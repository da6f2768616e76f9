"""Filters over a run of readings, and what each costs: noise against lag."""

from __future__ import annotations

import heapq
import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import rank_filter

from tickstone.core import loops
from tickstone.core.checks import check_not_negative, check_positive, check_whole
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

KINDS = ("average", "median", "smooth", "kalman")


def moving_average(values: npt.ArrayLike, length: int) -> Array:
    """Mean of the last ``length`` values; the first ones use what there is.

    Parameters: values, shape (n,), any unit, finite. Returns: same shape and unit.

    >>> moving_average([0, 4, 8, 8], 2).tolist()
    [0.0, 2.0, 6.0, 8.0]
    """
    x = np.asarray(values, dtype=np.float64)
    check_whole(length, 1, "length")
    if x.size == 0:
        return x.copy()
    start = x[0]  # running sums of what is left keep their digits
    sums = np.cumsum(x - start)
    sums[length:] -= sums[:-length].copy()
    sums[length:] /= length
    head = min(length, x.size)
    sums[:head] /= np.arange(1, head + 1)
    sums += start
    return sums


def moving_median(values: npt.ArrayLike, length: int) -> Array:
    """Median of the last ``length`` values; the first ones use what there is.

    Parameters: values, shape (n,), any unit, finite. Returns: same shape and unit. A single spike is removed
    by any length from 3.

    >>> moving_median([1, 1, 9, 1, 2], 3).tolist()
    [1.0, 1.0, 1.0, 1.0, 2.0]
    """
    x = np.asarray(values, dtype=np.float64)
    n = check_whole(length, 1, "length")
    head = min(n - 1, x.size)
    result = np.empty_like(x)
    result[:head] = _growing_medians(x[:head])
    if x.size > head:
        trailing = {"size": n, "origin": (n - 1) // 2 if n % 2 else n // 2 - 1}
        upper = rank_filter(x, n // 2, **trailing)[head:]
        lower = upper if n % 2 else rank_filter(x, n // 2 - 1, **trailing)[head:]
        result[head:] = np.where(lower == upper, upper, (lower + upper) / 2)
    return result


def _growing_medians(x: Array) -> Array:
    """Median of the values so far, shape (n,): the lower half and the upper half are heaps."""
    result = np.empty_like(x)
    lower: list[float] = []  # negated: its largest stands first
    upper: list[float] = []
    for i, value in enumerate(x.tolist()):
        heapq.heappush(upper, -heapq.heappushpop(lower, -value))
        if len(upper) > len(lower):
            heapq.heappush(lower, -heapq.heappop(upper))
        result[i] = -lower[0] if len(lower) > len(upper) else (upper[0] - lower[0]) / 2
    return result


def _smooth_loop(x: Array, alpha: float) -> Array:
    y = np.empty_like(x)
    level = x[0]
    for i in range(x.size):
        level += alpha * (x[i] - level)
        y[i] = level
    return y


def smooth(values: npt.ArrayLike, alpha: float) -> Array:
    """First-order smoothing, ``y += α·(x − y)``, starting at the first value.

    Parameters: values, shape (n,), finite; alpha, above 0 to 1. Returns: same shape and unit.

    >>> smooth([0.0, 4.0], 0.25).tolist()
    [0.0, 1.0]
    """
    x = np.asarray(values, dtype=np.float64)
    check_alpha(alpha)
    return x.copy() if x.size == 0 else np.asarray(loops.run(_smooth_loop, x.size, x, float(alpha)))


def check_alpha(alpha: float) -> float:
    """Return a smoothing weight, or raise BadInput unless it lies above 0 and up to 1."""
    if not 0 < alpha <= 1:
        raise BadInput(f"alpha must lie above 0 and up to 1, but is {alpha:g}.", "alpha")
    return alpha


def _kalman_loop(z: Array, q: float, r: float, x0: float, p0: float) -> Array:
    out = np.empty_like(z)
    x, p, gain, settled = x0, p0, 0.0, False
    for i in range(z.size):
        if not settled:  # the gain does not depend on the readings: once it stands it need not be computed
            p += q
            fresh = p / (p + r)
            p *= 1.0 - fresh
            settled = fresh == gain
            gain = fresh
        x += gain * (z[i] - x)
        out[i] = x
    return out


def kalman(
    values: npt.ArrayLike, q: float, r: float, x0: float | None = None, p0: float | None = None
) -> Array:
    """Scalar Kalman filter of a random walk: predict, then update, from the first value.

    Parameters: values, shape (n,), finite; q, variance of a step of the walk; r, variance of a reading; x0,
    p0, the state before the first value and its variance (first value, and r, unless given).
    Returns: filtered values, same shape and unit.
    Source: Kalman, J. Basic Engineering 82 (1960) 35; the local level model of Durbin & Koopman, Time Series
    Analysis by State Space Methods, ch. 2.

    >>> kalman([10.2], 0.01, 1.0, 10.0, 1.0).round(4).tolist()
    [10.1005]
    """
    z = np.asarray(values, dtype=np.float64)
    check_variances(q, r)
    if p0 is not None:
        check_not_negative(p0, "p0")
    if z.size == 0:
        return z.copy()
    begin = float(z[0]) if x0 is None else x0
    return np.asarray(
        loops.run(_kalman_loop, z.size, z, float(q), float(r), begin, float(r if p0 is None else p0))
    )


def check_variances(q: float, r: float) -> None:
    """Raise BadInput unless both variances of a Kalman filter are above zero."""
    check_positive(q, "q")
    check_positive(r, "r")


@dataclass(frozen=True)
class SteadyGain:
    """Where a scalar Kalman filter settles: gain, posterior variance, and the moving average of equal
    noise."""

    gain: float
    variance: float
    equivalent_samples: float


def kalman_gain(q: float, r: float) -> SteadyGain:
    """Steady state of the scalar Kalman filter: ``K = (√(ρ² + 4ρ) − ρ)/2`` with ρ = q/r.

    Parameters: q, r, variances in the square of the readings' unit, above zero.
    Returns: gain, 0 to 1; variance, K·r; equivalent_samples, 2/K − 1.
    Source: Muth, J. Am. Stat. Assoc. 55 (1960) 299; Harvey, Forecasting, Structural Time Series Models
    (1989).

    >>> round(kalman_gain(1.0, 1.0).gain, 6)
    0.618034
    """
    check_variances(q, r)
    ratio = q / r
    gain = 2.0 / (1.0 + math.sqrt(1.0 + 4.0 / ratio))  # the same root, without the difference of near numbers
    return SteadyGain(gain, gain * r, 2.0 / gain - 1.0)


def median_noise(length: int) -> float:
    """Standard deviation of the median of ``length`` normal values of unit deviation.

    By integrating the density of the middle order statistic, or of the middle two for an even length.
    Parameters: length, whole, from 1. Source: David & Nagaraja, Order Statistics (2003), ch. 2.

    >>> round(median_noise(3), 4), round(median_noise(2), 4)
    (0.6698, 0.7071)
    """
    check_whole(length, 1, "length")
    half = (length - 1) // 2
    reach = 8.5 / math.sqrt(1.0 + half / 4.0)  # the density narrows as the length grows
    x = np.linspace(-reach, reach, 4001 if length % 2 else 1201)
    below = 0.5 * np.array([math.erfc(-v / math.sqrt(2.0)) for v in x])
    log_below, log_above = np.log(np.maximum(below, 1e-300)), np.log(np.maximum(below[::-1], 1e-300))
    if length % 2:
        density = np.exp(half * (log_below + log_above) - x**2 / 2)
        return float(np.sqrt((x**2 * density).sum() / density.sum()))
    lower = half * log_below - x**2 / 2  # the middle two, a ≤ b: F(a)^h·f(a)·f(b)·(1 − F(b))^h
    upper = half * log_above - x**2 / 2
    joint = np.exp(lower[:, None] + upper[None, :] - (lower + upper).max())
    joint = np.triu(joint) - np.diag(np.diag(joint)) / 2
    middle = (x[:, None] + x[None, :]) / 2
    return float(np.sqrt((middle**2 * joint).sum() / joint.sum()))


@dataclass(frozen=True)
class Tradeoff:
    """Noise out over noise in for white noise, and the lag at low frequency in samples."""

    noise_ratio: float
    lag_samples: float


def tradeoff(
    kind: str,
    *,
    length: int | None = None,
    alpha: float | None = None,
    q: float | None = None,
    r: float | None = None,
) -> Tradeoff:
    """What a filter costs: noise ratio, and group delay at zero frequency.

    Parameters: kind, average or median (with length), smooth (with alpha), kalman (with q and r).
    Returns: average 1/√N and (N − 1)/2; median by order statistics and (N − 1)/2; smooth and kalman √(K/(2 −
    K)) and (1 − K)/K samples, with K the weight of the newest reading.
    Raises: BadInput naming the field that is missing. Source: Smith, The Scientist and Engineer's Guide to
    Digital Signal Processing, ch. 15 and 19.

    >>> tradeoff("average", length=4)
    Tradeoff(noise_ratio=0.5, lag_samples=1.5)
    """
    _check_taken(kind, length=length, alpha=alpha, q=q, r=r)
    if kind in ("average", "median"):
        n = check_whole(_wanted(length, "length", kind), 1, "length")
        return Tradeoff(1.0 / math.sqrt(n) if kind == "average" else median_noise(n), (n - 1) / 2)
    if kind == "smooth":
        gain = check_alpha(_wanted(alpha, "alpha", kind))
    elif kind == "kalman":
        gain = kalman_gain(_wanted(q, "q", kind), _wanted(r, "r", kind)).gain
    else:
        raise BadInput(f"kind must be one of {', '.join(KINDS)}, not {kind}.", "kind")
    return Tradeoff(math.sqrt(gain / (2.0 - gain)), (1.0 - gain) / gain)


def run(
    kind: str,
    values: npt.ArrayLike,
    *,
    length: int | None = None,
    alpha: float | None = None,
    q: float | None = None,
    r: float | None = None,
    x0: float | None = None,
    p0: float | None = None,
) -> Array:
    """Any of the filters by name over values of shape (n,). Raises BadInput naming the field that is
    missing, or that this filter does not take."""
    _check_taken(kind, length=length, alpha=alpha, q=q, r=r, x0=x0, p0=p0)
    if kind == "average":
        return moving_average(values, int(_wanted(length, "length", kind)))
    if kind == "median":
        return moving_median(values, int(_wanted(length, "length", kind)))
    if kind == "smooth":
        return smooth(values, _wanted(alpha, "alpha", kind))
    if kind == "kalman":
        return kalman(values, _wanted(q, "q", kind), _wanted(r, "r", kind), x0, p0)
    raise BadInput(f"kind must be one of {', '.join(KINDS)}, not {kind}.", "kind")


TAKEN = {
    "average": ("length",),
    "median": ("length",),
    "smooth": ("alpha",),
    "kalman": ("q", "r", "x0", "p0"),
}


def _check_taken(kind: str, **given: float | None) -> None:
    for name, value in given.items():
        if value is not None and name not in TAKEN.get(kind, given):
            raise BadInput(f"{name} is not for this filter: {kind} takes {', '.join(TAKEN[kind])}.", name)


def _wanted(value: float | None, name: str, kind: str) -> float:
    if value is None:
        raise BadInput(f"{name} is missing: a {kind} filter needs it.", name)
    return value
