"""The ruler procedure: is the target still, is the number plausible, and what do the held places say."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core import ranging, sound
from tickstone.core.noise import stillness

PLACES_MM = (150.0, 250.0, 400.0, 600.0, 900.0)
HOLD_S = 2.0
RULER_SD_MM = 1.0  # how well a target can be put at a ruler's mark by hand
LEAST_LIMIT_US = 8.0
SAME_PLACE_US = 24.0
FAR_OFF_MM = 15.0  # a part-sheet ranger with an unknown zero; more than that is a slip or a target not yet moved
FAR_OFF_SHARE = 0.06  # the speed of sound between a frosty shed and a hot greenhouse
SUSPECT_SIGMAS = 4.0
GOOD_MM = 3.0
LEAST_PLACES = 3


@dataclass(frozen=True)
class Place:
    """A held place: the ruler's reading and the echo's mean, sd and count."""

    true_mm: float
    echo_us: float
    sd_us: float
    n: int
    ruler_sd_mm: float = RULER_SD_MM
    air_c: float | None = None


@dataclass(frozen=True)
class Holding:
    """The judgement of a moment: ``ready`` when the window may be taken; ``why_not`` is a sentence otherwise."""

    ready: bool
    why_not: str
    spread_us: float | None
    wanted_us: float
    held_s: float
    echo_us: float | None
    n: int


def still_limit_us(jitter_us: float) -> float:
    """The largest spread that counts as still, from the ranger's usual jitter."""
    return max(LEAST_LIMIT_US, 2.0 * jitter_us)


def judge_hold(
    times_s: npt.ArrayLike, echoes_us: npt.ArrayLike, *, true_mm: float, said_mm: npt.ArrayLike,
    held: Sequence[Place], jitter_us: float,
) -> Holding:  # fmt: skip
    """Judge whether the last HOLD_S seconds can be taken as a place.

    Parameters: times_s, echoes_us, said_mm: shape (n,), the window's times, raw echoes (NaN = dropout) and distances by
    today's constants; true_mm, what the ruler says; held, places held already; jitter_us, the ranger's usual jitter.
    Returns: Holding. The echo must be still, differ from every held place, and roughly fit the ruler's number: a typing
    slip or a target not yet moved shows there.
    """
    limit = still_limit_us(jitter_us)
    times, echoes = np.asarray(times_s, np.float64), np.asarray(echoes_us, np.float64)
    usable = np.isfinite(echoes)
    span = float(times[-1] - times[0]) if times.size else 0.0
    if usable.sum() < 2:
        return Holding(False, "No echo yet: point the ranger at the target.", None, limit, 0.0, None, int(usable.sum()))
    seen = stillness(echoes, limit, least=max(5, math.ceil(0.6 * times.size)))
    state = (seen.spread, limit, span, seen.mean, seen.n)
    if not seen.still:
        if seen.spread > limit:
            return Holding(False, f"Hold still: spread {seen.spread:.0f} µs, wanted under {limit:.0f}.", *state)
        if abs(seen.drift) > limit / 2:
            return Holding(False, f"Hold still: it moved by {abs(seen.drift):.0f} µs just now.", *state)
        return Holding(False, "Too few echoes: square the target to the ranger.", *state)
    for place in held:
        if abs(place.echo_us - seen.mean) < SAME_PLACE_US and place.true_mm != true_mm:
            return Holding(False, f"The echo is the same as at {place.true_mm:g} mm: has the target moved?", *state)
    said = float(np.nanmedian(np.asarray(said_mm, np.float64)))
    if abs(said - true_mm) > max(FAR_OFF_MM, FAR_OFF_SHARE * true_mm):
        return Holding(False, f"The echo says about {said:.0f} mm, not {true_mm:g}. Move the target, or correct the "
                              "number.", *state)  # fmt: skip
    if span < HOLD_S * 0.9:
        return Holding(False, f"Still for {span:.1f} s of {HOLD_S:g} s.", *state)
    return Holding(True, "", *state)


@dataclass(frozen=True)
class Outcome:
    """What the held places say: the fit (None below two places), residuals in σ, verdict, and which to repeat."""

    fit: ranging.RulerFit | None
    sigmas: tuple[float, ...]
    verdict: str
    heading: str
    repeat: tuple[float, ...]
    can_accept: bool
    air_c: float | None
    jitter_us: float | None
    jitter_sd_us: float | None
    agreement: str


