"""Worlds to scale: a floor with lines, walls and boxes, a table, a bench where nothing drives, a rail. Sizes
in mm, angles in °, counter-clockwise from the x axis."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from tickstone.core.checks import check_not_negative, check_positive
from tickstone.errors import BadInput

Point = tuple[float, float]
WallLine = tuple[float, float, float, float]
MOST_TAPE_MM = 1_000_000.0
MOST_MM, MOST_POINTS, ARC_MM = 100_000.0, 20_000, 8.0


@dataclass(frozen=True)
class Start:
    """Where the vehicle stands at first, by the middle of its drive axle."""

    x_mm: float = 0.0
    y_mm: float = 0.0
    heading_deg: float = 0.0


@dataclass(frozen=True)
class Arc:
    """A part of a circle, from one angle to another; to a lower one it runs clockwise."""

    x_mm: float
    y_mm: float
    radius_mm: float
    from_deg: float
    to_deg: float


@dataclass(frozen=True)
class Line:
    """Tape on the floor: through ``points``, or along ``arcs`` joined by straight pieces; ``gaps`` are
    stretches without tape, mm from its beginning."""

    points: tuple[Point, ...] = ()
    width_mm: float = 19.0
    closed: bool = False
    arcs: tuple[Arc, ...] = ()
    gaps: tuple[Point, ...] = ()

    def along(self) -> list[Point]:
        """Its centre as points, arcs drawn out."""
        points = list(self.points)
        for arc in self.arcs:
            turn = math.radians(arc.to_deg - arc.from_deg)
            pieces = max(2, math.ceil(abs(turn) * arc.radius_mm / ARC_MM))
            for i in range(pieces + 1):
                angle = math.radians(arc.from_deg) + turn * i / pieces
                points.append(
                    (arc.x_mm + arc.radius_mm * math.cos(angle), arc.y_mm + arc.radius_mm * math.sin(angle))
                )
        if self.closed and points and math.dist(points[0], points[-1]) > 1e-6:
            points.append(points[0])
        return points


@dataclass(frozen=True)
class Patch:
    """A place with other light (``light_counts`` more on a line sensor) or another slope (``grade_pct``, up
    along ``heading_deg``)."""

    polygon: tuple[Point, ...]
    light_counts: float = 0.0
    grade_pct: float = 0.0
    heading_deg: float = 0.0


@dataclass(frozen=True)
class Box:
    """A thing that stands on the floor."""

    polygon: tuple[Point, ...]


@dataclass(frozen=True)
class FloorWorld:
    """A floor: lines, patches, walls, curtains (which send no echo back), boxes; ``speckle_counts`` is how
    much the ground varies from place to place (sd); crossing ``finish`` ends a run."""

    name: str
    size_mm: Point
    start: Start
    lines: tuple[Line, ...] = ()
    patches: tuple[Patch, ...] = ()
    walls: tuple[WallLine, ...] = ()
    curtains: tuple[WallLine, ...] = ()
    boxes: tuple[Box, ...] = ()
    speckle_counts: float = 0.0
    finish: WallLine | None = None
    kind: Literal["floor"] = "floor"


@dataclass(frozen=True)
class TableWorld:
    """A table top: beyond its edge nothing reflects."""

    name: str
    polygon: tuple[Point, ...]
    start: Start
    patches: tuple[Patch, ...] = ()
    kind: Literal["table"] = "table"


@dataclass(frozen=True)
class Schedule:
    """What a hand does on the bench: a sensor's quantity (distance_mm, dark, level, period_us) at times (s,
    value), in between along a straight line; a level stays until the next."""

    sensor: str
    quantity: Literal["distance_mm", "dark", "level", "period_us"]
    at: tuple[Point, ...]


@dataclass(frozen=True)
class BenchWorld:
    """A bench: nothing drives, hands move what is sensed. A schedule without a sensor is for the first that
    can take it."""

    name: str
    schedules: tuple[Schedule, ...]
    kind: Literal["bench"] = "bench"


@dataclass(frozen=True)
class RailWorld:
    """One dimension: a ball on a tilting beam (``plant`` beam: it rolls by the servo's angle about
    ``level``), or a float in a tube (its height by the fan's strength about ``level``). ``from_mm`` is how
    far the near end is from the ranger; ``stiction`` the share of gravity that must be overcome to move;
    ``lag_s`` of the fan; ``servo_deg_s`` how fast the servo turns (0: at once), between its end stops at 0
    and 180°."""

    name: str
    plant: Literal["beam", "tube"]
    length_mm: float
    from_mm: float = 40.0
    start_mm: float = 150.0
    level: float = 90.0
    stiction: float = 0.004
    gain: float = 0.5
    lag_s: float = 0.3
    servo_deg_s: float = 350.0
    kind: Literal["rail"] = "rail"


World = FloorWorld | TableWorld | BenchWorld | RailWorld


def check_world(world: World) -> None:
    """Raises BadInput naming the field that cannot be."""
    if isinstance(world, FloorWorld):
        _check_floor(world)
    elif isinstance(world, TableWorld):
        check_polygon(world.polygon, "polygon")
        if not inside((world.start.x_mm, world.start.y_mm), world.polygon):
            raise BadInput("The start lies beyond the table's edge.", "start")
    elif isinstance(world, BenchWorld):
        for i, schedule in enumerate(world.schedules):
            times = [t for t, _ in schedule.at]
            if not times or any(later < before for before, later in pairwise(times)):
                raise BadInput("The times of a schedule must rise.", f"schedules[{i}].at")
    else:
        _check_size(world.length_mm, "length_mm")
        check_positive(world.from_mm, "from_mm")
        check_positive(world.lag_s, "lag_s")
        check_not_negative(world.servo_deg_s, "servo_deg_s")
        if not 0 <= world.start_mm <= world.length_mm:
            raise BadInput(f"The start must lie on the rail, 0 to {world.length_mm:g} mm.", "start_mm")


def _check_floor(world: FloorWorld) -> None:
    for i, size in enumerate(world.size_mm):
        _check_size(size, f"size_mm[{i}]")
    for i, line in enumerate(world.lines):
        _check_line(line, f"lines[{i}]")
    if sum(math.dist(a, b) for line in world.lines for a, b in pairwise(line.along())) > MOST_TAPE_MM:
        raise BadInput(f"A floor has at most {MOST_TAPE_MM / 1e6:g} km of lines.", "lines")
    for i, patch in enumerate(world.patches):
        check_polygon(patch.polygon, f"patches[{i}].polygon")
    for i, box in enumerate(world.boxes):
        check_polygon(box.polygon, f"boxes[{i}].polygon")
        if inside((world.start.x_mm, world.start.y_mm), box.polygon):
            raise BadInput("The vehicle would stand in a box: begin elsewhere.", "start")
    width, height = world.size_mm
    if not (0 <= world.start.x_mm <= width and 0 <= world.start.y_mm <= height):
        raise BadInput("The start lies off the floor.", "start")
    _check_walls(world)


def _check_size(size: float, path: str) -> None:
    check_positive(size, path)
    if size > MOST_MM:
        raise BadInput(f"{path} must be at most {MOST_MM / 1000:g} m.", path)


def _check_line(line: Line, path: str) -> None:
    check_positive(line.width_mm, f"{path}.width_mm")
    points = line.along()
    if len(points) < 2:
        raise BadInput("A line needs at least two points.", f"{path}.points")
    if len(points) > MOST_POINTS:
        raise BadInput(f"A line has at most {MOST_POINTS} points.", f"{path}.points")
    for begin, end in line.gaps:
        if not 0 <= begin < end:
            raise BadInput("A gap must end after it begins.", f"{path}.gaps")


def check_polygon(polygon: Sequence[Point], path: str) -> None:
    """Raises BadInput for an outline that has no area."""
    area = sum(a[0] * b[1] - b[0] * a[1] for a, b in edges(polygon)) / 2
    if len(polygon) < 3 or abs(area) < 1.0:
        raise BadInput("An outline needs three corners that are apart.", path)


def _check_walls(world: FloorWorld) -> None:
    every = [(wall, f"walls[{i}]") for i, wall in enumerate(world.walls)]
    every += [(wall, f"curtains[{i}]") for i, wall in enumerate(world.curtains)]
    for i, (wall, path) in enumerate(every):
        if math.dist(wall[:2], wall[2:]) < 1.0:
            raise BadInput("A wall must be at least a millimetre long.", path)
        for other, _ in every[:i]:
            if _cross(wall, other):
                raise BadInput("Two walls cross each other: let them meet at their ends.", path)


def _cross(a: WallLine, b: WallLine) -> bool:
    """Whether two pieces cross within both; ends that touch do not count."""

    def side(p: Point, q: Point, r: Point) -> float:
        return (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])

    a1, a2, b1, b2 = a[:2], a[2:], b[:2], b[2:]
    least = 1e-6
    first, second = side(a1, a2, b1) * side(a1, a2, b2), side(b1, b2, a1) * side(b1, b2, a2)
    return first < -least and second < -least


def edges(polygon: Sequence[Point]) -> Iterator[tuple[Point, Point]]:
    """The sides of an outline, the last one back to the first corner."""
    return zip(polygon, (*polygon[1:], *polygon[:1]), strict=True)


def inside(point: Point, polygon: Sequence[Point]) -> bool:
    """Whether a point lies within an outline (even-odd rule).

    >>> inside((1, 1), [(0, 0), (2, 0), (2, 2), (0, 2)]), inside((3, 1), [(0, 0), (2, 0), (2, 2)])
    (True, False)
    """
    x, y = point
    result = False
    for (x1, y1), (x2, y2) in edges(polygon):
        if (y1 > y) != (y2 > y) and x < x1 + (y - y1) / (y2 - y1) * (x2 - x1):
            result = not result
    return result
