"""A world as arrays that compiled loops look up: tape in pieces with a grid over them, walls, outlines."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from tickstone.core.drive.world import FloorWorld, Point, TableWorld, edges
from tickstone.core.loops import part_of_loops

Array = npt.NDArray[np.float64]
Places = npt.NDArray[np.int64]
CELL_MM = 20.0
MOST_CELLS = 4_000_000
AROUND, WALK, LOCAL_MM = (
    2,
    12,
    60.0,
)  # pieces to either side; steps along them; nothing nearer is another line
X1, Y1, X2, Y2, HALF, WAY, DX, DY, PER_MM2 = range(9)  # columns of the pieces
SPECKLE_MM = 6.0  # over which the ground stays the same


@dataclass(frozen=True)
class Ground:
    """``pieces`` of tape: x1, y1, x2, y2, half its width, way before it, how far it goes (x, y) and one over
    the square of that, shape (pieces, 9); ``grid``: x, y, one over the size of a cell, columns, rows;
    ``starts`` and ``items``: the pieces near each cell. ``way_mm`` is the length of the first line,
    ``closed`` whether it closes. ``outline`` of a table, shape (corners, 2), none of a floor. ``patches``:
    corners, shape (n, 2), with ``patch_starts``, the counts of each, and its span (x from, y from, x to,
    y to). ``walls``: x1, y1, x2, y2, 1 where it sends no echo back."""

    pieces: Array
    grid: Array
    starts: Places
    items: Places
    way_mm: float
    closed: bool
    outline: Array
    patches: Array
    patch_starts: Places
    patch_counts: Array
    patch_spans: Array
    walls: Array
    speckle: float


def ground_of(world: FloorWorld | TableWorld, reach_mm: float) -> Ground:
    """A world's ground, to be looked up by spots of at most ``reach_mm`` across."""
    lines = world.lines if isinstance(world, FloorWorld) else ()
    pieces: list[tuple[float, float, float, float, float, float]] = []
    first_way = 0.0
    for number, line in enumerate(lines):
        way = 0.0
        points = line.along()
        for a, b in pairwise(points):
            length = math.dist(a, b)
            if length < 1e-9:
                continue
            for begin, end in _kept(way, way + length, line.gaps):
                p, q = (_between(a, b, (s - way) / length) for s in (begin, end))
                pieces.append((*p, *q, line.width_mm / 2, begin if number == 0 else -1.0))
            way += length
        first_way = first_way or way
    plain = np.array(pieces, dtype=np.float64).reshape(-1, 6)
    goes = plain[:, [X2, Y2]] - plain[:, [X1, Y1]]
    table = np.column_stack([plain, goes, 1.0 / (goes**2).sum(axis=1)])
    grid, starts, items = _grid(table, reach_mm)
    corners = [point for patch in world.patches for point in patch.polygon]
    counts = [len(patch.polygon) for patch in world.patches]
    walls: list[tuple[float, ...]] = []
    if isinstance(world, FloorWorld):
        walls += [(*wall, 0.0) for wall in world.walls]
        walls += [(*wall, 1.0) for wall in world.curtains]
        walls += [(*a, *b, 0.0) for box in world.boxes for a, b in edges(box.polygon)]
    return Ground(
        table,
        grid,
        starts,
        items,
        first_way,
        bool(lines and lines[0].closed),
        _points(world.polygon if isinstance(world, TableWorld) else ()),
        _points(corners),
        np.cumsum([0, *counts]).astype(np.int64),
        np.array([patch.light_counts for patch in world.patches], dtype=np.float64),
        np.array(
            [(*np.min(patch.polygon, axis=0), *np.max(patch.polygon, axis=0)) for patch in world.patches],
            dtype=np.float64,
        ).reshape(-1, 4),
        np.array(walls, dtype=np.float64).reshape(-1, 5),
        world.speckle_counts if isinstance(world, FloorWorld) else 0.0,
    )


def _points(points: Sequence[Point]) -> Array:
    return np.array(points, dtype=np.float64).reshape(-1, 2)


def _between(a: Point, b: Point, share: float) -> Point:
    return a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])


