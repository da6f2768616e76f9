"""What a simulated run must give where it can be worked out by hand: vehicle, spot, beam, controller."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.signal import lfilter
from shapely import LineString, Point

from tickstone.core.behaviours.behaviour import StepInputs
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.behaviours.follow import line_at
from tickstone.core.behaviours.steered import as_steered
from tickstone.core.drive import loop
from tickstone.core.drive.ground import ground_of, line_near, ray, side_share, tape_share
from tickstone.core.drive.request import Run, RunRequest
from tickstone.core.drive.run import run
from tickstone.core.drive.vehicle import vehicle_of
from tickstone.core.drive.world import FloorWorld, Line, Start
from tickstone.core.drive.worlds import WORLDS, world
from tickstone.core.motion import arc_step
from tickstone.core.rigs.rig import Mount, Output, Rig
from tickstone.core.rigs.templates import template
from tickstone.core.surface import line_positions

STRAIGHT = FloorWorld(
    "straight", (9000.0, 2000.0), Start(200.0, 1000.0), (Line(((100.0, 1000.0), (8900.0, 1000.0))),)
)


def steered() -> Rig:
    """A car: one motor drives, a servo steers."""
    rig = template("T15")
    driver = replace(rig.outputs[0], options={"motors": "1"})
    return replace(
        rig, outputs=(driver, Output("steering", "servo", "steering", {}, Mount(160.0, 0.0, 40.0)))
    )


def made(
    template_id: str, place: str | FloorWorld, behaviour: str, seconds: float = 10.0, **given: float
) -> Run:
    where = world(place) if isinstance(place, str) else place
    return run(RunRequest(template(template_id), where, behaviour, given, seconds))


def test_wheels_of_constant_speed_roll_the_arc_of_odometry() -> None:
    pose, track = np.array([100.0, 200.0, 0.3]), 140.0
    for _ in range(1000):
        loop.arc(0.21, 0.34, track, pose)
    x, y, heading = arc_step(210.0, 340.0, track, 100.0, 200.0, math.degrees(0.3))
    assert pose == pytest.approx([x, y, math.radians(heading)], rel=1e-9)


def test_a_wheel_follows_a_step_as_a_first_order_lag_does() -> None:
    """v = V·(1 − e^(−t/τ)); and against numerical integration where the grip bounds it."""
    vehicle = vehicle_of(template("T15"), {"lag_s": 0.12, "grip_mm_s2": 100_000}).array()
    speed, dt = 0.0, 0.001
    for k in range(1, 400):
        speed = loop.wheel_step(speed, 300.0, dt, loop.share_in(dt, vehicle), vehicle)
        assert speed == pytest.approx(300.0 * (1 - math.exp(-k * dt / 0.12)), rel=1e-9)
    slow = vehicle_of(template("T15"), {"lag_s": 0.12, "grip_mm_s2": 900}).array()
    speed = 0.0
    for _ in range(500):
        speed = loop.wheel_step(speed, 300.0, dt, loop.share_in(dt, slow), slow)
    exact = solve_ivp(
        lambda _, v: np.clip((300.0 - v) / 0.12, -900, 900), (0, 0.5), [0.0], rtol=1e-8, max_step=1e-3
    )
    assert speed == pytest.approx(float(exact.y[0, -1]), rel=2e-3)


def test_the_dead_band_the_battery_and_a_faster_side_make_the_wheels_target() -> None:
    vehicle = vehicle_of(
        template("T15"), {"v_top_mm_s": 500, "dead_pct": 20, "battery_pct": 80, "mismatch_pct": 4}
    ).array()
    assert loop.wheel_target(20.0, vehicle, 1.0) == 0.0
    assert loop.wheel_target(100.0, vehicle, 1.0) == pytest.approx(500 * 0.8 * 1.02)
    assert loop.wheel_target(-60.0, vehicle, -1.0) == pytest.approx(-500 * 0.8 * 0.5 * 0.98)


def test_it_stops_within_the_way_of_braking() -> None:
    """v·t + v²/2a: the lag carries it on, then the grip brakes it (elementary mechanics)."""
    vehicle = vehicle_of(template("T15"), {"lag_s": 0.0, "grip_mm_s2": 1000}).array()
    speed, way, dt = 400.0, 0.0, 1e-4
    while speed > 0:
        speed = loop.wheel_step(speed, 0.0, dt, 1.0, vehicle)
        way += speed * dt
    assert way == pytest.approx(400.0**2 / 2000.0, rel=1e-3)


@given(st.floats(-1.5, 1.5))
def test_the_share_of_a_disc_beyond_a_straight_edge_is_its_integral(place: float) -> None:
    x = np.linspace(-1, 1, 20_001)
    chord = 2 * np.sqrt(1 - x**2)
    exact = float(np.trapezoid(np.where(x <= place, chord, 0.0), x)) / math.pi
    assert side_share(place) == pytest.approx(exact, abs=3e-4)


@given(st.floats(-40, 40), st.floats(1.5, 12), st.floats(4, 30), st.floats(0, 3.1))
def test_a_spot_sees_as_much_tape_as_a_fine_integral_of_it(
    away: float, radius: float, width: float, turned: float
) -> None:
    c, s = math.cos(turned), math.sin(turned)
    line = Line(((500 - 400 * c, 500 - 400 * s), (500 + 400 * c, 500 + 400 * s)), width)
    ground = ground_of(FloorWorld("one", (1000.0, 1000.0), Start(), (line,)), radius)
    x, y = 500 - away * s, 500 + away * c
    seen = tape_share(x, y, radius, ground.near, ground.grid, ground.starts)
    steps = np.linspace(-1, 1, 401) * radius
    u, v = np.meshgrid(steps, steps)
    disc = u**2 + v**2 <= radius**2
    exact = float((np.abs(away + v[disc]) <= width / 2).mean())
    assert seen == pytest.approx(exact, abs=0.012)


@given(st.lists(st.tuples(st.floats(0, 9000), st.floats(0, 9000)), min_size=2, max_size=5), st.data())
def test_the_grid_misses_no_tape(points: list[tuple[float, float]], data: st.DataObject) -> None:
    """Beside a search of every piece by a geometry library: short and long ones that cross, of two widths."""
    assume(max(math.dist(a, b) for a, b in pairwise(points)) > 1.0)
    lines = (Line(tuple(points), 19.0), Line(((100.0, 4000.0), (8000.0, 4200.0)), 50.0))
    ground = ground_of(FloorWorld("one", (9000.0, 9000.0), Start(), lines), 6.0)
    piece = ground.pieces[data.draw(st.integers(0, len(ground.pieces) - 1))]
    share, aside = data.draw(st.floats(0, 1)), data.draw(st.floats(-40, 40))
    length = math.hypot(piece[6], piece[7])
    x = piece[0] + share * piece[6] - aside * piece[7] / length
    y = piece[1] + share * piece[7] + aside * piece[6] / length
    every = []
    for x1, y1, x2, y2, half in ground.pieces[:, :5].tolist():
        away = LineString([(x1, y1), (x2, y2)]).distance(Point(x, y))
        seen = side_share((half - away) / 6.0) + side_share((half + away) / 6.0) - 1.0
        every.append(seen if away < half + 6.0 else 0.0)
    assert tape_share(x, y, 6.0, ground.near, ground.grid, ground.starts) == pytest.approx(
        max(every), abs=1e-9
    )


@given(st.floats(-100, 100), st.floats(-100, 100))
def test_a_steered_vehicle_turns_as_tightly_as_two_wheels_would(left: float, right: float) -> None:
    """tan δ = wheelbase / radius (Ackermann steering, any handbook of vehicle dynamics); the radius of two
    wheels is that of core.motion's arc."""
    command, angle = as_steered(left, right, 150.0, 160.0, 0.6)
    assert abs(angle) <= 0.6
    assert abs(command) <= 100.0
    if left + right != 0.0 and left != right:
        radius = 150.0 / 2 * (right + left) / (right - left)
        wanted = math.atan(160.0 / radius)
        if abs(wanted) <= 0.6:
            assert (command, angle) == (pytest.approx((left + right) / 2), pytest.approx(wanted))
        else:
            assert abs(angle) == 0.6
    assert as_steered(right, left, 150.0, 160.0, 0.6) == (command, -angle) or left == -right


