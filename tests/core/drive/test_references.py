"""Runs against libraries from outside: plants against a control library, walls against a geometry library,
arcs against a hundredth of the step."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import replace

import control
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon, affinity, box

from tickstone.core.behaviours.behaviour import StepInputs
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.drive import loop, rail
from tickstone.core.drive.ground import ray, within
from tickstone.core.drive.request import RunRequest
from tickstone.core.drive.run import run
from tickstone.core.drive.vehicle import vehicle_of
from tickstone.core.drive.world import RailWorld
from tickstone.core.drive.worlds import WORLDS
from tickstone.core.rigs.templates import fern, template

TUBE, BEAM = WORLDS["tube"], WORLDS["beam"]
assert isinstance(TUBE, RailWorld)
assert isinstance(BEAM, RailWorld)
LONG = {"length_mm": 1e6, "start_mm": 5e5}  # far from the ends
DT = 1e-4


def tube() -> control.TransferFunction:
    """From the fan's strength to the float's place: a lag, drag, and a place that adds up."""
    return control.tf([-40.0 * TUBE.gain], [1.0, rail.DRAG, 0.0]) * control.tf([1.0], [TUBE.lag_s, 1.0])


def test_a_float_answers_a_step_of_the_fan_as_its_transfer_function_does() -> None:
    times = np.linspace(0, 3, 31)
    answer = control.forced_response(tube(), times, np.full(times.size, 2.0))
    plant = rail.Plant(replace(TUBE, **LONG))
    begun, places = plant.x, [0.0]
    for _ in range(30):
        for _ in range(1000):
            plant.advance(TUBE.level + 2.0, DT)
        places.append(plant.x - begun)
    assert places == pytest.approx(answer.outputs, rel=5e-3, abs=0.05)


def test_a_ball_without_stiction_answers_a_tilt_as_a_double_integrator() -> None:
    tilt_deg = 1.5
    slope = rail.GRAVITY_MM_S2 * rail.ROLLS * BEAM.gain * math.pi / 180  # for small angles
    times = np.linspace(0, 1.5, 16)
    answer = control.forced_response(
        control.tf([slope], [1.0, 0.0, 0.0]), times, np.full(times.size, tilt_deg)
    )
    plant = rail.Plant(replace(BEAM, stiction=0.0, servo_deg_s=0.0, **LONG))
    begun, places = plant.x, [0.0]
    for _ in range(15):
        for _ in range(1000):
            plant.advance(BEAM.level + tilt_deg, DT)
        places.append(plant.x - begun)
    assert places == pytest.approx(answer.outputs, rel=2e-3, abs=0.05)


@pytest.mark.parametrize(("share", "grows"), [(0.85, False), (1.15, True)])
def test_a_plain_gain_swings_above_the_ultimate_gain_of_its_plant_and_settles_below(
    share: float, grows: bool
) -> None:
    """The gain margin of the open loop (Ziegler and Nichols, Trans. ASME 64 (1942) 759)."""
    ultimate, _, crossing, _ = control.margin(-tube())
    plant = rail.Plant(replace(TUBE, **LONG))
    wanted = plant.x + 30.0
    swings, side, widest = [], 0.0, 0.0
    for _ in range(round(14 * 2 * math.pi / crossing / DT)):
        error = wanted - plant.x
        if side * error < 0:
            swings.append(widest)
            widest = 0.0
        side, widest = error, max(widest, abs(error))
        plant.advance(TUBE.level - share * ultimate * error, DT)
    assert (swings[-1] > 1.5 * swings[4]) == grows
    assert (swings[-1] < 0.7 * swings[4]) != grows


def test_an_arc_is_that_of_a_hundredth_of_its_step() -> None:
    """A whole run too: readings and noise are the same, so only the integration differs."""
    vehicle = vehicle_of(fern(), {}).array()
    one, many = np.zeros(3), np.zeros(3)
    loop.arc(40.0, 55.0, vehicle[loop.TRACK], one)
    for _ in range(100):
        loop.arc(0.40, 0.55, vehicle[loop.TRACK], many)
    assert one == pytest.approx(many, abs=1e-9)
    ends = [
        run(RunRequest(fern(), WORLDS["path"], "follow-pid", seconds=2.0, step_ms=step)).trace[-1]
        for step in (1.0, 0.01)
    ]
    assert math.dist(ends[0][[loop.X, loop.Y]], ends[1][[loop.X, loop.Y]]) < 2.0


def test_an_on_off_answer_swings_as_its_band_and_delay_ask_for() -> None:
    """Going and coming at the same speed v, with a band h and readings late by d, it swings with the period
    2·h/v + 4·d (a relay with hysteresis and delay before an integrator, from memory)."""
    behaviour = BEHAVIOURS["stop-warn"]
    speed, band, late, loop_s = 300.0, 100.0, 12, 0.005
    asked = {"trip_mm": 300, "clear_mm": 300 + band, "votes": 1, "votes_of": 1}
    inputs, memory = StepInputs(behaviour.resolved(asked)), behaviour.begin()
    distance, seen, stops = 800.0, deque([800.0] * (late + 1), maxlen=late + 1), []
    for k in range(8000):
        seen.append(distance)
        was = memory.outputs[0]
        behaviour.step(memory, np.array([seen[0], 1.0]), inputs, loop_s)
        if was > 0 and memory.outputs[0] == 0:
            stops.append(k * loop_s)
        distance += speed * loop_s * (-1.0 if memory.outputs[0] > 0 else 1.0)
    assert len(stops) > 20
    assert np.diff(stops[3:]).mean() == pytest.approx(2 * band / speed + 4 * late * loop_s, rel=0.05)


PLACE = st.floats(-900, 900)
WALL = st.tuples(PLACE, PLACE, PLACE, PLACE).filter(lambda w: math.dist(w[:2], w[2:]) > 5)


@given(st.lists(WALL, min_size=1, max_size=6), PLACE, PLACE, st.floats(0, 6.28))
def test_a_ray_ends_where_a_geometry_library_has_it_end(
    walls: list[tuple[float, float, float, float]], x: float, y: float, angle: float
) -> None:
    away, _, _ = ray(x, y, angle, np.array([(*wall, 0.0) for wall in walls]))
    beam = LineString([(x, y), (x + 5000 * math.cos(angle), y + 5000 * math.sin(angle))])
    met = [beam.intersection(LineString([wall[:2], wall[2:]])) for wall in walls]
    exact = min((Point(x, y).distance(each) for each in met if not each.is_empty), default=math.inf)
    grazes = any(
        beam.distance(Point(end)) < 1e-6 for wall in walls for end in (wall[:2], wall[2:])
    )  # at the very end of a wall both may be right
    if not grazes and exact > 1e-6:
        assert away == pytest.approx(exact, rel=1e-6, abs=1e-6)


@settings(max_examples=60)
@given(WALL, st.floats(-300, 300), st.floats(-300, 300), st.floats(0, 6.28))
def test_what_touches_a_wall_is_what_a_geometry_library_says(
    wall: tuple[float, float, float, float], x: float, y: float, heading: float
) -> None:
    numbers = vehicle_of(template("T15"), {"front_mm": 120, "rear_mm": 60, "width_mm": 160})
    outline = affinity.translate(
        affinity.rotate(box(-60, -80, 120, 80), heading, origin=(0, 0), use_radians=True), x, y
    )
    line = LineString([wall[:2], wall[2:]])
    touched = loop.touches(np.array([x, y, heading]), numbers.array(), np.array([(*wall, 0.0)]))
    if abs(outline.exterior.distance(line)) > 1e-6 or outline.intersection(line).length > 1e-3:
        assert touched == outline.intersects(line)


@settings(max_examples=60)
@given(st.lists(st.tuples(PLACE, PLACE), min_size=3, max_size=8, unique=True), PLACE, PLACE)
def test_a_place_is_on_the_table_where_a_geometry_library_says_so(
    corners: list[tuple[float, float]], x: float, y: float
) -> None:
    polygon = Polygon(corners)
    if polygon.is_valid and polygon.exterior.distance(Point(x, y)) > 1e-6:
        assert within(x, y, np.array(corners), 0, len(corners)) == polygon.contains(Point(x, y))
