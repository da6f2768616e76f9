"""Ultrasonic ranging: echo time to distance and back, its uncertainty, and the fit against a ruler."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from tickstone.core import sound
from tickstone.core.checks import check_length, check_not_negative
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

RULE_RANGE_C = (-20.0, 60.0)

OK, DROPOUT, TOO_NEAR, TOO_FAR = 0, 1, 2, 3
REASONS = ("", "dropout", "nearer than the ranger can see", "farther than the ranger can see")


@dataclass(frozen=True)
class Distances:
    """Converted echoes: ``distance_mm`` is NaN where ``reason`` is DROPOUT; REASONS names the codes."""

    distance_mm: Array
    reason: npt.NDArray[np.int8]

    @property
    def valid(self) -> npt.NDArray[np.bool_]:
        """True where the distance means something."""
        return np.asarray(self.reason == OK)


def distances_from_echoes(
    echo_us: npt.ArrayLike,
    speed_m_s: npt.ArrayLike,
    offset_mm: float = 0.0,
    min_mm: float = 20.0,
    max_mm: float = 4000.0,
) -> Distances:
    """Distance from round-trip echo time: ``c·t/2 + offset``.

    Parameters: echo_us, shape (n,), µs, 0 or NaN = no echo; speed_m_s, m/s, scalar or shape (n,); offset_mm,
    mm, added; min_mm and max_mm, the ranger's useful reach, judged after the offset.
    Returns: Distances with arrays of shape (n,). An echo of 0, and one longer than the reach by half again (a
    time-out), is a dropout.
    Source: common practice.

    >>> distances_from_echoes([1457.0, 0.0], 343.0).distance_mm.round(2).tolist()
    [249.88, nan]
    """
    echo = np.atleast_1d(np.asarray(echo_us, dtype=np.float64))
    speed = np.asarray(speed_m_s, dtype=np.float64)
    with np.errstate(invalid="ignore"):
        distance = speed * echo / 2000.0 + offset_mm
        reason = np.zeros(echo.shape, np.int8)
        reason[distance < min_mm] = TOO_NEAR
        reason[distance > max_mm] = TOO_FAR
        reason[~(echo > 0) | (distance > TIME_OUT_FACTOR * max_mm)] = DROPOUT
    return Distances(np.where(reason == DROPOUT, np.nan, distance), reason)


TIME_OUT_FACTOR = 1.5  # a pulse half as long again as the reach is a time-out of the ranger, not an echo


def echo_from_distance_us(distance_mm: float, speed_m_s: float, offset_mm: float = 0.0) -> float:
    """Round-trip echo time, µs: the inverse of distances_from_echoes for one value.

    >>> round(echo_from_distance_us(249.8755, 343.0), 6)
    1457.0
    """
    if distance_mm < offset_mm:
        raise BadInput(
            f"distance_mm must be at least the offset {offset_mm:g}: no echo is shorter than 0 µs.",
            "distance_mm",
        )
    return 2000.0 * (distance_mm - offset_mm) / speed_m_s


def carried_speed_m_s(
    fitted_m_s: float, fitted_at_c: float, temperature_c: npt.ArrayLike, humidity_pct: float
) -> npt.NDArray[np.float64]:
    """A speed fitted at one air temperature, carried to another by the ratio c(T)/c(T_fit) of Cramer's
    formula.

    Returns m/s with the shape of temperature_c, so that a ruler calibration does not switch temperature off.
    """
    now = sound.speed_of_sound_cramer(np.asarray(temperature_c, dtype=np.float64), humidity_pct)
    then = sound.speed_of_sound_cramer(fitted_at_c, humidity_pct)
    return np.asarray(fitted_m_s * now / then, dtype=np.float64)


def tick_sd_us(tick_us: float) -> float:
    """Standard uncertainty of a pulse timed by a clock of step ``tick_us``: two edges, each tick/√12, give
    tick/√6."""
    return tick_us / math.sqrt(6.0)


@dataclass(frozen=True)
class RuleOfThumb:
    """A rule of thumb for turning µs into a distance, as the speed of sound it stands for."""

    name: str
    speed_m_s: float


# Common practice: what people type into their programs.
RULES = (
    RuleOfThumb("340 m/s", 340.0),
    RuleOfThumb("341 m/s", 341.0),
    RuleOfThumb("343 m/s", 343.0),
    RuleOfThumb("µs ÷ 2 ÷ 29.1, cm", 10_000.0 / 29.1),
    RuleOfThumb("µs ÷ 58, cm", 20_000.0 / 58.0),
    RuleOfThumb("µs ÷ 148, in", 2.0 * 25_400.0 / 148.0),
)


@lru_cache(maxsize=64)
def rules_exact_at_c(humidity_pct: float) -> tuple[float | None, ...]:
    """Air temperature at which each rule of thumb is exact, °C, or None outside −20…60 °C."""
    speeds = [rule.speed_m_s for rule in RULES]
    exact = sound.temperatures_of_cramer_speeds(speeds, humidity_pct, *RULE_RANGE_C)
    return tuple(float(at) if np.isfinite(at) else None for at in exact)


@dataclass(frozen=True)
class RulerFit:
    """Speed and offset fitted from (true distance, echo) pairs; sds are None with two pairs.

    ``covariance`` is that of speed and offset, m/s·mm; ``residuals_mm`` are converted minus true, in input
    order.
    """

    speed_m_s: float
    speed_sd: float | None
    offset_mm: float
    offset_sd: float | None
    covariance: float | None
    residual_sd_mm: float | None
    residuals_mm: tuple[float, ...]


def fit_ruler(true_mm: npt.ArrayLike, echo_us: npt.ArrayLike) -> RulerFit:
    """Fit speed of sound and offset to ruler readings: least squares of echo on true distance, inverted.

    Parameters: true_mm, shape (n,), mm; echo_us, shape (n,), µs; n ≥ 2 and at least two different distances.
    Returns: RulerFit; the sds follow by first-order propagation with n − 2 degrees of freedom, and the sign
    of offset_mm is that of distance = c·t/2 + offset.
    Raises: BadInput for field ``pairs``. Source: JCGM 100:2008, annex H.3.

    >>> fit = fit_ruler([100, 200, 300], [600, 1180, 1760])
    >>> round(fit.speed_m_s, 3), round(fit.offset_mm, 3)
    (344.828, -3.448)
    """
    x, y = np.asarray(true_mm, dtype=np.float64), np.asarray(echo_us, dtype=np.float64)
    check_length(x.tolist(), 2, "pairs")
    for value in (*x, *y):
        check_not_negative(float(value), "pairs")
    if np.any(y == 0):
        raise BadInput("pairs hold an echo of 0 µs: that is a dropout, not a reading.", "pairs")
    centre = float(x.mean())
    spread = float(((x - centre) ** 2).sum())
    if spread == 0:
        raise BadInput("pairs need at least two different distances.", "pairs")
    slope = float(((x - centre) * (y - y.mean())).sum()) / spread
    if slope <= 0:
        raise BadInput("pairs must show longer echoes at longer distances.", "pairs")
    intercept = float(y.mean()) - slope * centre
    left_over = y - (intercept + slope * x)
    speed, offset = 2000.0 / slope, -intercept / slope
    residuals = tuple((left_over / slope).tolist())
    if len(x) == 2:
        return RulerFit(speed, None, offset, None, None, None, residuals)
    variance = float((left_over**2).sum()) / (len(x) - 2)
    var_slope = variance / spread
    var_intercept = variance * (1 / len(x) + centre**2 / spread)
    covariance = -centre * var_slope
    # of (speed, offset)
    jacobian = np.array([[-2000.0 / slope**2, 0.0], [intercept / slope**2, -1.0 / slope]])
    spread_out = jacobian @ np.array([[var_slope, covariance], [covariance, var_intercept]]) @ jacobian.T
    sd_speed, sd_offset = (math.sqrt(max(v, 0.0)) for v in np.diag(spread_out))
    return RulerFit(
        speed, sd_speed, offset, sd_offset, float(spread_out[0, 1]), math.sqrt(variance) / slope, residuals
    )


def footprint_mm(distance_mm: float, angle_deg: float) -> float:
    """Diameter of the beam's footprint, mm, for a full cone of ``angle_deg``.

    >>> round(footprint_mm(1000, 15), 1)
    263.3
    """
    return 2.0 * distance_mm * math.tan(math.radians(angle_deg) / 2)


def floor_from_mm(height_mm: float, angle_deg: float) -> float:
    """Horizontal distance, mm, from which a level beam mounted at ``height_mm`` sees the floor.

    >>> round(floor_from_mm(118, 15))
    896
    """
    return height_mm / math.tan(math.radians(angle_deg) / 2)


def longest_wait_us(max_mm: float, speed_m_s: float) -> float:
    """Round trip to the end of the reach, µs: ``2·d/c``.

    >>> round(longest_wait_us(4000, 343.2) / 1000, 1)
    23.3
    """
    return 2000.0 * max_mm / speed_m_s


def fit_band(fit: RulerFit, true_mm: list[float]) -> list[tuple[float, float, float]]:
    """The fitted line along a ruler: (true mm, echo µs, ± µs at 95 %) for each place; ± is 0 without sds.

    First-order propagation of the sds and covariance of speed and offset (JCGM 100:2008, 5.2).
    """
    band = []
    for place in true_mm:
        echo = 2000.0 * (place - fit.offset_mm) / fit.speed_m_s
        spread = 0.0
        if fit.speed_sd is not None and fit.offset_sd is not None:
            by_speed, by_offset = -echo / fit.speed_m_s, -2000.0 / fit.speed_m_s
            variance = (by_speed * fit.speed_sd) ** 2 + (by_offset * fit.offset_sd) ** 2
            variance += 2 * by_speed * by_offset * (fit.covariance or 0.0)
            spread = 2.0 * math.sqrt(max(variance, 0.0))
        band.append((place, echo, spread))
    return band