def test_a_steered_vehicle_drives_the_circle_of_its_angle() -> None:
    vehicle = vehicle_of(
        steered(), {"lag_s": 0, "grip_mm_s2": 1e5, "dead_pct": 0, "wheelbase_mm": 160}
    ).array()
    moves, pose, places = np.zeros(3), np.zeros(3), []
    for _ in range(4000):
        loop.move(np.array([20.0, 40.0]), vehicle, 0.0, 0.005, 1.0, moves, pose)
        places.append(pose[:2].copy())
    late = np.array(places[1000:])
    middle = (late.max(axis=0) + late.min(axis=0)) / 2
    radius = 160.0 / math.tan(moves[loop.ANGLE])
    assert np.hypot(*(late - middle).T) == pytest.approx(np.full(len(late), radius), rel=1e-3)
    assert radius == pytest.approx(vehicle[loop.TRACK] / 2 * 60.0 / 20.0, rel=1e-9)


def test_a_servo_steers_no_faster_than_it_turns() -> None:
    vehicle = vehicle_of(steered(), {"steer_deg_s": 100, "steer_end_deg": 30}).array()
    moves, pose, angles = np.zeros(3), np.zeros(3), []
    for _ in range(50):
        loop.move(np.array([0.0, 40.0]), vehicle, 0.0, 0.01, 1.0, moves, pose)
        angles.append(math.degrees(moves[loop.ANGLE]))
    assert np.diff(angles)[:28] == pytest.approx(np.full(28, 1.0))
    assert angles[-1] == pytest.approx(30.0)


