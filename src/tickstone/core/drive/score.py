"""How a run went: numbers, events, and one sentence that names the cause."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours import roam
from tickstone.core.behaviours.behaviour import ROW, Behaviour
from tickstone.core.behaviours.follow import BAND, BLACK, STOPPED, THRESHOLD, WHITE
from tickstone.core.drive import loop
from tickstone.core.drive.ground import Ground, ray, tape_share
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Event, Figure, RunVerdict
from tickstone.core.drive.world import FloorWorld, TableWorld, inside
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
LOST_S = 0.05  # beside the row for longer: lost
MOST_EVENTS = 400
LOOK_BACK_S, SWINGS_S = 0.5, 2.5
BEND_MM = 1500.0  # a bend is narrower than that
CORNER_RAD, CORNER_MM = 0.5, 20.0  # a corner turns by so much between pieces that long
SELDOM = 0.2  # of the time it goes: it does not get on
MOSTLY = 0.7  # of the pings without an echo: it does not get on
LOOKS = 2000  # places of a run at which distances to walls are worked out
ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


@dataclass(frozen=True)
class Rolled:
    """A run on wheels, as it is judged."""

    behaviour: Behaviour
    world: FloorWorld | TableWorld
    ground: Ground
    trace: Array
    shares: Array
    hits: Array
    ended: int
    crossed: int
    row: loop.RowNumbers
    rangers: loop.RangerNumbers
    parts: Parts

    @property
    def times(self) -> Array:
        """Of every loop, s, shape (loops,)."""
        return self.trace[:, loop.T_S]

    @property
    def speed(self) -> Array:
        """Of the middle of the axle, mm/s, shape (loops,)."""
        return np.asarray((self.trace[:, loop.LEFT_V] + self.trace[:, loop.RIGHT_V]) / 2)

    def before(self, k: int, seconds: float) -> slice:
        """The loops of so many seconds before one."""
        return slice(max(0, k - round(seconds / self.parts.loop_s)), k + 1)


def of_roll(rolled: Rolled) -> RunVerdict:
    """Judge a run on wheels."""
    if isinstance(rolled.world, TableWorld):
        return _of_table(rolled)
    if rolled.behaviour.follows:
        return _of_line(rolled)
    return _of_field(rolled) if rolled.behaviour.reads == ROW else _of_room(rolled)


def runs(flags: Flags) -> Iterator[tuple[int, int]]:
    """Stretches in which flags stand, as (first, behind the last)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    yield from zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)


def changes(rolled: Rolled) -> Iterator[Event]:
    """An event for every change of the behaviour's state."""
    states = rolled.trace[:, loop.STATE].astype(int)
    for k in (np.flatnonzero(np.diff(states)) + 1).tolist()[:MOST_EVENTS]:
        yield Event(float(rolled.times[k]), "state", rolled.behaviour.states[states[k]])


# The line ---------------------------------------------------------------------------------------------------


