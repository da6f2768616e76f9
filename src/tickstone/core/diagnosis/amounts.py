"""Spikes, stuck and clipped signals: what sampled amounts do that nothing at the bench does."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy.special import log_ndtr

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
    PINNED_ROWS,
    RANGING,
    SOUND,
    SUPPLY,
    Array,
    Flags,
    Record,
    Rows,
    Signal,
    Stream,
    runs,
)
from tickstone.core.noise import MAD_TO_SD
from tickstone.core.wording import significant

AMOUNTS = (ECHO, DISTANCE, LIGHT, RANGING, ACCEL, GYRO, AIR, SUPPLY, SOUND, OTHER)

SPIKE_NOISES = 8.0  # a normal noise does this once in 10¹⁵ readings
SPIKE_SHARE = 0.01  # of a ranger's reading: below that a spike does no harm
FLOOR = 0.6  # of a step: rounding alone makes a spike no wider
BEYOND = 0.5  # of that, a spike lies beyond the readings just before and after it
AS_FAR = 0.4  # of what a gyro says, gravity has turned: then it was a jerk
NEIGHBOURS_APART = 3.0  # a spike stands out by so many times what its neighbours differ by: an edge does not
BLOCK = 50  # readings over which the noise around a spike is told
BESIDE = 8  # readings on either side, of which the pose is told
KNOCK_ROWS = 6  # readings on either side, within which a knock rings on the other axes
MOST_SPIKES = 0.25  # of the readings: beyond that it is no spike but what the signal is like

STUCK_ROWS = 12  # fewer equal readings in a row happen
STUCK_S = 0.25
FINEST = 0.2  # of a step: with less noise than that equal readings are nothing remarkable
QUANTILE, OF_SD = 0.6, 0.8416  # of sizes, and what it is for a normal noise of sd 1; steadier than the median
PARTS = 24  # readings in a part of which the noise is told
RESTS_ROWS, RESTS_SHARE = 6, 0.03  # of a signal that is pinned to a value again and again
SWING_NOISES, LEAST_SWINGS = 12.0, 3  # a row's sensor that sees a line come and go, and how often it must
FINE_G, FINE_DPS = 0.002, 0.02  # a step so fine never stands still in a real part


def find_spikes(stream: Stream, signal: Signal) -> list[Finding]:
    """Single readings that stand alone, and go back to where they came from."""
    if signal.nature not in AMOUNTS:
        return []
    rows, x = _readings(stream, signal)
    out = _alone(signal, x)
    if stream.row and out.any():
        out &= ~_crossing(stream, signal, rows, out)
    if signal.nature in (ACCEL, GYRO):  # a push or a turn lasts for more than a reading
        out &= ~(np.concatenate([[False], out[:-1]]) | np.concatenate([out[1:], [False]]))
    if signal.nature == ACCEL and out.any():
        out &= ~_knocked(stream, signal, rows[out], out)
    if signal.nature == GYRO and out.any():
        out &= ~_really_turned(stream, signal, rows, out)
    indices = np.array([first for first, _ in runs(out)], np.intp)
    if not indices.size or indices.size > MOST_SPIKES * x.size:
        return []
    heights = np.abs(
        x[indices] - np.median(np.stack([x[indices - 1], x[np.minimum(indices + 1, x.size - 1)]]), axis=0)
    )
    sure = ramp(indices.size, (1, 0.42), (2, 0.55), (3, 0.72), (6, 0.88), (20, 0.95))
    worst = int(indices[np.argmax(heights)])
    text = (
        f"{indices.size} of {x.size} readings stand alone, by {significant(float(np.median(heights)))} and "
        f"up to {significant(float(heights.max()))}; noise is "
        f"{significant(max(signal.noise, signal.quantum / 4), 2)}. The farthest says "
        f"{significant(x[worst], 4)} between {significant(x[worst - 1], 4)} and "
        f"{significant(x[min(worst + 1, x.size - 1)], 4)}."
    )
    span = stream.times_s[rows[indices[0]]], stream.times_s[rows[indices[-1]]]
    return [found("spikes", stream.key, signal.name, signal.nature, span, sure, text)]


def _readings(stream: Stream, signal: Signal) -> tuple[Rows, Array]:
    """Rows that hold a reading, and the readings."""
    rows = np.flatnonzero(signal.present & ~nothing(stream, signal))
    return rows, signal.values[rows]


def _alone(signal: Signal, x: Array) -> Flags:
    """Readings that stand out from the three of their four neighbours that agree best."""
    flags = np.zeros(x.size, np.bool_)
    if x.size < 12:
        return flags
    around = np.sort(np.stack([x[:-4], x[1:-3], x[3:-1], x[4:]]), axis=0)
    low = around[2] - around[0] <= around[3] - around[1]
    middle = np.where(low, around[1], around[2])
    apart = np.where(low, around[2] - around[0], around[3] - around[1])
    r = np.abs(x[2:-2] - middle)
    floor = max(FLOOR * signal.quantum, signal.noise)
    whole = r.size // BLOCK * BLOCK
    local = MAD_TO_SD * np.median(r[:whole].reshape(-1, BLOCK), axis=1)
    if whole < r.size:
        local = np.append(local, MAD_TO_SD * np.median(r[whole:]))
    if local.size > 2:
        local = np.maximum(local, np.maximum(np.append(local[1:], 0.0), np.append(0.0, local[:-1])))
    sigma = np.maximum(np.repeat(local, BLOCK)[: r.size], floor)
    limit = np.maximum(SPIKE_NOISES * sigma, NEIGHBOURS_APART * apart)
    if signal.nature in (ECHO, DISTANCE):
        limit = np.maximum(limit, SPIKE_SHARE * np.abs(middle))
    left, right = x[1:-3], x[3:-1]
    beyond = np.maximum(x[2:-2] - np.maximum(left, right), np.minimum(left, right) - x[2:-2])
    flags[2:-2] = (r > limit) & (beyond > BEYOND * limit)
    return flags


def _crossing(stream: Stream, signal: Signal, rows: Rows, out: Flags) -> Flags:
    """Spikes of a row's sensor that its neighbours share a moment before or after: a line that goes by
    fast."""
    place = next(i for i, other_signal in enumerate(stream.signals) if other_signal is signal)
    shared = np.zeros(out.shape, np.bool_)
    for other in (place - 1, place + 1):
        if not 0 <= other < len(stream.signals):
            continue
        x = np.nan_to_num(stream.signals[other].values)
        steps = np.abs(x - np.median(x[np.isfinite(x)]))
        big = steps > 0.3 * max(float(np.ptp(x)), 1.0)
        near = big | np.roll(big, 1) | np.roll(big, -1)
        shared |= out & near[rows] & (big.mean() < 0.5)
    return shared


def _knocked(stream: Stream, signal: Signal, at: Rows, out: Flags) -> Flags:
    """Spikes of an accelerometer's axis, in these rows, that another of its axes shows as well: a knock is
    felt on more than one of them, and what comes in on a wire is not."""
    felt = np.zeros(at.shape, np.bool_)
    for other in stream.of(ACCEL):
        if other is not signal and other.values.size > 4:
            rows = np.clip(at[:, None] + np.arange(-KNOCK_ROWS, KNOCK_ROWS + 1), 2, other.values.size - 3)
            around = [other.values[rows + shift] for shift in (-2, -1, 1, 2)]
            apart = np.abs(other.values[rows] - np.median(around, axis=0)).max(axis=1)
            felt |= apart > SPIKE_NOISES * max(other.noise, FLOOR * other.quantum)
    knocked = np.zeros(out.shape, np.bool_)
    knocked[out] = felt
    return knocked


def _really_turned(stream: Stream, signal: Signal, rows: Rows, out: Flags) -> Flags:
    """Spikes of a gyro after which gravity comes from another side, as far as the spike says: a jerk, and no
    fault."""
    axes = [signal for signal in stream.of(ACCEL) if signal.scale is not None]
    turned = np.zeros(out.shape, np.bool_)
    if len(axes) != 3 or signal.scale is None:
        return turned
    g = np.stack([(signal.values - signal.zero) * (signal.scale or 1.0) for signal in axes])
    last = g.shape[1] - BESIDE
    for index in np.flatnonzero(out).tolist():
        row = int(rows[index])
        if not 3 * BESIDE < row < last:
            continue
        here = _between(g[:, row - BESIDE : row - 1], g[:, row + 2 : row + BESIDE])
        usual = _between(g[:, row - 3 * BESIDE : row - 2 * BESIDE - 1], g[:, row - BESIDE - 1 : row - 1])
        says = abs(float(signal.values[row]) * signal.scale) * float(
            stream.times_s[row] - stream.times_s[row - 1]
        )
        turned[index] = here - usual > AS_FAR * says
    return turned


def _between(before: Array, after: Array) -> float:
    """Angle between the sides from which gravity comes, each of shape (3, n), °."""
    a, b = np.nanmean(before, axis=1), np.nanmean(after, axis=1)
    return math.degrees(math.atan2(float(np.linalg.norm(np.cross(a, b))), float(a @ b)))


def find_stuck(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """A reading that stays exactly as it is, where its own noise says that it cannot."""
    if signal.nature not in AMOUNTS:
        return []
    rows, x = _readings(stream, signal)
    if x.size < 2 * STUCK_ROWS:
        return []
    changes = np.flatnonzero(np.diff(x) != 0)
    if not changes.size:
        return _constant(record, stream, signal, rows)
    bounds = np.concatenate([[0], changes + 1, [x.size]])
    longest = int(np.argmax(np.diff(bounds)))
    first, end = int(bounds[longest]), int(bounds[longest + 1])
    value, length = float(x[first]), end - first
    t0, t1 = float(stream.times_s[rows[first]]), float(stream.times_s[rows[end - 1]])
    if (
        length < STUCK_ROWS
        or t1 - t0 < STUCK_S
        or _on_a_rail(stream, signal, value)
        or not _would_move(stream, signal, rows, first, end)
    ):
        return []
    noise = _quiet(x, first, end)
    quantum = signal.quantum
    clean = math.sqrt(max(noise**2 - quantum**2 / 12, 0.0))
    expected = 0.0
    if clean >= FINEST * quantum:
        expected = math.log10(x.size) + (length - 1) * _log_within(0.5 * quantum / clean) / math.log(10)
    sure = ramp(-expected, (3, 0.3), (6, 0.5), (12, 0.8), (30, 0.95)) if expected < -3 else 0.0
    reason = f"elsewhere its noise is {significant(noise, 2)}, {noise / quantum:.1f} of its steps"
    swings = _left_behind(stream, signal, rows, first, end) if stream.row else 0
    by_neighbours = (
        ramp(swings, (LEAST_SWINGS, 0.6), (6, 0.85), (12, 0.93)) if swings >= LEAST_SWINGS else 0.0
    )
    if by_neighbours > sure:
        sure = by_neighbours
        reason = f"meanwhile the sensors on either side see the line come and go {swings} times"
    if not sure:
        return []
    text = f"it says exactly {value:g} for {t1 - t0:.1f} s, {length} readings in a row; {reason}."
    return [found("stuck", stream.key, signal.name, signal.nature, (t0, t1), sure, text)]


def _log_within(half_width: float) -> float:
    """Natural logarithm of the chance that a standard normal lies within ± ``half_width``."""
    outside = 2.0 * math.exp(float(log_ndtr(-half_width)))
    return math.log(max(1.0 - outside, 1e-12)) if outside < 1 else -27.0


def _quiet(x: Array, first: int, end: int) -> float:
    """Noise of the quieter parts outside a stretch: second differences, over √6, by parts of PARTS
    readings."""
    each = []
    for piece in (x[:first], x[end:]):
        steps = np.diff(piece, 2)
        count = steps.size // PARTS
        if count:
            parts = np.abs(steps[: count * PARTS].reshape(count, PARTS))
            each += (np.quantile(parts, QUANTILE, axis=1) / OF_SD / math.sqrt(6)).tolist()
        elif steps.size >= 6:
            each.append(float(np.quantile(np.abs(steps), QUANTILE)) / OF_SD / math.sqrt(6))
    return float(np.quantile(each, 0.2)) if each else 0.0


def _would_move(stream: Stream, signal: Signal, rows: Rows, first: int, end: int) -> bool:
    """Whether noise seen elsewhere must be there in this stretch too: what shakes a vehicle ends when it
    stands, so a coarse inertial reading counts only while its neighbours go on."""
    fine = {ACCEL: FINE_G, GYRO: FINE_DPS}.get(signal.nature)
    if fine is None or signal.scale is None or signal.quantum * abs(signal.scale) <= fine:
        return True
    here = slice(int(rows[first]), int(rows[end - 1]) + 1)
    return any(
        np.unique(other_signal.values[here]).size > 4
        for other_signal in stream.of(ACCEL, GYRO)
        if other_signal is not signal
    )


def _constant(record: Record, stream: Stream, signal: Signal, rows: Rows) -> list[Finding]:
    """A signal that never changes at all: accused only by what goes on beside it."""
    value, count = float(signal.values[rows[0]]), rows.size
    if _on_a_rail(stream, signal, value):
        return []
    span = float(stream.times_s[rows[0]]), float(stream.times_s[rows[-1]])
    others = [
        other_signal
        for other_signal in stream.signals
        if other_signal is not signal and other_signal.nature == signal.nature
    ]
    lively = [signal for signal in others if signal.noise > 1.0 * signal.quantum > 0]
    fine = signal.nature in (ACCEL, GYRO) and signal.ends == (-32768.0, 32767.0)
    stands = [truth for truth in record.truths if truth.mm is not None and truth.sensor in (None, stream.key)]
    moved = signal.nature in (ECHO, DISTANCE) and len({truth.mm for truth in stands}) > 1
    text = f"it says exactly {value:g} in all {count} readings"
    if lively and len(lively) == len(others):
        return [
            found(
                "stuck",
                stream.key,
                signal.name,
                signal.nature,
                span,
                0.85,
                f"{text}, while {_names(lively)} beside it go{'es' if len(lively) == 1 else ''} on moving.",
            )
        ]
    if fine and count >= 50:
        return [
            found(
                "stuck",
                stream.key,
                signal.name,
                signal.nature,
                span,
                0.85,
                f"{text}: steps so fine never stand still in a part that lives.",
            )
        ]
    if moved:
        marks = ", ".join(f"{truth.mm:g} mm" for truth in stands[:3])
        return [
            found(
                "stuck", stream.key, signal.name, signal.nature, span, 0.85, f"{text}, at marks of {marks}."
            )
        ]
    return []


def _names(signals: Sequence[Signal]) -> str:
    names = [signal.name for signal in signals]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _on_a_rail(stream: Stream, signal: Signal, value: float) -> bool:
    """Whether a value is an end at which this signal, or more than one of its row, is pinned."""
    if signal.ends is not None and value in signal.ends:
        return True
    beside = [
        other_signal
        for other_signal in stream.signals
        if other_signal.nature == signal.nature and other_signal is not signal
    ]
    if any(_rests_at(other_signal, value) for other_signal in beside):
        return True
    return any(
        value in other_signal.heaps for other_signal in stream.signals if other_signal.nature == signal.nature
    )


def _rests_at(signal: Signal, value: float) -> bool:
    """Whether a signal stays at a value again and again, and not by chance."""
    pieces = [b - a for a, b in runs(signal.values == value) if b - a >= RESTS_ROWS]
    return sum(pieces) >= RESTS_SHARE * signal.known.size and len(pieces) > 1


def _left_behind(stream: Stream, signal: Signal, rows: Rows, first: int, end: int) -> int:
    """How often, while this sensor of a row stays as it is, its neighbours swing as they never do without
    it."""
    here = slice(int(rows[first]), int(rows[end - 1]) + 1)
    away = np.delete(signal.values, np.r_[here])
    away = away[np.isfinite(away)]
    place = next(i for i, other in enumerate(stream.signals) if other is signal)
    beside = [stream.signals[i] for i in (place - 1, place + 1) if 0 <= i < len(stream.signals)]
    if away.size < 2 * STUCK_ROWS or len(beside) < 2:
        return 0
    swings = []
    for other in (*beside, signal):
        values = away if other is signal else other.values[here]
        low, high = np.nanquantile(other.values, (0.02, 0.98))
        if high - low < SWING_NOISES * max(other.noise, other.quantum):
            return 0
        known = values[np.isfinite(values)]
        states = known[(known < low + 0.25 * (high - low)) | (known > high - 0.25 * (high - low))]
        swings.append(int((np.diff(states > (low + high) / 2) != 0).sum()) // 2)
    return min(swings)


def find_clipped(stream: Stream, signal: Signal) -> list[Finding]:
    """Readings pinned at an end of the converter's range, or at a ceiling of their own."""
    if signal.nature not in (LIGHT, RANGING, ACCEL, GYRO, SUPPLY, SOUND, OTHER):
        return []
    x = signal.values
    tops = set(signal.ends or ()) | set(signal.heaps)
    pinned: list[tuple[int, int]] = []
    for value in tops:
        pinned += [(a, b) for a, b in runs(x == value) if b - a >= PINNED_ROWS]
    if not pinned:
        return []
    rows = sum(b - a for a, b in pinned)
    share = rows / max(int(signal.present.sum()), 1)
    sure = ramp(share, (0.002, 0.3), (0.01, 0.55), (0.05, 0.8), (0.2, 0.93))
    ends = sorted({float(x[a]) for a, _ in pinned})
    where = " and ".join(f"{end:g}" for end in ends)
    longest = max(b - a for a, b in pinned)
    why = (
        "the end of its range"
        if signal.ends and set(ends) <= set(signal.ends)
        else "a ceiling that nothing passes"
    )
    text = (
        f"{rows} of {int(signal.present.sum())} readings are pinned at {where}, {why}, up "
        f"to {longest} in a row."
    )
    span = stream.times_s[min(a for a, _ in pinned)], stream.times_s[max(b for _, b in pinned) - 1]
    return [found("clipped", stream.key, signal.name, signal.nature, span, sure, text)]
