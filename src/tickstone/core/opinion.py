"""A second opinion: which of several readings of one thing agree, and what the odd ones' ratios betray."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tickstone.core.checks import check_finite, check_length, check_positive
from tickstone.errors import BadInput

MOST_READINGS = 24  # a bench has fewer instruments; every group of them is looked at
AGREE_SIGMAS = 2.0
RATIO_SLACK = 0.03
MOST_POLE_PAIRS = 20

# Common practice: what makes one instrument say a multiple of the others, or the others a multiple of it.
CAUSES: tuple[tuple[float, str, str], ...] = (
    (
        2.0,
        "double marks, or both edges counted (2:1)",
        "every other mark missed, or double marks and both edges counted by the others (1:2)",
    ),
    (
        3.0,
        "three marks or pulses a turn taken for one (3:1)",
        "one mark a turn taken for three, or three for one by the others (1:3)",
    ),
    (
        4.0,
        "wrong prescaler (256 against 64) or four quadrature edges counted (4:1)",
        "wrong prescaler (64 against 256), or four quadrature edges counted by the others (1:4)",
    ),
    (
        8.0,
        "video played back at another rate than it was taken (8:1)",
        "video played back at another rate than it was taken (1:8)",
    ),
    (60.0, "per minute against per second (60:1)", "per second against per minute (1:60)"),
    (2 * math.pi, "radians against turns (2π:1)", "turns against radians (1:2π)"),
)


@dataclass(frozen=True)
class InstrumentReading:
    """One instrument's word: a value and its standard uncertainty (k = 1)."""

    label: str
    value: float
    uncertainty: float


@dataclass(frozen=True)
class Outlier:
    """A reading outside the group: its ratio to the consensus (None when that is zero), and what would
    explain it."""

    label: str
    ratio: float | None
    causes: tuple[str, ...]


@dataclass(frozen=True)
class Opinion:
    """The agreeing group and its mean; no group (all are outliers) when no two readings agree."""

    consensus: float | None
    uncertainty: float | None
    members: tuple[str, ...]
    outliers: tuple[Outlier, ...]


def second_opinion(readings: Sequence[InstrumentReading]) -> Opinion:
    """Find the largest group of readings that all agree with each other, and explain the rest by their
    ratios.

    Parameters: readings, 1 to 24, each with an uncertainty above zero. Two agree when they differ by at most
    2·√(u₁² + u₂²); of groups equally large the one with the smaller χ² wins.
    Returns: Opinion: the inverse-variance mean of the group, its uncertainty widened by the Birge ratio where
    that is above 1. Without a group the ratios are to the reading of smallest relative uncertainty.
    Raises: BadInput for ``readings``. Source: Birge, Phys. Rev. 40 (1932) 207; JCGM 100:2008.

    >>> close = [InstrumentReading("a", 300, 3), InstrumentReading("b", 302, 3)]
    >>> second_opinion([*close, InstrumentReading("c", 150, 2)]).members
    ('a', 'b')
    """
    check_length(readings, 1, "readings")
    if len(readings) > MOST_READINGS:
        raise BadInput(f"readings must be at most {MOST_READINGS}, not {len(readings)}.", "readings")
    for reading in readings:
        check_finite(reading.value, "readings")
        check_positive(reading.uncertainty, "readings")
    group = _largest_group(readings)
    if len(group) < 2:
        sure = min(readings, key=lambda item: item.uncertainty / abs(item.value) if item.value else math.inf)
        return Opinion(
            None, None, (), tuple(_outlier(item, sure.value, sure.uncertainty) for item in readings)
        )
    mean, uncertainty = weighted_mean([readings[i] for i in group])
    inside = set(group)
    return Opinion(
        mean,
        uncertainty,
        tuple(readings[i].label for i in group),
        tuple(_outlier(item, mean, uncertainty) for i, item in enumerate(readings) if i not in inside),
    )


