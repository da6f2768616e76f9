"""How a line was followed: laps, offsets, where it was left and why."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.follow import BLACK, THRESHOLD, WHITE
from tickstone.core.drive import loop
from tickstone.core.drive.ground import Ground
from tickstone.core.drive.judging.rolled import (
    Rolled,
    changes,
    runs,
    why_stopped,
)
from tickstone.core.drive.request import Event, Figure, RunVerdict
from tickstone.core.drive.world import FloorWorld, inside
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]
LOST_S = 0.05  # beside the row for longer: lost
LOOK_BACK_S, SWINGS_S = 0.5, 2.5
BEND_MM = 1500.0  # a bend is narrower than that
CORNER_RAD, CORNER_MM = 0.5, 20.0  # a corner turns by so much between pieces that long
ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


def of_line(rolled: Rolled) -> RunVerdict:
    """Judge a run that follows a line."""
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
            return RunVerdict(figures, tuple(events), why_stopped(rolled), "Stands still")
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
    end = vehicle.get("steer_end_deg", math.inf)
    if bool((np.abs(np.degrees(look[:, loop.STEERS])) > 0.97 * end).mean() > 0.4):
        tightest = vehicle["wheelbase_mm"] / math.tan(math.radians(end))
        return (
            f"At {time} s its wheels were turned to their stop, {fixed(end)}°, where it turns with a radius "
            f"of {fixed(tightest)} mm: the {bend} wanted more."
        )
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
