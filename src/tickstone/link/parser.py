"""One line to readings, in our own line format: ``t_us:123456 echo_us:1457 air_c:21.5``.

Pairs of label and number, a space between pairs, the board's µs wrapping at 32 bits, a missing reading absent. A line
is understood whole or not at all: a garbled one never shifts a value into another's place.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass

TIME_LABEL = "t_us"
_PAIR = re.compile(r"([A-Za-z_][A-Za-z0-9_]*):([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?)\Z")
LONGEST_KEPT = 200


@dataclass(frozen=True)
class Field:
    """What a label stands for: where its value goes, and the raw values that can be."""

    sensor: str
    channel: str
    low: float
    high: float


@dataclass(frozen=True)
class Reading:
    """A line that was understood: the board's time stamp, µs, and values by label."""

    stamp_us: int
    values: dict[str, float]


@dataclass(frozen=True)
class OddLine:
    """A line that was not: its text (cut) and why."""

    text: str
    why: str


def parse(line: str, fields: Mapping[str, Field]) -> Reading | OddLine:
    """Parse one line against the labels that the rig knows.

    >>> fields = {"echo_us": Field("front-ranger", "echo", 0, 400_000)}
    >>> parse("t_us:50000 echo_us:1457", fields)
    Reading(stamp_us=50000, values={'echo_us': 1457.0})
    >>> parse("t_us:50000 echo_us:14?7", fields).why
    "not a label:number pair: 'echo_us:14?7'"
    """
    values: dict[str, float] = {}
    stamp: int | None = None
    for pair in line.split():
        match = _PAIR.match(pair)
        if match is None:
            return _odd(line, f"not a label:number pair: {pair[:40]!r}")
        label, number = match[1], float(match[2])
        if label in values or (label == TIME_LABEL and stamp is not None):
            return _odd(line, f"{label} stands twice")
        if label == TIME_LABEL:
            if not (0 <= number < 2**32 and number.is_integer()):
                return _odd(line, f"{TIME_LABEL} is no 32-bit count of µs")
            stamp = int(number)
        elif label not in fields:
            return _odd(line, f"no sensor of this rig sends {label[:40]}")
        elif not (math.isfinite(number) and fields[label].low <= number <= fields[label].high):
            return _odd(line, f"{label} cannot be {number:g}")
        else:
            values[label] = number
    if stamp is None:
        return _odd(line, f"no {TIME_LABEL}")
    if not values:
        return _odd(line, "no reading")
    return Reading(stamp, values)


def _odd(line: str, why: str) -> OddLine:
    return OddLine(line[:LONGEST_KEPT].replace("\x00", "\ufffd"), why)
