"""Worlds as drawings: an SVG becomes a floor (stroked paths are lines, closed filled shapes are boxes), a
floor or a table becomes an SVG at true scale; a CSV of points becomes a line."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator, Sequence
from typing import Any
from xml.etree import ElementTree

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from svgelements import SVG, Close, Path, Shape
from svgelements import Line as Straight
from svgelements import Move as Jump

from tickstone.core.drive.world import Box, FloorWorld, Line, Point, Start, TableWorld, World, check_world
from tickstone.errors import BadInput

MOST_CHARACTERS = 1_000_000
MOST_SHAPES = 500
PIECE_MM = 8.0  # between points of a curve
PER_INCH = 25.4  # a millimetre is a unit of the drawing
REFUSED = {"script", "foreignObject", "image", "iframe", "animate", "set", "handler", "listener"}
REAL = ("mm", "cm", "m", "in", "pt", "pc")
NAMESPACE = "http://www.w3.org/2000/svg"


def floor_from_svg(text: str, name: str) -> FloorWorld:
    """The floor that a drawing shows, to the scale of its ``width`` and ``height``. Raises BadInput for
    ``svg`` where it holds what no drawing needs (scripts, entities, what lies elsewhere), has no size, or
    nothing to drive on."""
    root = _checked(text)
    size = [str(root.get(side, "")) for side in ("width", "height")]
    if not all(any(each.strip().endswith(unit) for unit in REAL) for each in size):
        raise BadInput("Say how large the drawing is: width and height in mm.", "svg")
    drawing = SVG.parse(io.StringIO(text), ppi=PER_INCH)
    width, height = float(drawing.width), float(drawing.height)
    shapes = [shape for shape in drawing.elements() if isinstance(shape, Shape)]
    if len(shapes) > MOST_SHAPES:
        raise BadInput(f"A drawing may have at most {MOST_SHAPES} shapes.", "svg")
    lines: list[Line] = []
    boxes: list[Box] = []
    for shape in shapes:
        stroked, filled = _painted(shape.stroke), _painted(shape.fill)
        for points, closed in _outlines(Path(shape), height):
            if closed and filled and len(points) > 2:
                boxes.append(Box(tuple(points)))
            elif stroked and len(points) > 1:
                wide = round(float(shape.implicit_stroke_width), 2)
                lines.append(Line(tuple(points), width_mm=wide, closed=closed))
    if not lines and not boxes:
        raise BadInput("There is nothing in this drawing: no stroked path, no closed filled shape.", "svg")
    start = _start(lines, width, height)
    floor = FloorWorld(name, (round(width, 2), round(height, 2)), start, tuple(lines), boxes=tuple(boxes))
    check_world(floor)
    return floor


def line_from_csv(text: str, name: str, width_mm: float) -> FloorWorld:
    """A floor with the line through the points of a CSV: columns x and y, in mm. Raises BadInput for ``csv``
    naming the row that is no point."""
    points: list[Point] = []
    first = text.lstrip("\ufeff").splitlines()[:1]
    delimiter = next((sign for sign in ";\t" if first and sign in first[0]), ",")
    for number, row in enumerate(csv.reader(io.StringIO(text.lstrip("\ufeff")), delimiter=delimiter), 1):
        if not any(cell.strip() for cell in row):
            continue
        try:
            x, y = (float(cell.replace(",", ".")) for cell in row[:2])
        except ValueError:
            if not points and number == 1:
                continue  # its headings
            raise BadInput(f"Row {number} is no point: it needs two numbers, x and y in mm.", "csv") from None
        if not (math.isfinite(x) and math.isfinite(y)):
            raise BadInput(f"Row {number} is no point: its numbers must be finite.", "csv")
        points.append((x, y))
    if len(points) < 2:
        raise BadInput("A line needs at least two points: a row each, x and y in mm.", "csv")
    room = 200.0
    low = [min(point[k] for point in points) - room for k in (0, 1)]
    high = [max(point[k] for point in points) + room for k in (0, 1)]
    moved = tuple((round(x - low[0], 3), round(y - low[1], 3)) for x, y in points)
    closed = len(moved) > 3 and math.dist(moved[0], moved[-1]) < 2 * width_mm
    line = Line(moved, width_mm=width_mm, closed=closed)
    size = (high[0] - low[0], high[1] - low[1])
    floor = FloorWorld(name, size, _start([line], *size), (line,))
    check_world(floor)
    return floor


def world_to_svg(world: World) -> str:
    """A floor or a table as a drawing at true scale: a unit is a millimetre. Raises BadInput for ``world``
    where there is nothing to draw to scale."""
    if isinstance(world, TableWorld):
        width, height = (max(point[k] for point in world.polygon) for k in (0, 1))
    elif isinstance(world, FloorWorld):
        width, height = world.size_mm
    else:
        raise BadInput("Only a floor or a table can be drawn to scale.", "world")
    root = ElementTree.Element(
        "svg",
        {
            "xmlns": NAMESPACE,
            "width": f"{width:g}mm",
            "height": f"{height:g}mm",
            "viewBox": f"0 0 {width:g} {height:g}",
        },
    )
    ElementTree.SubElement(root, "title").text = world.name
    for tag, attributes in _shapes(world, height):
        ElementTree.SubElement(root, tag, attributes)
    ElementTree.indent(root)
    return ElementTree.tostring(root, encoding="unicode") + "\n"


def _checked(text: str) -> ElementTree.Element:
    """The drawing's root, once nothing in it can do more than be drawn."""
    if len(text) > MOST_CHARACTERS:
        raise BadInput("This drawing is far too long: simplify its paths first.", "svg")
    try:
        root: ElementTree.Element = fromstring(text, forbid_dtd=True)
    except DefusedXmlException:
        raise BadInput("A drawing may hold no entities and no document type: save it plain.", "svg") from None
    except (ElementTree.ParseError, ValueError):
        raise BadInput("This is no SVG drawing, or it is damaged.", "svg") from None
    if root.tag.rpartition("}")[2] != "svg":
        raise BadInput("This is no SVG drawing: it does not begin with svg.", "svg")
    for element in root.iter():
        tag = str(element.tag).rpartition("}")[2]
        if tag in REFUSED:
            raise BadInput(f"A drawing may hold no <{tag}>: save it plain.", "svg")
        for name, value in element.attrib.items():
            plain = name.rpartition("}")[2]
            if plain.startswith("on"):
                raise BadInput(f"A drawing may hold no {plain}: save it plain.", "svg")
            elsewhere = plain in ("href", "src") and not value.startswith("#")
            if elsewhere or "url(" in value.replace("url(#", ""):
                raise BadInput("A drawing may point to nothing outside itself: save it plain.", "svg")
    return root


