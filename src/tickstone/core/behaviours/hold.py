"""Holding a distance: a ball on a beam by a servo, a float in a tube by a fan."""

from __future__ import annotations

from tickstone.core.behaviours.behaviour import (
    RANGERS,
    SERVO,
    Array,
    Behaviour,
    Command,
    Memory,
    Setting,
    Step,
    clamped,
    cut,
)
from tickstone.core.behaviours.roam import DROPOUT_S
from tickstone.core.loops import part_of_loops

INTEGRAL, BEFORE, SLOPE, BEGUN, MISSING_S, SINCE_S, OUTPUT = range(7)
HOLDS, WAITS, SAFE = range(3)


@part_of_loops
def hold_distance(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """A controller on the distance; zeros and dropouts never enter: the output is held, then goes to the safe
    position."""
    wanted, kp, ki, kd, filter_s = settings[0], settings[1], settings[2], settings[3], settings[4] / 1000.0
    reach, low, high, slew = settings[5], settings[6], settings[7], settings[8]
    distance, new = readings[0], readings[1] > 0
    if memory[BEGUN] == 0.0:
        memory[OUTPUT], memory[BEGUN] = settings[10], 1.0
    memory[SINCE_S] += loop_s
    state, target = HOLDS, memory[OUTPUT]
    if distance == distance and distance > 0.0:
        memory[MISSING_S] = 0.0
        if new:
            at = cut(distance, integers)
            error = wanted - at
            dt = memory[SINCE_S]
            if memory[BEGUN] == 1.0:
                memory[BEFORE], memory[SLOPE], memory[BEGUN] = at, 0.0, 2.0
            share = dt / (filter_s + dt)
            memory[SLOPE] += share * (-(at - memory[BEFORE]) / dt - memory[SLOPE])
            memory[BEFORE], memory[SINCE_S] = at, 0.0
            integral = memory[INTEGRAL] + error * dt
            answer = (
                cut(kp * error, integers) + cut(ki * integral, integers) + cut(kd * memory[SLOPE], integers)
            )
            if abs(answer) <= reach or answer * error < 0:
                memory[INTEGRAL] = integral
            share_of_way = (clamped(answer, -reach, reach) + reach) / (2 * reach)
            target = cut(low + share_of_way * (high - low), integers)
            target = clamped(target, min(low, high), max(low, high))
            memory[OUTPUT] = target
    else:
        memory[MISSING_S] += loop_s
        state = WAITS
        if memory[MISSING_S] > settings[9]:
            state, target = SAFE, settings[10]
            memory[OUTPUT] = target
    if slew > 0.0:
        step = slew * loop_s
        outputs[0] = clamped(target, outputs[0] - step, outputs[0] + step)
    else:
        outputs[0] = target
    return state


class HoldDistance(Behaviour):
    """Hold a set distance before a ranger."""

    id = "hold-distance"
    number = 7
    title = "Hold a distance"
    words = "A controller moves the servo or the fan until the reading is the wanted one."
    reads, moves = RANGERS, (SERVO,)
    outputs = (Command("servo_deg", "servo", "°"),)
    settings = (
        Setting("set_mm", "wanted", "mm", 200.0, 1, 10_000),
        Setting("kp", "kp", "", 1.0, -1000, 1000),
        Setting("ki", "ki", "1/s", 0.05, -1000, 1000),
        Setting("kd", "kd", "s", 0.7, -1000, 1000),
        Setting("d_filter_ms", "filter of kd", "ms", 60.0, 0, 10_000),
        Setting("range_mm", "distance for the full answer", "mm", 200.0, 1, 10_000),
        Setting("low_deg", "from", "°", 60.0, -180, 360),
        Setting("high_deg", "to", "°", 120.0, -180, 360),
        Setting("deg_per_s", "moves at most", "°/s", 300.0, 0, 10_000),
        DROPOUT_S,
        Setting("safe_deg", "safe position", "°", 90.0, -180, 360),
    )
    states = ("holds", "waits", "safe")

    def kernel(self) -> Step:
        """Its step."""
        return hold_distance

    def begin(self) -> Memory:
        """At rest in the middle of its way."""
        memory = super().begin()
        memory.outputs[0] = 90.0
        return memory