def _of_line(rolled: Rolled) -> RunVerdict:
    assert isinstance(rolled.world, FloorWorld)
    trace, row, dt = rolled.trace, rolled.row, rolled.parts.loop_s
    offset = trace[:, loop.OFFSET]
    reach = float(np.abs(row.places).max(initial=0.0)) + rolled.world.lines[0].width_mm / 2
    reach += float(row.mount[loop.SPOT_R])
    away = np.abs(offset) > reach
    lost = [(a, b) for a, b in runs(away) if (b - a) * dt > LOST_S]
    total, lap_s = _laps(rolled)
    closed, length = rolled.ground.closed, rolled.ground.way_mm
    laps = int(total / length + 1e-6) if closed and length else 0
    finished = rolled.crossed > 0 if rolled.world.finish else laps >= 1 if closed else total >= length - 40.0
    turn = trace[:, loop.OUTPUTS + 1] - trace[:, loop.OUTPUTS]
    signs = np.sign(turn[np.abs(turn) > 1.0])
    figures: dict[str, Figure] = {
        "finished": bool(finished),
        "laps": laps,
        "lap_s": None if lap_s is None else round(lap_s, 3),
        "offset_mean_mm": round(float(np.abs(offset).mean()), 3),
        "offset_p95_mm": round(float(np.percentile(np.abs(offset), 95)), 3),
        "offset_worst_mm": round(float(np.abs(offset).max()), 3),
        "lost": len(lost),
        "lost_s": round(sum(b - a for a, b in lost) * dt, 3),
        "reversals_per_s": round(float((np.diff(signs) != 0).sum()) / max(trace.shape[0] * dt, dt), 4),
        "effort_pct": round(float(np.abs(turn).mean()) / 2, 3),
    }
    events = list(changes(rolled))
    bends = _bends(rolled.ground)
    for a, b in lost:
        events.append(Event(float(rolled.times[a]), "lost", f"leaves the line{_bend_at(rolled, bends, a)}"))
        if b < trace.shape[0]:
            events.append(Event(float(rolled.times[b]), "regained", "is over the line again"))
    events.sort(key=lambda event: event.t_s)
    if not lost:
        done = f"{laps} laps, {fixed(lap_s, 1)} s each" if lap_s else "to its end"
        if lap_s and laps == 1:
            done = f"1 lap in {fixed(lap_s, 1)} s"
        stopped = trace.shape[0] > 0 and bool(abs(rolled.speed[-1]) < 1.0) and not finished
        widest = fixed(float(figures["offset_worst_mm"] or 0.0))
        if stopped:
            return RunVerdict(figures, tuple(events), _why_stopped(rolled), "Stands still")
        verdict = (
            f"Follows the line {done}, at most {widest} mm beside it"
            if finished
            else (f"On the line all the time, at most {widest} mm beside it")
        )
        return RunVerdict(figures, tuple(events), "", verdict)
    first = lost[0][0]
    where = _bend_at(rolled, bends, first)
    verdict = f"Leaves the line at {fixed(float(rolled.times[first]), 1)} s{where}"
    return RunVerdict(figures, tuple(events), _why_lost(rolled, first, bends), verdict)


def _laps(rolled: Rolled) -> tuple[float, float | None]:
    """How far along the line it came, mm, and how long a lap took, s."""
    way = rolled.trace[:, loop.WAY]
    steps = np.diff(way)
    known = np.isfinite(steps) & (way[1:] >= 0) & (way[:-1] >= 0)
    length = rolled.ground.way_mm
    if rolled.ground.closed and length:
        steps = (steps + length / 2) % length - length / 2
    steps = np.where(known & (np.abs(steps) < 200.0), steps, 0.0)
    gone = np.abs(np.cumsum(steps))
    total = float(gone[-1]) if gone.size else 0.0
    if not rolled.ground.closed or not length or total < length:
        return total, None
    return total, float(rolled.times[1:][gone >= length * int(total / length)][0]) / int(total / length)


def _bends(ground: Ground) -> list[tuple[float, float, float]]:
    """The bends of the first line: way from, way to, radius, mm."""
    first = ground.pieces[ground.pieces[:, 5] >= 0]
    if first.shape[0] < 2:
        return []
    headings = np.unwrap(np.arctan2(first[:, 3] - first[:, 1], first[:, 2] - first[:, 0]))
    lengths = np.hypot(first[:, 2] - first[:, 0], first[:, 3] - first[:, 1])
    turns, ways = np.diff(headings), first[1:, 5]
    about = (lengths[1:] + lengths[:-1]) / 2
    corner = (np.abs(turns) > CORNER_RAD) & (about > CORNER_MM)
    bends = [(float(way), float(way) + 1.0, 0.0) for way in ways[corner]]
    for side in (1.0, -1.0):
        for a, b in runs((turns * side > about / BEND_MM) & ~corner):
            radius = float(about[a:b].sum()) / float(np.abs(turns[a:b]).sum())
            bends.append((float(ways[a]), float(ways[b - 1] + about[b - 1]), radius))
    return sorted(bends)


def _bend_of(rolled: Rolled, bends: list[tuple[float, float, float]], k: int) -> int | None:
    way = float(rolled.trace[k, loop.WAY])
    room = 60.0
    return next((i for i, (a, b, _) in enumerate(bends) if a - room <= way <= b + 2 * room), None)


def _bend_at(rolled: Rolled, bends: list[tuple[float, float, float]], k: int) -> str:
    number = _bend_of(rolled, bends, k)
    return "" if number is None or number >= len(ORDINALS) else f", in the {ORDINALS[number]} bend"