def _painted(colour: Any) -> bool:
    return colour is not None and colour.value is not None and colour.alpha != 0


def _outlines(path: Path, height: float) -> Iterator[tuple[list[Point], bool]]:
    """Each part of a path as points, mm from the lower left, and whether it is closed."""
    points: list[Point] = []
    closed = False
    for segment in path:
        if isinstance(segment, Jump):
            if len(points) > 1:
                yield points, closed
            points, closed = [_point(segment.end, height)], False
        elif isinstance(segment, Close):
            closed = True
        elif isinstance(segment, Straight):
            points.append(_point(segment.end, height))
        else:
            pieces = max(2, math.ceil(float(segment.length(error=1e-3)) / PIECE_MM))
            points += [_point(segment.point(i / pieces), height) for i in range(1, pieces + 1)]
    if len(points) > 1:
        yield points, closed or (len(points) > 3 and math.dist(points[0], points[-1]) < 1e-6)


def _point(point: Any, height: float) -> Point:
    return round(float(point.x), 2), round(height - float(point.y), 2)


def _start(lines: Sequence[Line], width: float, height: float) -> Start:
    """At the beginning of the first line, looking along it; else in the middle."""
    if not lines:
        return Start(width / 2, height / 2)
    (x, y), (x2, y2) = lines[0].along()[:2]
    return Start(x, y, round(math.degrees(math.atan2(y2 - y, x2 - x)), 2))


def _shapes(world: FloorWorld | TableWorld, height: float) -> Iterator[tuple[str, dict[str, str]]]:
    if isinstance(world, TableWorld):
        yield "polygon", {"points": _points(world.polygon, height), "fill": "none", "stroke": "#000"}
    else:
        for line in world.lines:
            points = line.along()
            if line.closed and points:
                points = points[:-1]
            yield (
                "path",
                {
                    "d": "M" + _points(points, height).replace(" ", " L") + ("Z" if line.closed else ""),
                    "fill": "none",
                    "stroke": "#000",
                    "stroke-width": f"{line.width_mm:g}",
                    "stroke-linejoin": "round",
                },
            )
        for box in world.boxes:
            yield "polygon", {"points": _points(box.polygon, height), "fill": "#888"}
        for kind, walls in (("wall", world.walls), ("curtain", world.curtains)):
            for x1, y1, x2, y2 in walls:
                yield (
                    "line",
                    {
                        "class": kind,
                        "x1": f"{x1:g}",
                        "y1": f"{height - y1:g}",
                        "x2": f"{x2:g}",
                        "y2": f"{height - y2:g}",
                        "stroke": "#000",
                        "stroke-width": "2",
                    }
                    | ({"stroke-dasharray": "6 6"} if kind == "curtain" else {}),
                )


def _points(points: Sequence[Point], height: float) -> str:
    return " ".join(f"{round(x, 3):g},{round(height - y, 3):g}" for x, y in points)
