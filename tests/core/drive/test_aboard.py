"""What rides along in a run: pulses, turn rate, slope and battery agree with how the vehicle truly moved."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import numpy.typing as npt
import pytest

from tickstone.core.drive import loop
from tickstone.core.drive.request import Run, RunRequest
from tickstone.core.drive.run import run
from tickstone.core.drive.world import Patch, Start, TableWorld
from tickstone.core.drive.worlds import world
from tickstone.core.rigs.rig import Mount, Rig, Sensor
from tickstone.core.rigs.templates import fern, template

Array = npt.NDArray[np.float64]


def column(done: Run, name: str) -> Array:
    place = [each.name for each in done.columns].index(name)
    return np.asarray(done.trace[:, loop.READINGS + place])


def with_sensor(kind: str, side: float, **options: float) -> Rig:
    """Fern with an encoder on a wheel."""
    wheel = Sensor("roller", kind, "roller", dict(options), Mount(0.0, side, 30.0))
    return replace(fern(), sensors=(*fern().sensors, wheel))


def driven(done: Run, side: str = "both") -> Array:
    """How far the wheel came, mm, at each loop."""
    left, right = done.trace[:, loop.LEFT_V], done.trace[:, loop.RIGHT_V]
    speed = {"left": left, "right": right, "both": (left + right) / 2}[side]
    return np.concatenate([[0.0], np.cumsum(speed[1:]) * done.loop_s])


def test_magnets_pass_as_often_as_the_wheel_on_their_side_turns() -> None:
    done = run(RunRequest(fern(), world("path"), "follow-pid"))
    way, edges = driven(done, "left"), column(done, "wheel_edge")
    passed = np.unique(edges[np.isfinite(edges)])
    assert passed.size == pytest.approx(way[-1] / (math.pi * 120) * 2, abs=1)
    assert (passed % 4.0 == 0).all()  # ticks of the board's clock
    told, true = column(done, "wheel_speed")[500:], done.trace[500:, loop.LEFT_V] / 1000
    assert np.nanmean(told) == pytest.approx(true.mean(), rel=0.03)


@pytest.mark.parametrize(("kind", "side"), [("encoder", 60.0), ("rotary-encoder", -60.0)])
def test_encoders_count_the_way_of_their_wheel(kind: str, side: float) -> None:
    done = run(RunRequest(with_sensor(kind, side), world("path"), "follow-pid", seconds=8.0))
    way = driven(done, "left" if side > 0 else "right")
    told = column(done, "roller_distance")
    assert told[-1] - told[0] == pytest.approx(way[-1], abs=5.0)


def test_two_channels_tell_back_from_forth() -> None:
    rig = with_sensor("rotary-encoder", -60.0)
    done = run(RunRequest(rig, world("greenhouse"), "wander", seconds=40.0))
    way, told = driven(done, "right"), column(done, "roller_distance")
    assert (np.diff(way) < 0).any()
    assert told[-1] - told[0] == pytest.approx(way[-1], abs=8.0)


def test_the_gyro_adds_up_to_the_heading() -> None:
    done = run(RunRequest(fern(), world("path"), "follow-pid"))
    turned = np.cumsum(column(done, "tilt_gz")) * done.loop_s * 250.0 / 32768.0
    heading = np.degrees(done.trace[:, loop.HEADING])
    assert turned[-1] == pytest.approx(heading[-1] - heading[0], abs=1.5)


def ramp(grade: float, heading: float) -> TableWorld:
    square = ((0.0, 0.0), (9000.0, 0.0), (9000.0, 2000.0), (0.0, 2000.0))
    return TableWorld("ramp", square, Start(600.0, 1000.0), (Patch(square, 0.0, grade, heading),))


@pytest.mark.parametrize(("grade", "heading"), [(10.0, 0.0), (-10.0, 180.0)])
def test_up_a_ramp_it_is_slower_by_gravity_times_its_lag_and_leans_as_steep(
    grade: float, heading: float
) -> None:
    """A first-order motor under a constant pull settles at its target less pull times time constant
    (elementary mechanics)."""
    given = {"dead_pct": 0.0, "cruise_pct": 40.0, "v_top_mm_s": 600.0, "lag_s": 0.1}
    flat = run(RunRequest(fern(), ramp(0.0, 0.0), "edge-guard", given, 4.0))
    up = run(RunRequest(fern(), ramp(grade, heading), "edge-guard", given, 4.0))
    down = run(RunRequest(fern(), ramp(-grade, heading), "edge-guard", given, 4.0))
    pull = 9806.65 * math.sin(math.atan(0.1)) * 0.1
    end = [float(each.trace[-1, loop.LEFT_V]) for each in (flat, up, down)]
    assert end == pytest.approx([240.0, 240.0 - pull, 240.0 + pull], rel=1e-3)
    told = [np.median(column(each, "tilt_tilt")[100:]) for each in (up, down)]
    assert told == pytest.approx([math.degrees(math.atan(0.1))] * 2, abs=0.6)
    level = column(up, "tilt_x")[100:].mean() / 16384.0
    assert level == pytest.approx(math.sin(math.atan(0.1)), abs=0.01)


def test_a_motor_that_is_not_driven_holds_on_a_ramp() -> None:
    still = run(RunRequest(fern(), ramp(20.0, 0.0), "edge-guard", {"cruise_pct": 5.0}, 2.0))
    assert still.trace[:, loop.LEFT_V].tolist() == [0.0] * 200
    assert still.judged.score["falls"] == 0


def test_the_battery_sags_while_the_motors_work_and_is_lower_when_it_is_low() -> None:
    asked = RunRequest(fern(), world("path"), "follow-pid", seconds=6.0)
    full = column(run(asked), "battery-gauge_battery")
    slow = column(run(replace(asked, given={"cruise_pct": 10.0})), "battery-gauge_battery")
    low = column(run(replace(asked, given={"battery_pct": 75.0})), "battery-gauge_battery")
    assert slow.mean() - full.mean() == pytest.approx(0.3 * 0.7, abs=0.03)
    assert low.mean() / full.mean() == pytest.approx(0.74, abs=0.02)


def test_a_ranger_that_is_not_read_pings_all_the_same() -> None:
    near = Sensor("near", "time-of-flight-ranger", "near ranger", {}, fern().sensors[0].mount)
    rig = replace(fern(), sensors=(*fern().sensors, near))
    done = run(RunRequest(rig, world("greenhouse"), "wander", seconds=60.0))
    front, close = column(done, "front-ranger_mm"), column(done, "near_mm")
    both = np.isfinite(front) & np.isfinite(close)
    assert both.sum() > 100
    assert np.nanmax(close) <= 305  # as far as it sees
    assert np.median(np.abs(front - close)[both]) < 12


def test_what_rides_along_changes_nothing_of_the_run() -> None:
    alone = replace(fern(), sensors=tuple(s for s in fern().sensors if s.kind == "line-sensors"))
    asked = RunRequest(fern(), world("path"), "follow-pid", seconds=6.0)
    whole, bare = run(asked), run(replace(asked, rig=alone))
    assert whole.trace[:, : bare.trace.shape[1]] == pytest.approx(bare.trace, nan_ok=True)
    assert [c.name for c in bare.columns] == ["s1", "s2", "s3", "s4", "s5"]


def test_an_analogue_accelerometer_leans_on_a_ramp_too() -> None:
    rig = template("T09")
    sensor = Sensor("lean", "analogue-accelerometer", "lean", {}, Mount(0.0, 0.0, 60.0))
    rig = replace(rig, sensors=(*rig.sensors, sensor))
    done = run(RunRequest(rig, ramp(12.0, 0.0), "edge-guard", {"cruise_pct": 30.0}, 3.0))
    assert np.median(column(done, "lean_tilt")[100:]) == pytest.approx(math.degrees(math.atan(0.12)), abs=1.5)
