"""Every procedure that watches readings, held on the stand-in, whose parts have constants that only the test
knows. Time is moved by hand; the browser tests hold some of them in real time."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest

from tests.bench import Bench
from tickstone.actions.live.holding import Hold, judge_now, window_of
from tickstone.core.calibration.catalogue import procedure
from tickstone.core.calibration.procedure import Outcome, Step
from tickstone.core.inertial import gravity_at
from tickstone.core.rigs import templates


class Holding(Bench):
    """A sensor on the bench and one of its procedures."""

    def at(self, sensor: str, name: str) -> Holding:
        """Begin a procedure."""
        self.sensor, self.procedure, self.steps = sensor, procedure(name), []
        return self

    @property
    def made(self) -> dict[str, float]:
        """The constants as the part on the bench really has them."""
        return self.board.made()[self.sensor]

    @property
    def truth(self) -> dict[str, float]:
        """What is really so at the moment."""
        return self.board.truth()[self.sensor]

    @property
    def next(self) -> str:
        """The key of what is wanted next."""
        return self.procedure.missing(self.steps, self.values[self.sensor])[0].key

    def hold(
        self, key: str, watch: Callable[[], None] = lambda: None, most_s: float = 40.0, **truth: float
    ) -> Step:
        """Hold a want until it is taken; ``watch`` is called after each stretch of time."""
        values = self.values[self.sensor]
        want = next(one for one in self.procedure.wants(self.steps, values) if one.key == key)
        hold = Hold(
            0,
            self.sensor,
            0,
            self.procedure,
            want,
            truth,
            tuple(self.steps),
            values,
            self.live.view.last_line_s,
        )
        why = ""
        for _ in range(round(most_s / 0.2)):
            self.hear(0.2, 0.2)
            watch()
            judged = judge_now(self.live, hold)
            if judged.ready:
                seen = window_of(self.live, hold)
                assert seen.times_s[0] >= hold.since_s  # nothing from before it began
                numbers = self.procedure.take(seen, key, values)
                self.steps.append(
                    Step(
                        self.procedure.key_of(want, truth),
                        key,
                        truth,
                        numbers,
                        seen.times_s.size,
                        air_c=seen.air_c,
                    )
                )
                return self.steps[-1]
            why = judged.why_not
        raise AssertionError(f"{key} is not held: {why}")

    def fit(self) -> Outcome:
        """What the held steps say together; it may be accepted."""
        found = self.procedure.fit(self.steps, self.values[self.sensor])
        assert found.can_accept, found.why_not
        return found

    def near(self, name: str, truth: float, least: float = 0.0) -> None:
        """A fitted constant is right within twice its stated 95 % interval (1 in 15 000 is not), or within
        ``least``."""
        fitted = {one.name: one for one in self.fit().constants}[name]
        assert abs(fitted.value - truth) <= max(4 * (fitted.sd or 0.0), least), (fitted, truth)


@pytest.fixture
def fern() -> Holding:
    return Holding(templates.fern())


def test_five_places_by_the_ruler(fern: Holding) -> None:
    fern.at("front-ranger", "ruler")
    for mm in (150.0, 250.0, 400.0, 600.0, 900.0):
        fern.move({"front-ranger.target_mm": mm})
        fern.hold(fern.next, true_mm=mm)
    assert fern.fit().heading.startswith("Every place held")
    fern.near("sound", 344.5, 2.5)  # the room's 20-odd °C
    fern.near("offset", -3.1, 2.5)  # a detection delay of 18 µs


def test_ground_and_line_of_every_sensor_by_two_spans(fern: Holding) -> None:
    fern.at("line-row", "line")
    for span, ground in (("ground", 1), ("line", 2)):
        fern.move({"line-row.ground": ground, "line-row.height_mm": 4, "room.lamp": 0})
        fern.hold(span)
    made = fern.made
    for name in (f"{level}_s{i}" for level in ("white", "black") for i in range(1, 6)):
        fern.near(name, made[name], 4.0)


def test_ground_and_line_of_every_sensor_by_a_sweep(fern: Holding) -> None:
    fern.at("line-row", "line")
    fern.move({"line-row.ground": 0, "room.lamp": 0, "line-row.height_mm": 4, "line-row.moves_mm_s": 40})
    fern.hold("sweep+")
    made = fern.made
    for name in (f"{level}_s{i}" for level in ("white", "black") for i in range(1, 6)):
        fern.near(name, made[name], 14.0)


def test_a_gyro_at_rest_turned_and_over_a_long_rest(fern: Holding) -> None:
    fern.at("tilt", "gyro-rest").hold("rest 1")
    for axis in "xyz":
        fern.near(f"bias_{axis}", fern.made[f"bias_{axis}"], 0.15)  # it walks by itself

    fern.at("tilt", "gyro-turn")
    begun = fern.truth["heading"]
    for count in (1, 2):
        before = fern.truth["heading"]
        fern.hear(1.0, 0.2)

        def turn(since: float = before, rested_at: float = fern.now + 1.2) -> None:
            turning = fern.now > rested_at and fern.truth["heading"] - since < 350
            fern.move({"tilt.turns_deg_s": 120 if turning else 0})

        fern.hold(f"turn {count}", turn, turned_deg=360)
    turned = fern.truth["heading"] - begun
    scale = next(one.value for one in fern.fit().constants if one.name == "rate_scale_z")
    assert scale * turned / 720 == pytest.approx(fern.made["rate_scale_z"], abs=0.02)

    fern.at("tilt", "gyro-long").hold("rest", most_s=70, seconds=60)
    fern.near("rate_noise", 0.08 / math.sqrt(50), 0.002)  # 0.08 °/s at 50 readings a second


def test_mounting_and_level_by_reversal(fern: Holding) -> None:
    fern.at("tilt", "mounting").hold("level")
    fern.move({"tilt.nose_up_deg": 30})
    fern.hold("nose-up")
    assert {one.name: one.value for one in fern.fit().constants} == {"axis_up": 3, "axis_forward": 1}
    assert fern.fit().heading == "z points up, x forward"

    fern.at("tilt", "level")
    for key, sign in (("there", 1), ("turned", -1)):
        fern.move({"tilt.nose_up_deg": 3 * sign, "tilt.left_up_deg": -2 * sign})
        fern.hold(key)
    slope = math.degrees(math.acos(math.cos(math.radians(3)) * math.cos(math.radians(2))))
    assert float(fern.fit().notes[0].split()[-1].rstrip("°.")) == pytest.approx(slope, abs=0.2)
    made = fern.made  # its offsets are not calibrated here: level is what they make of it
    x, y, z = (
        (one + made[f"offset_{axis}"]) / made[f"scale_{axis}"]
        for axis, one in zip("xyz", gravity_at(0, 0), strict=True)
    )
    fern.near("level_roll", math.degrees(math.atan2(y, z)), 0.4)
    fern.near("level_pitch", math.degrees(math.atan2(-x, math.hypot(y, z))), 0.4)


def test_a_steady_wheel_tells_its_magnets(fern: Holding) -> None:
    fern.move({"wheel.gain_m_s2": 10, "wheel.speed_m_s": 3})
    fern.at("wheel", "steady-run").hold("run")
    fitted = {one.name: one.value for one in fern.fit().constants}
    if fern.made["gap_1"] > 0.501:
        assert fitted["magnets"] == 2
        fern.near("gap_1", fern.made["gap_1"], 0.004)
    else:  # this copy's magnets sit so evenly that their pulses cannot tell
        assert set(fitted) == {"jitter"}


def test_a_divider_by_two_voltmeter_readings(fern: Holding) -> None:
    fern.at("battery-gauge", "voltmeter")
    for count, volts in enumerate((6.8, 8.2), 1):
        fern.move({"battery-gauge.battery_v": volts})
        fern.hold(f"reading {count}", volts=volts)
    fern.near("ratio", (fern.made["top"] + fern.made["bottom"]) / fern.made["bottom"], 0.01)


def test_noise_and_lag_and_the_marks_of_a_trace(fern: Holding) -> None:
    fern.move({"line-row.line_mm": 0, "room.lamp": 0})
    fern.at("line-row", "filter").hold("still")
    fern.hold("step", lambda: fern.move({"line-row.ground": 2}))
    assert fern.fit().tables[0].title == "What each filter would do"
    assert 2.0 < next(one.value for one in fern.fit().constants if one.name == "noise") < 8.0

    fern.move({"line-row.ground": 0, "line-row.moves_mm_s": 60})
    fern.at("line-row", "trace").hold("trace", sensor=3)
    made = fern.made
    apart = abs(made["black_s3"] - made["white_s3"])
    fern.near("mark_threshold", (made["white_s3"] + made["black_s3"]) / 2, 0.2 * apart)


def test_a_triangulation_ranger_s_curve_and_a_time_of_flight_ranger_s_line() -> None:
    meter = Holding(templates.template("T12"))
    meter.at("ir-ranger", "hyperbola")
    for mm in (100.0, 170.0, 320.0, 560.0, 800.0):
        meter.move({"ir-ranger.target_mm": mm})
        meter.hold(meter.next, true_mm=mm)
    fitted = {one.name: one.value for one in meter.fit().constants}
    made = meter.made
    at_300 = [curve["a"] / (300 + curve["b"]) + curve["c"] for curve in (fitted, made)]
    assert at_300[0] == pytest.approx(at_300[1], rel=0.01)
    meter.near("a", made["a"])

    meter.at("tof-ranger", "ruler-mm")
    for mm in (50.0, 150.0, 300.0):
        meter.move({"tof-ranger.target_mm": mm})
        meter.hold(meter.next, true_mm=mm)
    meter.near("offset", meter.made["offset"], 2.0)
    meter.near("scale", meter.made["scale"], 0.012)


def test_marks_of_a_tachometer_and_steps_of_a_roller() -> None:
    meter = Holding(templates.template("T12"))
    meter.move({"tachometer.rpm": 1200})
    meter.hear(2)
    meter.at("tachometer", "marks").hold("speed 1", rpm=1190)
    assert meter.fit().heading == "1 mark a turn"
    meter.at("tachometer", "steady-marks").hold("run")
    assert meter.fit().heading == "Its pulses come evenly"

    meter.at("roller", "steps")
    way = meter.made["circumference"]
    for count in (1, 2):
        meter.move({"roller.speed_mm_s": 0})
        meter.hear(2)
        before = meter.truth["distance"]

        def turn(since: float = before) -> None:
            left = 4 * way - (meter.truth["distance"] - since)
            meter.move({"roller.speed_mm_s": 150.0 if left > 40 else 2.0 if left > 0 else 0.0})

        meter.hold(f"run {count}", turn, turns=4)
    assert (
        next(one.value for one in meter.fit().constants if one.name == "steps")
        == meter.values["roller"]["steps"].value
    )


def test_three_halls_of_a_motor() -> None:
    motor = Holding(templates.template("T05"))
    motor.move({"motor.rpm": 200})
    motor.hear(2)
    motor.at("motor", "hall-spin").hold("spin")
    assert motor.fit().heading.startswith("120° scheme, forward: 101 100 110 010 011 001")
    for n in (1, 2, 3):
        motor.near(f"place_h{n}", motor.made[f"place_h{n}"], 0.5)


def test_a_digital_sensor_tells_which_level_is_dark() -> None:
    line = Holding(templates.template("T04")).at("line", "dark-level")
    for span, ground in (("ground", 1), ("line", 2)):
        line.move({"line.ground": ground})
        line.hear(2)
        line.hold(span)
    assert {one.name: one.value for one in line.fit().constants} == {"dark_level": 1.0}


def test_what_came_before_a_hold_is_never_taken(fern: Holding) -> None:
    """A target put elsewhere just before: the hold sees the new place alone."""
    fern.at("front-ranger", "ruler")
    fern.move({"front-ranger.target_mm": 300})
    fern.hear(10)
    fern.move({"front-ranger.target_mm": 600})
    step = fern.hold(fern.next, true_mm=600)
    assert step.taken.mean == pytest.approx(2000 * 600 / 345, rel=0.03)
