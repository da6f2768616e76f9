"""Drift: a reading that creeps one way while nothing it senses does."""

from __future__ import annotations

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.nothing import nothing
from tickstone.core.diagnosis.record import (
    ACCEL,
    AIR,
    DISTANCE,
    ECHO,
    GYRO,
    LIGHT,
    OTHER,
    RANGING,
    SUPPLY,
    Array,
    Record,
    Signal,
    Stream,
)
from tickstone.core.wording import significant

BLOCKS = 12
FEWEST_S = 4.0
STEADY = 5.0  # the way it went, in deviations of its blocks from a smooth curve
LEAP = 0.4  # of the way, from one block to the next: that is a step and no creeping
EVEN = 0.9  # rank correlation with time
LEAST_NOISES = 5.0
LEAST_SHARE = 0.03  # of full scale: a day's light makes less
LINE_SHARE = 0.25  # of full scale: that much a line makes, and no drift
UNDER_SHARE = 0.3  # of full scale, between two sensors of a row: a line lies under it
MOST = 0.6  # of the sensors
LEAST_DPS, LEAST_G = 0.8, 0.04
LEAST_RANGE = 0.02  # of a distance that is held
SLOWEST_MM_S = 4.0  # at which anybody moves a target
FASTEST_SUPPLY = 0.02  # per second, of its reading: a battery's own slope is slower by far
FASTEST_AIR = 0.05  # °C/s: no room warms like that
FOLLOWS = 0.95  # correlation from which one creeps with the other
FULL = 1023.0