def test_the_lines_place_under_a_row_is_that_of_the_core() -> None:
    rng = np.random.default_rng(4)
    sensors = np.array([[180.0, 760.0, 470.0, 40.0]] * 5)
    for _ in range(200):
        counts = rng.uniform(100, 900, 5)
        dark = np.clip((counts - 180) / 580, 0, 1)
        expected = float(line_positions(dark, 12.0).offset_mm[0])
        assert line_at(counts, sensors, 12.0) == pytest.approx(expected, nan_ok=True, rel=1e-9)
    assert math.isnan(line_at(np.array([500.0, math.nan, 500, 500, 500]), sensors, 12.0))


def test_a_line_is_to_the_right_where_it_is() -> None:
    ground = ground_of(STRAIGHT, 4.0)
    for heading, y, expected in ((0.0, 1030.0, 30.0), (0.0, 980.0, -20.0), (math.pi, 1030.0, -30.0)):
        away, way, _ = line_near(1100.0, y, math.cos(heading), math.sin(heading), ground.pieces, 0)
        assert (away, way) == (pytest.approx(expected), pytest.approx(1000.0))


def test_a_ray_meets_the_nearest_wall_at_its_angle() -> None:
    walls = np.array([[1000.0, -500, 1000, 500, 0], [1500.0, -900, 1500, 900, 1]])
    for angle in (0.0, 0.2, -0.4):
        away, slant, soft = ray(0.0, 0.0, angle, walls)
        assert (away, slant, soft) == (pytest.approx(1000 / math.cos(angle)), pytest.approx(abs(angle)), 0.0)
    assert ray(0.0, 0.0, math.pi, walls)[0] == math.inf


