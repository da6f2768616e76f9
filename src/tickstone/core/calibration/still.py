"""Is it still? Seen in the readings, not by a timer."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core.calibration.procedure import Array, Hindrance, Lack, Window
from tickstone.core.noise import MAD_TO_SD, step_noise, stillness
from tickstone.core.wording import significant

NOISY = 2.0  # a sensor may be so many times noisier than usual before its spread counts as motion
LEAST = 5
DIFFERENT_SDS = 4.0  # apart that middles must be to belong to two places
RESOLUTION = 1e-4  # of a reading that is always the same, as uncertain as it is taken for
# of the readings, at least: what is set aside as spikes beyond that is another pose, not yet half of the
# window
KEPT = 0.9
HELD = 0.9  # of the wanted seconds: the first reading of a window comes a little late


NO_READING = Hindrance("No reading yet.", Lack.READINGS)
TOO_FEW = Hindrance("Too few readings yet.", Lack.READINGS)


def still_for(window: Window, seconds: float) -> Hindrance | None:
    """That a still window is too short yet; None when it lasts as long as wanted."""
    if window.span_s < HELD * seconds:
        return Hindrance(f"Still for {window.span_s:.1f} s of {seconds:g} s.", Lack.TIME)
    return None


def why_moving(
    window: Window, limits: Mapping[str, tuple[float, str]], seconds: float, plea: str = "Hold still"
) -> Hindrance | None:
    """Why a window may not be taken as still; None when it may.

    Parameters: limits, by channel, the largest sd that counts as still and the unit it is said in; seconds,
    wanted; plea, what to ask for while it moves.
    A noisy sensor at rest is still all the same: its noise is told from motion by second differences.
    """
    for name, (limit, unit) in limits.items():
        readings = window.told(name)
        if readings.size < 2:
            return TOO_FEW if readings.size else NO_READING
        noise = step_noise(readings) or 0.0
        most = max(limit, NOISY * noise)
        seen = stillness(readings, most, LEAST)
        if seen.n < LEAST:
            return TOO_FEW
        if seen.n < KEPT * readings.size:
            return Hindrance(f"{plea}: {name} jumped just now.")
        if seen.spread > most:
            return Hindrance(
                f"{plea}: {name} spreads {figure(seen.spread)} {unit}, wanted under {figure(most)}."
            )
        if not seen.still:
            return Hindrance(f"{plea}: {name} moved by {figure(abs(seen.drift))} {unit} just now.")
    return still_for(window, seconds)


def differs(before: Array, after: Array) -> bool:
    """Whether two stretches of one channel, shape (n,) and (m,), NaN where not told, stand at different
    places: their middles are farther apart than noise moves them. Fewer than LEAST readings on a side tell
    nothing.

    >>> differs(np.array([5.0, 6, 5, 6, 5]), np.array([9.0, 8, 9, 9, 8]))
    True
    """
    item, other = before[np.isfinite(before)], after[np.isfinite(after)]
    if min(item.size, other.size) < LEAST:
        return False
    spread = max(float(np.median(np.abs(some - np.median(some)))) for some in (item, other))
    noise = max(MAD_TO_SD * spread, RESOLUTION * max(abs(float(np.median(item))), 1.0))
    return abs(float(np.median(item)) - float(np.median(other))) > DIFFERENT_SDS * noise


def why_saturated(window: Window, names: Mapping[str, tuple[float, float]]) -> Hindrance | None:
    """Why a window is worth nothing: a channel stands at an end of its span (low, high); None when none
    does."""
    for name, (low, high) in names.items():
        readings = window.told(name)
        if not readings.size:
            continue
        at = float(np.median(readings))
        if at <= low or at >= high:
            return Hindrance(
                f"{name} stands at an end of its range ({at:.0f}): it cannot tell how much more there is."
            )
    return None


def figure(value: float) -> str:
    """A number short enough to read from afar."""
    return (
        f"{value:.0f}"
        if abs(value) >= 10
        else f"{value:.1f}"
        if abs(value) >= 1
        else significant(round(value, 9), 2)
    )
