"""The loop of a run on wheels: readings are made, a behaviour answers, wheels follow, the vehicle moves.
Plain numbers and arrays, so that it can be compiled; the same seed gives the same run."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.behaviour import MEMORY
from tickstone.core.behaviours.catalogue import take_step
from tickstone.core.behaviours.steered import as_steered
from tickstone.core.drive.ground import (
    Ground,
    grade_at,
    light_at,
    line_near,
    ray,
    speckle_at,
    tape_share,
    within,
)
from tickstone.core.drive.world import Start
from tickstone.core.loops import makes_no_arrays, part_of_loops

Array = npt.NDArray[np.float64]
Places = npt.NDArray[np.int64]

# columns of a trace; behind them the sensors' raw readings, then each ranger's raw and converted ones
T_S, X, Y, HEADING, LEFT_V, RIGHT_V, STEERS, STATE, OFFSET, WAY, OUTPUTS = range(11)
MOST_OUTPUTS = 9
READINGS = OUTPUTS + MOST_OUTPUTS
# numbers of a vehicle
V_TOP, DEAD_PCT, LAG_S, MISMATCH, GRIP, BATTERY, TRACK, FRONT, REAR, HALF_WIDTH = range(10)
WHEELBASE, STEER_END, STEER_RATE = range(
    11, 14
)  # behind the circumference; the first is 0 where two wheels are driven
SOUND_MM_US = 0.343  # about, for what has no echo
LEFT, RIGHT, ANGLE = range(3)  # what moves: wheels, mm/s, and the steering, rad to the left
GRAVITY_MM_S2 = 9806.65
# numbers of a row's mount and converter
ROW_X, ROW_Y, SPOT_R, TOP_CODE, LAMP_COUNTS, ROW_NOISE = range(6)
# numbers of a ranger
RANGER_X, RANGER_Y, LOOKS, HALF_CONE, EVERY, SLANT, NEAR, FAR, LOST, RAW_NOISE, RAW_STEP, RAW_S = range(12)
DUE, HEARD = range(2)  # of a ranger that waits for its echo: the loop in which it comes, its raw number
RAYS = 5  # across a cone
FELL = 1  # why a loop ended before its time


class RowNumbers(NamedTuple):
    """A row of line sensors: its mount, the places of its sensors (mm to the left), what each reads on white
    and on black, shape (sensors, 2), what the behaviour takes those for, shape (sensors, 4), and what is done
    in each state."""

    mount: Array
    places: Array
    levels: Array
    sensors: Array
    choices: Array


class RangerNumbers(NamedTuple):
    """Rangers: mounts and limits, shape (rangers, 12); raw numbers for every mm, and mm for every raw number
    in steps (NaN: it means nothing)."""

    table: Array
    raw_of_mm: Array
    mm_of_raw: Array


class Moving(NamedTuple):
    """What changes from loop to loop: the pose (mm, mm, rad) and that of the loop before, what moves, the
    echoes that rangers wait for, what the behaviour reads, remembers and commands."""

    pose: Array
    kept: Array
    moves: Array
    waiting: Array
    readings: Array
    memory: Array
    outputs: Array


def none_waiting(rangers: int) -> Array:
    """No echo is waited for, shape (rangers, 2)."""
    return np.full((rangers, 2), -1.0)


def at_start(start: Start, sensors: int, rangers: int, outputs: Array) -> Moving:
    """A vehicle at rest; nothing has been read."""
    pose = np.array([start.x_mm, start.y_mm, math.radians(start.heading_deg)])
    readings = np.full(sensors or 2 * rangers, np.nan)
    waiting = none_waiting(rangers)
    return Moving(pose, pose.copy(), np.zeros(3), waiting, readings, np.zeros(MEMORY), outputs)


@part_of_loops
def wheel_target(command: float, vehicle: Array, side: float) -> float:
    """The speed that a wheel would reach, mm/s: dead band, battery, and how much that side is faster."""
    band = vehicle[DEAD_PCT]
    size = abs(command)
    live = 0.0 if size <= band else (size - band) / (100.0 - band)
    speed: float = vehicle[V_TOP] * vehicle[BATTERY] * live * (1.0 + side * vehicle[MISMATCH] / 2.0)
    return float(speed if command >= 0 else -speed)


@part_of_loops
def share_in(dt: float, vehicle: Array) -> float:
    """The share of a change that a wheel makes within a step: one time constant."""
    return 1.0 - math.exp(-dt / vehicle[LAG_S]) if vehicle[LAG_S] > 0 else 1.0


@part_of_loops
def wheel_step(speed: float, target: float, dt: float, share: float, vehicle: Array) -> float:
    """A wheel's speed after a step: so great a share of the change, and no more than it grips."""
    change = (target - speed) * share
    most = vehicle[GRIP] * dt
    return float(speed + min(max(change, -most), most))