def test_an_echo_comes_only_from_within_the_cone_and_not_from_a_slant() -> None:
    ranger = np.array([0.0, 0.0, 0.0, math.radians(7.5), 1, math.radians(25), 20, 4000, 0.0, 0.0, 4.0])
    raw_of_mm = 5.8 * np.arange(4010.0)
    pose = np.zeros(3)

    def told(*walls: tuple[float, ...]) -> float:
        return loop.look_ahead(pose, ranger, 0.0, 1.0, raw_of_mm, np.array(walls)) / 5.8

    assert told((1000.0, -50, 1000, 50, 0)) == pytest.approx(1000, abs=1)
    assert math.isnan(told((1000.0, 200, 1000, 400, 0)))  # beside the cone
    assert math.isnan(told((1000.0, -50, 1000, 50, 1)))  # soft
    assert math.isnan(told((10.0, -50, 10, 50, 0)))  # nearer than it can
    slanted = (1000.0 - 300, -300.0, 1000.0 + 300, 300.0, 0.0)  # 45°
    assert math.isnan(told(slanted))


def test_a_p_controller_on_a_circle_keeps_the_offset_that_its_gain_asks_for() -> None:
    """Steady turning at ω = v/R needs (right − left)/2 = u; u = kp·offset gives the offset."""
    radius, kp = 700.0, 1.5
    circle = tuple(
        (1000 + radius * math.cos(t), 1000 + radius * math.sin(t))
        for t in (2 * math.pi * i / 720 - math.pi / 2 for i in range(720))
    )
    place = FloorWorld("circle", (2000.0, 2000.0), Start(1000.0, 300.0), (Line(circle, closed=True),))
    done = made("T15", place, "follow-pid", 30.0, kp=kp, kd=0.0, dead_pct=0.0, u_max_pct=90, noise=0.0)
    late = done.trace[done.trace.shape[0] // 2 :]
    steered = float((late[:, loop.OUTPUTS + 1] - late[:, loop.OUTPUTS]).mean()) / 2
    speed, turning = (
        float((late[:, loop.LEFT_V] + late[:, loop.RIGHT_V]).mean()) / 2,
        float((late[:, loop.RIGHT_V] - late[:, loop.LEFT_V]).mean()) / 240.0,
    )
    # the row is carried before the axle: the axle runs on a smaller circle
    assert speed / turning == pytest.approx(math.hypot(radius, 0.0) - 150.0**2 / (2 * radius), rel=0.03)
    seen = float(
        np.median(
            [
                line_at(row, np.array([[180.0, 760, 470, 40]] * 5), 12.0)
                for row in late[:, loop.READINGS :][:, :5]
            ]
        )
    )
    assert steered == pytest.approx(-kp * seen, rel=0.1)


def test_the_controller_is_that_of_a_reference_at_the_same_sampling() -> None:
    """P, I and filtered D by scipy's linear filter; no output is clamped here."""
    rng = np.random.default_rng(2)
    sensors = np.array([[0.0, 1000.0, 500.0, 0.0]] * 5)
    kp, ki, kd, dt, tau = 0.7, 0.4, 0.05, 0.01, 0.03
    what = BEHAVIOURS["follow-pid"]
    given = {"kp": kp, "ki": ki, "kd": kd, "d_filter_ms": 1000 * tau, "u_max_pct": 200, "cruise_pct": 0}
    inputs, memory = StepInputs(what.resolved(given), sensors), what.begin()
    counts = np.clip(300 + 250 * rng.standard_normal((300, 5)), 210, 1000)
    places = np.array([line_at(row, sensors, 12.0) for row in counts])
    answers = []
    for row in counts:
        what.step(memory, row, inputs, dt)
        answers.append((memory.outputs[1] - memory.outputs[0]) / 2)
    share = dt / (tau + dt)
    slopes = lfilter([share], [1, share - 1], -np.diff(places, prepend=places[0]) / dt)
    reference = -kp * places - ki * np.cumsum(places) * dt + kd * slopes
    assert np.abs(reference).max() < 100
    assert answers == pytest.approx(reference, rel=1e-9)


@pytest.mark.parametrize("behaviour", ["follow-pid", "follow-table", "follow-two", "follow-edge"])
def test_no_behaviour_commands_beyond_its_clamp(behaviour: str) -> None:
    done = made(
        "T15", "path", behaviour, 5.0, cruise_pct=100, **({"kp": 900} if behaviour == "follow-pid" else {})
    )
    commands = done.trace[:, loop.OUTPUTS : loop.OUTPUTS + 2]
    assert np.abs(commands).max() <= 100.0


def mirrored(place: FloorWorld) -> FloorWorld:
    height = place.size_mm[1]
    lines = tuple(
        replace(line, points=tuple((x, height - y) for x, y in line.along()), arcs=()) for line in place.lines
    )
    start = Start(place.start.x_mm, height - place.start.y_mm, -place.start.heading_deg)
    return replace(place, lines=lines, start=start, patches=(), speckle_counts=0.0)


@pytest.mark.parametrize("behaviour", ["follow-pid", "follow-table"])
def test_a_mirrored_world_gives_the_mirrored_run(behaviour: str) -> None:
    place = world("path")
    assert isinstance(place, FloorWorld)
    plain = replace(place, patches=(), speckle_counts=0.0)
    given = {"noise": 0.0}
    there = run(RunRequest(template("T15"), plain, behaviour, given, 6.0))
    back = run(RunRequest(template("T15"), mirrored(place), behaviour, given, 6.0))
    assert back.trace[:, loop.Y] == pytest.approx(1700.0 - there.trace[:, loop.Y], abs=1e-3)
    assert back.trace[:, loop.OUTPUTS] == pytest.approx(there.trace[:, loop.OUTPUTS + 1], abs=1e-6)


def test_the_same_seed_gives_the_same_run_and_an_unused_constant_changes_nothing() -> None:
    first = made("T15", "path", "follow-pid", 4.0)
    again = made("T15", "path", "follow-pid", 4.0)
    assert (first.trace == again.trace).all()
    other = made("T15", "path", "follow-pid", 4.0, search_s=3.0)  # it never searches here
    assert (first.trace == other.trace).all()
    seeded = run(RunRequest(template("T15"), world("path"), "follow-pid", {}, 4.0, seed=2))
    assert (seeded.trace[:, loop.READINGS] != first.trace[:, loop.READINGS]).any()


def test_twice_the_size_and_twice_the_time_is_the_same_run() -> None:
    """Lengths and times scaled alike leave speeds and shapes as they are."""
    place = replace(STRAIGHT, start=Start(200.0, 1008.0, 4.0))
    big = replace(
        place,
        size_mm=(18_000.0, 4000.0),
        start=Start(400.0, 2016.0, 4.0),
        lines=(Line(((200.0, 2000.0), (17_800.0, 2000.0)), 38.0),),
    )
    rig = template("T15")
    sensor = rig.sensors[0]
    assert sensor.mount is not None
    mount = replace(sensor.mount, x_mm=2 * sensor.mount.x_mm)
    geometry = replace(rig.geometry, track_mm=480.0, line_mm=38.0)
    large = replace(rig, sensors=(replace(sensor, mount=mount),), geometry=geometry)
    given = {"noise": 0.0, "kd": 0.08, "kp": 1.0}
    doubled = given | {
        "pitch": 24.0,
        "spot": 16.0,
        "loop_ms": 20.0,
        "lag_s": 0.16,
        "kp": 0.5,
        "d_filter_ms": 40.0,
        "grip_mm_s2": 1500.0,
    }
    one = run(RunRequest(rig, place, "follow-pid", given, 4.0))
    two = run(RunRequest(large, big, "follow-pid", doubled, 8.0, step_ms=2.0))
    assert two.trace[:, loop.OFFSET] == pytest.approx(2 * one.trace[:, loop.OFFSET], abs=0.3)


def test_every_world_can_be_begun_in() -> None:
    for place in WORLDS.values():
        if isinstance(place, FloorWorld):
            ground = ground_of(place, 4.0)
            if ground.pieces.size:
                away, _, _ = line_near(place.start.x_mm, place.start.y_mm, 1.0, 0.0, ground.pieces, -1)
                assert abs(away) < 120, place.name
