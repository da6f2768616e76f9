"""A finding: what is wrong, where, how surely, by which evidence, why probably, and what to do at the bench
next."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tickstone.core.diagnosis.record import ACCEL, AIR, DISTANCE, ECHO, EDGE, GYRO, LEVEL, LIGHT, SUPPLY
from tickstone.core.wording import readable

KINDS = (
    "dropouts",
    "spikes",
    "stuck",
    "clipped",
    "chatter",
    "doubled",
    "missed",
    "swapped",
    "inverted",
    "flicker",
    "wrong-scale",
    "drift",
    "jitter",
    "garbled",
    "reset",
)
TITLES = {
    "dropouts": "readings drop out",
    "spikes": "single readings stand alone",
    "stuck": "the reading is stuck",
    "clipped": "readings are cut off at an end",
    "chatter": "edges bounce",
    "doubled": "pulses come double",
    "missed": "pulses are missing",
    "swapped": "two are changed over",
    "inverted": "it reads the wrong way round",
    "flicker": "mains flicker is in it",
    "wrong-scale": "the scale is wrong",
    "drift": "it drifts",
    "jitter": "times are uneven",
    "garbled": "lines come garbled",
    "reset": "the board began anew",
}
ACCUSES = 0.8
SUREST = 0.98  # nobody is surer than that from readings alone


@dataclass(frozen=True)
class Finding:
    """``channel`` is the signal's name, ``stream`` whose it is (empty: the line itself); the span in s;
    ``confidence`` 0 to 1, how often such a finding is right (how strong its evidence is, until `examine` has
    weighed all against each other), from ACCUSES on it accuses; ``causes`` the likely ones first; ``advice``
    the next check to make. ``also`` are other channels of the stream with it."""

    kind: str
    stream: str
    channel: str
    start_s: float
    end_s: float
    confidence: float
    evidence: str
    causes: tuple[str, ...]
    advice: str
    also: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """What is wrong, in a few words that go after the sensor's name."""
        return TITLES[self.kind]

    @property
    def accuses(self) -> bool:
        """Whether it is sure enough to be shown."""
        return self.confidence >= ACCUSES


@dataclass(frozen=True)
class Remedy:
    """Likely causes, the likeliest first, and the check that tells them apart."""

    causes: tuple[str, ...]
    advice: str