@part_of_loops
def arc(left: float, right: float, track: float, pose: Array) -> None:
    """Roll both wheels so far, mm: ``core.motion.arc_step`` with angles in rad, in place."""
    turn = (right - left) / track
    half = turn / 2
    chord = (left + right) / 2 * (1.0 - half * half / 6.0 if abs(half) < 1e-4 else math.sin(half) / half)
    pose[0] += chord * math.cos(pose[2] + half)
    pose[1] += chord * math.sin(pose[2] + half)
    pose[2] += turn


@part_of_loops
def move(
    outputs: Array, vehicle: Array, pull: float, dt: float, share: float, moves: Array, pose: Array
) -> None:
    """Carry a vehicle on by ``dt``, s: wheels follow the commands, slowed by ``pull``, mm/s, where they are
    driven; ``moves`` and ``pose`` are changed."""
    if vehicle[WHEELBASE] > 0.0:
        command, wanted = as_steered(
            outputs[0], outputs[1], vehicle[TRACK], vehicle[WHEELBASE], vehicle[STEER_END]
        )
        most = vehicle[STEER_RATE] * dt
        moves[ANGLE] += min(max(wanted - moves[ANGLE], -most), most)
        middle = (moves[LEFT] + moves[RIGHT]) / 2.0
        target = driven(wheel_target(command, vehicle, 0.0), pull)
        middle = wheel_step(middle, target, dt, share, vehicle)
        aside = middle * math.tan(moves[ANGLE]) / vehicle[WHEELBASE] * vehicle[TRACK] / 2.0
        moves[LEFT], moves[RIGHT] = middle - aside, middle + aside
    else:
        to_left = driven(wheel_target(outputs[0], vehicle, -1.0), pull)
        to_right = driven(wheel_target(outputs[1], vehicle, 1.0), pull)
        moves[LEFT] = wheel_step(moves[LEFT], to_left, dt, share, vehicle)
        moves[RIGHT] = wheel_step(moves[RIGHT], to_right, dt, share, vehicle)
    arc(moves[LEFT] * dt, moves[RIGHT] * dt, vehicle[TRACK], pose)


@part_of_loops
def driven(target: float, pull: float) -> float:
    """What a slope leaves of a speed; a geared motor that is not driven holds (common practice)."""
    return target - pull if target != 0.0 else 0.0


@part_of_loops
def slope_pull(
    pose: Array,
    cos: float,
    sin: float,
    vehicle: Array,
    patches: Array,
    patch_starts: Places,
    patch_numbers: Array,
) -> float:
    """By how much a slope slows the wheels, mm/s: with one time constant, gravity along it for that long."""
    share = grade_at(pose[0], pose[1], cos, sin, patches, patch_starts, patch_numbers)
    return float(GRAVITY_MM_S2 * vehicle[LAG_S] * share)


