"""Wrong scale: readings held against what is known to be so, or against each other."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tickstone.core.diagnosis.finding import Finding, found, ramp
from tickstone.core.diagnosis.nothing import nothing
from tickstone.core.diagnosis.record import (
    AIR,
    DISTANCE,
    ECHO,
    RANGING,
    SUPPLY,
    Array,
    Record,
    Signal,
    Stream,
    Truth,
)

MM_PER_US = 0.1716  # half the speed of sound at 20 °C
AROUND_S = 0.5  # of a mark that is a moment
RIGHT = (0.85, 1.18)  # of the truth: temperature, offset and hands stay within
LEAST_MM = 30.0
NEAREST_MM, FARTHER = 90.0, 1.3  # beyond its peak, and marks so many times apart, light falls plainly
RISES_NOISES, MOSTLY_RISES = 6.0, 0.9
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
    if signal.nature == RANGING:
        return _rises_with_distance(record, stream, signal)
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


def _rises_with_distance(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    """Light that comes back says less the farther its target: at marks beyond its nearest distance it must
    not say more."""
    places = [
        (truth.mm, reads)
        for truth, here in _marked(record, stream, signal)
        if truth.mm is not None and truth.mm >= NEAREST_MM
        for reads in [float(np.median(here))]
    ]
    if len({mm for mm, _ in places}) < 2:
        return []
    mm, reads = (np.array(column) for column in zip(*places, strict=True))
    near, far = mm <= mm.min() * 1.05, mm >= mm.max() / 1.05
    rise = float(np.median(reads[far]) - np.median(reads[near]))
    if mm.max() < FARTHER * mm.min() or rise < RISES_NOISES * max(signal.noise, signal.quantum):
        return []
    apart = np.sign(np.subtract.outer(mm, mm) * np.subtract.outer(reads, reads))
    agree = float((apart > 0).sum()) / max(float((apart != 0).sum()), 1.0)
    if agree < MOSTLY_RISES:
        return []
    text = (
        f"at the mark of {mm.min():g} mm it says {float(np.median(reads[near])):.0f}, at {mm.max():g} mm "
        f"{float(np.median(reads[far])):.0f}: farther away it must say less."
    )
    span = min(t.t0_s for t in record.truths), max(t.t1_s for t in record.truths)
    sure = ramp(len({float(at) for at in mm}), (2, 0.8), (3, 0.9))
    return [found("inverted", stream.key, signal.name, RANGING, span, sure, text)]


def _marked(record: Record, stream: Stream, signal: Signal) -> Iterator[tuple[Truth, Array]]:
    """Marks of a distance, and what a signal says at each, three readings at least."""
    good = signal.present & ~nothing(stream, signal)
    for truth in record.truths:
        if truth.mm is None or truth.sensor not in (None, stream.key) or truth.mm <= 0:
            continue
        moment = 0.0 if truth.t1_s > truth.t0_s else AROUND_S
        within = (stream.times_s >= truth.t0_s - moment) & (stream.times_s <= truth.t1_s + moment)
        here = signal.values[good & within]
        if here.size >= 3:
            yield truth, here


def _against_marks(record: Record, stream: Stream, signal: Signal) -> list[Finding]:
    ratios, spans = [], []
    for truth, here in _marked(record, stream, signal):
        assert truth.mm is not None
        reads = float(np.median(here)) * _mm(signal)
        ratios.append((reads / truth.mm, reads, truth.mm))
        spans.append((truth.t0_s, truth.t1_s))
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
            both = signal.present & (signal.values > 0) & other.present & ~nothing(other_stream, other)
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
