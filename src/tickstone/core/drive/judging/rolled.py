"""A run on wheels as it is judged, and what every judge of it needs."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.behaviours.behaviour import Behaviour
from tickstone.core.behaviours.follow import STOPPED
from tickstone.core.drive import loop
from tickstone.core.drive.ground import Ground
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Event
from tickstone.core.drive.world import FloorWorld, TableWorld
from tickstone.core.wording import fixed

Array = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]
MOST_EVENTS = 400
LOOKS = 2000  # places of a run at which distances to walls are worked out


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


def runs(flags: Flags) -> Iterator[tuple[int, int]]:
    """Stretches in which flags stand, as (first, behind the last)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    yield from zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)


def changes(rolled: Rolled) -> Iterator[Event]:
    """An event for every change of the behaviour's state."""
    states = rolled.trace[:, loop.STATE].astype(int)
    for k in (np.flatnonzero(np.diff(states)) + 1).tolist()[:MOST_EVENTS]:
        yield Event(float(rolled.times[k]), "state", rolled.behaviour.states[states[k]])


def outline_of(rolled: Rolled, k: int) -> Array:
    """Corners and middles of the vehicle's outline at a loop, shape (8, 2)."""
    v = rolled.parts.vehicle.values
    x = np.array(
        [v["front_mm"], v["front_mm"], v["front_mm"], 0, -v["rear_mm"], -v["rear_mm"], -v["rear_mm"], 0]
    )
    half = v["width_mm"] / 2
    y = np.array([half, 0, -half, -half, -half, 0, half, half])
    c, s = math.cos(rolled.trace[k, loop.HEADING]), math.sin(rolled.trace[k, loop.HEADING])
    return np.column_stack([rolled.trace[k, loop.X] + x * c - y * s, rolled.trace[k, loop.Y] + x * s + y * c])


def distances(points: Array, walls: Array) -> Array:
    """From points, shape (n, 2), to the nearest wall each, mm."""
    d = walls[:, 2:4] - walls[:, :2]
    along = np.einsum("nwk,wk->nw", points[:, None] - walls[None, :, :2], d) / (d**2).sum(axis=1)
    foot = walls[None, :, :2] + np.clip(along, 0, 1)[..., None] * d
    return np.asarray(np.hypot(*np.moveaxis(points[:, None] - foot, -1, 0)).min(axis=1))


def why_stopped(rolled: Rolled) -> str:
    """Why it came to rest."""
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