@part_of_loops
def look_down(
    pose: Array,
    cos: float,
    sin: float,
    mount: Array,
    places: Array,
    levels: Array,
    noise: Array,
    near: Array,
    grid: Array,
    starts: Places,
    outline: Array,
    patches: Array,
    patch_starts: Places,
    patch_numbers: Array,
    speckle: float,
    readings: Array,
    shares: Array,
) -> None:
    """Counts of every sensor of a row where the vehicle stands, and how much of its spot was dark."""
    for i in range(places.size):
        along, aside = mount[ROW_X], mount[ROW_Y] + places[i]
        x, y = pose[0] + along * cos - aside * sin, pose[1] + along * sin + aside * cos
        share = tape_share(x, y, mount[SPOT_R], near, grid, starts)
        if outline.shape[0] > 0 and not within(x, y, outline, 0, outline.shape[0]):
            share = 1.0  # beyond the edge nothing comes back
        count = levels[i, 0] + (levels[i, 1] - levels[i, 0]) * share + mount[LAMP_COUNTS]
        if speckle > 0:
            count += speckle * speckle_at(x, y) * (1.0 - share)
        count += light_at(x, y, patches, patch_starts, patch_numbers) + mount[ROW_NOISE] * noise[i]
        readings[i] = min(max(math.floor(count + 0.5), 0.0), mount[TOP_CODE])
        shares[i] = share


@part_of_loops
def nearest_ahead(pose: Array, ranger: Array, walls: Array) -> float:
    """How far the nearest surface is that sends an echo back, mm; inf where none does: too slanted, too
    soft."""
    c, s = math.cos(pose[2]), math.sin(pose[2])
    x = pose[0] + ranger[RANGER_X] * c - ranger[RANGER_Y] * s
    y = pose[1] + ranger[RANGER_X] * s + ranger[RANGER_Y] * c
    best = math.inf
    for k in range(RAYS):
        aside = ranger[HALF_CONE] * (2.0 * k / (RAYS - 1) - 1.0)
        away, slant, soft = ray(x, y, pose[2] + ranger[LOOKS] + aside, walls)
        if soft < 0.5 and slant <= ranger[SLANT] + abs(aside):
            best = min(best, away)
    return best


@part_of_loops
def look_ahead(
    pose: Array, ranger: Array, noise: float, chance: float, raw_of_mm: Array, walls: Array
) -> float:
    """What a ranger tells, raw; NaN for nothing: too slanted, too soft, too far, or lost by chance."""
    return ping(nearest_ahead(pose, ranger, walls), ranger, noise, chance, raw_of_mm)


@part_of_loops
def ping(away: float, ranger: Array, noise: float, chance: float, raw_of_mm: Array) -> float:
    """The raw number of something so far away, mm; NaN beyond what is seen, and where it is lost by
    chance."""
    if away > ranger[FAR] or away < ranger[NEAR] or chance < ranger[LOST]:
        return math.nan
    low = int(away)
    raw = raw_of_mm[low] + (away - low) * (raw_of_mm[low + 1] - raw_of_mm[low]) + ranger[RAW_NOISE] * noise
    return float(max(0.0, math.floor(raw / ranger[RAW_STEP] + 0.5) * ranger[RAW_STEP]))


@part_of_loops
def send(k: int, most: int, raw: float, ranger: Array, loop_s: float, waiting: Array) -> None:
    """Note when what a ranger hears is there: an echo takes its own time, none that of the farthest, and both
    ``most`` loops, since then the next one pings."""
    late = raw if raw == raw else ranger[FAR] / SOUND_MM_US * 2.0
    loops = math.ceil(late * ranger[RAW_S] / loop_s) if ranger[RAW_S] > 0 else 0
    waiting[DUE], waiting[HEARD] = float(k + min(loops, most)), raw


@part_of_loops
def converted(raw: float, ranger: Array, mm_of_raw: Array) -> float:
    """What a raw number means, mm, by the table of the kind's own conversion; NaN where it means nothing."""
    if raw != raw:
        return math.nan
    place = int(raw / ranger[RAW_STEP] + 0.5)
    return float(mm_of_raw[place]) if place < mm_of_raw.size else math.nan


