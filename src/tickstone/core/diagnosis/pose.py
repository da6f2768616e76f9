"""Inertial units: gravity's size and side, and whether the gyro turns as the accelerometer tilts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.record import ACCEL, GYRO, Array, Rows, Signal, Stream
from tickstone.core.wording import significant

QUIET_SHARE = 0.3  # of the stretches, the quietest: there gravity alone is felt
STRETCHES = 40
OFF = 0.13  # of 1 g: offsets and scales of uncalibrated parts stay below
RATIOS = {
    2.0: "twice",
    4.0: "four times",
    8.0: "eight times",
    0.5: "half",
    0.25: "a quarter of",
    0.125: "an eighth of",
    9.80665: "9.81 times (m/s² taken for g)",
    1000.0: "1000 times (mg taken for g)",
    0.001: "a thousandth of",
}
RATIO_NEAR = 0.12
UPSIDE = 0.8  # of gravity on the z axis, downward, throughout
UPSIDE_SURE, UPSIDE_BARE = (
    0.66,
    0.45,
)  # where a rig knows how it is printed; of a bare file that is too little
WINDOW_S = 0.3
LEAST_TURN_DEG = 2.0  # in a window, that is worth comparing
FEWEST_WINDOWS = 8
CALM = 0.15  # of 1 g: more or less than that and something pushes
STEEPEST_RAD, MOST_TURN_DEG = 1.0, 60.0  # beyond that roll and pitch by gravity jump
PINNED_SHARE = 0.002  # of readings at an end: then gravity's size says nothing
ALIKE = 0.9  # correlation from which two angles may be compared in size
AGREE, CROSS = 0.75, 0.3  # correlation that tells, and how much greater than the other axis' it is
GYRO_OFF = 0.3  # of its scale


def find_in_pose(stream: Stream) -> list[Finding]:
    """What gravity and turning say about an inertial unit."""
    axes = {signal.axis: signal for signal in stream.of(ACCEL) if signal.axis}
    if set(axes) != {"x", "y", "z"} or stream.times_s.size < FEWEST_WINDOWS:
        return []
    felt = _felt(axes)
    if felt is None:
        return []
    findings = _size(stream, axes, felt)
    if not findings:
        findings += _upside_down(stream, axes, felt)
    turning = {signal.axis: signal for signal in stream.of(GYRO) if signal.axis}
    if "x" in turning and "y" in turning and not findings:
        findings += _turns(stream, axes, turning, felt)
    return findings


@dataclass(frozen=True)
class _Felt:
    """Specific force along x, y, z, shape (3, n), in g where ``scaled`` (else in counts), and gravity's size
    at rest."""

    g: Array
    at_rest: float
    scaled: bool
    rows: Rows


def _felt(axes: dict[str, Signal]) -> _Felt | None:
    present = np.logical_and.reduce([signal.present for signal in axes.values()])
    rows = np.flatnonzero(present)
    if rows.size < FEWEST_WINDOWS:
        return None
    scaled = all(signal.scale is not None for signal in axes.values())
    g = np.stack([(axes[a].values[rows] - axes[a].zero) * (axes[a].scale or 1.0) for a in "xyz"])
    size = np.sqrt((g**2).sum(axis=0))
    each = max(4, rows.size // STRETCHES)
    count = rows.size // each
    parts = size[: count * each].reshape(count, each)
    spread = parts.std(axis=1)
    quiet = parts[spread <= np.quantile(spread, QUIET_SHARE)]
    at_rest = float(np.median(quiet))
    return _Felt(g, at_rest, scaled, rows) if at_rest > 0 else None


def _pinned(axes: dict[str, Signal]) -> bool:
    return any(
        signal.ends is not None and np.isin(signal.known, signal.ends).mean() > PINNED_SHARE
        for signal in axes.values()
    )


def _size(stream: Stream, axes: dict[str, Signal], felt: _Felt) -> list[Finding]:
    """At rest gravity must be 1 g, whichever way up."""
    if _pinned(axes):
        return []
    if felt.scaled:
        ratio = felt.at_rest
    else:  # counts of an unknown range: full scale is 2, 4, 8 or 16 g, so 1 g is a power of two
        nearest = min((2048.0, 4096.0, 8192.0, 16384.0), key=lambda g: abs(np.log(felt.at_rest / g)))
        ratio = felt.at_rest / nearest
    if abs(ratio - 1.0) <= OFF:
        return []
    known = min(RATIOS, key=lambda item: abs(np.log(ratio / item)))
    near = abs(ratio / known - 1) < RATIO_NEAR
    sure = 0.88 if near and felt.scaled else ramp(abs(np.log2(ratio)), (0.18, 0.35), (0.4, 0.6), (0.8, 0.75))
    what = f"about {RATIOS[known]} what it must be" if near else f"{ratio:.2f} of what it must be"
    unit = "g" if felt.scaled else "counts"
    text = f"at rest gravity comes to {significant(felt.at_rest)} {unit}, {what}."
    span = float(stream.times_s[felt.rows[0]]), float(stream.times_s[felt.rows[-1]])
    largest = max(axes.values(), key=lambda signal: abs(float(np.median(signal.known)) - signal.zero))
    return [found("wrong-scale", stream.key, largest.name, ACCEL, span, sure, text)]


def _upside_down(stream: Stream, axes: dict[str, Signal], felt: _Felt) -> list[Finding]:
    """Flat reads +1 g on z; a vehicle that drives is never upside down from beginning to end."""
    z = felt.g[2] / felt.at_rest
    if float(np.median(z)) > -UPSIDE or float(np.quantile(z, 0.98)) > 0 or _pinned(axes):
        return []
    text = (
        f"its upward axis says {float(np.median(z)):+.2f} g from beginning to end; lying flat most parts say "
        "+1 g, some print the opposite."
    )
    span = float(stream.times_s[felt.rows[0]]), float(stream.times_s[felt.rows[-1]])
    sure = UPSIDE_SURE if stream.of_rig else UPSIDE_BARE
    return [found("inverted", stream.key, axes["z"].name, ACCEL, span, sure, text)]


def _turns(stream: Stream, axes: dict[str, Signal], turning: dict[str, Signal], felt: _Felt) -> list[Finding]:
    """Over short windows the turned angle by the gyro against that by gravity, for roll (x) and pitch (y)."""
    t = stream.times_s[felt.rows]
    rate = (t.size - 1) / max(float(t[-1] - t[0]), 1e-9)
    each = max(3, round(WINDOW_S * rate))
    count = t.size // each
    if count < FEWEST_WINDOWS + 1:
        return []
    g = felt.g[:, : count * each].reshape(3, count, each).mean(axis=2)
    when = t[: count * each].reshape(count, each).mean(axis=1)
    size = np.sqrt((g**2).sum(axis=0)) / felt.at_rest
    roll = np.unwrap(np.arctan2(g[1], g[2]))
    pitch = np.arctan2(-g[0], np.hypot(g[1], g[2]))
    tilted = np.degrees(np.diff(np.stack([roll, pitch]), axis=1))
    turned = []
    for axis in "xy":
        rates = np.nan_to_num(turning[axis].values[felt.rows]) * (turning[axis].scale or 1.0)
        way = np.concatenate([[0.0], np.cumsum((rates[1:] + rates[:-1]) / 2 * np.diff(t))])
        turned.append(np.diff(np.interp(when, t, way)))
    gyro = np.stack(turned)
    gyro = gyro - np.median(gyro, axis=1, keepdims=True)
    calm = (
        (np.abs(size[1:] - 1) < CALM)
        & (np.abs(size[:-1] - 1) < CALM)
        & (np.abs(pitch[1:]) < STEEPEST_RAD)
        & (np.abs(pitch[:-1]) < STEEPEST_RAD)
    )
    findings: list[Finding] = []
    like = np.zeros((2, 2))
    moved = np.zeros(2)
    for i in range(2):
        use = calm & (np.abs(tilted[i]) < MOST_TURN_DEG)
        moved[i] = int((np.abs(tilted[i][use]) > LEAST_TURN_DEG).sum())
        for j in range(2):
            if use.sum() >= FEWEST_WINDOWS and np.ptp(gyro[j][use]) > 0 and np.ptp(tilted[i][use]) > 0:
                like[i, j] = float(np.corrcoef(tilted[i][use], gyro[j][use])[0, 1])
    span = float(t[0]), float(t[-1])
    for i, name in enumerate(("roll", "pitch")):
        if moved[i] < FEWEST_WINDOWS:
            continue
        own, other = float(like[i, i]), float(like[i, 1 - i])
        axis = "xy"[i]
        if abs(other) > AGREE and abs(other) > abs(own) + CROSS:
            text = (
                f"{name} by gravity goes with the gyro's {'yx'[i]} axis ({other:+.2f}) and not with its own "
                f"{axis} ({own:+.2f})."
            )
            findings.append(found("swapped", stream.key, axes["yx"[i]].name, ACCEL, span, 0.85, text))
        elif own < -AGREE:
            text = f"{name} by gravity and the gyro's {axis} axis go opposite ways ({own:+.2f})."
            findings.append(found("inverted", stream.key, turning[axis].name, GYRO, span, 0.85, text))
        elif own > ALIKE and turning[axis].scale is not None:
            use = calm & (np.abs(tilted[i]) < MOST_TURN_DEG)
            ratio = float((gyro[i][use] @ tilted[i][use]) / (tilted[i][use] @ tilted[i][use]))
            if abs(ratio - 1) > GYRO_OFF:
                text = f"the gyro's {axis} axis turns {ratio:.2f} times as far as {name} by gravity."
                sure = ramp(abs(np.log2(max(ratio, 1e-3))), (0.35, 0.45), (0.6, 0.7), (0.9, 0.88))
                findings.append(found("wrong-scale", stream.key, turning[axis].name, GYRO, span, sure, text))
    return findings[:1]
