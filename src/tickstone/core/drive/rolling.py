"""A run on wheels, on a floor or on a table."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tickstone.core import loops
from tickstone.core.behaviours.behaviour import ROW, WHEELS, Behaviour, StepInputs
from tickstone.core.drive import loop, score
from tickstone.core.drive.ground import ground_of
from tickstone.core.drive.hands import with_box
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Run, RunProgress, RunRequest, ranger_columns, row_columns
from tickstone.core.drive.sensing import (
    NO_RANGERS,
    NO_ROW,
    SimulatedRangers,
    SimulatedRow,
    rangers_of,
    row_of,
    span_of_table,
)
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
    row, rangers = sensed_by(behaviour, parts)
    ground = ground_of(world, float(row.mount[loop.SPOT_R]))
    places, watching = row.places, len(rangers.sensors)
    inputs = StepInputs(parts.settings, row.sensors, row.choices, request.integers)
    trace = np.zeros((count, loop.READINGS + places.size + 2 * watching))
    shares, hits = np.zeros((count, places.size)), np.zeros(count)
    memory = behaviour.begin()
    start = np.array([world.start.x_mm, world.start.y_mm, np.radians(world.start.heading_deg)])
    substeps = max(1, round(1000.0 * parts.loop_s / request.step_ms))
    done, ended, crossed = _call(
        count,
        behaviour.number,
        request.integers,
        parts.loop_s,
        substeps,
        behaviour.array(inputs),
        inputs.sensors,
        inputs.choices,
        as_real(parts.vehicle.array(), parts.rng(98)) if request.real else parts.vehicle.array(),
        start,
        row.mount,
        places,
        row.levels,
        parts.rng(1).standard_normal((count, max(places.size, 1))),
        rangers.table,
        parts.rng(2).standard_normal((count, max(watching, 1))),
        parts.rng(3).random((count, max(watching, 1))),
        rangers.raw_of_mm,
        rangers.mm_of_raw,
        ground.pieces,
        ground.grid,
        ground.starts,
        ground.items,
        ground.outline,
        ground.patches,
        ground.patch_starts,
        ground.patch_counts,
        ground.patch_spans,
        ground.speckle,
        ground.walls,
        np.array(world.finish if isinstance(world, FloorWorld) and world.finish else (), dtype=np.float64),
        np.array([parts.moment("push_s"), parts.hands["push_mm"]]),
        progress.seen,
        memory.outputs,
        trace,
        shares,
        hits,
    )
    progress.reached(done)
    trace, shares, hits = trace[:done], shares[:done], hits[:done]
    judged = score.of_roll(
        score.Rolled(behaviour, world, ground, trace, shares, hits, ended, crossed, row, rangers, parts)
    )
    columns = row_columns(places.size)
    if watching:
        columns += tuple(column for sensor in parts.sensors for column in ranger_columns(sensor))
    return Run(
        behaviour,
        parts.loop_s,
        trace,
        columns,
        judged,
        (*row.assumed, *rangers.assumed, *parts.vehicle.assumed),
        parts.settings,
        parts.vehicle,
        world,
    )


def sensed_by(behaviour: Behaviour, parts: Parts) -> tuple[SimulatedRow, SimulatedRangers]:
    """What a behaviour reads, as the rig has it; nothing of the other sort."""
    if behaviour.reads != ROW:
        return NO_ROW, rangers_of(parts.sensors, parts.values, parts.loop_s, parts.spread)
    hands = parts.hands
    row = row_of(parts.sensors[0], parts.values[0], parts.spread, hands["lamp_counts"], hands["higher_mm"])
    if behaviour.id == "edge-guard":
        row = replace(row, sensors=span_of_table(row, parts.values[0]))
    return row, NO_RANGERS


def compiled(count: int) -> bool:
    """Whether so many loops are worked out compiled: where that is worth it."""
    return count >= COMPILED_FROM or loops.ready(loop.roll)


def _call(count: int, *arguments: object) -> tuple[int, int, int]:
    """The loop, compiled where that is worth it."""
    samples = loops.COMPILED_FROM if compiled(count) else 0
    result: tuple[int, int, int] = loops.run(loop.roll, samples, *arguments)
    return result
