"""A run on wheels, on a floor or on a table."""

from __future__ import annotations

import numpy as np

from tickstone.core import loops
from tickstone.core.behaviours.behaviour import ROW, WHEELS, Behaviour, StepInputs
from tickstone.core.drive import loop
from tickstone.core.drive.aboard import aboard
from tickstone.core.drive.ground import ground_of
from tickstone.core.drive.hands import with_box
from tickstone.core.drive.judging.rolled import Rolled
from tickstone.core.drive.judging.verdict import of_roll
from tickstone.core.drive.loop import RangerNumbers, RowNumbers, at_start
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Run, RunProgress, RunRequest, ranger_columns, row_columns
from tickstone.core.drive.sensing import NO_RANGERS, NO_ROW, flags_of, rangers_of, row_of, span_of_table
from tickstone.core.drive.vehicle import as_real
from tickstone.core.drive.world import FloorWorld, TableWorld
from tickstone.errors import BadInput

COMPILED_FROM = 30_000  # loops: below this the compiler takes longer than the run


def check_rolls(world: FloorWorld | TableWorld, behaviour: Behaviour) -> None:
    """Raises BadInput for ``world`` where a behaviour cannot drive in it."""
    if WHEELS not in behaviour.moves:
        raise BadInput(f"{behaviour.title} does not drive: choose a rail or the bench.", "world")
    if behaviour.follows and not (isinstance(world, FloorWorld) and world.lines):
        raise BadInput("This world has no line to follow.", "world")


def rolled(request: RunRequest, behaviour: Behaviour, parts: Parts, progress: RunProgress) -> Run:
    """A run on wheels."""
    world = with_box(request.world, parts.hands)
    assert isinstance(world, FloorWorld | TableWorld)
    check_rolls(world, behaviour)
    count = progress.loops
    row, rangers, assumed = sensed_by(behaviour, parts)
    ground = ground_of(world, float(row.mount[loop.SPOT_R]))
    sensors, watching = row.places.size, rangers.table.shape[0]
    trace = np.zeros((count, loop.READINGS + sensors + 2 * watching))
    shares, hits = np.zeros((count, sensors)), np.zeros(count)
    done, ended, crossed = _call(
        count,
        behaviour.number,
        request.integers,
        parts.loop_s,
        max(1, round(1000.0 * parts.loop_s / request.step_ms)),
        behaviour.array(StepInputs(parts.settings, integers=request.integers)),
        as_real(parts.vehicle.array(), parts.rng(98)) if request.real else parts.vehicle.array(),
        at_start(world.start, sensors, watching, behaviour.begin().outputs),
        row,
        parts.rng(1).standard_normal((count, sensors)),
        rangers,
        parts.rng(2).standard_normal((count, watching)),
        parts.rng(3).random((count, watching)),
        ground,
        np.array(world.finish if isinstance(world, FloorWorld) and world.finish else (), dtype=np.float64),
        np.array([parts.moment("push_s"), parts.hands["push_mm"]]),
        progress.seen,
        trace,
        shares,
        hits,
    )
    progress.reached(done)
    trace, shares, hits = trace[:done], shares[:done], hits[:done]
    judged = of_roll(
        Rolled(behaviour, world, ground, trace, shares, hits, ended, crossed, row, rangers, parts)
    )
    columns = row_columns(sensors)
    if watching:
        columns += tuple(column for sensor in parts.sensors for column in ranger_columns(sensor))
    others, readings = aboard(parts, trace, ground, wheels=True)
    return Run(
        behaviour,
        parts.loop_s,
        np.hstack([trace, readings]) if others else trace,
        columns + others,
        judged,
        (*assumed, *parts.vehicle.assumed),
        parts.settings,
        parts.vehicle,
        world,
        flags_of(row, trace[:, loop.READINGS : loop.READINGS + sensors], behaviour.id == "edge-guard"),
    )


def sensed_by(behaviour: Behaviour, parts: Parts) -> tuple[RowNumbers, RangerNumbers, tuple[str, ...]]:
    """What a behaviour reads, as the rig has it, nothing of the other sort; and what of it nobody has
    measured."""
    if behaviour.reads != ROW:
        return NO_ROW, *rangers_of(parts.sensors, parts.values, parts.loop_s, parts.spread)
    values = parts.values[0]
    row, assumed = row_of(parts.sensors[0], values, parts.spread, parts.hands)
    if row.places.size < behaviour.least:
        raise BadInput(f"{behaviour.title} reads {behaviour.least} sensors at least.", "read_sensors")
    if behaviour.id == "edge-guard":
        row = row._replace(sensors=span_of_table(row, values))
    return row, NO_RANGERS, assumed


def compiled(count: int) -> bool:
    """Whether so many loops are worked out compiled: where that is worth it."""
    return count >= COMPILED_FROM or loops.ready(loop.roll)


def _call(count: int, *arguments: object) -> tuple[int, int, int]:
    """The loop, compiled where that is worth it."""
    samples = loops.COMPILED_FROM if compiled(count) else 0
    result: tuple[int, int, int] = loops.run(loop.roll, samples, *arguments)
    return result