def _misread(rolled: Rolled, k: int) -> str | None:
    """The sensor that took ground for line or line for ground before a loop, most often."""
    row = rolled.row
    look = rolled.before(k, LOOK_BACK_S)
    counts = rolled.trace[look, loop.READINGS : loop.READINGS + row.places.size]
    high = counts > row.sensors[:, THRESHOLD]
    dark = high == (row.sensors[:, BLACK] > row.sensors[:, WHITE])
    wrong_dark, wrong_pale = dark & (rolled.shares[look] < 0.2), ~dark & (rolled.shares[look] > 0.8)
    for wrong, taken, true in ((wrong_dark, "line", "ground"), (wrong_pale, "ground", "line")):
        per = wrong.sum(axis=0)
        if per.max(initial=0) >= 3:
            i = int(per.argmax())
            at = int(np.flatnonzero(wrong[:, i])[0])
            time = float(rolled.times[look][at])
            place = _place(rolled, look.start + at, i)
            lit = isinstance(rolled.world, FloorWorld) and any(
                patch.light_counts and inside(place, patch.polygon) for patch in rolled.world.patches
            )
            count, threshold = counts[at, i], row.sensors[i, THRESHOLD]
            return (
                f"At {fixed(time, 1)} s sensor {i + 1} read {'the lit patch' if lit else f'the {true}'} as "
                f"{taken}: {fixed(count)} counts {'over' if count > threshold else 'under'} a threshold of "
                f"{fixed(threshold)}"
            )
    return None


def _place(rolled: Rolled, k: int, sensor: int) -> tuple[float, float]:
    row, trace = rolled.row, rolled.trace
    c, s = math.cos(trace[k, loop.HEADING]), math.sin(trace[k, loop.HEADING])
    along, aside = row.mount[loop.ROW_X], row.mount[loop.ROW_Y] + row.places[sensor]
    return trace[k, loop.X] + along * c - aside * s, trace[k, loop.Y] + along * s + aside * c


def _why_lost(rolled: Rolled, k: int, bends: list[tuple[float, float, float]]) -> str:
    misread = _misread(rolled, k)
    if misread is not None and rolled.behaviour.id != "follow-pid":
        return f"{misread}."
    time = fixed(float(rolled.times[k]), 1)
    offsets = rolled.trace[rolled.before(k, SWINGS_S), loop.OFFSET]
    order = sorted(
        (a, float(np.abs(offsets[a:b]).max())) for s in (1, -1) for a, b in runs(offsets * s > 2.0)
    )
    sizes = [size for _, size in order][:-1][-4:]
    settings, vehicle = rolled.parts.settings, rolled.parts.vehicle.values
    if len(sizes) >= 3 and all(b > 1.1 * a for a, b in pairwise(sizes)):
        swung = ", ".join(fixed(size) for size in sizes)
        gain = f"kp {settings['kp']:g} %/mm" if "kp" in settings else "it turns"
        return (
            f"It swung {swung} mm, wider each time, and left the line at {time} s: {gain} is too much for a "
            f"motor lag of {fixed(1000 * vehicle['lag_s'])} ms."
        )
    if misread is not None:
        return f"{misread}."
    speed = float(np.abs(rolled.speed[rolled.before(k, LOOK_BACK_S)]).mean())
    number = _bend_of(rolled, bends, k)
    bend = "bend"
    if number is not None:
        radius = bends[number][2]
        bend = "corner" if radius == 0 else f"bend of {fixed(radius)} mm radius"
    look = rolled.trace[rolled.before(k, LOOK_BACK_S)]
    turn = np.abs(look[:, loop.OUTPUTS + 1] - look[:, loop.OUTPUTS]) / 2
    most = settings.get("u_max_pct")
    if most is not None and bool((turn > 0.97 * most).mean() > 0.4):
        return (
            f"At {time} s it steered with all it may, {fixed(most)} %, and the {bend} still wanted more "
            f"at {fixed(speed)} mm/s."
        )
    return (
        f"At {time} s the line had gone from under the row: the {bend} came faster than it turned, at "
        f"{fixed(speed)} mm/s."
    )


