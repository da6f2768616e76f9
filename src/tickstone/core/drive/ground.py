"""A world as arrays that compiled loops look up: tape in pieces with a grid over them, walls, outlines."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from tickstone.core.drive.world import FloorWorld, Patch, Point, TableWorld, edges
from tickstone.core.loops import part_of_loops

Array = npt.NDArray[np.float64]
Places = npt.NDArray[np.int64]
CELL_MM = 8.0
MOST_CELLS, PART_MM = 4_000_000, 400.0
AROUND, WALK, LOCAL_MM = (
    1,
    24,
    60.0,
)  # pieces to either side; steps along them; nothing nearer is another line
X1, Y1, X2, Y2, HALF, WAY, DX, DY, PER_MM2 = range(9)  # columns of the pieces
COUNTS, UP_X, UP_Y, X_FROM, Y_FROM, X_TO, Y_TO = range(7)  # columns of the patches' numbers
SPECKLE_MM = 6.0  # over which the ground stays the same


class Ground(NamedTuple):
    """``pieces`` of tape: x1, y1, x2, y2, half its width, way before it, how far it goes (x, y) and one over
    the square of that, shape (pieces, 9). ``grid``: x, y, one over the size of a cell, columns, rows;
    ``near``: the pieces that a spot in a cell can see, from ``starts`` of the cell on. ``way_mm`` is the
    length of the first line, ``closed`` whether it closes. ``outline`` of a table, shape (corners, 2), none
    of a floor. ``patches``: corners, shape (n, 2), with ``patch_starts``; ``patch_numbers``: counts of light,
    the share of gravity that pulls back along x and y, and its span. ``walls``: x1, y1, x2, y2, 1 where it
    sends no echo back."""

    pieces: Array
    near: Array
    grid: Array
    starts: Places
    way_mm: float
    closed: bool
    outline: Array
    patches: Array
    patch_starts: Places
    patch_numbers: Array
    walls: Array
    speckle: float


@lru_cache(maxsize=8)
def ground_of(world: FloorWorld | TableWorld, reach_mm: float) -> Ground:
    """A world's ground, to be looked up by spots of at most ``reach_mm`` across; nobody changes it."""
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
    near, grid, starts = _grid(table, reach_mm)
    corners = [point for patch in world.patches for point in patch.polygon]
    counts = [len(patch.polygon) for patch in world.patches]
    walls: list[tuple[float, ...]] = []
    if isinstance(world, FloorWorld):
        walls += [(*wall, 0.0) for wall in world.walls]
        walls += [(*wall, 1.0) for wall in world.curtains]
        walls += [(*a, *b, 0.0) for box in world.boxes for a, b in edges(box.polygon)]
    return Ground(
        table,
        near,
        grid,
        starts,
        first_way,
        bool(lines and lines[0].closed),
        _points(world.polygon if isinstance(world, TableWorld) else ()),
        _points(corners),
        np.cumsum([0, *counts]).astype(np.int64),
        np.array([_of_patch(patch) for patch in world.patches], dtype=np.float64).reshape(-1, 7),
        np.array(walls, dtype=np.float64).reshape(-1, 5),
        world.speckle_counts if isinstance(world, FloorWorld) else 0.0,
    )


def _of_patch(patch: Patch) -> tuple[float, ...]:
    share, up = math.sin(math.atan(patch.grade_pct / 100.0)), math.radians(patch.heading_deg)
    span = (*np.min(patch.polygon, axis=0), *np.max(patch.polygon, axis=0))
    return (patch.light_counts, share * math.cos(up), share * math.sin(up), *span)


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


