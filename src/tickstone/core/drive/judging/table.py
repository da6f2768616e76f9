"""How a guard kept on its table."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours import roam
from tickstone.core.behaviours.follow import BAND, THRESHOLD
from tickstone.core.drive import loop
from tickstone.core.drive.judging.rolled import (
    LOOKS,
    Rolled,
    changes,
    distances,
    outline_of,
)
from tickstone.core.drive.request import Event, Figure, RunVerdict
from tickstone.core.drive.world import inside
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]


def of_table(rolled: Rolled) -> RunVerdict:
    """Judge a run by whether it stayed on the table."""
    trace, dt = rolled.trace, rolled.parts.loop_s
    outline = rolled.ground.outline
    sides = np.column_stack([outline, np.roll(outline, -1, axis=0), np.zeros(outline.shape[0])])
    looked = np.unique(np.linspace(0, trace.shape[0] - 1, min(LOOKS, trace.shape[0])).astype(int))
    worst = 0.0
    corners = [tuple(point) for point in outline.tolist()]
    for k in looked:
        points = outline_of(rolled, int(k))
        over = [i for i, point in enumerate(points.tolist()) if not inside((point[0], point[1]), corners)]
        if over:
            worst = max(worst, float(distances(points[over], sides).max()))
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
