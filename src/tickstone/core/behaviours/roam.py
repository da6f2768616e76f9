"""Going about: from obstacle to obstacle, on a table, and stopping before what stands there."""

from __future__ import annotations

from dataclasses import replace

from tickstone.core.behaviours.behaviour import (
    LAMPS,
    LEFT_WHEEL,
    RANGERS,
    RIGHT_WHEEL,
    ROW,
    WHEELS,
    Array,
    Behaviour,
    Command,
    Setting,
    Step,
    clamped,
)
from tickstone.core.behaviours.follow import BAND, CRUISE, THRESHOLD
from tickstone.core.loops import part_of_loops

GOING, STOPPING, BACKING, TURNING, WAITING = range(5)
STATES = ("going", "stop", "backing", "turning", "waiting")
# places in the memory; the last pings' votes stand behind them
STATE, LEFT_S, SIDE, MISSING_S, DRAWN, ESCAPES, NEXT_VOTE, AHEAD, VOTES = range(9)
TURNS_FIRST, DRIVES_FIRST = 5, 6  # of an edge guard's states
BEGUN = 40  # behind the votes
MOST_VOTES = BEGUN - VOTES
DEG = 0.017453292519943295  # rad
ALTERNATE, RANDOM, AWAY = range(3)
SIDES = ("alternate", "random", "away")
WAIT_S = 1.0  # without an echo, before it looks another way
STOP_S = 0.15  # that a vehicle is given to come to rest before it backs
ESCAPE = 0.6  # how much longer it turns for each obstacle met at once after the last
RANDOM_OF = 2147483647.0

BACK = (
    Setting("back_s", "backs for", "s", 0.6, 0, 30),
    Setting("back_pct", "backs at", "%", 35.0, 0, 100),
    Setting("turn_s", "turns for", "s", 0.7, 0, 30),
    Setting("turn_pct", "turns at", "%", 35.0, 0, 100),
)
VOTE = (
    Setting("votes", "votes", "", 2, 1, 20, constant="votes"),
    Setting("votes_of", "of the last", "", 2, 1, 20, constant="votes_of"),
)
TRIP = Setting("trip_mm", "trip", "mm", 300.0, 0, 10_000, constant="trip")
CLEAR = Setting("clear_mm", "clear", "mm", 400.0, 0, 15_000, constant="clear")
DROPOUT_S = Setting("dropout_s", "waits after", "s", 0.3, 0, 60, constant="dropout_after")


@part_of_loops
def votes_for(near: bool, votes: float, of: float, memory: Array) -> bool:
    """Whether at least so many of the last looks said near; this look is noted."""
    size = int(clamped(of, 1.0, MOST_VOTES))
    place = int(memory[NEXT_VOTE]) % size
    memory[VOTES + place] = 1.0 if near else 0.0
    memory[NEXT_VOTE] = place + 1.0
    total = 0.0
    for i in range(size):
        total += memory[VOTES + i]
    return total >= min(votes, size)


@part_of_loops
def forget_votes(memory: Array) -> None:
    """Begin to count anew."""
    for i in range(MOST_VOTES):
        memory[VOTES + i] = 0.0


@part_of_loops
def next_side(how: float, away: float, memory: Array) -> float:
    """The side to turn to next, −1 left or 1 right."""
    if how == AWAY and away != 0.0:
        return away
    if how == RANDOM:  # Park & Miller, Comm. ACM 31 (1988) 1192
        memory[DRAWN] = (16807.0 * (memory[DRAWN] if memory[DRAWN] > 0 else 20_021.0)) % RANDOM_OF
        return 1.0 if memory[DRAWN] > RANDOM_OF / 2 else -1.0
    return 1.0 if memory[SIDE] < 0 else -1.0


@part_of_loops
def back_and_turn(
    loop_s: float,
    cruise: float,
    back_s: float,
    back: float,
    turn_s: float,
    turn: float,
    memory: Array,
    outputs: Array,
) -> int:
    """What is left of stopping, backing and turning; going again behind it."""
    state = int(memory[STATE])
    memory[LEFT_S] -= loop_s
    if memory[LEFT_S] <= 0.0:
        if state == STOPPING:
            state, memory[LEFT_S] = BACKING, back_s
        elif state == BACKING:
            state, memory[LEFT_S] = TURNING, turn_s * (1.0 + ESCAPE * min(memory[ESCAPES], 4.0))
        elif state == TURNING:
            state, memory[AHEAD] = GOING, 0.0
    memory[STATE] = float(state)
    if state == GOING:
        outputs[0] = outputs[1] = cruise
    elif state == BACKING:
        outputs[0] = outputs[1] = -back
    elif state == TURNING:
        outputs[0], outputs[1] = memory[SIDE] * turn, -memory[SIDE] * turn
    else:
        outputs[0] = outputs[1] = 0.0
    return state


