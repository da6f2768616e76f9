"""Dropouts: rows in which a signal says nothing, as zeros, time-outs, impossible numbers or empty cells."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.record import (
    ACCEL,
    AIR,
    DISTANCE,
    ECHO,
    GYRO,
    LIGHT,
    OTHER,
    RANGING,
    SOUND,
    SUPPLY,
    Flags,
    Signal,
    Stream,
    runs,
)

ECHO_OVER_US = 25_000.0  # 4 m there and back, with a margin: longer is a time-out (common practice: 38 ms)
FARTHEST_MM = 4050.0  # cheap rangers' reach, with a margin; what they print for nothing lies beyond
# from here on echoes of ordinary targets are lost now and then; on both sides, nearer too
FADES_MM, FADING = 2400.0, 0.8
NEAR_ROWS, JUDGED = 40, 10  # rows beside a gap that are looked at, and readings in them by which it is judged
FAR_OF_ALL = 0.7  # of the farthest readings: from there a target may leave
UNPLUGGED_C = -100.0  # digital thermometers say −127 with their wire off
NOTHINGS = (0.0, -1.0)  # what programs print for no reading
# how far from its neighbours, in noises and in the signal's own span, a zero is no reading
FAR_NOISES, FAR_SHARE = 10.0, 0.2
FEWEST = 3  # single zeros happen to every ranger
BURST = 6  # so many close together tell more than their share of the whole
LONG_ROWS = 8  # more in one piece may be a target that has gone
STOP_AFTER_S = 0.3  # without a reading while closing in: slow down, then stop
CLOSING_M_S = 0.05


def nothing(stream: Stream, signal: Signal) -> Flags:
    """Rows that tell this signal and yet hold no reading, shape (n,)."""
    v = signal.values
    if signal.nature == ECHO:
        return signal.present & ((v <= 0) | (v >= ECHO_OVER_US))
    if signal.nature == DISTANCE:
        return signal.present & ((v <= 0) | (v * (signal.scale or 1.0) >= FARTHEST_MM))
    if signal.nature == AIR:
        return signal.present & (v <= UNPLUGGED_C)
    if signal.nature in (ACCEL, GYRO):  # zero is a reading of one axis, but not of all at once
        axes = stream.of(ACCEL, GYRO)
        if len(axes) < 2:
            return np.zeros(v.shape, np.bool_)
        together = np.stack([signal.values for signal in axes])
        same = np.zeros(v.shape, np.bool_)
        for value in NOTHINGS:
            same |= (together == value).all(axis=0)
        return same if _steps_in(same) else np.zeros(v.shape, np.bool_)
    if signal.nature in (LIGHT, RANGING, SUPPLY, SOUND, OTHER):
        flags = np.zeros(v.shape, np.bool_)
        for value in NOTHINGS:
            flags |= _far_off(signal, signal.present & (v == value))
        return flags
    return np.zeros(v.shape, np.bool_)


def _steps_in(flags: Flags) -> bool:
    """Whether something else is said between: a signal that is zero throughout is another matter."""
    return bool(flags.any() and not flags.all())


def _far_off(signal: Signal, flags: Flags) -> Flags:
    """Of these rows the ones whose neighbours on both sides say something quite different."""
    present, v = signal.present & ~flags, signal.values
    if not flags.any() or present.sum() < 8:
        return np.zeros(flags.shape, np.bool_)
    others = v[present]
    span = max(float(np.quantile(others, 0.95) - np.quantile(others, 0.05)), abs(float(np.median(others))))
    least = max(FAR_NOISES * signal.noise, FAR_SHARE * span, 5 * signal.quantum)
    kept = np.flatnonzero(present)
    rows = np.flatnonzero(flags)
    after = np.searchsorted(kept, rows)
    before_v, after_v = v[kept[np.maximum(after - 1, 0)]], v[kept[np.minimum(after, kept.size - 1)]]
    far = np.minimum(np.abs(before_v - v[rows]), np.abs(after_v - v[rows])) > least
    out = np.zeros(flags.shape, np.bool_)
    out[rows[far]] = True
    return out


def find_dropouts(stream: Stream, signal: Signal) -> list[Finding]:
    """Dropouts of one signal; a target that leaves the range is none."""
    gone = nothing(stream, signal)
    empty = ~signal.present
    if 0 < empty.sum() < 0.4 * empty.size and signal.nature != AIR and not _evenly(empty):
        gone = gone | empty
    if not gone.any() or gone.all():
        return []
    gaps = _gaps(stream, signal, gone)
    pieces = sorted({*gaps.counted, *((gap.first, gap.end) for gap in gaps.closing)})
    if not pieces:
        return []
    sure = _surely(signal, gaps, gone.size)
    first_row, last_row = (gaps.counted[0][0], gaps.counted[-1][1]) if gaps.counted else (0, gone.size)
    sentence = f"{gaps.rows} of {last_row - first_row} readings there are none{_as_what(signal, gone)}"
    if gaps.closing:
        worst = max(gaps.closing, key=lambda gap: gap.lasted_s)
        sure = max(sure, 0.75)
        lost = f"no reading for {worst.lasted_s:.1f} s while closing in at {worst.speed_m_s:.2f} m/s"
        sentence = f"{lost}; {sentence}" if gaps.counted else lost
    span = stream.times_s[pieces[0][0]], stream.times_s[pieces[-1][1] - 1]
    return [found("dropouts", stream.key, signal.name, signal.nature, span, sure, sentence + ".")]


@dataclass(frozen=True)
class _ClosingGap:
    """Rows from ``first`` to before ``end`` without a reading, while what was ahead came nearer."""

    first: int
    end: int
    speed_m_s: float
    lasted_s: float


@dataclass(frozen=True)
class _Gaps:
    """The gaps that are dropouts, as (first, end), and those in which something was closing in."""

    counted: list[tuple[int, int]]
    closing: list[_ClosingGap]

    @property
    def rows(self) -> int:
        """How many readings the counted gaps lack."""
        return sum(end - first for first, end in self.counted)


def _gaps(stream: Stream, signal: Signal, gone: Flags) -> _Gaps:
    ranger = signal.nature in (ECHO, DISTANCE)
    pieces = runs(gone)
    beyond = _beyond(signal, gone, pieces) if ranger else np.zeros(len(pieces), np.bool_)
    gaps = _Gaps([], [])
    for (first, end), far in zip(pieces, beyond.tolist(), strict=True):
        if far or (ranger and end - first >= LONG_ROWS and _leaving(signal, gone, first, end)):
            continue
        lasted = float(stream.times_s[min(end, gone.size - 1)] - stream.times_s[first])
        if ranger and lasted >= STOP_AFTER_S and end < gone.size:
            speed = _closing_m_s(stream, signal, gone, first)
            if speed > CLOSING_M_S:
                gaps.closing.append(_ClosingGap(first, end, speed, lasted))
        if end - first < LONG_ROWS or len(pieces) >= FEWEST:
            gaps.counted.append((first, end))
    return gaps


def _surely(signal: Signal, gaps: _Gaps, size: int) -> float:
    """How sure the counted gaps are dropouts, 0 to 1."""
    rows, counted = gaps.rows, gaps.counted
    sure = ramp(rows / size, (0.003, 0.3), (0.012, 0.5), (0.03, 0.75), (0.1, 0.93), (0.3, 0.97))
    if signal.nature not in (ECHO, DISTANCE):  # a wire has no targets that it may lose
        sure = max(sure, ramp(rows, (2, 0.3), (3, 0.55), (8, 0.8), (25, 0.93)))
    if len(counted) < FEWEST:
        sure = min(sure, 0.45)
    if rows >= BURST:
        local = rows / (counted[-1][1] - counted[0][0])
        sure = max(sure, ramp(local, (0.02, 0.3), (0.08, 0.55), (0.25, 0.85), (0.5, 0.93)))
    return sure


def _as_what(signal: Signal, gone: Flags) -> str:
    values = signal.values[gone]
    values = values[np.isfinite(values)]
    if not values.size:
        return " (empty)"
    numbers, times = np.unique(values, return_counts=True)
    most = float(numbers[np.argmax(times)])
    return f" ({most:g}, mostly)" if numbers.size > 1 else f" ({most:g})"


def _evenly(empty: Flags) -> bool:
    """Whether a column is told in turn with others: then its empty cells are no dropouts."""
    rows = np.flatnonzero(~empty)
    steps = np.diff(rows)
    return steps.size > 3 and float(np.median(steps)) > 1 and float((steps == np.median(steps)).mean()) > 0.9


def _beyond(signal: Signal, gone: Flags, pieces: list[tuple[int, int]]) -> Flags:
    """Which gaps lie between readings so far away that echoes fade, or between none at all; shape (gaps,)."""
    good = np.flatnonzero(~gone & signal.present)
    if not good.size:
        return np.ones(len(pieces), np.bool_)
    starts, ends = np.array(pieces).T
    before, after = np.searchsorted(good, starts) - 1, np.searchsorted(good, ends)
    mm = signal.values[good] * (signal.scale or 1.0)
    b = np.where(before >= 0, mm[np.maximum(before, 0)], np.nan)
    a = np.where(after < good.size, mm[np.minimum(after, good.size - 1)], np.nan)
    either = np.stack([b, a])
    return np.asarray(
        (np.nanmax(either, axis=0) >= FADES_MM) | (np.nanmin(either, axis=0) >= FADING * FADES_MM)
    )


def _leaving(signal: Signal, gone: Flags, first: int, end: int) -> bool:
    """Whether at a long gap the target went beyond reach, or came back from there."""
    scale = signal.scale or 1.0
    earlier, later = slice(max(0, first - NEAR_ROWS), first), slice(end, end + NEAR_ROWS)
    before, after = (signal.values[side][~gone[side]] for side in (earlier, later))
    before, after = before[-JUDGED:], after[:JUDGED]
    if not before.size and not after.size:
        return True
    nearest = max(float(side[index]) * scale for side, index in ((before, -1), (after, 0)) if side.size)
    far = float(np.quantile(signal.values[signal.present & ~gone], 0.97)) * scale
    rises = before.size >= 5 and _goes_up(signal, float(before[0]), float(before[-1]))
    back = after.size >= 5 and _goes_up(signal, float(after[-1]), float(after[0]))
    return (rises or back or first == 0 or end == gone.size) and nearest >= FAR_OF_ALL * far


def _goes_up(signal: Signal, start: float, end: float) -> bool:
    return end - start > max(4 * signal.noise, 0.03 * abs(start))


def _closing_m_s(stream: Stream, signal: Signal, gone: Flags, first: int) -> float:
    """How fast the target came nearer before a row, m/s."""
    near = slice(max(0, first - NEAR_ROWS), first)
    rows = np.flatnonzero(~gone[near])[-JUDGED:]
    if rows.size < 5:
        return 0.0
    t, x = stream.times_s[near][rows], signal.values[near][rows] * (signal.scale or 1.0) / 1000.0
    spread = t - t.mean()
    return float(-(spread @ (x - x.mean())) / (spread @ spread)) if (spread @ spread) > 0 else 0.0