def _why_stopped(rolled: Rolled) -> str:
    states = rolled.trace[:, loop.STATE].astype(int)
    stopped = np.flatnonzero(states == STOPPED)
    if rolled.behaviour.id in ("follow-table", "follow-pid") and stopped.size:
        return (
            f"At {fixed(float(rolled.times[stopped[0]]), 1)} s the search was over: no sensor saw the line "
            f"for {rolled.parts.settings['search_s']:g} s."
        )
    band = rolled.parts.vehicle.values["dead_pct"]
    most = float(np.abs(rolled.trace[:, loop.OUTPUTS : loop.OUTPUTS + 2]).max(initial=0.0))
    if most <= band:
        return f"The wheels were told {fixed(most)} % at most, within their dead band of {fixed(band)} %."
    return f"It came to rest at {fixed(float(rolled.times[-1]), 1)} s."


# A room -----------------------------------------------------------------------------------------------------


def _outline(rolled: Rolled, k: int) -> Array:
    """Corners and middles of the vehicle's outline at a loop, shape (8, 2)."""
    v = rolled.parts.vehicle.values
    x = np.array(
        [v["front_mm"], v["front_mm"], v["front_mm"], 0, -v["rear_mm"], -v["rear_mm"], -v["rear_mm"], 0]
    )
    half = v["width_mm"] / 2
    y = np.array([half, 0, -half, -half, -half, 0, half, half])
    c, s = math.cos(rolled.trace[k, loop.HEADING]), math.sin(rolled.trace[k, loop.HEADING])
    return np.column_stack([rolled.trace[k, loop.X] + x * c - y * s, rolled.trace[k, loop.Y] + x * s + y * c])


def _distances(points: Array, walls: Array) -> Array:
    """From points, shape (n, 2), to the nearest wall each, mm."""
    d = walls[:, 2:4] - walls[:, :2]
    along = np.einsum("nwk,wk->nw", points[:, None] - walls[None, :, :2], d) / (d**2).sum(axis=1)
    foot = walls[None, :, :2] + np.clip(along, 0, 1)[..., None] * d
    return np.asarray(np.hypot(*np.moveaxis(points[:, None] - foot, -1, 0)).min(axis=1))


