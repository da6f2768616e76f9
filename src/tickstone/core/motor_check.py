"""Does it still read well with the motors running? Two short stretches, at rest and with motors, held against
each other."""

from __future__ import annotations

from dataclasses import dataclass

from tickstone.core.wording import fixed

LOUDER = 3.0  # times the noise at rest that is worth a remedy
MOVED_SIGMAS = 6.0
MORE_DROPOUTS = 0.05
GARBLED_SHARE = 0.01
REMEDY = (
    "Solder 100 nF across each motor, twist the motor leads, keep sensor wires away from them, join "
    "grounds at one point, and put a bulk capacitor at the motor supply."
)


@dataclass(frozen=True)
class SensorStretch:
    """What one sensor said over a few seconds: noise (k = 1) and middle in its unit, None where too few
    readings; the share of dropouts; ``resolution`` is the smallest change it can show. ``turns``: it tells
    turns, which motors change."""

    sensor: str
    name: str
    unit: str
    digits: int
    noise: float | None
    middle: float | None
    dropouts: float
    readings: int
    turns: bool = False


@dataclass(frozen=True)
class Hearing:
    """What every sensor of a rig said over the same few seconds, and the share of lines that were garbled."""

    stretches: tuple[SensorStretch, ...]
    garbled: float


@dataclass(frozen=True)
class Judged:
    """One line of the answer: whose, in words, and whether something is to be done."""

    sensor: str
    sentence: str
    bad: bool


@dataclass(frozen=True)
class Answer:
    """The verdict, what helps (empty when nothing needs help), and a line for each sensor."""

    verdict: str
    remedy: str
    lines: tuple[Judged, ...]


def judge(rest: Hearing, running: Hearing) -> Answer:
    """Hold a few seconds with motors against a few at rest; both of the same sensors in the same order."""
    lines = [_one(before, now) for before, now in zip(rest.stretches, running.stretches, strict=True)]
    if running.garbled > max(GARBLED_SHARE, 2 * rest.garbled):
        lines.append(
            Judged("", f"{100 * running.garbled:.0f} % of the lines are garbled while the motors run.", True)
        )
    bad = [line for line in lines if line.bad]
    if not bad:
        return Answer("It reads as well with the motors running", "", tuple(lines))
    return Answer(f"{len(bad)} of {len(lines)} read worse with the motors running", REMEDY, tuple(lines))


def _one(rest: SensorStretch, running: SensorStretch) -> Judged:
    name = rest.name[0].upper() + rest.name[1:]
    if rest.turns:
        return Judged(rest.sensor, f"{name}: it turns with the motors, so noise says nothing here.", False)
    if rest.noise is None or running.noise is None or rest.middle is None or running.middle is None:
        missing = "at rest" if rest.noise is None else "with the motors"
        return Judged(
            rest.sensor,
            f"{name}: too few readings {missing}.",
            running.noise is None and rest.noise is not None,
        )
    least = 10.0**-rest.digits / 4
    before, now = max(rest.noise, least), max(running.noise, least)
    digits = rest.digits + 1
    text = (
        f"{name}: noise {fixed(rest.noise, digits)} {rest.unit} at rest, {fixed(running.noise, digits)} "
        f"{rest.unit} with motors"
    )
    moved = running.middle - rest.middle
    lost = running.dropouts - rest.dropouts
    if lost > MORE_DROPOUTS:
        return Judged(rest.sensor, f"{text}; {100 * lost:.0f} % more dropouts.", True)
    if now > LOUDER * before:
        return Judged(rest.sensor, f"{text}: {now / before:.0f} times as much.", True)
    if abs(moved) > MOVED_SIGMAS * before:
        held = "" if rest.unit == "V" else ": was it held still?"
        return Judged(
            rest.sensor, f"{text}; it moved by {fixed(moved, digits)} {rest.unit}{held}", rest.unit == "V"
        )
    return Judged(rest.sensor, f"{text}.", False)
