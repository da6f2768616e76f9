"""Lamps, bars and sounders by a reading: the small behaviours of the bench."""

from __future__ import annotations

from tickstone.core.behaviours.behaviour import (
    LAMPS,
    LEVEL,
    Array,
    Behaviour,
    Command,
    Setting,
    Step,
    clamped,
)
from tickstone.core.behaviours.follow import BLACK, THRESHOLD, WHITE
from tickstone.core.behaviours.roam import CLEAR, TRIP
from tickstone.core.loops import part_of_loops

FOLLOWS, TOGGLES, FLICKERS, CHASES, NEAR, DARK, BAR = range(7)
MODES = (
    "follows the level",
    "toggles as it rises",
    "flickers while it is low",
    "runs on at each change",
    "while something is near",
    "while it is dark",
    "more of them the nearer",
)
BEFORE, LIT, PHASE_S, DRAWN = range(4)
RANDOM_OF = 2147483647.0
MOST_LAMPS = 8


@part_of_loops
def light_dark(readings: Array, sensors: Array, lamps: int, inverted: bool, outputs: Array) -> int:
    """A lamp for each sensor of a row that is over the line."""
    for i in range(min(readings.size, lamps)):
        count = readings[i]
        if count == count:
            dark = (count > sensors[i, THRESHOLD]) == (sensors[i, BLACK] > sensors[i, WHITE])
            outputs[i] = 1.0 if dark != inverted else 0.0
    return 1 if outputs[0] > 0 else 0


@part_of_loops
def nearer(distance: float, near: float, far: float, lamps: int, inverted: bool, outputs: Array) -> int:
    """A bar: every lamp from ``near`` on, none from ``far`` on, even steps between; a missing distance leaves
    it as it is."""
    if distance == distance and distance > 0.0:
        share = clamped((far - distance) / max(far - near, 1.0), 0.0, 1.0)
        for i in range(lamps):
            outputs[i] = 1.0 if (share * lamps > i + 0.5) != inverted else 0.0
    lit = 0
    for i in range(lamps):
        lit += 1 if (outputs[i] > 0) != inverted else 0
    return lit


@part_of_loops
def flickered(lit: int, now: bool, changed: bool, loop_s: float, every_s: float, memory: Array) -> int:
    """A lamp that flickers while its level is low, and ends at random (Park & Miller, Comm. ACM 31 (1988)
    1192)."""
    memory[PHASE_S] += loop_s
    if now:
        if changed:
            memory[DRAWN] = (16807.0 * (memory[DRAWN] if memory[DRAWN] > 0 else 20_021.0)) % RANDOM_OF
            return 1 if memory[DRAWN] > RANDOM_OF / 2 else 0
        return lit
    if memory[PHASE_S] >= every_s / 2:
        memory[PHASE_S] = 0.0
        return 1 - lit
    return lit


@part_of_loops
def indicate(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """Which lamps are lit, by the mode that is set."""
    mode, lamps, inverted = int(settings[0]), int(settings[1]), settings[2] > 0
    level = readings[0]
    lit = int(memory[LIT])
    if mode == DARK:
        return light_dark(readings, sensors, min(lamps, MOST_LAMPS), inverted, outputs)
    if mode == BAR:
        return nearer(level, settings[4], settings[5], min(lamps, MOST_LAMPS), inverted, outputs)
    if mode == NEAR:
        if level == level and level < settings[4]:
            lit = 1
        elif level == level and level > settings[5]:
            lit = 0
    elif level == level:
        now = level > 0.5
        changed = memory[BEFORE] != 0.0 and (memory[BEFORE] > 0) != now
        if mode == FOLLOWS:
            lit = 1 if now else 0
        elif mode == TOGGLES and changed and now:
            lit = 1 - lit
        elif mode == CHASES and changed:
            lit = (lit + 1) % lamps
        elif mode == FLICKERS:
            lit = flickered(lit, now, changed, loop_s, settings[3], memory)
        memory[BEFORE] = 1.0 if now else -1.0
    memory[LIT] = float(lit)
    for i in range(min(lamps, MOST_LAMPS)):
        on = (i == lit) if mode == CHASES else lit > 0
        outputs[i] = 1.0 if on != inverted else 0.0
    return lit


class Indicate(Behaviour):
    """A lamp by a reading."""

    id = "indicate"
    number = 8
    title = "Indicate"
    words = "Lamps that follow a level, toggle, flicker, run on, or show what is near or dark."
    reads, moves = LEVEL, (LAMPS,)
    outputs = tuple(Command(f"lamp_{i}", f"lamp {i}") for i in range(1, MOST_LAMPS + 1))
    settings = (
        Setting("mode", "lamps", "", FOLLOWS, 0, len(MODES) - 1, choices=MODES),
        Setting("lamps", "how many", "", 1, 1, MOST_LAMPS),
        Setting("inverted", "lit when not", "", 0, 0, 1, choices=("no", "yes")),
        Setting("blink_s", "flickers every", "s", 0.2, 0.01, 10),
        TRIP,
        CLEAR,
    )
    states = tuple(f"{i} lit" if i else "dark" for i in range(MOST_LAMPS + 1))

    def kernel(self) -> Step:
        """Its step."""
        return indicate
