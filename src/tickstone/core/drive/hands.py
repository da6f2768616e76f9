"""What a hand does to a run: it changes the light, the height, the battery; it pushes, holds, puts a box in
the way."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from tickstone.core.drive.world import Box, FloorWorld, World, inside

BOX_MM = 120.0
# numbers of a run that hands set, how long a loop takes, how many sensors in the middle of a row are read:
# usual (NaN: no hand is there, or all), lowest, highest
NUMBERS: dict[str, tuple[float, float, float]] = {
    "lamp_counts": (0.0, -4000.0, 4000.0),
    "higher_mm": (0.0, -50.0, 100.0),
    "loop_ms": (10.0, 0.1, 1000.0),
    "read_sensors": (math.nan, 1.0, 8.0),
    "push_s": (math.nan, 0.0, 3600.0),
    "push_mm": (20.0, -500.0, 500.0),
    "hold_s": (math.nan, 0.0, 3600.0),
    "hold_for_s": (1.0, 0.0, 60.0),
    "box_x_mm": (math.nan, -100_000.0, 100_000.0),
    "box_y_mm": (math.nan, -100_000.0, 100_000.0),
}


@dataclass(frozen=True)
class RunHand:
    """A thing that a hand does: the numbers it changes; ``moment`` is a number that is the time at which it
    does it, ``place`` two that are a place so far before the vehicle."""

    id: str
    label: str
    changes: Mapping[str, float] = field(default_factory=dict)
    moment: str = ""
    place: tuple[str, ...] = ()
    ahead_mm: float = 0.0
    worlds: tuple[str, ...] = ("floor", "table")
    row: bool = False  # only where a row of line sensors is read


HANDS = (
    RunHand("lamp-off", "Lamp off", {"lamp_counts": -60.0}, worlds=("floor", "table", "bench"), row=True),
    RunHand("higher", "5 mm higher", {"higher_mm": 5.0}, worlds=("floor", "table", "bench"), row=True),
    RunHand("battery-low", "Low battery", {"battery_pct": 75.0}),
    RunHand("push", "Push it aside", {"push_mm": 20.0}, "push_s", worlds=("floor", "table", "rail")),
    RunHand("hold", "Hold it", {"hold_for_s": 1.0}, "hold_s", worlds=("rail",)),
    RunHand(
        "box",
        "Put a box in the way",
        place=("box_x_mm", "box_y_mm"),
        ahead_mm=450.0,
        worlds=("floor",),
    ),
)


def with_box(world: World, numbers: Mapping[str, float]) -> World:
    """The world with a box where a hand puts it; none where the vehicle begins."""
    x, y = numbers["box_x_mm"], numbers["box_y_mm"]
    if not isinstance(world, FloorWorld) or math.isnan(x) or math.isnan(y):
        return world
    half = BOX_MM / 2
    box = Box(((x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half)))
    if inside((world.start.x_mm, world.start.y_mm), box.polygon):
        return world
    return replace(world, boxes=(*world.boxes, box))