def _grid(pieces: Array, reach_mm: float) -> tuple[Array, Array, Places]:
    """The pieces that a spot can see from each cell of a grid, the grid, and where each cell's begin."""
    if not pieces.size:
        return pieces, np.array([0.0, 0.0, 1.0 / CELL_MM, 0.0, 0.0]), np.zeros(1, np.int64)
    # long pieces in parts, so that the span of each part is small
    lengths = 1.0 / np.sqrt(pieces[:, PER_MM2])
    parts = np.ceil(lengths / PART_MM).astype(np.int64)
    piece = np.repeat(np.arange(pieces.shape[0]), parts)
    goes = pieces[piece][:, [DX, DY]] / parts[piece, None]
    nth = np.arange(piece.size) - np.repeat(np.cumsum(parts) - parts, parts)
    begin = pieces[piece][:, [X1, Y1]] + nth[:, None] * goes
    reach = pieces[piece, HALF] + reach_mm
    low = np.minimum(begin, begin + goes) - reach[:, None]
    high = np.maximum(begin, begin + goes) + reach[:, None]
    corner, size = low.min(axis=0), high.max(axis=0) - low.min(axis=0)
    cell = max(CELL_MM, math.sqrt(float(np.prod(size)) / MOST_CELLS))
    columns, rows = (int(n) for n in np.ceil(size / cell).astype(int))
    first = np.floor((low - corner) / cell).astype(np.int64)
    last = np.minimum(np.floor((high - corner) / cell).astype(np.int64), [columns - 1, rows - 1])
    wide, tall = (last - first + 1).T
    # every cell in the span of every part; those are kept whose middle is as near as reach and corner allow
    part = np.repeat(np.arange(piece.size), wide * tall)
    place = np.arange(part.size) - np.repeat(np.cumsum(wide * tall) - wide * tall, wide * tall)
    column, row = first[part, 0] + place % wide[part], first[part, 1] + place // wide[part]
    to_middle = corner + (np.column_stack([column, row]) + 0.5) * cell - begin[part]
    along = (to_middle * goes[part]).sum(axis=1) / (goes[part] ** 2).sum(axis=1)
    away = np.hypot(*(to_middle - np.clip(along, 0.0, 1.0)[:, None] * goes[part]).T)
    kept = away <= reach[part] + cell * math.sqrt(0.5)
    cells = (row * columns + column)[kept]
    order = np.argsort(cells, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(cells, minlength=columns * rows))]).astype(np.int64)
    return (
        pieces[piece[part[kept][order]]],
        np.array([corner[0], corner[1], 1.0 / cell, columns, rows]),
        starts,
    )


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
def tape_share(px: float, py: float, radius: float, near: Array, grid: Array, starts: Places) -> float:
    """How much of a round spot lies on tape, 0 to 1: that on the piece which is nearest by its edge."""
    cell = cell_of(px, py, grid)
    if cell < 0:
        return 0.0
    most, best, half = 0.0, math.inf, -1.0
    for i in range(starts[cell], starts[cell + 1]):
        away, _ = along_piece(px, py, near, i)
        if near[i, HALF] != half:  # of another width
            most = max(most, share_on(best, half, radius))
            best, half = away, near[i, HALF]
        elif away < best:
            best = away
    return max(most, share_on(best, half, radius))


@part_of_loops
def share_on(away_mm2: float, half: float, radius: float) -> float:
    """How much of a round spot lies on straight tape so far away, mm², squared, and half so wide."""
    if away_mm2 >= (half + radius) * (half + radius):
        return 0.0
    away = math.sqrt(away_mm2)
    return side_share((half - away) / radius) + side_share((half + away) / radius) - 1.0


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
def light_at(px: float, py: float, patches: Array, starts: Places, numbers: Array) -> float:
    """Counts that patches of light add here."""
    counts = 0.0
    for k in range(numbers.shape[0]):
        if numbers[k, COUNTS] != 0.0 and on_patch(px, py, k, patches, starts, numbers):
            counts += numbers[k, COUNTS]
    return counts


@part_of_loops
def grade_at(
    px: float, py: float, cos: float, sin: float, patches: Array, starts: Places, numbers: Array
) -> float:
    """The share of gravity that pulls back on whoever goes along a heading (its cosine and sine) here."""
    share = 0.0
    for k in range(numbers.shape[0]):
        up = numbers[k, UP_X] * cos + numbers[k, UP_Y] * sin
        if up != 0.0 and on_patch(px, py, k, patches, starts, numbers):
            share += up
    return share


@part_of_loops
def on_patch(px: float, py: float, k: int, patches: Array, starts: Places, numbers: Array) -> bool:
    """Whether a point lies on a patch."""
    if px < numbers[k, X_FROM] or px > numbers[k, X_TO] or py < numbers[k, Y_FROM] or py > numbers[k, Y_TO]:
        return False
    return within(px, py, patches, starts[k], starts[k + 1])


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
def line_near(
    px: float, py: float, cos: float, sin: float, pieces: Array, near: int
) -> tuple[float, float, int]:
    """Where the tape is: its distance, mm, positive to the right of a heading (its cosine and sine); the way
    along it, mm; which piece. ``near`` is the piece last time (−1: none): while its neighbours are within
    LOCAL_MM only they are looked at, so that a crossing is passed straight on."""
    best, along, i = nearest_piece(px, py, pieces, near)
    if near >= 0 and best >= LOCAL_MM * LOCAL_MM:
        best, along, i = nearest_piece(px, py, pieces, -1)
    if i < 0:
        return np.nan, np.nan, -1
    dx, dy = pieces[i, DX], pieces[i, DY]
    ex, ey = pieces[i, X1] + along * dx - px, pieces[i, Y1] + along * dy - py
    to_left = cos * ey - sin * ex
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
