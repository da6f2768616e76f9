"""Worlds to begin with: courses of tape, rooms, a table, rails, and what hands do on the bench."""

from __future__ import annotations

import math

from tickstone.core.drive.world import (
    Arc,
    BenchWorld,
    Box,
    FloorWorld,
    Line,
    Patch,
    Point,
    RailWorld,
    Schedule,
    Start,
    TableWorld,
    WallLine,
    World,
)
from tickstone.errors import BadInput


def _oval(width: float, height: float, radius: float, x: float, y: float) -> tuple[Arc, ...]:
    """The corners of an oval, counter-clockwise from below its right one."""
    right, top = x + width - radius, y + height - radius
    return (
        Arc(right, y + radius, radius, -90, 0),
        Arc(right, top, radius, 0, 90),
        Arc(x + radius, top, radius, 90, 180),
        Arc(x + radius, y + radius, radius, 180, 270),
    )


def _eight(radius: float, x: float, y: float) -> tuple[Point, ...]:
    """A figure of eight that crosses itself at right angles (the lemniscate of Gerono), from its middle."""
    return tuple(
        (x + 1.9 * radius * math.sin(t), y + 1.3 * radius * math.sin(2 * t))
        for t in (2 * math.pi * i / 160 for i in range(160))
    )


def _path() -> tuple[Point, ...]:
    """Fern's way between the beds: a loop with bends to both sides, none of them sharp."""

    def at(t: float) -> Point:
        reach = 1.0 + 0.16 * math.cos(2 * t + 0.4) + 0.13 * math.cos(3 * t - 0.8)
        return 1200.0 + 820.0 * reach * math.cos(t), 850.0 + 560.0 * reach * math.sin(t)

    return tuple(at(2 * math.pi * i / 240 - math.pi / 2) for i in range(240))


def _start(points: tuple[Point, ...], back_mm: float = 0.0) -> Start:
    """On the first point of a line, looking along it."""
    (x, y), (x2, y2) = points[0], points[1]
    heading = math.atan2(y2 - y, x2 - x)
    return Start(
        round(x - back_mm * math.cos(heading), 1),
        round(y - back_mm * math.sin(heading), 1),
        round(math.degrees(heading), 1),
    )


def _bends() -> tuple[Arc, ...]:
    """Half circles to and fro, each tighter than the one before."""
    arcs, x = [], 300.0
    for i, radius in enumerate((260.0, 200.0, 150.0, 110.0, 80.0)):
        x += radius
        arcs.append(Arc(x, 700.0, radius, 180, 0) if i % 2 == 0 else Arc(x, 700.0, radius, 180, 360))
        x += radius
    return tuple(arcs)


def _lamp(x: float, y: float, radius: float) -> tuple[Point, ...]:
    """The round patch of light under a lamp."""
    return tuple(
        (round(x + radius * math.cos(t), 1), round(y + radius * math.sin(t), 1))
        for t in (math.pi * i / 12 for i in range(24))
    )


def _box(x: float, y: float, width: float, height: float, turned_deg: float = 0.0) -> Box:
    c, s = math.cos(math.radians(turned_deg)), math.sin(math.radians(turned_deg))
    corners = ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height))
    return Box(tuple((x + a * c - b * s, y + a * s + b * c) for a, b in corners))


def _walls(width: float, height: float) -> tuple[WallLine, ...]:
    return (
        (0.0, 0.0, width, 0.0),
        (width, 0.0, width, height),
        (width, height, 0.0, height),
        (0.0, height, 0.0, 0.0),
    )


_ROOM = (3000.0, 2200.0)

