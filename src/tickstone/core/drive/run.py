"""One run: a behaviour of a rig in a world with one seed, worked out to its trace, score, events and why."""

from __future__ import annotations

import math

from tickstone.core.behaviours.catalogue import behaviour as behaviour_named
from tickstone.core.checks import check_between
from tickstone.core.drive import bench, rail, rolling
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Run, RunProgress, RunRequest
from tickstone.core.drive.world import BenchWorld, FloorWorld, RailWorld, TableWorld, check_world
from tickstone.errors import BadInput

MOST_S, MOST_LOOPS = 3600.0, 2_000_000
LONGEST_S = 90.0  # that anybody waits for a run
LOOP_S, STEP_S = 20e-6, 2e-6  # a loop and a step of the plant, as they are written
COMPILED_S = 0.05  # of that, compiled


def takes_s(request: RunRequest, loops: int, loop_s: float) -> float:
    """How long a run will about take to be worked out, s."""
    substeps = max(1, round(1000.0 * loop_s / request.step_ms))
    if isinstance(request.world, BenchWorld):
        return loops * LOOP_S
    plain = loops * (LOOP_S + substeps * STEP_S)
    if isinstance(request.world, RailWorld):
        return plain
    return plain * (COMPILED_S if rolling.compiled(loops) else 10.0)


def run(request: RunRequest, progress: RunProgress | None = None) -> Run:
    """Work a run out; ``progress`` tells how far it is. Raises BadInput naming the field that cannot be: a
    rig that lacks a part, a setting, a world one cannot start in, a run that would take too long; Conflict
    when it was stopped."""
    behaviour = behaviour_named(request.behaviour)
    check_world(request.world)
    check_between(request.seconds, 0.1, MOST_S, "seconds")
    check_between(request.step_ms, 0.01, 100.0, "step_ms")
    parts = Parts(request, behaviour)
    loops_in_all = round(request.seconds / parts.loop_s)
    if loops_in_all < 2:
        raise BadInput(
            f"A run needs two loops at least, of {1000 * parts.loop_s:g} ms each: make it longer.", "seconds"
        )
    if loops_in_all > MOST_LOOPS:
        raise BadInput(
            f"A run has at most {MOST_LOOPS} loops: make it shorter, or loop_ms longer.", "seconds"
        )
    wait_s = takes_s(request, loops_in_all, parts.loop_s)
    if wait_s > LONGEST_S:
        raise BadInput(
            f"That run would take about {math.ceil(wait_s / 60)} min: make it shorter, or step_ms longer.",
            "seconds",
        )
    progress = progress or RunProgress()
    progress.loops = loops_in_all
    if isinstance(request.world, FloorWorld | TableWorld):
        return rolling.rolled(request, behaviour, parts, progress)
    if isinstance(request.world, RailWorld):
        return rail.held(request, behaviour, parts, progress)
    return bench.shown(request, behaviour, parts, progress)