def outcome(places: Sequence[Place], wanted: int, humidity_pct: float) -> Outcome:
    """Fit the held places and put the result into words.

    Parameters: places in any order; wanted, how many were planned; humidity_pct for the comparison with the air.
    Returns: Outcome; at least three places at different distances are needed to accept.
    """
    count = f"{len(places)} of {max(wanted, len(places))} places held"
    airs = [place.air_c for place in places if place.air_c is not None]
    air = float(np.mean(airs)) if airs else None
    jitter = _pooled_jitter(places)
    if len({place.true_mm for place in places}) < 2:
        return Outcome(None, (), "Two places make a line; five make a good one.", count, (), False, air, *jitter, "")
    fit = ranging.fit_ruler([p.true_mm for p in places], [p.echo_us for p in places])
    sigmas = _studentised(places, fit)
    repeat = _suspects(places)
    if fit.speed_sd is None or fit.residual_sd_mm is None:
        return Outcome(fit, sigmas, "Two places fit any line: hold a third.", count, (), False, air, *jitter, "")
    spread = 2 * fit.residual_sd_mm
    if repeat:
        off = next(abs(s) for p, s in zip(places, sigmas, strict=True) if p.true_mm == repeat[0])
        verdict = f"Repeat {repeat[0]:g} mm: it is {off:.0f} σ off."
        heading = f"The place at {repeat[0]:g} mm does not fit the others"
        return Outcome(fit, sigmas, verdict, heading, repeat, len(places) >= LEAST_PLACES, air, *jitter, "")
    if len(places) < wanted:
        verdict = f"So far ± {spread:.1f} mm. The {_left(wanted - len(places))} will make it firmer."
    elif fit.residual_sd_mm <= GOOD_MM:
        verdict = f"Good: the places agree within ± {spread:.1f} mm."
    else:
        verdict = f"Rough: the places scatter by ± {spread:.1f} mm. Check the ruler's zero and repeat."
    done = f"{count}; " if len(places) < wanted else "Every place held; "
    heading = f"{done}sound is {fit.speed_m_s:.1f} ± {2 * fit.speed_sd:.1f} m/s"
    return Outcome(fit, sigmas, verdict, heading, repeat, len(places) >= LEAST_PLACES, air, *jitter,
                   _agreement(fit, air, humidity_pct))  # fmt: skip


def _left(number: int) -> str:
    return "last place" if number == 1 else f"other {number} places"


def _pooled_jitter(places: Sequence[Place]) -> tuple[float | None, float | None]:
    """Pooled sd of the held spans, µs, and that sd's own standard uncertainty (JCGM 100:2008, E.4.3)."""
    freedom = sum(place.n - 1 for place in places if place.n > 1)
    if not freedom:
        return None, None
    pooled = math.sqrt(sum((p.n - 1) * p.sd_us**2 for p in places if p.n > 1) / freedom)
    return pooled, pooled / math.sqrt(2 * freedom)


def _suspects(places: Sequence[Place]) -> tuple[float, ...]:
    """The places that do not fit the rest, worst first. One bad place drags the line and makes good ones look bad, so
    the worst is set aside and the others are judged anew, as long as three are left."""
    left = list(places)
    found: list[float] = []
    while len(left) > LEAST_PLACES:
        fit = ranging.fit_ruler([p.true_mm for p in left], [p.echo_us for p in left])
        sigmas = np.abs(_studentised(left, fit))
        worst = int(np.argmax(sigmas))
        if sigmas[worst] <= SUSPECT_SIGMAS:
            break
        found.append(left.pop(worst).true_mm)
        if len({p.true_mm for p in left}) < 2:
            break
    return tuple(found)


def _studentised(places: Sequence[Place], fit: ranging.RulerFit) -> tuple[float, ...]:
    """Residuals in units of what ruler and jitter explain, allowing for each place's pull on the line."""
    true = np.array([place.true_mm for place in places])
    centre = true.mean()
    leverage = 1 / len(true) + (true - centre) ** 2 / max(float(((true - centre) ** 2).sum()), 1e-9)
    expected = np.array([
        math.hypot(p.ruler_sd_mm, fit.speed_m_s / 2000.0 * p.sd_us / math.sqrt(max(p.n, 1))) for p in places
    ])  # fmt: skip
    free = np.sqrt(np.clip(1 - leverage, 1e-6, None))
    scaled = np.array(fit.residuals_mm) / (expected * free)
    return tuple(np.where(leverage > 1 - 1e-6, 0.0, scaled).tolist())


def _agreement(fit: ranging.RulerFit, air_c: float | None, humidity_pct: float) -> str:
    if air_c is None or fit.speed_sd is None:
        return ""
    formula = float(sound.speed_of_sound_cramer(air_c, humidity_pct))
    apart = abs(formula - fit.speed_m_s)
    allowed = 2 * math.hypot(fit.speed_sd, sound.sensitivity_m_s_per_k(air_c, humidity_pct))
    said = f"The air says {formula:.1f} m/s at {air_c:.1f} °C"
    if apart <= allowed:
        return f"{said}: they agree."
    return f"{said}: {apart:.1f} m/s apart, more than their ± allow. Check the ruler or the thermometer."