def find_drift(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """A slow way of one signal, where nothing at rest or in use goes that way."""
    if signal.nature == ACCEL:
        return _of_gravity(record, stream, signal)
    if signal.nature in (ECHO, DISTANCE, RANGING):
        return _of_a_held_target(record, stream, signal)
    if signal.nature not in (LIGHT, OTHER, GYRO, SUPPLY, AIR):
        return []
    rows = np.flatnonzero(signal.present & ~nothing(stream, signal))
    t, x = stream.times_s[rows], signal.values[rows]
    way = _way(t, x)
    if way is None:
        return []
    moved, sigmas = way
    lasted = float(t[-1] - t[0])
    if signal.nature == SUPPLY:
        least = FASTEST_SUPPLY * lasted * abs(float(np.median(x)))
    elif signal.nature == AIR:
        least = max(FASTEST_AIR * lasted, 1.0)
    elif signal.nature == GYRO:
        least = max(LEAST_DPS / abs(signal.scale) if signal.scale else 0.0, 1.5 * signal.noise)
    else:
        full = FULL if signal.ends is None else signal.ends[1] - signal.ends[0]
        if stream.row and _a_line_moves(stream, moved, full):
            return []
        least = max(LEAST_NOISES * signal.noise, LEAST_SHARE * full)
    return _told(record, stream, signal, (float(t[0]), float(t[-1])), moved, sigmas, least, _unit(signal))


def _a_line_moves(stream: Stream, moved: float, full: float) -> bool:
    """Whether a line that is shifted slowly explains it: it moves a sensor by much of the whole range, and
    where one lies under the row, what most sensors do not do is the line's doing."""
    if abs(moved) > LINE_SHARE * full:
        return True
    row = [signal.values for signal in stream.of(LIGHT) if signal.known.size == stream.times_s.size]
    if len(row) < 2 or float(np.median(np.ptp(row, axis=0))) < UNDER_SHARE * full:
        return False
    ways = np.array([_slope(item) for item in row]) / moved
    return bool((ways > 0.5).mean() < MOST)


def _unit(signal: Signal) -> str:
    return {AIR: " °C", GYRO: "" if signal.scale != 1.0 else " °/s"}.get(signal.nature, "")


def _way(t: Array, x: Array) -> tuple[float, float] | None:
    """How far a signal crept from its beginning to its end, and how many deviations of its blocks that is;
    None where it went no one way. Its low and its high readings must both go, so that what passes by does not
    count."""
    if x.size < 2 * BLOCKS or float(t[-1] - t[0]) < FEWEST_S:
        return None
    size = x.size // BLOCKS
    blocks = np.sort(x[: size * BLOCKS].reshape(BLOCKS, size), axis=1)
    place = np.arange(BLOCKS) - (BLOCKS - 1) / 2
    ways, sigmas = [], []
    for share in (0.1, 0.5, 0.9):
        levels = blocks[:, min(size - 1, int(share * size))]
        slope = float(place @ levels) / float(place @ place)
        ranks = np.argsort(np.argsort(levels))
        if abs(float(np.corrcoef(ranks, place)[0, 1])) < EVEN:
            return None
        bent = np.polynomial.polynomial.polyfit(place, levels, 2)
        rest = levels - np.polynomial.polynomial.polyval(place, bent)
        if float(np.abs(np.diff(levels)).max()) > LEAP * abs(slope * BLOCKS):
            return None
        ways.append(slope * BLOCKS)
        sigmas.append(abs(slope * BLOCKS) / max(float(np.sqrt((rest**2).sum() / (BLOCKS - 3))), 1e-9))
    if len({np.sign(way) for way in ways}) > 1 or max(map(abs, ways)) > 3 * min(map(abs, ways)):
        return None
    return (ways[1], min(sigmas)) if min(sigmas) > STEADY else None


def _told(
    record: Record,
    stream: Stream,
    signal: Signal,
    span: tuple[float, float],
    moved: float,
    sigmas: float,
    least: float,
    unit: str,
) -> list[Finding]:
    if abs(moved) < 0.6 * least:
        return []
    sure = min(
        ramp(abs(moved) / least, (0.6, 0.3), (1.0, 0.52), (2.0, 0.78), (5.0, 0.93)),
        ramp(sigmas, (5, 0.55), (10, 0.95)),
    )
    text = (
        f"it crept by {'+' if moved > 0 else ''}{significant(moved)}{unit} in {span[1] - span[0]:.0f} s, "
        f"all one way; its noise is {significant(signal.noise, 2)}."
    )
    first: tuple[str, ...] = ()
    for nature, cause in ((AIR, "it follows the temperature"), (SUPPLY, "it follows the supply")):
        side = record.side(nature)
        if side is not None and signal.nature not in (AIR, SUPPLY):
            follows = _follows(stream, signal, side)
            if abs(follows) > FOLLOWS:
                text = (
                    text[:-1]
                    + f", and goes with the {'temperature' if nature == AIR else 'supply'} ({follows:+.2f})."
                )
                first = (*first, cause)
    return [found("drift", stream.key, signal.name, signal.nature, span, sure, text, *first)]


def _follows(stream: Stream, signal: Signal, side: tuple[Array, Array]) -> float:
    """Correlation of a signal's levels with another one's, block by block."""
    t, x = stream.times_s[signal.present], signal.known
    size = x.size // BLOCKS
    levels = np.median(x[: size * BLOCKS].reshape(BLOCKS, size), axis=1)
    when = t[: size * BLOCKS].reshape(BLOCKS, size).mean(axis=1)
    other = np.interp(when, *side)
    if np.ptp(other) <= 0 or np.ptp(levels) <= 0:
        return 0.0
    return float(np.corrcoef(levels, other)[0, 1])


def _of_gravity(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """Axes may creep while it is tilted slowly; gravity's own size may not."""
    axes = [signal for signal in stream.of(ACCEL) if signal.scale is not None]
    if len(axes) != 3 or signal is not axes[0]:
        return []
    present = np.logical_and.reduce([signal.present for signal in axes])
    size = np.sqrt(
        sum(((signal.values[present] - signal.zero) * (signal.scale or 1.0)) ** 2 for signal in axes)
    )
    t = stream.times_s[present]
    way = _way(t, np.asarray(size))
    if way is None:
        return []
    which = max(axes, key=lambda signal: abs(_slope(signal.values[present])) * abs(signal.scale or 1.0))
    return _told(record, stream, which, (float(t[0]), float(t[-1])), way[0], way[1], LEAST_G, " g")


def _slope(x: Array) -> float:
    size = max(1, x.size // BLOCKS)
    return float(np.median(x[-size:]) - np.median(x[:size]))


def _of_a_held_target(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """A ranger's reading may only creep where a mark says that the target stands."""
    marks = [item for item in record.truths if item.mm is not None and item.sensor in (None, stream.key)]
    good = signal.present & ~nothing(stream, signal)
    for mm in sorted({mark.mm for mark in marks if mark.mm is not None}):
        here = np.zeros(good.shape, np.bool_)
        for truth in marks:
            if truth.mm == mm:
                here |= good & (stream.times_s >= truth.t0_s) & (stream.times_s <= truth.t1_s)
        t, x = stream.times_s[here], signal.values[here]
        findings = _if_held(record, stream, signal, t, x)
        if findings:
            return findings
    if marks or not good.any() or signal.nature == RANGING:
        return []
    # without a mark: nobody moves a target so slowly and so evenly
    t, x = stream.times_s[good], signal.values[good]
    moved_mm_s = abs(_slope(x)) * (signal.scale or 1.0) / max(float(t[-1] - t[0]), 1e-9)
    return _if_held(record, stream, signal, t, x) if moved_mm_s < SLOWEST_MM_S else []


def _if_held(record: Record, stream: Stream, signal: Signal, t: Array, x: Array) -> list[Finding]:
    way = _way(t, x)
    if way is None:
        return []
    least = max(LEAST_NOISES * signal.noise, LEAST_RANGE * abs(float(np.median(x))))
    return _told(record, stream, signal, (float(t[0]), float(t[-1])), way[0], way[1], least, "")
