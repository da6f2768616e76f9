"""Following a line: by one sensor on its edge, by two beside it, by a table of states, by a weighted
controller."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tickstone.core.behaviours.behaviour import (
    MOST_SENSORS,
    ROW,
    WHEELS,
    Array,
    Behaviour,
    Setting,
    Step,
    clamped,
    cut,
)
from tickstone.core.loops import part_of_loops
from tickstone.core.surface import FAINT

WHITE, BLACK, THRESHOLD, BAND = range(4)  # columns of the sensors
LEFT, RIGHT = -1.0, 1.0
CRUISE = Setting("cruise_pct", "cruise", "%", 40.0, 0, 100)
SLOW = Setting("slow_pct", "inner wheel", "%", 10.0, -100, 100)
SEARCH_S = Setting("search_s", "searches for", "s", 1.5, 0, 60)
FOLLOWS, SEARCH_LEFT, SEARCH_RIGHT, STOPPED = range(4)
SEEKING = ("follow", "search left", "search right", "stop")
# places in the memory behind the sensors' own
LOST_S, SIDE, INTEGRAL, BEFORE, SLOPE, BEGUN = range(MOST_SENSORS, MOST_SENSORS + 6)


@part_of_loops
def see_dark(readings: Array, sensors: Array, memory: Array) -> None:
    """Note in the memory which sensors are over the line: 1 or −1, 0 while one has never told. By each one's
    threshold, with its hysteresis; a missing reading leaves it as it was."""
    for i in range(readings.size):
        count = readings[i]
        if count != count:
            continue
        black_high = sensors[i, BLACK] > sensors[i, WHITE]
        was_high = 0.0 if memory[i] == 0.0 else (1.0 if (memory[i] > 0) == black_high else -1.0)
        high = count > sensors[i, THRESHOLD] - was_high * sensors[i, BAND] / 2
        memory[i] = 1.0 if high == black_high else -1.0


@part_of_loops
def line_at(readings: Array, sensors: Array, pitch_mm: float) -> float:
    """Where the line lies, mm, positive to the right: the centroid of darkness as in ``core.surface``; NaN
    where no sensor sees it, or one does not tell."""
    total, moment = 0.0, 0.0
    for i in range(readings.size):
        count = readings[i]
        if count != count:
            return np.nan
        share = (count - sensors[i, WHITE]) / (sensors[i, BLACK] - sensors[i, WHITE])
        share = min(max(share, 0.0), 1.0)
        if share >= FAINT:
            total += share
            moment += share * (i - (readings.size - 1) / 2) * pitch_mm
    return moment / total if total > 0.0 else np.nan


@part_of_loops
def search(loop_s: float, search_s: float, outer: float, inner: float, memory: Array, outputs: Array) -> int:
    """Turn to the side where the line was last, for so long, then stop."""
    memory[LOST_S] += loop_s
    if memory[LOST_S] > search_s:
        outputs[0] = outputs[1] = 0.0
        return STOPPED
    if memory[SIDE] < 0:
        outputs[0], outputs[1] = inner, outer
        return SEARCH_LEFT
    outputs[0], outputs[1] = outer, inner
    return SEARCH_RIGHT


@part_of_loops
def follow_edge(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """One sensor on the edge: dark turns off the line, pale back to it."""
    cruise, slow, side = settings[0], settings[1], settings[2]
    see_dark(readings, sensors, memory)
    seen = memory[readings.size // 2]
    if seen == 0.0:
        outputs[0] = outputs[1] = 0.0
        return 2
    to_left = (seen > 0) == (side == 0.0)  # on the left edge, dark means: too far right
    outputs[0], outputs[1] = (slow, cruise) if to_left else (cruise, slow)
    return 0 if to_left else 1


@part_of_loops
def follow_two(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """The outermost two sensors beside the line: dark on one side turns there."""
    cruise, slow, both = settings[0], settings[1], settings[2]
    see_dark(readings, sensors, memory)
    left, right = memory[0], memory[readings.size - 1]
    if left == 0.0 or right == 0.0:
        outputs[0] = outputs[1] = 0.0
        return 4
    if left > 0 and right > 0:
        if both == 1.0:
            outputs[0] = outputs[1] = 0.0
        elif both == 0.0:
            outputs[0] = outputs[1] = cruise
        return 3
    if left > 0:
        outputs[0], outputs[1] = slow, cruise
        return 1
    if right > 0:
        outputs[0], outputs[1] = cruise, slow
        return 2
    outputs[0] = outputs[1] = cruise
    return 0


STRAIGHT, AS_BEFORE, SEEK, STOP = 0, 7, 8, 9  # of the actions of Decide


@part_of_loops
def state_of(memory: Array, count: int) -> int:
    """The state of a row as a place among the choices: its leftmost sensor is the highest bit."""
    code = 0
    for i in range(count):
        code = 2 * code + (1 if memory[i] > 0 else 0)
    return code


@part_of_loops
def follow_table(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """What is chosen for each state of the row; the last side is remembered for the search."""
    cruise, search_s = settings[0], settings[4]
    see_dark(readings, sensors, memory)
    for i in range(readings.size):
        if memory[i] == 0.0:
            outputs[0] = outputs[1] = 0.0
            return STOPPED
    action = int(choices[state_of(memory, readings.size)])
    if action == SEEK:
        inner = cruise * (1 - settings[3])
        return search(loop_s, search_s, cruise, cut(inner, integers), memory, outputs)
    memory[LOST_S] = 0.0
    if action == STOP:
        outputs[0] = outputs[1] = 0.0
        return STOPPED
    if action == STRAIGHT:
        outputs[0] = outputs[1] = cruise
    elif action != AS_BEFORE:
        share = settings[1 + (action - 1) % 3]
        inner = cut(cruise * (1 - share), integers)
        left = action <= 3
        memory[SIDE] = LEFT if left else RIGHT
        outputs[0], outputs[1] = (inner, cruise) if left else (cruise, inner)
    outputs[0] = clamped(outputs[0], -100.0, 100.0)
    outputs[1] = clamped(outputs[1], -100.0, 100.0)
    return FOLLOWS


@part_of_loops
def follow_pid(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """A controller on the line's place: the derivative on what is measured, through a filter; the integral
    held while the answer is clamped."""
    cruise, kp, ki, kd = settings[0], settings[1], settings[2], settings[3]
    most, search_s, filter_s, pitch = settings[4], settings[5], settings[6] / 1000.0, settings[7]
    at = line_at(readings, sensors, pitch)
    if at != at:
        memory[BEGUN] = 0.0
        return search(loop_s, search_s, clamped(cruise + most, 0, 100), cruise - most, memory, outputs)
    memory[LOST_S] = 0.0
    at = cut(at, integers)
    if at != 0.0:
        memory[SIDE] = LEFT if at < 0 else RIGHT
    error = -at
    if memory[BEGUN] == 0.0:
        memory[BEFORE], memory[SLOPE], memory[BEGUN] = at, 0.0, 1.0
    share = loop_s / (filter_s + loop_s)
    memory[SLOPE] += share * (-(at - memory[BEFORE]) / loop_s - memory[SLOPE])
    memory[BEFORE] = at
    integral = memory[INTEGRAL] + error * loop_s
    answer = cut(kp * error, integers) + cut(ki * integral, integers) + cut(kd * memory[SLOPE], integers)
    if abs(answer) <= most or answer * error < 0:
        memory[INTEGRAL] = integral
    answer = clamped(answer, -most, most)
    outputs[0] = clamped(cruise - answer, -100.0, 100.0)
    outputs[1] = clamped(cruise + answer, -100.0, 100.0)
    return FOLLOWS


class FollowEdge(Behaviour):
    """One sensor, one edge."""

    id = "follow-edge"
    number = 0
    title = "Follow one edge"
    words = "One sensor on the edge of the line: dark turns off it, pale back to it."
    reads, moves = ROW, (WHEELS,)
    follows = True
    settings = (
        CRUISE,
        replace(SLOW, usual=25.0),
        Setting("side", "edge", "", 0, 0, 1, choices=("left", "right")),
    )
    states = ("turn left", "turn right", "wait")

    def kernel(self) -> Step:
        """Its step."""
        return follow_edge


class FollowTwo(Behaviour):
    """Two sensors beside the line."""

    id = "follow-two"
    number = 1
    title = "Follow between two sensors"
    words = "Two sensors beside the line: the one that sees it is where to turn."
    reads, moves, least = ROW, (WHEELS,), 2
    follows = True
    settings = (
        CRUISE,
        SLOW,
        Setting("both", "both dark", "", 0, 0, 2, choices=("straight on", "stop", "as before")),
    )
    states = ("straight", "turn left", "turn right", "both dark", "wait")

    def kernel(self) -> Step:
        """Its step."""
        return follow_two


class FollowTable(Behaviour):
    """The truth table of Decide."""

    id = "follow-table"
    number = 2
    title = "Follow by the table"
    words = "What is chosen for each state of the row; the last side is remembered."
    reads, moves = ROW, (WHEELS,)
    follows = True
    settings = (
        CRUISE,
        Setting("little", "a little", "", 0.3, 0, 2),
        Setting("plain", "plain", "", 0.6, 0, 2),
        Setting("hard", "hard", "", 1.2, 0, 2),
        SEARCH_S,
    )
    states = SEEKING

    def kernel(self) -> Step:
        """Its step."""
        return follow_table


class FollowPid(Behaviour):
    """A weighted row and a controller."""

    id = "follow-pid"
    number = 3
    title = "Follow, weighted, with a controller"
    words = "The place of the line under the row, held in its middle by a controller."
    reads, moves, least = ROW, (WHEELS,), 2
    follows = True
    settings = (
        CRUISE,
        Setting("kp", "kp", "%/mm", 1.0, 0, 1000),
        Setting("ki", "ki", "%/(mm·s)", 0.0, 0, 1000),
        Setting("kd", "kd", "%·s/mm", 0.08, 0, 1000),
        Setting("u_max_pct", "steers at most", "%", 40.0, 0, 200),
        SEARCH_S,
        Setting("d_filter_ms", "filter of kd", "ms", 20.0, 0, 10_000),
        Setting("pitch_mm", "pitch", "mm", 12.0, 0.5, 200, constant="pitch"),
    )
    states = SEEKING

    def kernel(self) -> Step:
        """Its step."""
        return follow_pid
