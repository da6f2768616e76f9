"""How a guard kept to its field."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours import roam
from tickstone.core.behaviours.follow import BAND, THRESHOLD
from tickstone.core.drive import loop
from tickstone.core.drive.ground import tape_share
from tickstone.core.drive.judging.rolled import (
    LOOKS,
    Rolled,
    changes,
    runs,
)
from tickstone.core.drive.request import Event, Figure, RunVerdict
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]
SELDOM = 0.2  # of the time it goes: it does not get on


def of_field(rolled: Rolled) -> RunVerdict:
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