# Common practice throughout: what people at the bench find behind each of these, and how they tell.
_REMEDIES: dict[tuple[str, str], Remedy] = {
    ("dropouts", ""): Remedy(
        ("a loose wire or a cold joint", "a supply that dips", "the program reads before a reading is there"),
        "Wiggle each wire while you watch the reading; then measure the part's supply with "
        "a meter while it runs.",
    ),
    ("dropouts", ECHO): Remedy(
        (
            "a slanted or soft surface sends the echo away",
            "the target is out of the beam",
            "a loose echo wire",
            "the supply dips",
        ),
        "Hold a flat board square before it at 50 cm: if the zeros go, it was the surface; if they stay, "
        "wiggle the echo wire and measure the 5 V at the part. While driving: slow down, and stop when no "
        "echo comes for 0.3 s.",
    ),
    ("dropouts", DISTANCE): Remedy(
        ("a dark, slanted or soft surface", "the target is out of reach", "a loose wire"),
        "Hold white paper square before it at 20 cm: if the gaps go, it was the surface; if they stay, "
        "wiggle the wires.",
    ),
    ("spikes", ""): Remedy(
        ("motor noise on a long wire", "a loose wire", "characters lost on the line"),
        "Run \u201ccheck with motors\u201d: if the spikes come with the motors, 100 nF across each motor "
        "and twisted leads; if not, wiggle the wires. A median of three takes single spikes out meanwhile.",
    ),
    ("spikes", ECHO): Remedy(
        (
            "another ranger's ping is heard",
            "pings follow each other before the old echo has died",
            "motor noise on the echo wire",
        ),
        "Switch the other rangers off: if the spikes go, fire them in turn, 60 ms apart; if not, run "
        "\u201ccheck with motors\u201d. A median of three takes single spikes out.",
    ),
    ("stuck", ""): Remedy(
        (
            "the part hangs or has lost its supply",
            "the program repeats an old value",
            "a wire is off and the pin floats at one level",
        ),
        "Change what it senses, by hand: if the number stays, measure supply and output with a meter; if "
        "the output moves and the number does not, it is the program.",
    ),
    ("stuck", EDGE): Remedy(
        ("the magnet has moved away or come off", "the wire is off", "the program's counting has stopped"),
        "Turn the wheel slowly by hand and watch the output with a meter: it must go low at each magnet.",
    ),
    ("clipped", ""): Remedy(
        ("the range is too small", "the reference is lower than the signal"),
        "Measure the signal with a meter: if it is beyond the reference, divide it; else "
        "choose the larger range.",
    ),
    ("clipped", ACCEL): Remedy(
        ("the range is too small for what shakes it", "it is mounted too hard"),
        "Choose the next larger range in the part's set-up (it costs half the resolution) and look again; "
        "shake by hand to try.",
    ),
    ("clipped", GYRO): Remedy(
        ("it turns faster than its range",),
        "Choose the next larger range in the part's set-up (it costs half the resolution).",
    ),
    ("clipped", LIGHT): Remedy(
        (
            "too much light: the phototransistor is saturated",
            "the load resistor is too large",
            "a lamp or the sun shines in",
        ),
        "Shade it with your hand: if it comes off the end it is the room's light; if not, take the next "
        "smaller load resistor.",
    ),
    ("chatter", ""): Remedy(
        ("no pull-up, or a weak one", "a threshold without hysteresis", "motor noise on a long wire"),
        "Measure from output to supply without power: about 10 k\u03a9 must be there. If it is, set a "
        "refractory time below half the shortest period; an oscilloscope on the pin shows bounces.",
    ),
    ("doubled", ""): Remedy(
        (
            "two marks, or a second magnet",
            "both edges are counted (on change instead of falling)",
            "a reflection from the shaft",
        ),
        "Turn the wheel once by hand and count the pulses. If there are two a turn, look for a second "
        "mark; if there is one, the program counts both edges. Second opinion (video, contact) tells which "
        "of two speeds is right.",
    ),
    ("missed", ""): Remedy(
        (
            "a magnet or mark too far away, or one that is missing",
            "a loop too slow to see each pulse",
            "an edge that is not sharp",
        ),
        "Turn slowly by hand and count: if all pulses come, the loop is too slow: use an interrupt pin. If "
        "one is missing at each turn, bring that magnet nearer.",
    ),
    ("swapped", ""): Remedy(
        (
            "two wires changed over",
            "the row is mounted the other way round",
            "two names changed over in the program",
        ),
        "Cover the leftmost sensor alone with your finger and see which reading moves.",
    ),
    ("swapped", ACCEL): Remedy(
        ("the unit is mounted turned by 90°", "two axes changed over in the program"),
        "Lift the nose: pitch alone must move. Lift the left side: roll alone must move.",
    ),
    ("inverted", ""): Remedy(
        (
            "the load resistor sits on the other side",
            "the program turns the reading over",
            "white and black changed over",
        ),
        "Hold it over white paper, then over black tape, and look which way the number goes.",
    ),
    ("inverted", LEVEL): Remedy(
        (
            "the program reads the level the other way round",
            "an inverting stage behind the sensor",
            "a magnet with its other pole",
        ),
        "Hold a magnet to it and measure the output: an open collector must be low then. "
        "If it is, it is the program.",
    ),
    ("inverted", ACCEL): Remedy(
        (
            "it is mounted upside down",
            "the program prints \u22121 g for flat",
            "an axis changed sign in the program",
        ),
        "Lay it flat: the upward axis must say +1 g. If the program prints \u22121 g on "
        "purpose, say so in the rig.",
    ),
    ("inverted", GYRO): Remedy(
        ("an axis changed sign in the program", "gyro and accelerometer are mounted differently"),
        "Lift the nose quickly: tilt and turning rate must have the same sign of change.",
    ),
    ("flicker", ""): Remedy(
        ("mains light falls on the sensor", "mains hum on a long or high-ohmic wire"),
        "Switch the lamp off or shade the sensor with your hand: if it goes, it is light: average over "
        "whole half-cycles of the mains, or read with the lamp off and on and subtract. If it stays, it is "
        "hum: shorten the wire.",
    ),
    ("wrong-scale", ""): Remedy(
        ("a wrong divisor or unit in the program", "the wrong range or reference is set"),
        "Measure one known thing (a ruler's 50 cm, 1 g lying flat, a meter's volts) and compare.",
    ),
    ("wrong-scale", ECHO): Remedy(
        (
            "the distance there and back is halved twice, or not at all",
            "centimetres taken for inches",
            "a wrong timer prescaler",
        ),
        "Put a flat board at 50 cm by the ruler: the echo must last about 2.9 ms, that is "
        "58 µs a centimetre.",
    ),
    ("wrong-scale", DISTANCE): Remedy(
        (
            "the distance there and back is halved twice, or not at all",
            "centimetres taken for inches",
            "a wrong divisor",
        ),
        "Put a flat board at 50 cm by the ruler and compare.",
    ),
    ("wrong-scale", ACCEL): Remedy(
        ("another range is set in the part than in the rig or program",),
        "Lay it flat and still: it must say 1 g. If it says 2 or a half, the range is off by that factor.",
    ),
    ("wrong-scale", GYRO): Remedy(
        ("another range is set in the part than in the program", "radians taken for degrees"),
        "Turn it by a right angle along a table's edge: the sum of its rates must be 90°.",
    ),
    ("wrong-scale", SUPPLY): Remedy(
        (
            "a divider resistor of another value",
            "another reference voltage",
            "a digit or unit slipped in the program",
        ),
        "Measure the battery with a meter and compare; then measure the two resistors of the divider.",
    ),
    ("wrong-scale", AIR): Remedy(
        ("Fahrenheit taken for Celsius", "tenths not divided by ten"), "Compare with a room thermometer."
    ),
    ("drift", ""): Remedy(
        ("it warms up", "the supply or the reference sags", "something slips from its place"),
        "Let it stand for ten minutes and record again: if it has settled, it was warming up. If it "
        "follows the supply, measure the reference with a meter.",
    ),
    ("drift", GYRO): Remedy(
        ("the bias moves with temperature",),
        "Let it rest for a minute, take the bias anew, and record again with the temperature beside it.",
    ),
    ("drift", LIGHT): Remedy(
        ("the room's light changes", "the supply sags", "lamps warm up", "the sensor sinks"),
        "Record a minute in the dark with only its own lamp: if it still creeps, measure the supply with a "
        "meter meanwhile.",
    ),
    ("jitter", ""): Remedy(
        (
            "the program waits for something (an echo, a print) in its loop",
            "readings are timed on a computer with other work",
        ),
        "Print the time of each loop: the waits show. Time readings on the board, with its own timer.",
    ),
    ("jitter", EDGE): Remedy(
        ("edges are timed in a polled loop", "the wheel wobbles or slips", "a slow edge without hysteresis"),
        "Time one edge in an interrupt with the board's own timer and compare; turn by a motor at steady "
        "speed to rule out the wheel.",
    ),
    ("garbled", ""): Remedy(
        ("another baud than the board's", "a loose or long serial wire", "two programs print at once"),
        "Compare the baud here and in the program; then try a short cable.",
    ),
    ("reset", ""): Remedy(
        (
            "the supply dips when the motors start",
            "a watchdog or a crash of the program",
            "the reset pin is touched",
        ),
        "Measure the 5 V while a motor starts: below about 4.5 V the board begins anew. Then give the "
        "motors a supply of their own.",
    ),
}


def remedy(kind: str, nature: str) -> Remedy:
    """What is behind a kind of fault, and what to do next, for a signal of this nature."""
    return _REMEDIES.get((kind, nature)) or _REMEDIES[kind, ""]


def found(
    kind: str,
    stream: str,
    channel: str,
    nature: str,
    span_s: tuple[float, float],
    confidence: float,
    evidence: str,
    *first_causes: str,
) -> Finding:
    """A finding with its causes and advice; ``first_causes`` are those that the evidence itself points at."""
    behind = remedy(kind, nature)
    causes = (*first_causes, *(cause for cause in behind.causes if cause not in first_causes))
    sure = min(max(float(confidence), 0.0), SUREST)
    return Finding(
        kind,
        stream,
        channel,
        float(span_s[0]),
        float(span_s[1]),
        round(sure, 3),
        readable(evidence),
        causes,
        behind.advice,
    )


def ramp(value: float, *points: tuple[float, float]) -> float:
    """Strength by how much evidence there is: straight lines between (value, strength) points.

    >>> ramp(0.03, (0.01, 0.3), (0.05, 0.8))
    0.55
    """
    at, sure = zip(*points, strict=True)
    return float(round(np.interp(value, at, sure), 6))