def _of_room(rolled: Rolled) -> RunVerdict:
    trace, dt = rolled.trace, rolled.parts.loop_s
    walls = rolled.ground.walls
    states = trace[:, loop.STATE].astype(int)
    starts = [a for a, _ in runs(rolled.hits > 0)]
    looked = np.unique(np.linspace(0, trace.shape[0] - 1, min(LOOKS, trace.shape[0])).astype(int))
    nearest = (
        min((float(_distances(_outline(rolled, int(k)), walls).min()) for k in looked), default=math.inf)
        if walls.size
        else math.inf
    )
    trips = (np.flatnonzero((states[1:] == roam.STOPPING) & (states[:-1] != roam.STOPPING)) + 1).tolist()
    trip = rolled.parts.settings["trip_mm"]
    false = sum(_ahead(rolled, k) > 1.3 * trip + 50.0 for k in trips)
    late = [k for k in starts if states[k] != roam.BACKING and states[k] != roam.TURNING]
    figures: dict[str, Figure] = {
        "hits": len(starts),
        "nearest_mm": None if math.isinf(nearest) else round(0.0 if starts else nearest, 2),
        "late_stops": len(late),
        "false_stops": int(false),
        "way_m": round(float(np.abs(rolled.speed).sum()) * dt / 1000.0, 4),
    }
    events = [
        *changes(rolled),
        *(Event(float(rolled.times[k]), "hit", "drives into something") for k in starts),
    ]
    events.sort(key=lambda event: event.t_s)
    if starts:
        at = float(rolled.times[starts[0]])
        return RunVerdict(
            figures, tuple(events), _why_hit(rolled, starts[0]), f"Drives into something at {fixed(at, 1)} s"
        )
    moved, waits = float(figures["way_m"] or 0.0), bool((states == roam.WAITING).any())
    second_half = slice(trace.shape[0] // 2, None)
    if float(np.isnan(trace[second_half, loop.READINGS + 1]).mean()) > MOSTLY:
        since = float(rolled.times[int(np.flatnonzero(states == roam.WAITING)[0])]) if waits else 0.0
        why = (
            f"Since {fixed(since, 1)} s hardly a ping has come back: what is ahead is soft, slanted or "
            "farther than it sees. No echo is not clear."
        )
        return RunVerdict(figures, tuple(events), why, f"Waits since {fixed(since, 1)} s")
    if moved < 0.05 and rolled.behaviour.id == "wander":
        return RunVerdict(figures, tuple(events), _why_stopped(rolled), "Stands still")
    verdict = f"Goes {fixed(moved, 1)} m and touches nothing"
    if not math.isinf(nearest):
        verdict += f", {fixed(nearest)} mm at the nearest"
    return RunVerdict(figures, tuple(events), "", verdict)


def _ahead(rolled: Rolled, k: int) -> float:
    """How far it truly is to the nearest thing before the first ranger, mm."""
    look = rolled.rangers.table[0]
    x, y, heading = rolled.trace[k, [loop.X, loop.Y, loop.HEADING]]
    c, s = math.cos(heading), math.sin(heading)
    px = x + look[loop.RANGER_X] * c - look[loop.RANGER_Y] * s
    py = y + look[loop.RANGER_X] * s + look[loop.RANGER_Y] * c
    cone = look[loop.HALF_CONE]
    return min(
        float(ray(px, py, heading + look[loop.LOOKS] + cone * share, rolled.ground.walls)[0])
        for share in (-1.0, -0.5, 0.0, 0.5, 1.0)
    )


def _why_hit(rolled: Rolled, k: int) -> str:
    states = rolled.trace[:, loop.STATE].astype(int)
    time, speed = fixed(float(rolled.times[k]), 1), float(abs(rolled.speed[k]))
    state = states[k]
    if state == roam.BACKING:
        return f"At {time} s it backed into something: nothing looks behind it."
    if state == roam.TURNING:
        return f"At {time} s it turned a corner of itself into something: it stands too near when it turns."
    look = rolled.before(k, 1.0)
    told = rolled.trace[look, loop.READINGS + 1]
    trip = rolled.parts.settings["trip_mm"]
    missing = float(np.isnan(told).mean())
    if missing > 0.5:
        return (
            f"Before {time} s {fixed(100 * missing)} % of the pings had no echo: what it meets slants, or is "
            "soft. No echo is not clear."
        )
    stops = np.flatnonzero((states[: k + 1][1:] == roam.STOPPING) & (states[: k + 1][:-1] != roam.STOPPING))
    if stops.size and (k - stops[-1]) * rolled.parts.loop_s < 1.5:
        began = int(stops[-1]) + 1
        lag = rolled.parts.vehicle.values["lag_s"]
        was = float(abs(rolled.speed[began]))
        return (
            f"It tripped at {fixed(float(rolled.times[began]), 2)} s with {fixed(_ahead(rolled, began))} mm "
            f"before the ranger; from {fixed(was)} mm/s it rolls on for {fixed(was * lag)} mm and more: "
            f"a trip of {fixed(trip)} mm is too late."
        )
    least = float(np.nanmin(told)) if np.isfinite(told).any() else math.nan
    return (
        f"At {time} s it still went at {fixed(speed)} mm/s: the nearest reading before was {fixed(least)} "
        f"mm, above the trip of {fixed(trip)} mm."
    )


# A field ----------------------------------------------------------------------------------------------------


def _of_field(rolled: Rolled) -> RunVerdict:
    """A guard on a floor keeps to the field that it begins on: dark where it stands on tape, pale else."""
    trace, ground, dt = rolled.trace, rolled.ground, rolled.parts.loop_s
    looked = np.unique(np.linspace(0, trace.shape[0] - 1, min(LOOKS, trace.shape[0])).astype(int))
    spot = float(rolled.row.mount[loop.SPOT_R])
    dark = np.array(
        [
            tape_share(trace[k, loop.X], trace[k, loop.Y], spot, ground.near, ground.grid, ground.starts)
            > 0.5
            for k in looked
        ]
    )
    left = looked[dark != dark[0]]
    starts = [a for a, _ in runs(rolled.hits > 0)]
    moved = round(float(np.abs(rolled.speed).sum()) * dt / 1000.0, 4)
    figures: dict[str, Figure] = {"falls": int(left.size > 0), "hits": len(starts), "way_m": moved}
    events = list(changes(rolled))
    if left.size:
        at = float(rolled.times[left[0]])
        events.append(Event(at, "fall", "leaves its field"))
        events.sort(key=lambda event: event.t_s)
        return RunVerdict(
            figures, tuple(events), _why_off(rolled, int(left[0])), f"Leaves its field at {fixed(at, 1)} s"
        )
    going = float((trace[:, loop.STATE] == roam.GOING).mean())
    if going < SELDOM:
        return RunVerdict(figures, tuple(events), _why_off(rolled, 0), "Takes its own field for the edge")
    return RunVerdict(figures, tuple(events), "", f"Stays on its field for {fixed(moved, 1)} m")


def _why_off(rolled: Rolled, k: int) -> str:
    """What the first sensor read then, beside the span that counts as the field."""
    count = fixed(float(rolled.trace[k, loop.READINGS]))
    low, high = (fixed(float(rolled.row.sensors[0, place])) for place in (THRESHOLD, BAND))
    where = "within" if float(low) <= float(count) <= float(high) else "outside"
    return f"Sensor 1 read {count} counts there, {where} the field's span of {low} to {high}."


# A table ----------------------------------------------------------------------------------------------------


def _of_table(rolled: Rolled) -> RunVerdict:
    trace, dt = rolled.trace, rolled.parts.loop_s
    outline = rolled.ground.outline
    sides = np.column_stack([outline, np.roll(outline, -1, axis=0), np.zeros(outline.shape[0])])
    looked = np.unique(np.linspace(0, trace.shape[0] - 1, min(LOOKS, trace.shape[0])).astype(int))
    worst = 0.0
    corners = [tuple(point) for point in outline.tolist()]
    for k in looked:
        points = _outline(rolled, int(k))
        over = [i for i, point in enumerate(points.tolist()) if not inside((point[0], point[1]), corners)]
        if over:
            worst = max(worst, float(_distances(points[over], sides).max()))
    fell = rolled.ended == loop.FELL
    figures: dict[str, Figure] = {
        "falls": int(fell),
        "worst_overhang_mm": round(worst, 2),
        "way_m": round(float(np.abs(rolled.speed).sum()) * dt / 1000.0, 4),
    }
    events = list(changes(rolled))
    if not fell:
        moved = fixed(float(figures["way_m"] or 0.0), 1)
        return RunVerdict(
            figures, tuple(events), "", f"Stays on the table for {moved} m, {fixed(worst)} mm over it at most"
        )
    at = float(rolled.times[-1])
    events.append(Event(at, "fall", "falls"))
    return RunVerdict(figures, tuple(events), _why_fell(rolled), f"Falls at {fixed(at, 1)} s")


def _why_fell(rolled: Rolled) -> str:
    row, trace = rolled.row, rolled.trace
    k = trace.shape[0] - 1
    states = trace[:, loop.STATE].astype(int)
    if states[k] in (roam.BACKING, roam.TURNING):
        doing = rolled.behaviour.states[states[k]]
        return f"It was {doing} when it fell: the row looks ahead only."
    look = rolled.before(k, 2.0)
    over = rolled.shares[look] > 0.5
    if not over.any():
        return "No sensor of the row had come over the edge when a wheel did: it met the edge aslant."
    first = int(np.flatnonzero(over.any(axis=1))[0])
    i = int(over[first].argmax())
    count = float(trace[look, loop.READINGS + i][first])
    low, high = float(row.sensors[i, THRESHOLD]), float(row.sensors[i, BAND])
    seen = fixed(float(rolled.times[look][first]), 2)
    tripped = np.flatnonzero(states[look] == roam.STOPPING)
    if not tripped.size:
        return (
            f"Sensor {i + 1} was over the edge at {seen} s and read {fixed(count)} counts, within the "
            f"table's span of {fixed(low)} to {fixed(high)}: it never stopped."
        )
    speed = float(abs(rolled.speed[look][first]))
    ahead = float(row.mount[loop.ROW_X])
    return (
        f"Sensor {i + 1} saw the edge at {seen} s, {fixed(ahead)} mm before the wheels; from {fixed(speed)} "
        "mm/s that is too short to stop in."
    )
