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
OFF, ON, BLINK, TONE = range(4)  # what is done in a condition
DONE = ("off", "on", "blinks", "on, with a tone")
BEFORE, LIT, PHASE_S, DRAWN = range(4)
RANDOM_OF = 2147483647.0
MOST_LAMPS = 8


@part_of_loops
def is_lit(done: float, phase_s: float, every_s: float) -> bool:
    """Whether a lamp is lit just now by what is done in its condition."""
    return done in (ON, TONE) or (done == BLINK and phase_s < every_s / 2)


@part_of_loops
def by_table(holds: bool, missing: bool, settings: Array) -> float:
    """What is done: while the condition holds, while it does not, while nothing is read; −1 to leave it."""
    if missing:
        return float(settings[8] - 1.0)
    return float(settings[6] if holds else settings[7])


@part_of_loops
def light_dark(
    readings: Array, settings: Array, sensors: Array, lamps: int, phase_s: float, outputs: Array
) -> int:
    """A lamp for each sensor of a row, by whether it is over the line."""
    inverted, sounds, lit = settings[2] > 0, False, 0
    for i in range(min(readings.size, lamps)):
        count = readings[i]
        dark = (count > sensors[i, THRESHOLD]) == (sensors[i, BLACK] > sensors[i, WHITE])
        done = by_table(dark, count != count, settings)
        if done >= 0.0:
            outputs[i] = 1.0 if is_lit(done, phase_s, settings[3]) != inverted else 0.0
            sounds = sounds or done == TONE
        lit += 1 if (outputs[i] > 0) != inverted else 0
    outputs[MOST_LAMPS] = 1.0 if sounds else 0.0
    return lit


@part_of_loops
def light_all(holds: bool, missing: bool, settings: Array, lamps: int, phase_s: float, outputs: Array) -> int:
    """All lamps together, and the buzzer, by the condition that is."""
    inverted, done = settings[2] > 0, by_table(holds, missing, settings)
    lit = (outputs[0] > 0) != inverted
    if done >= 0.0:
        lit = is_lit(done, phase_s, settings[3])
        outputs[MOST_LAMPS] = 1.0 if done == TONE else 0.0
    for i in range(lamps):
        outputs[i] = 1.0 if lit != inverted else 0.0
    return 1 if lit else 0


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
def on_edges(mode: int, lamps: int, level: float, loop_s: float, every_s: float, memory: Array) -> int:
    """What is lit where a lamp answers the edges of a level, and not the level."""
    lit = int(memory[LIT])
    if level == level:
        now = level > 0.5
        changed = memory[BEFORE] != 0.0 and (memory[BEFORE] > 0) != now
        if mode == TOGGLES and changed and now:
            lit = 1 - lit
        elif mode == CHASES and changed:
            lit = (lit + 1) % lamps
        elif mode == FLICKERS:
            lit = flickered(lit, now, changed, loop_s, every_s, memory)
        memory[BEFORE] = 1.0 if now else -1.0
    memory[LIT] = float(lit)
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
    mode, lamps, inverted = int(settings[0]), min(int(settings[1]), MOST_LAMPS), settings[2] > 0
    level = readings[0]
    if mode == BAR:
        return nearer(level, settings[4], settings[5], lamps, inverted, outputs)
    if mode in (TOGGLES, FLICKERS, CHASES):
        lit = on_edges(mode, lamps, level, loop_s, settings[3], memory)
        for i in range(lamps):
            on = (i == lit) if mode == CHASES else lit > 0
            outputs[i] = 1.0 if on != inverted else 0.0
        return lit
    memory[PHASE_S] = (memory[PHASE_S] + loop_s) % settings[3]
    if mode == DARK:
        return light_dark(readings, settings, sensors, lamps, memory[PHASE_S], outputs)
    if level == level:
        was = memory[LIT]
        near = level < settings[4] if was == 0.0 else level <= settings[5]
        memory[LIT] = 1.0 if (near if mode == NEAR else level > 0.5) else 0.0
    return light_all(memory[LIT] > 0, level != level, settings, lamps, memory[PHASE_S], outputs)


class Indicate(Behaviour):
    """A lamp by a reading."""

    id = "indicate"
    number = 8
    title = "Indicate"
    words = "Lamps and a tone by a level, by what is near or dark; or they toggle, flicker, run on."
    reads, moves = LEVEL, (LAMPS,)
    outputs = (
        *(Command(f"lamp_{i}", f"lamp {i}") for i in range(1, MOST_LAMPS + 1)),
        Command("buzzer", "buzzer"),
    )
    settings = (
        Setting("mode", "lamps", "", FOLLOWS, 0, len(MODES) - 1, choices=MODES),
        Setting("lamps", "how many", "", 1, 1, MOST_LAMPS),
        Setting("inverted", "lit when not", "", 0, 0, 1, choices=("no", "yes")),
        Setting("blink_s", "blinks, flickers every", "s", 0.2, 0.01, 10),
        TRIP,
        CLEAR,
        Setting("when_so", "while it is so", "", ON, 0, 3, choices=DONE),
        Setting("when_not", "while it is not", "", OFF, 0, 3, choices=DONE),
        Setting("when_missing", "while nothing is read", "", 0, 0, 4, choices=("as it was", *DONE)),
    )
    states = tuple(f"{i} lit" if i else "dark" for i in range(MOST_LAMPS + 1))

    def kernel(self) -> Step:
        """Its step."""
        return indicate
