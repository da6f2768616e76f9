"""What a label on the line means to a rig: guessed from its words and its unit, and said otherwise where a
person knows better."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import ChannelSpec
from tickstone.core.rigs.labels import channels, known_labels
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.core.units import CELSIUS, FAHRENHEIT, LENGTHS_MM, TIMES_US, VOLTS, without_unit

CHANNEL, TIME, MARK, IGNORED, COMMAND = "channel", "time", "mark", "ignored", "command"
ECHO_US_PER_MM = 5.8  # common practice: programs divide by 58 for centimetres
FULL_SCALES = {"g": "accel", "dps": "gyro", "°/s": "gyro"}  # the option that tells what a full count is
FULL_COUNTS = 2**15
TIME_NAMES = {
    "us": 1.0,
    "t_us": 1.0,
    "time_us": 1.0,
    "micros": 1.0,
    "ms": 1000.0,
    "t_ms": 1000.0,
    "time_ms": 1000.0,
    "millis": 1000.0,
    "uptime_ms": 1000.0,
    "t_s": 1e6,
    "seconds": 1e6,
    "t": None,
    "time": None,
    "timestamp": None,
    "uptime": None,
}


@dataclass(frozen=True)
class Meaning:
    """What becomes of a label's number: a raw channel, ``number × factor + zero``; the board's time, in steps
    of ``unit_us`` µs (None: to be found out); what was true at a row of a file; what the program commands; or
    nothing."""

    role: str
    sensor: str = ""
    channel: str = ""
    factor: float = 1.0
    zero: float = 0.0
    unit_us: float | None = None


NOTHING, COMMANDED = Meaning(IGNORED), Meaning(COMMAND)


def guess(label: str, unit: str, rig: Rig, taken: Iterable[tuple[str, str]] = ()) -> Meaning | None:
    """What a label probably means, or None.

    Parameters: label and unit as printed; rig; taken, (sensor, channel) pairs that other labels already fill.
    """
    known = known_labels(rig).get(label)
    if known is not None:
        return Meaning(CHANNEL, known[0], known[1].name)
    stem, inner = without_unit(label)
    unit = unit or inner
    time = _timed(label, stem, unit)
    if time is not None:
        return time
    words = set(re.findall(r"[a-zµ°]+|\d+", stem.lower())) | {stem.lower().replace(" ", "_")}
    free = [channel for channel in channels(rig) if (channel[0].id, channel[1].name) not in set(taken)]
    best: tuple[int, Meaning] | None = None
    for sensor, channel in free:
        score = _score(words, stem, sensor, channel)
        scaled = _scaled(rig, sensor, channel, unit, stem) if score else None
        if scaled is not None and (best is None or score > best[0]):
            best = score, scaled
    return best[1] if best else None


def time_meaning(label: str, unit: str) -> Meaning | None:
    """The meaning of a label that is surely a time, else None; ``unit_us`` is None where neither label nor
    unit tells it."""
    stem, inner = without_unit(label)
    return _timed(label, stem, unit or inner)


def guess_bare(count: int, rig: Rig) -> dict[str, Meaning]:
    """What unlabelled columns probably are: the rig's channels in order, behind a time where there is one
    column more."""
    every = [channel for channel in channels(rig) if channel[1].form != "edge"] or channels(rig)
    results: dict[str, Meaning] = {}
    first = 1
    if count == len(every) + 1:
        results["1"], first = Meaning(TIME), 2
    for place, (sensor, channel) in enumerate(every[: count - first + 1], first):
        results[str(place)] = Meaning(CHANNEL, sensor.id, channel.name)
    return results


def _timed(label: str, stem: str, unit: str) -> Meaning | None:
    name = label.lower().replace(" ", "_")
    if name in TIME_NAMES:
        return Meaning(TIME, unit_us=TIME_NAMES[name] or TIMES_US.get(unit))
    if stem.lower() in ("t", "time", "timestamp", "uptime") and unit in TIMES_US:
        return Meaning(TIME, unit_us=TIMES_US[unit])
    return None


def _score(words: set[str], stem: str, sensor: Sensor, channel: ChannelSpec) -> int:
    """How well a label's words fit a channel: 0 not at all."""
    called = {name.lower() for name in channel.called} | {channel.name.lower()}
    mine = set(re.findall(r"[a-z]+|\d+", f"{sensor.id} {sensor.name}".lower()))
    score = 4 if stem.lower().replace(" ", "_") in called else 2 if words & called else 0
    if not score and len(kind(sensor.kind).channels_of(sensor.options)) == 1 and words & (mine - {"sensor"}):
        score = 1  # only the part's name fits: another's own word goes first
    return score + len(words & mine) if score else 0


def _scaled(rig: Rig, sensor: Sensor, channel: ChannelSpec, unit: str, stem: str) -> Meaning | None:
    """The meaning with what turns the printed unit into the channel's own, or None where nothing does."""
    factor: float | None = 1.0
    zero = 0.0
    if channel.unit == "µs" and channel.form == "level":
        factor = _echo_us(unit, stem)
    elif channel.unit == "µs":
        factor = TIMES_US.get(unit, 1.0)
    elif channel.unit == "mm":
        factor = LENGTHS_MM.get(unit, 1.0)
    elif channel.unit == "°C" and unit in FAHRENHEIT:
        factor, zero = 1 / 1.8, -32 / 1.8
    elif channel.unit == "°C":
        factor = 1.0 if unit in CELSIUS else None
    elif channel.unit == "counts":
        factor = _counts(rig, sensor, unit)
    if factor is None:
        return None
    return Meaning(CHANNEL, sensor.id, channel.name, factor, zero)


def _echo_us(unit: str, stem: str) -> float | None:
    """µs of echo for each step of what was printed; lengths are turned back into echoes at usual air."""
    if unit in LENGTHS_MM:
        return LENGTHS_MM[unit] * ECHO_US_PER_MM
    if unit in TIMES_US:
        return TIMES_US[unit]
    if unit:
        return None
    says_time = any(word in stem.lower() for word in ("echo", "pulse", "duration"))
    return 1.0 if says_time else 10.0 * ECHO_US_PER_MM  # most programs print centimetres


def _counts(rig: Rig, sensor: Sensor, unit: str) -> float | None:
    """Counts for each step of what was printed."""
    converter = converter_of(rig, sensor.id)
    if unit in VOLTS and converter is not None:
        bits, reference_v = converter
        return VOLTS[unit] * float(2**bits) / reference_v
    if unit in FULL_SCALES and FULL_SCALES[unit] in sensor.options:
        return FULL_COUNTS / float(sensor.options[FULL_SCALES[unit]])
    return 1.0 if unit in ("", "counts") else None
