"""Trip computer, level, angle between two lines, lamps and bar, and the check with motors."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.rigs import part, rig
from tickstone.core import motor_check
from tickstone.core.constants import Provenance, Value
from tickstone.core.instruments import (
    STANDS_AFTER_S,
    Angle,
    Bar,
    Lamps,
    Level,
    NewReadings,
    Trip,
    Turns,
    bar_edges_mm,
)
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.usual import usual_values

NOTHING: dict = {}


def value_of(value: float) -> Value:
    return Value("", "", "", value, None, Provenance.MEASURED, "")


def seen(times, values, asked=None, series=None, valid=None) -> NewReadings:
    values = np.asarray(values, float)
    good = np.isfinite(values) if valid is None else np.asarray(valid)
    return NewReadings(
        np.asarray(times, float),
        values,
        good,
        {k: np.asarray(v, float) for k, v in (asked or {}).items()},
        {k: np.asarray(v, float) for k, v in (series or {}).items()},
    )


def test_turns_are_counted_from_a_mark_on() -> None:
    magnets = {"magnets": value_of(4.0)}
    turns = Turns()
    for pulses in (0, 1, 3, 36):  # the first of all has no period, and counts
        turns.take(replace(seen([], []), pulses=pulses), magnets)
    assert turns.shown(0.0, magnets) == {"turns": 10.0, "whole": 10.0}
    turns.zero()
    turns.take(replace(seen([], []), pulses=7), magnets)
    assert turns.shown(0.0, magnets) == {"turns": 1.75, "whole": 2.0}


def test_turns_of_a_running_distance_are_counted_either_way_round_and_over_a_start() -> None:
    around = {"circumference": value_of(200.0)}
    turns = Turns()
    turns.take(seen([0, 1, 2], [5000.0, 4900.0, 4600.0]), around)
    turns.broken()  # it counts from nothing
    turns.take(seen([3, 4], [0.0, -200.0]), around)
    assert turns.shown(0.0, around)["turns"] == pytest.approx(3.0)


def test_a_trip_of_known_pulses() -> None:
    # ten gaps of 0.5 m: five in 1 s each, five in 0.25 s each: 5 m in 6.25 s, fastest 2 m/s
    periods = np.array([1.0] * 5 + [0.25] * 5)
    times = np.cumsum(periods)
    trip = Trip()
    for piece in (slice(0, 3), slice(3, 7), slice(7, 10)):
        trip.take(seen(times[piece], 0.5 / periods[piece], {"period": 1e6 * periods[piece]}), NOTHING)
    shown = trip.shown(times[-1], NOTHING)
    assert shown["distance_m"] == pytest.approx(5.0)
    assert shown["fastest_m_s"] == pytest.approx(2.0)
    assert shown["average_m_s"] == pytest.approx(5.0 / 6.25)
    assert shown["speed_m_s"] == pytest.approx(2.0)
    # never a frozen last value
    assert trip.shown(times[-1] + STANDS_AFTER_S + 0.1, NOTHING)["speed_m_s"] == 0.0
    trip.zero()
    assert trip.shown(times[-1], NOTHING)["distance_m"] == 0.0
    assert trip.shown(times[-1], NOTHING)["average_m_s"] is None


def test_a_long_stand_is_way_but_no_moving_time() -> None:
    trip = Trip()
    trip.take(seen([0.0, 600.0, 601.0], [0.5, 0.5 / 600, 0.5], {"period": [1e6, 600e6, 1e6]}), NOTHING)
    shown = trip.shown(601.0, NOTHING)
    assert shown["distance_m"] == pytest.approx(1.5)
    assert shown["moving_s"] == pytest.approx(2.0)


def test_a_trip_of_an_encoder_counts_both_ways_and_survives_a_board_that_begins_anew() -> None:
    trip, t = Trip(), np.arange(0, 10, 0.05)
    way = np.where(t < 5, 100 * t, 500 - 100 * (t - 5))
    trip.take(seen(t, way), NOTHING)
    assert trip.shown(10, NOTHING)["distance_m"] == pytest.approx(1.0, abs=0.03)
    assert trip.shown(10, NOTHING)["fastest_m_s"] == pytest.approx(0.1, rel=0.02)
    trip.broken()
    trip.take(seen(t + 10, way + 70_000), NOTHING)
    assert trip.shown(20, NOTHING)["distance_m"] == pytest.approx(2.0, abs=0.06)


def test_a_level_settles_says_words_and_does_not_average_through_the_turn() -> None:
    level = Level()
    level.take(
        seen(np.arange(80), np.full(80, 4.0), series={"roll": np.full(80, 0.0), "pitch": np.full(80, -4.0)}),
        NOTHING,
    )
    shown = level.shown(0, NOTHING)
    assert shown["pitch_deg"] == pytest.approx(-4.0)
    assert shown["grade_pct"] == pytest.approx(100 * math.tan(math.radians(4)))
    assert "nose up 4" in shown["words"]
    level.zero()
    upside = np.array([179.0, -179.0] * 40)
    level.take(
        seen(np.arange(80), np.full(80, 180.0), series={"roll": upside, "pitch": np.zeros(80)}), NOTHING
    )
    assert abs(level.shown(0, NOTHING)["roll_deg"]) > 178


def test_an_angle_holds_its_truth_within_its_stated_uncertainty() -> None:
    values = usual_values(kind("inertial-unit"))
    inside = 0
    for seed in range(200):
        rng = np.random.default_rng(seed)
        angle, bias, scale = Angle(), rng.normal(0, 2), 1 + rng.normal(0, 0.01)
        assert angle.shown(0, values)["angle_deg"] is None
        rest = np.arange(0, 3, 0.02)
        angle.take(seen(rest, rest, series={"rate_z": bias + rng.normal(0, 0.1, rest.size)}), values)
        angle.zero()
        turn = 3 + np.arange(0, 4, 0.02)
        true = np.where((turn > 4) & (turn < 6), 30.0, 0.0)
        angle.take(
            seen(turn, turn, series={"rate_z": bias + scale * true + rng.normal(0, 0.1, turn.size)}), values
        )
        shown = angle.shown(7, values)
        inside += abs(shown["angle_deg"] - np.trapezoid(true, turn)) <= shown["plus_minus"]
    assert 0.92 <= inside / 200 <= 0.99


def test_an_angle_that_began_in_motion_says_so_and_its_uncertainty_grows() -> None:
    values, angle = usual_values(kind("inertial-unit")), Angle()
    t = np.arange(0, 2, 0.02)
    angle.take(seen(t, t, series={"rate_z": 40 * np.sin(5 * t)}), values)
    angle.zero()
    assert "not at rest" in angle.shown(2, values)["words"]
    spreads = []
    for begin in (2, 4, 6):
        angle.take(seen(begin + t, t, series={"rate_z": np.zeros(t.size)}), values)
        spreads.append(angle.shown(begin + 2, values)["plus_minus"])
    assert spreads[0] < spreads[1] < spreads[2]


def test_lamps_and_bar_follow_the_reading_and_a_dropout_is_never_clear() -> None:
    lamps = Lamps()
    lamps.take(seen([0], [3.0], series={"dark_s1": [4.0], "dark_s2": [81.0], "width": [1]}), NOTHING)
    assert lamps.shown(0, NOTHING)["lit"] == [False, True]
    chosen = usual_values(kind("line-sensors"), values={"threshold_s1": 500.0, "band_s1": 40.0})
    for count, lit in (
        (490, False),
        (510, False),
        (530, True),
        (490, True),
        (470, False),
    ):  # black reads high here
        lamps.take(seen([0], [3.0], {"s1": [count]}, {"dark_s1": [50.0]}), chosen)
        assert lamps.shown(0, chosen)["lit"] == [lit], count
    values = usual_values(kind("ultrasonic-ranger"), values={"trip": 300.0, "clear": 350.0})
    bar = Bar()
    for distance, lit, near in ((1500, 0, 0), (990, 1, 0), (299, 6, 1), (320, 6, 1), (360, 6, 0), (21, 8, 1)):
        bar.take(seen([0], [distance]), values)
        shown = bar.shown(0, values)
        assert (shown["lit"], shown["near"]) == (lit, near), distance
    bar.fit(rig(part("ultrasonic-ranger", "ranger"), part("led-bar", "bar", steps=4)))
    bar.take(seen([0], [299]), values)
    assert (bar.shown(0, values)["lit"], bar.shown(0, values)["steps"]) == (3, 4)
    eighths = usual_values(kind("ultrasonic-ranger"), values={"bar_far": 800})
    assert bar_edges_mm(eighths, 8) == (800, 700, 600, 500, 400, 300, 200, 100)  # whole steps
    for lights, lit_at in (
        ("nearer", ((850, 0), (750, 1), (101, 7), (99, 8))),
        ("farther", ((850, 8), (750, 7), (99, 0))),
    ):
        bar.fit(rig(part("ultrasonic-ranger", "ranger"), part("led-bar", "bar", steps=8, lights=lights)))
        for distance, lit in lit_at:
            bar.take(seen([0], [distance]), eighths)
            assert bar.shown(0, eighths)["lit"] == lit, (lights, distance)
    bar.fit(rig(part("ultrasonic-ranger", "ranger"), part("led-bar", "bar", steps=4)))
    bar.take(seen([0], [np.nan]), values)
    assert (bar.shown(0, values)["lit"], bar.shown(0, values)["near"]) == (None, None)


def stretch(**changes) -> motor_check.SensorStretch:
    usual = {
        "sensor": "a",
        "name": "battery gauge",
        "unit": "V",
        "digits": 2,
        "noise": 0.01,
        "middle": 7.6,
        "dropouts": 0.0,
        "readings": 25,
    }
    return motor_check.SensorStretch(**{**usual, **changes})


@pytest.mark.parametrize(
    ("running", "bad", "says"),
    [
        ({}, False, "0.010 V with motors"),
        ({"noise": 0.05}, True, "5 times"),
        ({"noise": 0.02}, False, "0.020 V"),
        ({"dropouts": 0.3}, True, "30 % more dropouts"),
        ({"middle": 7.0}, True, "moved by −0.600 V"),
        ({"noise": None}, True, "too few readings with"),
    ],
)
def test_the_check_with_motors(running: dict, bad: bool, says: str) -> None:
    answer = motor_check.judge(
        motor_check.Hearing((stretch(),), 0.0), motor_check.Hearing((stretch(**running),), 0.0)
    )
    (line,) = answer.lines
    assert line.bad is bad
    assert says in line.sentence
    assert ("100 nF" in answer.remedy) is bad


def test_noise_is_held_against_a_quarter_of_the_last_figure_at_least() -> None:
    """A reading without any noise: a hundredth of a volt is shown, so that 0.0025 V is what rounding
    hides."""
    (line,) = motor_check.judge(
        motor_check.Hearing((stretch(noise=0.0),), 0.0), motor_check.Hearing((stretch(noise=0.012),), 0.0)
    ).lines
    assert line.sentence.endswith(": 5 times as much.")
    (quiet,) = motor_check.judge(
        motor_check.Hearing((stretch(noise=0.0),), 0.0), motor_check.Hearing((stretch(noise=0.0),), 0.0)
    ).lines
    assert not quiet.bad


def test_garbled_lines_and_things_that_turn_are_judged_by_themselves() -> None:
    wheel = stretch(turns=True, noise=None)
    answer = motor_check.judge(motor_check.Hearing((wheel,), 0.0), motor_check.Hearing((wheel,), 0.2))
    assert [line.bad for line in answer.lines] == [False, True]
    assert "20 % of the lines" in answer.lines[1].sentence
    assert answer.verdict.startswith("1 of 2")


def test_a_level_minds_no_reading_that_is_half_there() -> None:
    level = Level()
    gaps = [math.nan, 4.0, math.nan, 4.0]
    level.take(
        seen(range(4), np.zeros(4), series={"roll": gaps, "pitch": [7.0, math.nan, math.nan, -3.0]}), NOTHING
    )
    assert (level.roll_deg, level.pitch_deg) == (4.0, -3.0)  # the first whole one counts at once
    level.take(seen(range(1), np.zeros(1), series={"roll": [5.0], "pitch": [math.nan]}), NOTHING)
    assert (level.roll_deg, level.pitch_deg) == (4.0, -3.0)
    level.take(seen(range(60), np.zeros(60), series={"roll": [-6.0] * 60, "pitch": [2.0] * 60}), NOTHING)
    assert (level.roll_deg, level.pitch_deg) == pytest.approx((-6.0, 2.0), abs=0.01)


def test_a_level_goes_the_short_way_round() -> None:
    level = Level()
    level.take(seen([0], [0], series={"roll": [179.0], "pitch": [0.0]}), NOTHING)
    level.take(seen([1], [0], series={"roll": [-179.0], "pitch": [0.0]}), NOTHING)
    assert 179.0 < level.roll_deg % 360 < 181.0


def test_a_level_goes_a_part_of_the_way_with_each_reading() -> None:
    level = Level()
    for pitch, shown in ((0.0, 0.0), (10.0, 1.5), (10.0, 2.775), (-10.0, 2.775 - 0.15 * 12.775)):
        level.take(seen([0.0], [pitch], series={"roll": [0.0], "pitch": [pitch]}), NOTHING)
        assert level.shown(0, NOTHING)["pitch_deg"] == pytest.approx(shown)


@pytest.mark.parametrize(("rest", "running", "bad"), [(0.0, 0.2, True), (0.3, 0.32, False), (0.3, 0.6, True)])
def test_only_more_dropouts_than_at_rest_are_the_motors_(rest: float, running: float, bad: bool) -> None:
    (line,) = motor_check.judge(
        motor_check.Hearing((stretch(dropouts=rest),), 0.0),
        motor_check.Hearing((stretch(dropouts=running),), 0.0),
    ).lines
    assert line.bad is bad
    assert ("more dropouts" in line.sentence) is bad
    if bad:
        assert f"{100 * (running - rest):.0f} % more dropouts" in line.sentence