def _kept(begin: float, end: float, gaps: Sequence[Point]) -> list[Point]:
    """What is left of a stretch without its gaps."""
    kept = [(begin, end)]
    for low, high in gaps:
        kept = [
            piece
            for a, b in kept
            for piece in ((a, min(b, low)), (max(a, high), b))
            if piece[1] - piece[0] > 1e-9
        ]
    return kept


def _grid(pieces: Array, reach_mm: float) -> tuple[Array, Places, Places]:
    """Cells of a grid, each with the pieces that a spot in it can see."""
    if not pieces.size:
        return np.array([0.0, 0.0, 1.0 / CELL_MM, 0.0, 0.0]), np.zeros(1, np.int64), np.zeros(0, np.int64)
    reach = reach_mm + float(pieces[:, 4].max())
    low = pieces[:, [0, 1, 2, 3]].reshape(-1, 2).min(axis=0) - reach
    high = pieces[:, [0, 1, 2, 3]].reshape(-1, 2).max(axis=0) + reach
    cell = max(CELL_MM, math.sqrt(float(np.prod(high - low)) / MOST_CELLS))
    columns, rows = (int(n) for n in np.ceil((high - low) / cell).astype(int))
    near: list[list[int]] = [[] for _ in range(columns * rows)]
    for number, (x1, y1, x2, y2, *_) in enumerate(pieces.tolist()):
        begin = np.floor((np.array([min(x1, x2), min(y1, y2)]) - reach - low) / cell).astype(int)
        end = np.floor((np.array([max(x1, x2), max(y1, y2)]) + reach - low) / cell).astype(int)
        for row in range(max(begin[1], 0), min(end[1], rows - 1) + 1):
            for column in range(max(begin[0], 0), min(end[0], columns - 1) + 1):
                near[row * columns + column].append(number)
    starts = np.cumsum([0, *(len(some) for some in near)]).astype(np.int64)
    items = np.array([number for some in near for number in some], dtype=np.int64)
    return np.array([low[0], low[1], 1.0 / cell, columns, rows]), starts, items


@part_of_loops
def side_share(share: float) -> float:
    """How much of a disc lies on one side of a straight edge; ``share`` is its middle's distance into that
    side over its radius (a circular segment: Bronshtein & Semendyayev, Handbook of Mathematics, 3.1).

    >>> side_share(0.0), side_share(1.0), side_share(-2.0)
    (0.5, 1.0, 0.0)
    """
    if share >= 1.0:
        return 1.0
    if share <= -1.0:
        return 0.0
    return 0.5 + (share * math.sqrt(1.0 - share * share) + math.asin(share)) / math.pi


@part_of_loops
def along_piece(px: float, py: float, pieces: Array, i: int) -> tuple[float, float]:
    """From a point to the middle of a piece of tape, mm², squared; and where along it that is, 0 to 1."""
    x, y = px - pieces[i, X1], py - pieces[i, Y1]
    dx, dy = pieces[i, DX], pieces[i, DY]
    along = (x * dx + y * dy) * pieces[i, PER_MM2]
    along = min(max(along, 0.0), 1.0)
    ex, ey = x - along * dx, y - along * dy
    return ex * ex + ey * ey, along


@part_of_loops
def cell_of(px: float, py: float, grid: Array) -> int:
    """The cell of a point, −1 off the grid."""
    column, row = (px - grid[0]) * grid[2], (py - grid[1]) * grid[2]
    if column < 0.0 or row < 0.0 or column >= grid[3] or row >= grid[4]:
        return -1
    return int(row) * int(grid[3]) + int(column)


@part_of_loops
def tape_share(
    px: float, py: float, radius: float, pieces: Array, grid: Array, starts: Places, items: Places
) -> float:
    """How much of a round spot lies on tape, 0 to 1."""
    cell = cell_of(px, py, grid)
    if cell < 0:
        return 0.0
    most = 0.0
    for place in range(starts[cell], starts[cell + 1]):
        i = items[place]
        half = pieces[i, HALF]
        away, _ = along_piece(px, py, pieces, i)
        if away < (half + radius) * (half + radius):
            away = math.sqrt(away)
            share = side_share((half - away) / radius) + side_share((half + away) / radius) - 1.0
            most = max(most, share)
    return most


