"""One run: a behaviour of a rig in a world with one seed, worked out to its trace, score, events and why."""

from __future__ import annotations

from tickstone.core.behaviours.catalogue import behaviour as behaviour_named
from tickstone.core.checks import check_between
from tickstone.core.drive import bench, rail, rolling
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Run, RunRequest
from tickstone.core.drive.world import FloorWorld, RailWorld, TableWorld, check_world
from tickstone.errors import BadInput

MOST_S, MOST_LOOPS = 3600.0, 2_000_000


def run(request: RunRequest) -> Run:
    """Work a run out. Raises BadInput naming the field that cannot be: a rig that lacks a part, a setting, a
    world one cannot start in."""
    behaviour = behaviour_named(request.behaviour)
    check_world(request.world)
    check_between(request.seconds, 0.1, MOST_S, "seconds")
    check_between(request.step_ms, 0.01, 100.0, "step_ms")
    parts = Parts(request, behaviour)
    loops_in_all = round(request.seconds / parts.loop_s)
    if loops_in_all > MOST_LOOPS:
        raise BadInput(
            f"A run has at most {MOST_LOOPS} loops: make it shorter, or loop_ms longer.", "seconds"
        )
    if isinstance(request.world, FloorWorld | TableWorld):
        return rolling.rolled(request, behaviour, parts, loops_in_all)
    if isinstance(request.world, RailWorld):
        return rail.held(request, behaviour, parts, loops_in_all)
    return bench.shown(request, behaviour, parts, loops_in_all)
