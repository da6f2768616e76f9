"""How a room was crossed: what was hit, how near, which stops were late or for nothing."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours import roam
from tickstone.core.drive import loop
from tickstone.core.drive.ground import ray
from tickstone.core.drive.judging.rolled import (
    LOOKS,
    Rolled,
    changes,
    distances,
    outline_of,
    runs,
    why_stopped,
)
from tickstone.core.drive.request import Event, Figure, RunVerdict
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]
MOSTLY = 0.7  # of the pings without an echo: it does not get on


def of_room(rolled: Rolled) -> RunVerdict:
    """Judge a run by what it met."""
    trace, dt = rolled.trace, rolled.parts.loop_s
    walls = rolled.ground.walls
    states = trace[:, loop.STATE].astype(int)
    starts = [a for a, _ in runs(rolled.hits > 0)]
    looked = np.unique(np.linspace(0, trace.shape[0] - 1, min(LOOKS, trace.shape[0])).astype(int))
    nearest = (
        min((float(distances(outline_of(rolled, int(k)), walls).min()) for k in looked), default=math.inf)
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
        return RunVerdict(figures, tuple(events), why_stopped(rolled), "Stands still")
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