@part_of_loops
def touches(pose: Array, vehicle: Array, walls: Array) -> bool:
    """Whether a wall reaches into the vehicle's outline."""
    c, s = math.cos(pose[2]), math.sin(pose[2])
    for i in range(walls.shape[0]):
        # the wall in the vehicle's own axes, cut by its outline (Liang & Barsky, ACM TOG 3 (1984) 1)
        ax, ay = walls[i, 0] - pose[0], walls[i, 1] - pose[1]
        bx, by = walls[i, 2] - pose[0], walls[i, 3] - pose[1]
        x1, y1, x2, y2 = ax * c + ay * s, ay * c - ax * s, bx * c + by * s, by * c - bx * s
        enter, leave = 0.0, 1.0
        for side in range(4):
            if side == 0:
                p, q = x1 - x2, x1 + vehicle[REAR]
            elif side == 1:
                p, q = x2 - x1, vehicle[FRONT] - x1
            elif side == 2:
                p, q = y1 - y2, y1 + vehicle[HALF_WIDTH]
            else:
                p, q = y2 - y1, vehicle[HALF_WIDTH] - y1
            if p == 0.0:
                if q < 0:
                    enter, leave = 1.0, 0.0
            elif p < 0:
                enter = max(enter, q / p)
            else:
                leave = min(leave, q / p)
        if enter <= leave:
            return True
    return False


