"""Filters: where they settle, what they cost, and run over values."""

from __future__ import annotations

from typing import Literal

from tickstone.calculations.registry import Finite, Inputs, Numbers, Result, Whole, calculation, step
from tickstone.core import filters
from tickstone.core.checks import check_not_negative, check_positive

FilterKind = Literal["average", "median", "smooth", "kalman"]


class KalmanGainInputs(Inputs):
    """Variances of a step of the walk (q) and of a reading (r)."""

    q: Finite
    r: Finite


class KalmanGainResult(Result):
    gain: float
    variance: float
    equivalent_samples: float


@calculation("kalman-gain")
def kalman_gain(given: KalmanGainInputs) -> KalmanGainResult:
    """Where a scalar Kalman filter of a random walk settles."""
    gain = filters.kalman_gain(given.q, given.r)
    return KalmanGainResult(
        gain=gain.gain,
        variance=gain.variance,
        equivalent_samples=gain.equivalent_samples,
        steps=[
            step("gain", "(√(ρ² + 4ρ) − ρ) ÷ 2, ρ = q ÷ r", gain.gain),
            step("variance", f"{gain.gain:.4g} × {given.r:g}", gain.variance),
            step("as an average of", f"2 ÷ {gain.gain:.4g} − 1", gain.equivalent_samples, "samples"),
        ],
        assumptions=["the thing measured walks at random"],
    )


class FilterTradeoffInputs(Inputs):
    """Give length (average, median), alpha (smooth), or q and r (kalman)."""

    kind: FilterKind
    rate_hz: Finite
    length: Whole | None = None
    alpha: Finite | None = None
    q: Finite | None = None
    r: Finite | None = None
    speed_m_s: Finite = 0.0


class FilterTradeoffResult(Result):
    noise_ratio: float
    lag_ms: float
    lag_mm: float


@calculation("filter-tradeoff")
def filter_tradeoff(given: FilterTradeoffInputs) -> FilterTradeoffResult:
    """What a filter costs: noise against lag, and how far the vehicle goes in that lag."""
    rate = check_positive(given.rate_hz, "rate_hz")
    speed = check_not_negative(given.speed_m_s, "speed_m_s")
    tradeoff = filters.tradeoff(given.kind, length=given.length, alpha=given.alpha, q=given.q, r=given.r)
    lag_ms = 1000 * tradeoff.lag_samples / rate
    return FilterTradeoffResult(
        noise_ratio=tradeoff.noise_ratio,
        lag_ms=lag_ms,
        lag_mm=lag_ms * speed,
        steps=[
            step("noise left", given.kind, tradeoff.noise_ratio),
            step("lag", f"{tradeoff.lag_samples:.4g} samples ÷ {rate:g} Hz", lag_ms, "ms"),
            step("distance in that lag", f"{lag_ms:.4g} ms × {speed:g} m/s", lag_ms * speed, "mm"),
        ],
        assumptions=["white noise; slow motion"],
    )


class FilterRunInputs(Inputs):
    """Give length (average, median), alpha (smooth), or q and r, and perhaps x0 and p0 (kalman)."""

    kind: FilterKind
    values: Numbers
    length: Whole | None = None
    alpha: Finite | None = None
    q: Finite | None = None
    r: Finite | None = None
    x0: Finite | None = None
    p0: Finite | None = None


class FilterRunResult(Result):
    values: list[float]


@calculation("filter-run")
def filter_run(given: FilterRunInputs) -> FilterRunResult:
    """A filter over a list of values."""
    result = filters.run(
        given.kind,
        given.values,
        length=given.length,
        alpha=given.alpha,
        q=given.q,
        r=given.r,
        x0=given.x0,
        p0=given.p0,
    )
    how = {
        "average": f"mean of the last {given.length}",
        "median": f"median of the last {given.length}",
        "smooth": f"y + {given.alpha} × (x − y)",
        "kalman": f"predict and update with q = {given.q}, r = {given.r}",
    }[given.kind]
    return FilterRunResult(
        values=result.tolist(),
        steps=[step("last value", how, float(result[-1]))],
        assumptions=["trailing: the first values use what there is"],
    )