def weighted_mean(readings: Sequence[InstrumentReading]) -> tuple[float, float]:
    """Inverse-variance mean and its uncertainty, ``1/√Σ(1/u²)·max(1, Birge ratio)``.

    >>> weighted_mean([InstrumentReading("a", 10, 1), InstrumentReading("b", 10, 1)])
    (10.0, 0.7071067811865475)
    """
    weights = [1 / reading.uncertainty**2 for reading in readings]
    mean = math.fsum(w * reading.value for w, reading in zip(weights, readings, strict=True)) / math.fsum(
        weights
    )
    birge = math.sqrt(_chi2(readings, mean) / (len(readings) - 1)) if len(readings) > 1 else 1.0
    return mean, max(1.0, birge) / math.sqrt(math.fsum(weights))


def _chi2(readings: Sequence[InstrumentReading], mean: float) -> float:
    return math.fsum(((reading.value - mean) / reading.uncertainty) ** 2 for reading in readings)


def agree(reading: InstrumentReading, other: InstrumentReading) -> bool:
    """Whether two readings differ by no more than twice their combined uncertainty."""
    allowed = AGREE_SIGMAS * math.hypot(reading.uncertainty, other.uncertainty)
    return abs(reading.value - other.value) <= allowed * (1 + 1e-12)


def _largest_group(readings: Sequence[InstrumentReading]) -> tuple[int, ...]:
    """Largest clique of the graph of agreement (Bron & Kerbosch, with pivot), ties by the smaller χ²."""
    friends = [
        {j for j, other in enumerate(readings) if j != i and agree(reading, other)}
        for i, reading in enumerate(readings)
    ]
    results: list[tuple[int, ...]] = []

    def grow(group: set[int], able: set[int], done: set[int]) -> None:
        if not able and not done:
            results.append(tuple(sorted(group)))
            return
        pivot = max(able | done, key=lambda i: len(friends[i] & able))
        for i in sorted(able - friends[pivot]):
            grow(group | {i}, able & friends[i], done & friends[i])
            able = able - {i}
            done = done | {i}

    grow(set(), set(range(len(readings))), set())

    def worth(group: tuple[int, ...]) -> tuple[int, float]:
        members = [readings[i] for i in group]
        return -len(group), _chi2(members, weighted_mean(members)[0])

    return min(results, key=worth)


def _outlier(reading: InstrumentReading, consensus: float, uncertainty: float) -> Outlier:
    if consensus == 0 or reading.value == 0:
        return Outlier(reading.label, None if consensus == 0 else 0.0, ())
    ratio = reading.value / consensus
    if ratio == 1:  # the one that the others are compared with
        return Outlier(reading.label, ratio, ())
    relative = math.hypot(reading.uncertainty / reading.value, uncertainty / consensus)
    return Outlier(reading.label, ratio, causes(ratio, relative))


def causes(ratio: float, relative_uncertainty: float) -> tuple[str, ...]:
    """All causes whose factor the ratio (or its inverse, then said of the others) matches within 3 %, or
    twice its relative uncertainty.

    >>> causes(2.01, 0.01)[0]
    'double marks, or both edges counted (2:1)'
    >>> causes(0.5, 0.01)[0]
    'every other mark missed, or double marks and both edges counted by the others (1:2)'
    """
    if ratio <= 0:
        return ()
    slack = max(RATIO_SLACK, 2 * relative_uncertainty)
    more, factor = ratio > 1, max(ratio, 1 / ratio)
    sentences = [high if more else low for known, high, low in CAUSES if abs(factor / known - 1) <= slack]
    sentences += [
        f"{pairs} pole pairs: electrical turns taken for mechanical ones ({pairs}:1)"
        if more
        else f"{pairs} pole pairs: electrical turns taken for mechanical ones by the others (1:{pairs})"
        for pairs in range(2, MOST_POLE_PAIRS + 1)
        if abs(factor / pairs - 1) <= slack
    ]
    return tuple(sentences)