@part_of_loops
def ping_all(
    k: int,
    loop_s: float,
    pose: Array,
    table: Array,
    noise: Array,
    chance: Array,
    raw_of_mm: Array,
    mm_of_raw: Array,
    walls: Array,
    waiting: Array,
    readings: Array,
    trace: Array,
) -> None:
    """Let those rangers ping whose turn it is, so that none hears the other's; what has come is noted."""
    for i in range(table.shape[0]):
        every = int(table[i, EVERY])
        if k % every == (i * every) // table.shape[0]:
            raw = look_ahead(pose, table[i], noise[i], chance[i], raw_of_mm, walls)
            send(k, every // table.shape[0] - 1, raw, table[i], loop_s, waiting[i])
        new = waiting[i, DUE] == k
        readings[2 * i + 1] = 1.0 if new else 0.0
        if new:
            readings[2 * i] = converted(waiting[i, HEARD], table[i], mm_of_raw)
            trace[k, READINGS + 2 * i] = waiting[i, HEARD]
        elif k > 0:
            trace[k, READINGS + 2 * i] = trace[k - 1, READINGS + 2 * i]
        trace[k, READINGS + 2 * i + 1] = readings[2 * i]


@part_of_loops
def put(to: Array, pose: Array) -> None:
    """Set one pose to another."""
    to[0], to[1], to[2] = pose[0], pose[1], pose[2]


@part_of_loops
def crosses(before: Array, after: Array, finish: Array) -> int:
    """1 where a step of the way goes over the finish."""
    if finish.size == 0:
        return 0
    dx, dy = finish[2] - finish[0], finish[3] - finish[1]
    one = dx * (before[1] - finish[1]) - dy * (before[0] - finish[0])
    other = dx * (after[1] - finish[1]) - dy * (after[0] - finish[0])
    along = (after[0] - finish[0]) * dx + (after[1] - finish[1]) * dy
    return 1 if one * other < 0 and 0 <= along <= dx * dx + dy * dy else 0


@part_of_loops
def stands(pose: Array, half_track: float, outline: Array) -> bool:
    """Whether both wheels are on the table."""
    aside_x, aside_y = -half_track * math.sin(pose[2]), half_track * math.cos(pose[2])
    size = outline.shape[0]
    return within(pose[0] + aside_x, pose[1] + aside_y, outline, 0, size) and within(
        pose[0] - aside_x, pose[1] - aside_y, outline, 0, size
    )


@makes_no_arrays
def roll(
    number: int,
    integers: bool,
    loop_s: float,
    substeps: int,
    settings: Array,
    vehicle: Array,
    moving: Moving,
    row: RowNumbers,
    row_noise: Array,
    rangers: RangerNumbers,
    range_noise: Array,
    range_chance: Array,
    ground: Ground,
    finish: Array,
    push: Array,
    progress: Array,
    trace: Array,
    shares: Array,
    hits: Array,
) -> tuple[int, int, int]:
    """Run until the trace is full or the vehicle falls. ``push`` is the loop in which a hand moves it aside,
    and how far, mm to the left. ``progress``: the loop it is in is told there, and whether it shall stop.

    Fills ``trace``, shape (loops, columns), ``shares`` (what each spot truly saw, shape (loops, sensors)) and
    ``hits`` (1 at a loop in which it drives into something). Returns: how many loops there were, why it
    ended (0: its time is over), and how often it crossed the finish.
    """
    # taken apart here, since to look into a tuple costs the compiled loop more than what is in it
    mount, places, levels, sensors, choices = row
    table, raw_of_mm, mm_of_raw = rangers
    pieces, near, grid, starts, outline = (
        ground.pieces,
        ground.near,
        ground.grid,
        ground.starts,
        ground.outline,
    )
    patches, patch_starts, patch_numbers = ground.patches, ground.patch_starts, ground.patch_numbers
    walls, speckle = ground.walls, ground.speckle
    count = places.size
    pose, kept, moves, waiting, readings, memory, outputs = moving
    crossed, piece, ended = 0, -1, 0
    dt = loop_s / substeps
    share, pull = share_in(dt, vehicle), 0.0
    loops = trace.shape[0]
    k = 0
    while k < loops:
        progress[0] = k
        if progress[1] > 0:
            break
        here = trace[k]
        cos, sin = math.cos(pose[2]), math.sin(pose[2])
        if count > 0:
            look_down(
                pose,
                cos,
                sin,
                mount,
                places,
                levels,
                row_noise[k],
                near,
                grid,
                starts,
                outline,
                patches,
                patch_starts,
                patch_numbers,
                speckle,
                readings,
                shares[k],
            )
            for i in range(count):
                here[READINGS + i] = readings[i]
        else:
            ping_all(
                k,
                loop_s,
                pose,
                table,
                range_noise[k],
                range_chance[k],
                raw_of_mm,
                mm_of_raw,
                walls,
                waiting,
                readings,
                trace,
            )
        state = take_step(number, loop_s, readings, settings, sensors, choices, integers, memory, outputs)
        here[T_S], here[X], here[Y], here[HEADING] = k * loop_s, pose[0], pose[1], pose[2]
        here[LEFT_V], here[RIGHT_V], here[STEERS], here[STATE] = (
            moves[LEFT],
            moves[RIGHT],
            moves[ANGLE],
            state,
        )
        for i in range(min(outputs.size, MOST_OUTPUTS)):
            here[OUTPUTS + i] = outputs[i]
        if pieces.shape[0] > 0:
            x = pose[0] + mount[ROW_X] * cos - mount[ROW_Y] * sin
            y = pose[1] + mount[ROW_X] * sin + mount[ROW_Y] * cos
            here[OFFSET], here[WAY], piece = line_near(x, y, cos, sin, pieces, piece)
        else:
            here[OFFSET], here[WAY] = math.nan, math.nan
        put(kept, pose)
        if k == push[0]:  # aside, to the left
            pose[0] -= push[1] * sin
            pose[1] += push[1] * cos
        if patch_numbers.shape[0] > 0:
            pull = slope_pull(pose, cos, sin, vehicle, patches, patch_starts, patch_numbers)
        for _ in range(substeps):
            move(outputs, vehicle, pull, dt, share, moves, pose)
        if walls.shape[0] > 0 and touches(pose, vehicle, walls):
            hits[k] = 1.0
            put(pose, kept)
            moves[LEFT] = moves[RIGHT] = 0.0
        crossed += crosses(kept, pose, finish)
        k += 1
        if outline.shape[0] > 0 and not stands(pose, vehicle[TRACK] / 2, outline):
            ended = FELL
            break
    return k, ended, crossed
