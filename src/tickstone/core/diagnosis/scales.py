"""Wrong scale: readings held against what is known to be so, or against each other."""

from __future__ import annotations

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.nothing import nothing
from tickstone.core.diagnosis.record import AIR, DISTANCE, ECHO, SUPPLY, Array, Record, Signal, Stream

MM_PER_US = 0.1716  # half the speed of sound at 20 °C
AROUND_S = 0.5  # of a mark that is a moment
RIGHT = (0.85, 1.18)  # of the truth: temperature, offset and hands stay within
LEAST_MM = 30.0
TOGETHER = 0.12  # how alike the ratios of several marks must be for it to be a scale
COOLEST_C, HOTTEST_C = -30.0, 55.0
SUPPLY_OFF = (0.7, 1.35)  # of what a battery gives, from empty to full
KNOWN = {
    2.0: "twice: the distance there and back is not halved",
    0.5: "half: it is halved twice",
    2.54: "2.54 times: inches taken for centimetres",
    1 / 2.54: "1/2.54: centimetres taken for inches",
    10.0: "ten times: mm taken for cm",
    0.1: "a tenth: cm taken for mm",
    25.4: "25.4 times: inches and mm",
    1 / 25.4: "1/25.4: inches and mm",
}


def find_scale(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """A reading that is off by a factor."""
    if signal.nature in (ECHO, DISTANCE):
        return _against_marks(record, stream, signal) or _against_another(record, stream, signal)
    if signal.nature == AIR:
        return _no_weather(stream, signal)
    if signal.nature == SUPPLY and signal.usual:
        return _no_battery(stream, signal)
    return []


def _mm(signal: Signal) -> float:
    return signal.scale or (MM_PER_US if signal.nature == ECHO else 1.0)


def _named(ratio: float) -> str:
    known = min(KNOWN, key=lambda item: abs(np.log(ratio / item)))
    return KNOWN[known] if abs(np.log(ratio / known)) < 0.08 else f"{ratio:.2f} times"


def _against_marks(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    good = signal.present & ~nothing(stream, signal)
    ratios, spans = [], []
    for truth in record.truths:
        if truth.mm is None or truth.sensor not in (None, stream.key) or truth.mm <= 0:
            continue
        t0, t1 = (
            (truth.t0_s, truth.t1_s)
            if truth.t1_s > truth.t0_s
            else (truth.t0_s - AROUND_S, truth.t1_s + AROUND_S)
        )
        here = signal.values[good & (stream.times_s >= t0) & (stream.times_s <= t1)]
        if here.size >= 3:
            reads = float(np.median(here)) * _mm(signal)
            ratios.append((reads / truth.mm, reads, truth.mm))
            spans.append((t0, t1))
    if not ratios:
        return []
    each = np.array([ratio for ratio, _, _ in ratios])
    middle = float(np.median(each))
    _, reads, mm = min(ratios, key=lambda item: abs(item[0] - middle))
    if RIGHT[0] <= middle <= RIGHT[1] or abs(reads - mm) < LEAST_MM or middle <= 0:
        return []
    together = float(np.ptp(each)) <= TOGETHER * middle * (2 if len(ratios) > 3 else 1) or each.size == 1
    sure = (0.92 if each.size > 1 else 0.75) if together else 0.35
    text = (
        f"at the mark of {mm:g} mm it says {reads:.0f} mm, {_named(middle)}; {len(ratios)} "
        f"mark{'s' if len(ratios) > 1 else ''} in all."
    )
    span = min(a for a, _ in spans), max(b for _, b in spans)
    return [found("wrong-scale", stream.key, signal.name, signal.nature, span, sure, text)]


def _against_another(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """A distance against the echo time that stands beside it in the same rows."""
    if signal.nature != DISTANCE:
        return []
    for other_stream in record.streams:
        for other in other_stream.of(ECHO):
            if other.values.shape != signal.values.shape or not np.array_equal(
                other_stream.times_s, stream.times_s
            ):
                continue
            both = signal.present & other.present & ~nothing(stream, signal) & ~nothing(other_stream, other)
            if both.sum() < 8:
                continue
            a, b = signal.values[both] * _mm(signal), other.values[both] * MM_PER_US
            ratio = float(np.median(a / b))
            if RIGHT[0] <= ratio <= RIGHT[1] or float(np.median(np.abs(a / b - ratio))) > TOGETHER * ratio:
                continue
            text = f"it says {ratio:.2f} times what the echo time beside it comes to ({_named(ratio)})."
            span = float(stream.times_s[0]), float(stream.times_s[-1])
            return [found("wrong-scale", stream.key, signal.name, DISTANCE, span, 0.85, text)]
    return []


def _inside(x: Array) -> Array:
    return np.sort(x)[x.size // 10 : max(x.size - x.size // 10, 1)]


def _no_weather(stream: Stream, signal: Signal) -> list[Finding]:
    x = signal.values[signal.present & ~nothing(stream, signal)]
    if x.size < 5:
        return []
    middle = float(np.median(_inside(x)))
    if COOLEST_C <= middle <= HOTTEST_C:
        return []
    celsius = (middle - 32) / 1.8
    guess = (
        f"as Fahrenheit it is {celsius:.0f} °C"
        if COOLEST_C < celsius < 45
        else f"as tenths it is {middle / 10:.1f} °C"
    )
    sure = ramp(abs(middle - 15), (40, 0.5), (50, 0.72), (80, 0.9))
    span = float(stream.times_s[0]), float(stream.times_s[-1])
    return [
        found(
            "wrong-scale",
            stream.key,
            signal.name,
            AIR,
            span,
            sure,
            f"the air is said to be {middle:.0f} °C; {guess}.",
        )
    ]


def _no_battery(stream: Stream, signal: Signal) -> list[Finding]:
    x = signal.values[signal.present & ~nothing(stream, signal)]
    if x.size < 5 or not signal.usual:
        return []
    volts = float(np.median(x)) * (signal.scale or 1.0)
    ratio = volts / signal.usual
    if SUPPLY_OFF[0] <= ratio <= SUPPLY_OFF[1]:
        return []
    sure = ramp(abs(np.log2(max(ratio, 1e-3))), (0.4, 0.5), (0.8, 0.72), (1.5, 0.88))
    text = f"it says {volts:.2f} V where the rig's supply has {signal.usual:.1f} V: {ratio:.2f} of it."
    span = float(stream.times_s[0]), float(stream.times_s[-1])
    return [found("wrong-scale", stream.key, signal.name, SUPPLY, span, sure, text)]
