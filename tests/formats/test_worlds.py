"""Worlds as files: drawings at true scale, points of a line, and what no drawing may hold."""

from __future__ import annotations

import math
from xml.etree import ElementTree

import pytest

from tickstone.core.drive.world import FloorWorld
from tickstone.core.drive.worlds import WORLDS
from tickstone.errors import BadInput
from tickstone.formats.world_json import world_from_json, world_to_json
from tickstone.formats.world_svg import floor_from_svg, line_from_csv, world_to_svg

DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" width="2400mm" height="170cm" viewBox="0 0 240 170">
  <g transform="translate(10 0)">
    <path d="M10 10H100A20 20 0 0 1 120 30" stroke="black" stroke-width="1.9" fill="none"/>
    <rect x="20" y="40" width="12" height="12" fill="#888"/>
    <circle cx="150" cy="80" r="30" style="fill:none;stroke:#000;stroke-width:2"/>
  </g>
</svg>"""


def test_a_drawing_becomes_a_floor_to_its_own_scale() -> None:
    """Ten millimetres to a unit, y upwards; lengths by SVG 2 (W3C), chapters 7 and 9."""
    floor = floor_from_svg(DRAWING, "course")
    assert floor.size_mm == pytest.approx((2400.0, 1700.0), abs=0.1)
    path, circle = floor.lines
    assert path.width_mm == pytest.approx(19.0, abs=0.01)
    assert path.points[0] == pytest.approx((200.0, 1600.0), abs=0.1)
    assert path.points[-1] == pytest.approx((1300.0, 1400.0), abs=0.1)
    along = sum(math.dist(a, b) for a, b in zip(path.points, path.points[1:], strict=False))
    assert along == pytest.approx(900 + 200 * math.pi / 2, rel=1e-3)
    assert not path.closed
    assert circle.closed
    assert all(math.dist(point, (1600, 900)) == pytest.approx(300, abs=0.2) for point in circle.points)
    assert floor.boxes[0].polygon[0] == pytest.approx((300, 1300), abs=0.1)
    assert (floor.start.x_mm, floor.start.y_mm) == path.points[0]
    assert floor.start.heading_deg == 0


@pytest.mark.parametrize("name", ["oval", "eight", "corners", "path", "greenhouse", "table"])
def test_a_world_is_drawn_at_true_scale_and_comes_back(name: str) -> None:
    world = WORLDS[name]
    text = world_to_svg(world)
    root = ElementTree.fromstring(text)
    assert root.get("width", "").removesuffix("mm") == root.get("viewBox", "").split()[2]
    if not isinstance(world, FloorWorld) or not world.lines:
        return
    again = floor_from_svg(text, name)
    assert again.size_mm == pytest.approx(world.size_mm, abs=0.1)
    for line, drawn in zip(world.lines, again.lines, strict=True):
        assert drawn.width_mm == pytest.approx(line.width_mm, abs=0.01)
        assert drawn.closed == line.closed
        assert len(drawn.along()) == len(line.along())
        for before, after in zip(line.along(), drawn.along(), strict=True):
            assert math.dist(before, after) < 0.1


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no SVG"),
        ("<html/>", "does not begin with svg"),
        (DRAWING.replace("2400mm", "2400"), "width and height in mm"),
        (DRAWING.replace("<g", "<script>alert(1)</script><g"), "<script>"),
        (DRAWING.replace("<rect", '<rect onclick="go()"'), "onclick"),
        (DRAWING.replace("<rect", '<image href="http://example.org/a.png"/><rect'), "<image>"),
        (DRAWING.replace('fill="#888"', 'fill="url(http://example.org/#a)"'), "outside itself"),
        ('<!DOCTYPE svg [<!ENTITY a "b">]>' + DRAWING, "no entities"),
        (DRAWING.replace("H100", "H100" + " L1 1" * 250_000), "far too long"),
        (
            DRAWING.replace('width="1.9"', 'width="0"').replace("stroke-width:2", "stroke-width:0"),
            "width must be above zero, not 0 mm",
        ),
        ('<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"/>', "nothing in this drawing"),
    ],
)
def test_what_no_drawing_may_hold_is_refused(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        floor_from_svg(text, "course")


def test_points_of_a_file_become_a_line_with_room_around_it() -> None:
    floor = line_from_csv("\ufeffx_mm;y_mm\n0;0\n1000,5;0\n1000;800\n", "bend", 15)
    (line,) = floor.lines
    assert line.points == ((200, 200), (1200.5, 200), (1200, 1000))
    assert floor.size_mm == (1400.5, 1200)
    assert line.width_mm == 15
    closed = line_from_csv("0,0\n500,0\n500,500\n0,500\n0,10\n", "square", 19)
    assert closed.lines[0].closed


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "at least two points"),
        ("1,2\n", "at least two points"),
        ("0,0\n1,two\n", "Row 2"),
        ("0,0\n1\n", "Row 2"),
        ("0,0\ninf,1\n", "Row 2"),
        ("0,0\n1,1\n", None),
    ],
)
def test_rows_that_are_no_points_are_named(text: str, words: str | None) -> None:
    if words is None:
        assert line_from_csv(text, "short", 19).lines
        return
    with pytest.raises(BadInput, match=words):
        line_from_csv(text, "bend", 19)


def test_a_line_without_width_is_refused_by_its_field() -> None:
    with pytest.raises(BadInput) as refused:
        line_from_csv("0,0\n100,0\n", "bend", -3)
    assert refused.value.path == "lines[0].width_mm"


def test_a_document_comes_back_as_it_was() -> None:
    for world in WORLDS.values():
        assert world_from_json(world_to_json(world)) == world
