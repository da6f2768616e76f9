"""All behaviours, by their ids: a new one is a class and a line here."""

from __future__ import annotations

from tickstone.core.behaviours.behaviour import Array, Behaviour
from tickstone.core.behaviours.follow import (
    FollowEdge,
    FollowPid,
    FollowTable,
    FollowTwo,
    follow_edge,
    follow_pid,
    follow_table,
    follow_two,
)
from tickstone.core.behaviours.hold import HoldDistance, hold_distance
from tickstone.core.behaviours.indicate import Indicate, indicate
from tickstone.core.behaviours.roam import (
    FollowWall,
    GuardEdge,
    StopWarn,
    Wander,
    edge_guard,
    follow_wall,
    stop_warn,
    wander,
)
from tickstone.core.loops import part_of_loops
from tickstone.errors import BadInput

BEHAVIOURS: dict[str, Behaviour] = {
    behaviour.id: behaviour
    for behaviour in (
        FollowEdge(),
        FollowTwo(),
        FollowTable(),
        FollowPid(),
        Wander(),
        GuardEdge(),
        StopWarn(),
        HoldDistance(),
        Indicate(),
        FollowWall(),
    )
}


def behaviour(name: str) -> Behaviour:
    """The behaviour of that id. Raises BadInput for field ``behaviour``."""
    if name not in BEHAVIOURS:
        raise BadInput(f"behaviour must be one of {', '.join(BEHAVIOURS)}, not {name!r}.", "behaviour")
    return BEHAVIOURS[name]


@part_of_loops
def take_step(
    number: int,
    loop_s: float,
    readings: Array,
    settings: Array,
    sensors: Array,
    choices: Array,
    integers: bool,
    memory: Array,
    outputs: Array,
) -> int:
    """The step of a behaviour by its number, for compiled loops: they cannot look up a method."""
    if number == 0:
        return follow_edge(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 1:
        return follow_two(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 2:
        return follow_table(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 3:
        return follow_pid(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 4:
        return wander(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 5:
        return edge_guard(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 6:
        return stop_warn(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 7:
        return hold_distance(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    if number == 9:
        return follow_wall(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
    return indicate(loop_s, readings, settings, sensors, choices, integers, memory, outputs)
