"""Infrared triangulation ranger: a voltage that falls hyperbolically with distance, ``V = a/(d + b) + c``."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_order, check_positive
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

OK, NO_ECHO, TOO_NEAR, TOO_FAR = 0, 1, 2, 3
REASONS = (
    "",
    "the voltage is at or below what nothing in front would give",
    "nearer than the useful range: the same voltage belongs to two distances",
    "farther than the useful range",
)


@dataclass(frozen=True)
class Hyperbola:
    """``V = a/(d + b) + c`` with a in V·mm, b in mm, c in V; ``residual_sd_mm`` is None for three points."""

    a: float
    b: float
    c: float
    residual_sd_mm: float | None
    monotonic_from_mm: float | None


def volts_at(distance_mm: npt.ArrayLike, a: float, b: float, c: float) -> Array:
    """Voltage at a distance on the far branch, V. Any shape.

    >>> float(volts_at(100.0, 260.0, 9.0, 0.05).round(4))
    2.4353
    """
    return a / (np.asarray(distance_mm, dtype=np.float64) + b) + c


@dataclass(frozen=True)
class TriangulatedDistances:
    """Distances, mm (NaN where the voltage belongs to none), and codes into REASONS."""

    distance_mm: Array
    reason: npt.NDArray[np.int8]


def distances(
    volts: npt.ArrayLike,
    a: float | Array,
    b: float | Array,
    c: float | Array,
    min_mm: float = 100.0,
    max_mm: float = 800.0,
) -> TriangulatedDistances:
    """Voltage to distance on the far branch, ``a/(V − c) − b``.

    Parameters: volts, any shape, V, NaN = missing; a, b, c of the fit, or one for each; min_mm and max_mm,
    the useful range.
    Returns: TriangulatedDistances. Nearer than the peak the voltage falls again, so a distance below min_mm
    is a number without meaning. Source: triangulation geometry; common practice.

    >>> distances(2.4353211, 260.0, 9.0, 0.05).distance_mm.round(2).tolist()
    100.0
    """
    check_positive(float(np.min(a)), "a")
    check_order(min_mm, max_mm, "min_mm", "max_mm")
    v = np.asarray(volts, dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        distance = a / (v - c) - b
        reason = np.zeros(v.shape, np.int8)
        reason[distance > max_mm * (1 + 1e-12)] = TOO_FAR
        reason[distance < min_mm * (1 - 1e-12)] = TOO_NEAR
        reason[~(v > c)] = NO_ECHO
    return TriangulatedDistances(np.where(v > c, distance, np.nan), reason)


def mm_per_volt(distance_mm: npt.ArrayLike, a: float, b: float) -> Array:
    """How far one volt reaches at a distance, mm/V: ``(d + b)²/a``; it worsens with the square of the
    distance."""
    return (np.asarray(distance_mm, dtype=np.float64) + b) ** 2 / a


def monotonic_from_mm(distance_mm: Array, volts: Array) -> float | None:
    """The smallest distance from which on the mean voltage strictly falls, or None when it does not at the
    far end."""
    places = np.unique(distance_mm)
    means = np.array([volts[distance_mm == place].mean() for place in places])
    falls = np.diff(means) < 0
    if falls.size == 0 or not falls[-1]:
        return None
    last_rise = np.flatnonzero(~falls)
    return float(places[last_rise[-1] + 1] if last_rise.size else places[0])


def fit(
    distance_mm: npt.ArrayLike, volts: npt.ArrayLike, min_mm: float = 100.0, max_mm: float = 800.0
) -> Hyperbola:
    """Fit the far branch: least squares in volts on the points within min_mm…max_mm.

    Parameters: distance_mm, volts: shape (n,), at least three different distances within the range.
    Returns: Hyperbola; residual_sd_mm is the sd (n − 3) of inverted less true distance.
    Raises: BadInput for ``pairs``. Source: Levenberg-Marquardt by scipy.optimize.least_squares, begun at the
    best of a ladder of b, at each of which a and c are a straight line.
    """
    check_order(min_mm, max_mm, "min_mm", "max_mm")
    every_d, every_v = np.asarray(distance_mm, dtype=np.float64), np.asarray(volts, dtype=np.float64)
    inside = (every_d >= min_mm) & (every_d <= max_mm)
    d, v = every_d[inside], every_v[inside]
    if np.unique(d).size < 3:
        raise BadInput(
            f"pairs need at least three different distances from {min_mm:g} to {max_mm:g} mm.", "pairs"
        )
    from scipy.optimize import least_squares  # here, since loading it takes longer than most calculations

    def line(b: float) -> tuple[float, float, float]:
        design = np.column_stack([1 / (d + b), np.ones_like(d)])
        (a, c), *_ = np.linalg.lstsq(design, v, rcond=None)
        return float(((design @ [a, c] - v) ** 2).sum()), float(a), float(c)

    near = float(d.min())
    ladder = np.concatenate([-near * np.array([0.9, 0.6, 0.3]), near * np.geomspace(0.001, 100, 40)])
    b = float(min(ladder, key=lambda item: line(float(item))[0]))
    _, a, c = line(b)
    scale = np.array([abs(a) or 1.0, near, float(np.ptp(v)) or 1.0])
    solved = least_squares(
        lambda p: p[0] * scale[0] / (d + p[1] * scale[1]) + p[2] * scale[2] - v,
        np.array([a, b, c]) / scale,
        method="lm",
        xtol=1e-15,
        ftol=1e-15,
        gtol=1e-15,
        max_nfev=20_000,
    )
    a, b, c = (float(item) for item in solved.x * scale)
    if not (a > 0 and near + b > 0):
        raise BadInput(
            "pairs must show a voltage that falls as the target goes away, ever more slowly.", "pairs"
        )
    residual = None
    if d.size > 3:
        with np.errstate(divide="ignore"):
            off = a / (v - c) - b - d
        if bool((v > c).all()):
            residual = float(np.sqrt((off**2).sum() / (d.size - 3)))
    return Hyperbola(a, b, c, residual, monotonic_from_mm(every_d, every_v))