WORLDS: dict[str, World] = {
    world.name: world
    for world in (
        FloorWorld(
            "oval",
            (2400.0, 1600.0),
            Start(1200.0, 250.0),
            (Line(arcs=_oval(2000.0, 1100.0, 400.0, 200.0, 250.0), closed=True),),
        ),
        FloorWorld(
            "eight",
            (2400.0, 1800.0),
            _start(_eight(550.0, 1200.0, 900.0)),
            (Line(_eight(550.0, 1200.0, 900.0), closed=True),),
        ),
        FloorWorld(
            "corners",
            (2400.0, 1800.0),
            Start(700.0, 300.0),
            (
                Line(
                    (
                        (500.0, 300.0),
                        (2000.0, 300.0),
                        (2000.0, 1400.0),
                        (1300.0, 1400.0),
                        (1300.0, 900.0),
                        (500.0, 900.0),
                    ),
                    closed=True,
                ),
            ),
        ),
        FloorWorld(
            "dashed",
            (2400.0, 1600.0),
            Start(1200.0, 250.0),
            (
                Line(
                    arcs=_oval(2000.0, 1100.0, 400.0, 200.0, 250.0),
                    closed=True,
                    gaps=tuple((150.0 + 400.0 * i, 190.0 + 400.0 * i) for i in range(12)),
                ),
            ),
        ),
        FloorWorld("bends", (2200.0, 1400.0), Start(300.0, 620.0, 90.0), (Line(arcs=_bends()),)),
        FloorWorld(
            "fork",
            (2400.0, 1400.0),
            Start(250.0, 700.0),
            (
                Line(((200.0, 700.0), (1100.0, 700.0), (1500.0, 900.0), (2200.0, 900.0))),
                Line(((1100.0, 700.0), (1500.0, 500.0), (2200.0, 500.0))),
            ),
        ),
        FloorWorld(
            "path",
            (2400.0, 1700.0),
            _start(_path()),
            (Line(_path(), closed=True),),
            (Patch(_lamp(1930.0, 980.0, 150.0), light_counts=60.0),),
            speckle_counts=6.0,
        ),
        FloorWorld(
            "room",
            _ROOM,
            Start(500.0, 500.0, 20.0),
            walls=(*_walls(*_ROOM), (2100.0, 2200.0, 3000.0, 1500.0)),
            boxes=(_box(1300.0, 900.0, 380.0, 300.0, 18.0), _box(2200.0, 300.0, 260.0, 420.0)),
        ),
        FloorWorld(
            "corridor",
            (3600.0, 1000.0),
            Start(500.0, 500.0),
            walls=_walls(3600.0, 1000.0),
        ),
        FloorWorld(
            "curtain",
            _ROOM,
            Start(600.0, 1100.0),
            walls=_walls(*_ROOM)[:1] + _walls(*_ROOM)[2:],
            curtains=(_walls(*_ROOM)[1],),
        ),
        FloorWorld(
            "greenhouse",
            (4200.0, 2600.0),
            Start(600.0, 1300.0),
            walls=_walls(4200.0, 2600.0),
            boxes=(_box(900.0, 400.0, 2400.0, 380.0), _box(900.0, 1820.0, 2400.0, 380.0)),
        ),
        FloorWorld(
            "track",
            (3200.0, 2200.0),
            Start(900.0, 250.0),
            walls=(*_walls(3200.0, 2200.0), (2700.0, 0.0, 3200.0, 500.0), (3200.0, 1700.0, 2700.0, 2200.0)),
            boxes=(_box(600.0, 600.0, 2000.0, 1000.0),),
        ),
        FloorWorld(  # a dark field with a pale border around it
            "field",
            (2600.0, 1600.0),
            Start(800.0, 800.0, 15.0),
            (Line(((300.0, 800.0), (2300.0, 800.0)), width_mm=1000.0),),
        ),
        TableWorld(
            "table",
            ((0.0, 0.0), (1600.0, 0.0), (1600.0, 700.0), (1100.0, 1000.0), (0.0, 1000.0)),
            Start(500.0, 450.0, 15.0),
        ),
        RailWorld("beam", "beam", 400.0, 40.0, 300.0, 90.0),
        RailWorld("tube", "tube", 500.0, 60.0, 420.0, 55.0),
        BenchWorld(
            "bench",
            (
                Schedule(
                    "",
                    "distance_mm",
                    (
                        (0.0, 1500.0),
                        (4.0, 120.0),
                        (6.0, 120.0),
                        (10.0, 1500.0),
                        (14.0, 250.0),
                        (20.0, 1200.0),
                    ),
                ),
                Schedule("", "dark", ((0.0, -60.0), (8.0, 60.0), (12.0, 60.0), (20.0, -60.0))),
                Schedule(
                    "",
                    "level",
                    (*((0.5 * i, float(i % 2)) for i in range(12)), (8.0, 1.0), (11.0, 0.0), (15.0, 1.0)),
                ),
            ),
        ),
    )
}


def world(name: str) -> World:
    """The built-in world of that name. Raises BadInput for field ``world``."""
    if name not in WORLDS:
        raise BadInput(f"world must be one of {', '.join(WORLDS)}, or a world of one's own.", "world")
    return WORLDS[name]