@part_of_loops
def stop_for_it(side: float, loop_s: float, memory: Array) -> None:
    """Something is there: stop, to back and turn; longer where the last one was met just before."""
    memory[ESCAPES] = memory[ESCAPES] + 1.0 if memory[AHEAD] < 1.5 else 0.0
    memory[SIDE], memory[STATE], memory[LEFT_S] = side, float(STOPPING), STOP_S
    forget_votes(memory)


@part_of_loops
def around(readings: Array, trip: float, clear: float) -> tuple[bool, bool, bool, bool, float]:
    """What rangers say together: whether something is near, whether all is far, whether one is new, whether
    the first (which looks where it goes) says anything, and the side with more room: −1 left, 1 right."""
    near, far, new = False, True, False
    left, right = 1e9, 1e9
    for i in range(readings.size // 2):
        distance = readings[2 * i]
        new = new or readings[2 * i + 1] > 0
        if distance != distance:
            continue
        near, far = near or distance < trip, far and distance > clear
        if i == 1:
            left = distance
        elif i == 2:
            right = distance
    known = readings[0] == readings[0]
    return near, far, new, known, 0.0 if left == right else (1.0 if left < right else -1.0)


@part_of_loops
def wander(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """Forward; near something back and turn; forward again only above clear. No echo is not clear."""
    cruise, trip, clear = settings[0], settings[1], settings[2]
    near, far, new, known, away = around(readings, trip, clear)
    if new and known:
        memory[MISSING_S] = 0.0
    elif not known:
        memory[MISSING_S] += loop_s
    state = int(memory[STATE])
    memory[AHEAD] += loop_s if state == GOING else 0.0
    if state in (GOING, WAITING) and new:
        if votes_for(near, settings[3], settings[4], memory):
            stop_for_it(next_side(settings[9], away, memory), loop_s, memory)
        elif state == WAITING and known:
            memory[STATE] = float(GOING)
    if int(memory[STATE]) == GOING and memory[MISSING_S] > settings[10]:
        memory[STATE] = float(WAITING)
    elif int(memory[STATE]) == WAITING and memory[MISSING_S] > settings[10] + WAIT_S:
        memory[SIDE], memory[STATE] = next_side(settings[9], 0.0, memory), float(TURNING)
        memory[LEFT_S], memory[MISSING_S] = settings[7] / 2, 0.0
    state = int(memory[STATE])
    if state == TURNING and memory[LEFT_S] <= loop_s and known and not far:
        memory[LEFT_S] = 2 * loop_s  # turned far enough only when nothing is before it
    state = back_and_turn(loop_s, cruise, settings[5], settings[6], settings[7], settings[8], memory, outputs)
    outputs[2] = 1.0 if state == GOING else 0.0
    outputs[3] = 1.0 if state in (STOPPING, BACKING) else 0.0
    return state


@part_of_loops
def takes_s(way_mm: float, command: float, v_top: float, dead: float) -> float:
    """How long a wheel takes for a way at a command, by its fastest and its dead band."""
    size = abs(command)
    return abs(way_mm) / (v_top * (size - dead) / (100.0 - dead)) if size > dead else 0.0


@part_of_loops
def prelude(loop_s: float, settings: Array, memory: Array, outputs: Array) -> int:
    """What it does first: turn so far, drive so far, each as long as track and speed ask for; then go."""
    cruise, turn, turn_deg, drive_mm = settings[0], settings[5], settings[7], settings[8]
    track, v_top, dead = settings[9], settings[10], settings[11]
    drive_mm += settings[12] * settings[13]  # turns of the wheel
    state = int(memory[STATE])
    if memory[BEGUN] == 0.0:
        memory[BEGUN], state = 1.0, TURNS_FIRST
        memory[LEFT_S] = takes_s(turn_deg * DEG * track / 2.0, turn, v_top, dead)
    elif state in (TURNS_FIRST, DRIVES_FIRST):
        memory[LEFT_S] -= loop_s
    if state == TURNS_FIRST and memory[LEFT_S] <= 0.0:
        state, memory[LEFT_S] = DRIVES_FIRST, takes_s(drive_mm, cruise, v_top, dead)
    if state == DRIVES_FIRST and memory[LEFT_S] <= 0.0:
        state = GOING
    memory[STATE] = float(state)
    if state == TURNS_FIRST:
        left = -turn if turn_deg > 0 else turn
        outputs[0], outputs[1] = left, -left
    elif state == DRIVES_FIRST:
        outputs[0] = outputs[1] = cruise if drive_mm > 0 else -cruise
    return state


@part_of_loops
def edge_guard(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """Forward only while every reading lies inside the chosen span of the table."""
    off, side, missing = False, 0.0, False
    for i in range(readings.size):
        count = readings[i]
        if count != count:
            missing = True
        elif not (sensors[i, THRESHOLD] <= count <= sensors[i, BAND]):
            off = True
            side += 1.0 if i < (readings.size - 1) / 2 else (-1.0 if i > (readings.size - 1) / 2 else 0.0)
    state = prelude(loop_s, settings, memory, outputs)
    if state == TURNS_FIRST:
        return state
    memory[AHEAD] += loop_s if state == GOING else 0.0
    if state in (GOING, DRIVES_FIRST) and votes_for(off or missing, settings[1], settings[1], memory):
        away = 0.0 if side == 0.0 else (1.0 if side > 0 else -1.0)
        stop_for_it(next_side(settings[6], away, memory), loop_s, memory)
    elif state == DRIVES_FIRST:
        return state
    return back_and_turn(
        loop_s, settings[0], settings[2], settings[3], settings[4], settings[5], memory, outputs
    )


@part_of_loops
def stop_warn(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """Above clear go; below trip stop, with lamp and sounder; the steps of a bar by distance."""
    trip, clear, bar_far, steps = settings[1], settings[2], settings[6], settings[7]
    distance, new = readings[0], readings[1] > 0
    if distance != distance:
        memory[MISSING_S] += loop_s
    elif new:
        memory[MISSING_S] = 0.0
    state = int(memory[STATE])
    if new:
        near = distance == distance and distance < trip
        if votes_for(near, settings[3], settings[4], memory):
            state = STOPPING
        elif distance == distance and distance > clear:
            state = GOING
    if memory[MISSING_S] > settings[5]:
        state = WAITING
    elif state == WAITING and distance == distance:
        state = GOING if distance > trip else STOPPING
    memory[STATE] = float(state)
    outputs[0] = outputs[1] = settings[0] if state == GOING else 0.0
    outputs[2] = outputs[3] = 1.0 if state == STOPPING else 0.0
    if distance == distance:
        lit = float(int(steps * (1.0 - distance / bar_far) + 1.0)) if distance < bar_far else 0.0
        outputs[4] = clamped(lit, 0.0, steps)
    elif state == WAITING:
        outputs[4] = 0.0
    return state


LOOKING = 5
LOST_WALL = 2.5  # times the wanted distance: there is no wall


@part_of_loops
def parts_by(side: float, new: bool, memory: Array) -> float:
    """How fast a wall goes away, mm/s, from ping to ping; nothing at the first."""
    if new:
        fresh = memory[LEFT_S] > 0.0 and memory[AHEAD] > 0.0
        memory[DRAWN] = (side - memory[AHEAD]) / memory[LEFT_S] if fresh else 0.0
        memory[AHEAD], memory[LEFT_S] = side, 0.0
    return float(memory[DRAWN])


@part_of_loops
def follow_wall(
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """Along a wall at a distance by the ranger on its side; away from it where something is ahead; towards
    where it was when it ends."""
    cruise, wanted, kp, kd, most = settings[0], settings[1], settings[2], settings[3], settings[4]
    trip, clear, turn, to_right = settings[5], settings[6], settings[7], settings[8] > 0
    ahead, place = readings[0], 2 if to_right else 1
    side, new = readings[2 * place], readings[2 * place + 1] > 0
    sees, beside = ahead == ahead, side == side
    memory[MISSING_S] = 0.0 if sees or beside else memory[MISSING_S] + loop_s
    turning = int(memory[STATE]) == TURNING
    if (sees and ahead < trip) or (turning and not (sees and ahead > clear)):
        state = TURNING
    elif memory[MISSING_S] > settings[9]:
        state = WAITING
    elif not beside or side > LOST_WALL * wanted:
        state = LOOKING
    else:
        state = GOING
    answer = 0.0
    if state == GOING:
        nearing = parts_by(side, new, memory)
        answer = clamped(kp * (side - wanted) + kd * nearing, -most, most)
    elif state == LOOKING:
        answer = settings[10]
    if state != GOING:
        memory[AHEAD] = memory[DRAWN] = 0.0
    memory[LEFT_S] += loop_s
    memory[STATE] = float(state)
    toward = answer if to_right else -answer  # more on the left wheel turns right
    if state == TURNING:
        away = -turn if to_right else turn
        outputs[0], outputs[1] = away, -away
    elif state == WAITING:
        outputs[0] = outputs[1] = 0.0
    else:
        cruise *= 1.0 if sees else 0.6  # no echo is not clear
        outputs[0] = clamped(cruise + toward, -100.0, 100.0)
        outputs[1] = clamped(cruise - toward, -100.0, 100.0)
    return state


class FollowWall(Behaviour):
    """Along a wall."""

    id = "follow-wall"
    number = 9
    title = "Follow a wall"
    words = "Three rangers, ahead, left and right: along the wall on one side, away from what is ahead."
    reads, moves, least = RANGERS, (WHEELS,), 3
    settings = (
        CRUISE,
        Setting("wall_mm", "keeps from it", "mm", 220.0, 10, 5000),
        Setting("kp", "kp", "%/mm", 0.1, 0, 100),
        Setting("kd", "kd", "%·s/mm", 0.13, 0, 100),
        Setting("u_max_pct", "steers at most", "%", 25.0, 0, 200),
        TRIP,
        CLEAR,
        Setting("turn_pct", "turns at", "%", 35.0, 0, 100),
        Setting("side", "wall on its", "", 0, 0, 1, choices=("left", "right")),
        replace(DROPOUT_S, usual=1.5, constant=""),
        Setting("corner_pct", "round a corner by", "%", 6.0, 0, 100),
    )
    states = ("along the wall", "stop", "backing", "turning away", "waiting", "looks for the wall")

    def kernel(self) -> Step:
        """Its step."""
        return follow_wall


class Wander(Behaviour):
    """From obstacle to obstacle."""

    id = "wander"
    number = 4
    title = "Wander"
    words = "Forward until something is near, then back and turn; green while it goes, red while it backs."
    reads, moves = RANGERS, (WHEELS,)
    outputs = (LEFT_WHEEL, RIGHT_WHEEL, Command("green", "green lamp"), Command("red", "red lamp"))
    settings = (
        CRUISE,
        TRIP,
        CLEAR,
        *VOTE,
        *BACK,
        Setting("side", "turns to", "", ALTERNATE, 0, 2, choices=SIDES),
        DROPOUT_S,
    )
    states = STATES

    def kernel(self) -> Step:
        """Its step."""
        return wander


class GuardEdge(Behaviour):
    """Stays on the table."""

    id = "edge-guard"
    number = 5
    title = "Edge guard"
    words = "Forward only while every reading is the table's; else stop, back and turn."
    reads, moves = ROW, (WHEELS,)
    settings = (
        CRUISE,
        Setting("edge_votes", "looks in a row", "", 2, 1, 20, constant="edge_votes"),
        *BACK,
        Setting("side", "turns to", "", AWAY, 0, 2, choices=SIDES),
        Setting("first_turn_deg", "first turns by", "°", 0.0, -720, 720),
        Setting("first_drive_mm", "then drives", "mm", 0.0, -10_000, 10_000),
        Setting("track_mm", "track", "mm", 150.0, 5, 10_000, constant="track"),
        Setting("v_top_mm_s", "fastest", "mm/s", 600.0, 1, 20_000, constant="top_speed"),
        Setting("dead_pct", "dead band", "%", 8.0, 0, 99, constant="dead_band_left"),
        Setting("first_turns", "and so far", "turns", 0.0, -100, 100),
        Setting("circumference_mm", "wheel", "mm", 200.0, 10, 10_000, constant="circumference"),
    )
    states = (*STATES, "turns first", "drives first")

    def kernel(self) -> Step:
        """Its step."""
        return edge_guard


class StopWarn(Behaviour):
    """Stops before what stands there."""

    id = "stop-warn"
    number = 6
    title = "Stop and warn"
    words = "Goes while nothing is near; stops with lamp and sounder; a bar by distance."
    reads, moves = RANGERS, (WHEELS, LAMPS)
    outputs = (
        LEFT_WHEEL,
        RIGHT_WHEEL,
        Command("lamp", "lamp"),
        Command("buzzer", "buzzer"),
        Command("bar_steps", "bar", "steps"),
    )
    settings = (
        CRUISE,
        TRIP,
        CLEAR,
        *VOTE,
        DROPOUT_S,
        Setting("bar_far_mm", "bar lights from", "mm", 1000.0, 50, 10_000, constant="bar_far"),
        Setting("bar_steps", "steps of the bar", "", 8, 1, 10),
    )
    states = STATES

    def kernel(self) -> Step:
        """Its step."""
        return stop_warn