@part_of_loops
def within(px: float, py: float, corners: Array, begin: int, end: int) -> bool:
    """Whether a point lies within an outline, by the even-odd rule."""
    result = False
    before = end - 1
    for i in range(begin, end):
        x1, y1, x2, y2 = corners[before, 0], corners[before, 1], corners[i, 0], corners[i, 1]
        if (y1 > py) != (y2 > py) and px < x1 + (py - y1) / (y2 - y1) * (x2 - x1):
            result = not result
        before = i
    return result


@part_of_loops
def speckle_at(px: float, py: float) -> float:
    """How the ground differs here, in its sds: the same each time (a hash of the place; mean 0, sd 1;
    Teschner and others, Proc. VMV 2003, 47)."""
    column, row = int(px / SPECKLE_MM) + 100_000, int(py / SPECKLE_MM) + 100_000
    mixed = ((column * 73_856_093) ^ (row * 19_349_663)) & 0x7FFFFFFF
    mixed = ((mixed ^ (mixed >> 13)) * 1_274_126_177) & 0x7FFFFFFF
    mixed ^= mixed >> 16
    return (mixed / 0x7FFFFFFF - 0.5) * 3.4641016


@part_of_loops
def nearest_piece(px: float, py: float, pieces: Array, near: int) -> tuple[float, float, int]:
    """The piece of tape nearest to a point: its distance, mm², squared, where along it, and which. From
    ``near`` on along the tape; among all where that is −1."""
    count = pieces.shape[0]
    best, best_along, best_piece = 1e12, 0.0, -1
    if near < 0:
        for i in range(count):
            away, along = along_piece(px, py, pieces, i)
            if away < best - 1e-9:
                best, best_along, best_piece = away, along, i
        return best, best_along, best_piece
    middle = near
    for _ in range(WALK):
        for k in range(-AROUND, AROUND + 1):
            i = middle + k
            if i < 0:
                i += count
            elif i >= count:
                i -= count
            if 0 <= i < count:
                away, along = along_piece(px, py, pieces, i)
                if away < best - 1e-9:
                    best, best_along, best_piece = away, along, i
        if best_piece == middle:
            break
        middle = best_piece
    return best, best_along, best_piece


@part_of_loops
def line_near(px: float, py: float, heading: float, pieces: Array, near: int) -> tuple[float, float, int]:
    """Where the tape is: its distance, mm, positive to the right; the way along it, mm; which piece. ``near``
    is the piece last time (−1: none): while its neighbours are within LOCAL_MM only they are looked at, so
    that a crossing is passed straight on."""
    best, along, i = nearest_piece(px, py, pieces, near)
    if near >= 0 and best >= LOCAL_MM * LOCAL_MM:
        best, along, i = nearest_piece(px, py, pieces, -1)
    if i < 0:
        return np.nan, np.nan, -1
    dx, dy = pieces[i, DX], pieces[i, DY]
    ex, ey = pieces[i, X1] + along * dx - px, pieces[i, Y1] + along * dy - py
    to_left = -math.sin(heading) * ex + math.cos(heading) * ey
    away = math.sqrt(best)
    way = pieces[i, WAY] + along / math.sqrt(pieces[i, PER_MM2]) if pieces[i, WAY] >= 0 else -1.0
    return (-away if to_left > 0 else away), way, i


@part_of_loops
def ray(px: float, py: float, angle: float, walls: Array) -> tuple[float, float, float]:
    """The nearest wall along a ray: its distance (infinite where there is none), the angle at which it is met
    (0 head on, rad), and 1 where it sends nothing back."""
    cx, cy = math.cos(angle), math.sin(angle)
    best, slant, soft = math.inf, 0.0, 0.0
    for i in range(walls.shape[0]):
        wx, wy = walls[i, 2] - walls[i, 0], walls[i, 3] - walls[i, 1]
        cross = cx * wy - cy * wx
        if abs(cross) < 1e-12:
            continue
        ex, ey = walls[i, 0] - px, walls[i, 1] - py
        away = (ex * wy - ey * wx) / cross
        along = (ex * cy - ey * cx) / cross
        if 0.0 <= away < best and -1e-9 <= along <= 1.0 + 1e-9:
            best, soft = away, walls[i, 4]
            slant = math.acos(min(1.0, abs(cross) / math.hypot(wx, wy)))
    return best, slant, soft
