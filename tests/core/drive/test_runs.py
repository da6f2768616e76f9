"""Runs as people know them: which set-up follows which course, what goes wrong, and the reason that is
given."""

from __future__ import annotations

import contextlib
import re
import warnings
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import settings
from hypothesis import strategies as st

from tests.conftest import until
from tickstone.core.behaviours.behaviour import StepInputs
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.drive import hands, loop, rolling
from tickstone.core.drive.request import Run, RunProgress, RunRequest
from tickstone.core.drive.run import run
from tickstone.core.drive.scores import SCORES
from tickstone.core.drive.vehicle import SPECS
from tickstone.core.drive.worlds import WORLDS, world
from tickstone.core.rigs.rig import Geometry, Mount, Output, Rig
from tickstone.core.rigs.templates import template
from tickstone.errors import BadInput, Conflict

SMALL = Geometry(160.0, 130.0, 90.0, 60.0, 110.0, 60.0)


def made(rig: str | Rig, place: str, behaviour: str, seconds: float = 20.0, **given: float) -> Run:
    return run(
        RunRequest(template(rig) if isinstance(rig, str) else rig, world(place), behaviour, given, seconds)
    )


def rover(*headings: float) -> Rig:
    """A small rover with a ranger for each heading."""
    rig = template("T06")
    ranger = rig.sensors[0]
    places = {0.0: (85.0, 0.0)}
    sensors = tuple(
        replace(
            ranger,
            id=f"ranger-{i}",
            name=f"ranger {i}",
            mount=Mount(*places.get(heading, (70.0, 40.0 if heading > 0 else -40.0)), 60.0, heading),
        )
        for i, heading in enumerate(headings)
    )
    return replace(rig, sensors=sensors, geometry=SMALL)


def table_rover() -> Rig:
    rig = template("T09")
    row = replace(rig.sensors[0], mount=Mount(85.0, 0.0, 6.0))
    return replace(rig, sensors=(row,), geometry=SMALL)


@pytest.mark.parametrize("behaviour", ["follow-pid", "follow-table", "follow-two"])
@pytest.mark.parametrize("place", ["oval", "path"])
def test_a_row_of_five_follows_smooth_courses_in_every_way(behaviour: str, place: str) -> None:
    done = made("T15", place, behaviour, 32.0)
    assert done.judged.score["finished"], done.judged
    assert done.judged.score["lost"] == 0
    assert done.judged.why == ""
    assert float(done.judged.score["offset_worst_mm"] or 0) < 20


def test_a_controller_keeps_nearer_and_laps_sooner_than_two_sensors_do() -> None:
    two, weighted = (made("T15", "path", name, 32.0).judged.score for name in ("follow-two", "follow-pid"))
    assert float(weighted["lap_s"] or 0) < float(two["lap_s"] or 0)
    assert float(weighted["offset_mean_mm"] or 0) < float(two["offset_mean_mm"] or 0)


def test_a_gain_that_is_too_small_leaves_the_line_in_a_bend_and_says_so() -> None:
    done = made("T15", "oval", "follow-pid", 20.0, kp=0.1, kd=0.0, cruise_pct=70)
    assert done.judged.verdict.startswith("Leaves the line at")
    assert "in the first bend" in done.judged.verdict
    assert "the bend of 400 mm radius" in done.judged.why


def test_too_little_steering_is_named_with_its_number() -> None:
    done = made("T15", "bends", "follow-pid", 20.0, u_max_pct=15, kp=3)
    assert "it steered with all it may, 15 %" in done.judged.why


def test_a_threshold_below_the_lit_ground_is_named_with_its_counts() -> None:
    thresholds = {f"threshold_s{i}": 205.0 for i in range(1, 6)}
    done = made("T15", "path", "follow-table", 30.0, lamp_counts=30.0, **thresholds)
    assert done.judged.score["lost"]
    assert "as line" in done.judged.why
    assert "over a threshold of 205" in done.judged.why


def test_a_gap_is_bridged_by_the_search_and_not_without_one() -> None:
    assert made("T15", "dashed", "follow-pid", 20.0).judged.score["lost"] == 0
    gone = made("T15", "dashed", "follow-table", 6.0, search_s=0.0)
    assert gone.judged.verdict == "Stands still"
    assert gone.judged.why.endswith("no sensor saw the line for 0 s.")
    assert "stop" in {event.words for event in gone.judged.events}


def test_corners_are_corners() -> None:
    done = made("T15", "corners", "follow-pid", 20.0)
    assert "the corner came faster than it turned" in done.judged.why


def test_wheels_within_their_dead_band_do_not_move() -> None:
    done = made("T15", "oval", "follow-two", 2.0, cruise_pct=5, slow_pct=0)
    assert done.judged.verdict == "Stands still"
    assert "within their dead band of 8 %" in done.judged.why


def test_whole_numbers_lose_what_stands_behind_the_point() -> None:
    rig, place = template("T15"), world("path")
    plain = run(RunRequest(rig, place, "follow-pid", {"kp": 1.5}, 5.0))
    whole = run(RunRequest(rig, place, "follow-pid", {"kp": 1.5}, 5.0, integers=True))
    one = run(RunRequest(rig, place, "follow-pid", {"kp": 1.0}, 5.0, integers=True))
    assert (whole.trace == one.trace).all()
    assert (whole.trace != plain.trace).any()


def test_three_rangers_bring_a_rover_through_ten_minutes_and_one_does_not() -> None:
    given = {"trip_mm": 180.0, "clear_mm": 230.0, "side": 2.0}
    for place in ("room", "greenhouse"):
        done = made(rover(0.0, 50.0, -50.0), place, "wander", 600.0, **given)
        assert done.judged.score["hits"] == 0, (place, done.judged.why)
        assert float(done.judged.score["way_m"] or 0) > 20
    alone = made(rover(0.0), "greenhouse", "wander", 600.0, **given)
    assert alone.judged.score["hits"]


def test_a_trip_that_is_too_near_is_named() -> None:
    done = made(rover(0.0), "corridor", "wander", 60.0, trip_mm=25, clear_mm=40, cruise_pct=90, lag_s=0.3)
    assert done.judged.score["hits"]
    assert "trip" in done.judged.why


def test_no_echo_is_not_clear() -> None:
    done = made("T06", "curtain", "wander", 20.0)
    assert done.judged.verdict.startswith("Waits since")
    assert "No echo is not clear" in done.judged.why
    assert done.judged.score["hits"] == 0


def test_the_edge_guard_stays_on_the_table_for_ten_minutes_unless_its_span_is_too_wide() -> None:
    done = made(table_rover(), "table", "edge-guard", 600.0, pitch=90)
    assert done.judged.score["falls"] == 0, done.judged.why
    assert float(done.judged.score["way_m"] or 0) > 30
    wide = made(table_rover(), "table", "edge-guard", 60.0, pitch=90, table_high_s1=900, table_high_s2=900)
    assert wide.judged.score["falls"] == 1
    assert "within the table's span of 0 to 900: it never stopped" in wide.judged.why
    fast = made("T09", "table", "edge-guard", 60.0, cruise_pct=100)
    assert "that is too short to stop in" in fast.judged.why


def test_a_ball_is_held_on_its_beam_and_swings_without_kd() -> None:
    done = made("T07", "beam", "hold-distance", 30.0)
    assert done.judged.verdict == "Holds 200 mm within 4.5 mm"
    swings = made("T07", "beam", "hold-distance", 30.0, kd=0)
    assert swings.judged.why.startswith("It swings")
    assert "more kd" in swings.judged.why


def on_beam(start_mm: float, stiction: float, **given: float) -> Run:
    beam = replace(WORLDS["beam"], start_mm=start_mm, stiction=stiction)
    return run(RunRequest(template("T07"), beam, "hold-distance", given, 40.0))


def test_a_ball_that_sticks_is_freed_by_a_small_ki() -> None:
    stuck = on_beam(200.0, 0.03, kp=0.6, ki=0.0)
    assert stuck.judged.score["steady_mm"] == pytest.approx(35, abs=5)
    assert stuck.judged.why.endswith("a small ki would bring it home.")
    assert abs(stuck.trace[-1, loop.LEFT_V]) < 1.0
    freed = on_beam(200.0, 0.03, kp=0.6, ki=0.05)
    assert not freed.judged.why
    assert abs(float(freed.judged.score["steady_mm"] or 0.0)) < 5


def test_kd_brakes_a_fast_approach() -> None:
    """The overshoot of a double integrator falls as its damping rises."""
    overs = [
        on_beam(380.0, 0.004, kp=1.0, ki=0.0, kd=kd).judged.score["overshoot_pct"] for kd in (0.0, 0.3, 0.7)
    ]
    assert overs == sorted(overs, reverse=True)
    assert overs[0] > 50
    assert overs[-1] < 5


def test_the_sign_the_wrong_way_round_runs_to_the_end_and_is_named() -> None:
    done = made("T07", "beam", "hold-distance", 20.0, low_deg=120, high_deg=60)
    assert done.judged.why.endswith("so the sign is the wrong way round.")


def test_the_bench_answers_what_moves_and_chatters_without_a_band() -> None:
    for name in ("T16", "T19"):
        assert made(name, "bench", "stop-warn").judged.score["chatter"] == 0


@pytest.mark.parametrize(
    ("rig", "place", "behaviour", "lamps"),
    [
        ("T01", "bench", "indicate", 3),
        ("T02", "bench", "indicate", 1),
        ("T04", "bench", "indicate", 1),
        ("T13", "bench", "indicate", 8),
        ("T18", "bench", "indicate", 4),
        ("T06", "greenhouse", "wander", 0),
        ("T07", "beam", "hold-distance", 0),
        ("T09", "table", "edge-guard", 0),
        ("T15", "path", "follow-pid", 0),
        ("T16", "bench", "stop-warn", 0),
        ("T19", "bench", "stop-warn", 0),
    ],
)
def test_a_template_runs_as_it_is(rig: str, place: str, behaviour: str, lamps: int) -> None:
    done = made(rig, place, behaviour)
    assert done.judged.why == ""
    if lamps:
        lit = done.trace[:, loop.OUTPUTS : loop.OUTPUTS + loop.MOST_OUTPUTS] > 0.5
        assert np.flatnonzero(lit.any(axis=0)).tolist() == list(range(lamps))  # each answers, no other


def test_a_bar_is_longer_the_nearer_and_keeps_through_what_is_missing() -> None:
    done = made("T13", "bench", "indicate")
    away = done.trace[:, loop.X]
    lit = (done.trace[:, loop.OUTPUTS : loop.OUTPUTS + 8] > 0.5).sum(axis=1)
    assert (lit[away < 250] == 8).all()
    assert (lit[away > 1300] == 0).all()
    between = (away > 320) & (away < 1180)
    even = 8 * (1200 - away[between]) / 900
    assert np.abs(lit[between] - even).max() <= 1.2  # half a lamp, and what moves on between two pings


@pytest.mark.parametrize(
    ("rig", "place", "behaviour", "given", "path"),
    [
        ("T15", "oval", "fly", {}, "behaviour"),
        ("T15", "oval", "wander", {}, "rig"),  # no ranger
        ("T01", "oval", "follow-pid", {}, "rig"),  # nothing moves wheels
        ("T15", "room", "follow-pid", {}, "world"),  # no line
        ("T15", "beam", "follow-pid", {}, "world"),
        ("T07", "oval", "hold-distance", {}, "world"),
        ("T15", "oval", "follow-pid", {"kp": 1e9}, "kp"),
        ("T15", "oval", "follow-pid", {"colour": 1}, "colour"),
        ("T15", "oval", "follow-pid", {"lag_s": -1}, "lag_s"),
        ("T15", "oval", "follow-pid", {"loop_ms": 0}, "loop_ms"),
        ("T15", "oval", "follow-pid", {"white": -4}, "white"),
    ],
)
def test_what_cannot_be_run_is_refused_by_its_field(
    rig: str, place: str, behaviour: str, given: dict[str, float], path: str
) -> None:
    with pytest.raises(BadInput) as refused:
        made(rig, place, behaviour, 2.0, **given)
    assert refused.value.path == path


def test_a_run_that_is_far_too_long_is_refused_before_it_begins() -> None:
    with pytest.raises(BadInput, match="at most"):
        made("T15", "oval", "follow-pid", 3000.0, loop_ms=0.1)


@pytest.mark.parametrize(
    ("rig", "place", "behaviour"), [("T15", "path", "follow-pid"), ("T06", "room", "wander")]
)
def test_what_is_compiled_is_the_plain_loop(
    rig: str, place: str, behaviour: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(rolling.loops, "ready", lambda _: False)
    plain = made(rig, place, behaviour, 3.0)
    monkeypatch.setattr(rolling, "COMPILED_FROM", 0)
    compiled = made(rig, place, behaviour, 3.0)
    assert compiled.trace == pytest.approx(plain.trace, nan_ok=True, rel=1e-9, abs=1e-9)


@pytest.mark.parametrize(
    ("rig", "place", "behaviour"),
    [("T15", "path", "follow-pid"), ("T07", "beam", "hold-distance"), ("T13", "bench", "stop-warn")],
)
def test_a_run_tells_how_far_it_is_and_stops_when_it_is_told(rig: str, place: str, behaviour: str) -> None:
    progress = RunProgress()
    asked = RunRequest(template(rig), world(place), behaviour, {"loop_ms": 1.0}, 600.0)
    with ThreadPoolExecutor(1) as pool:
        future = pool.submit(run, asked, progress)
        until(lambda: progress.share > 0.002)
        assert progress.share < 1
        progress.stop()
        with pytest.raises(Conflict, match="was stopped"):
            future.result()


def test_a_run_that_would_take_minutes_says_so_before_it_begins() -> None:
    asked = RunRequest(template("T07"), world("beam"), "hold-distance", {}, 3600.0, step_ms=0.01)
    with pytest.raises(BadInput, match=r"would take about \d+ min") as refused:
        run(asked)
    assert refused.value.path == "seconds"


@pytest.mark.parametrize("side", [0.0, 1.0])
def test_three_rangers_fired_in_turn_follow_the_wall_round_a_track(side: float) -> None:
    """On the left hand round the outside, on the right round the block in the middle."""
    done = made(rover(0.0, 90.0, -90.0), "track", "follow-wall", 120.0, side=side, trip_mm=220, clear_mm=420)
    assert done.judged.score["hits"] == 0, done.judged.why
    assert float(done.judged.score["way_m"] or 0) > 12
    turned = done.trace[:, loop.HEADING]
    assert abs(turned[-1] - turned[0]) > 2 * np.pi
    pings = done.trace[:, loop.READINGS : loop.READINGS + 6 : 2]
    fresh = np.abs(np.diff(pings, axis=0)) > 0
    assert (fresh.sum(axis=1) <= 1).all()  # never two at once


def test_an_echo_is_there_when_it_has_come_back_and_none_when_the_farthest_would_have() -> None:
    """1.7 m there and back take 10 ms (speed of sound in air, 343 m/s at 20 °C)."""
    table = np.zeros(12)
    table[[loop.FAR, loop.RAW_S]] = 4000.0, 1e-6
    waiting = loop.none_waiting(1)[0]
    for raw, loops in ((1000.0, 1), (9_900.0, 10), (np.nan, 24)):
        loop.send(5, 40, raw, table, 0.001, waiting)
        assert waiting[loop.DUE] == 5 + loops
    loop.send(5, 3, 9_900.0, table, 0.001, waiting)
    assert waiting[loop.DUE] == 8  # then the next one pings
    table[loop.RAW_S] = 0.0  # counts are there at once
    loop.send(5, 3, 500.0, table, 0.001, waiting)
    assert waiting[loop.DUE] == 5


def test_a_wall_needs_three_rangers() -> None:
    with pytest.raises(BadInput, match="needs 3 rangers of a kind, ahead, left and right: this rig has 1"):
        made("T06", "track", "follow-wall")


def test_a_servo_that_is_asked_for_more_than_it_can_is_warned_of() -> None:
    calm = made("T07", "beam", "hold-distance", 10.0)
    assert not [event for event in calm.judged.events if event.kind == "warning"]
    rash = made("T07", "beam", "hold-distance", 10.0, deg_per_s=0)
    (warning,) = [event for event in rash.judged.events if event.kind == "warning"]
    assert "it moves at 350" in warning.words


def test_an_edge_guard_turns_and_drives_first_as_far_as_it_is_asked() -> None:
    done = made(
        table_rover(),
        "table",
        "edge-guard",
        6.0,
        pitch=90,
        first_turn_deg=60,
        first_drive_mm=200,
        lag_s=0.0,
        grip_mm_s2=100_000,
    )
    states = done.trace[:, loop.STATE]
    turned = done.trace[states == 5, loop.HEADING]
    assert np.degrees(turned[-1] - turned[0]) == pytest.approx(60, abs=4)
    driven = done.trace[states == 6][:, [loop.X, loop.Y]]
    assert np.hypot(*(driven[-1] - driven[0])) == pytest.approx(200, abs=8)
    assert (np.diff(states[states > 4]) >= 0).all()  # first the turn, then the way, once
    toward = made(table_rover(), "table", "edge-guard", 12.0, pitch=90, first_drive_mm=3000)
    assert toward.judged.score["falls"] == 0  # the edge is guarded then, too


def test_a_guard_drives_first_so_many_turns_of_its_wheel() -> None:
    done = made(
        table_rover(), "table", "edge-guard", 6.0, pitch=90, first_turns=1.5, lag_s=0.0, grip_mm_s2=1e5
    )
    driven = done.trace[done.trace[:, loop.STATE] == 6][:, [loop.X, loop.Y]]
    assert np.hypot(*(driven[-1] - driven[0])) == pytest.approx(1.5 * np.pi * 60, abs=8)


def test_a_car_that_is_steered_follows_the_line_and_turns_no_tighter_than_it_can() -> None:
    rig = template("T15")
    driver = replace(rig.outputs[0], options={"motors": "1"})
    car = replace(rig, outputs=(driver, Output("steering", "servo", "steering", {}, Mount(160.0, 0.0, 40.0))))
    car = replace(car, geometry=replace(car.geometry, wheelbase_mm=110.0))
    done = made(car, "path", "follow-pid", 40.0)
    assert done.judged.score["finished"], done.judged.why
    assert np.abs(np.degrees(done.trace[:, loop.STEERS])).max() <= 30.0 + 1e-9
    assert done.judged.score["lost"] == 0
    wide = made(car, "bends", "follow-pid", 40.0, steer_end_deg=8)
    assert "turned to their stop, 8°, where it turns with a radius of 783 mm" in wide.judged.why
    with pytest.raises(BadInput, match="no 'steer_end_deg'"):
        made("T15", "path", "follow-pid", steer_end_deg=8)
    with pytest.raises(BadInput, match="or for one and a servo that steers"):
        made(replace(car, outputs=(driver,)), "path", "follow-pid")


def test_three_in_the_middle_of_a_row_are_read_where_three_are_asked_for() -> None:
    whole = made("T15", "path", "follow-pid", 3.0)
    three = made("T15", "path", "follow-pid", 3.0, read_sensors=3)
    assert whole.flags.shape[1] == 5
    assert three.flags.shape[1] == 3
    assert (three.flags[0] == whole.flags[0, 1:4]).all()
    with pytest.raises(BadInput, match="reads 2 sensors at least"):
        made("T15", "path", "follow-pid", 3.0, read_sensors=1)


@pytest.mark.parametrize(
    ("when", "lit", "sounds"),
    [
        ({}, {"near": 1.0, "clear": 0.0}, {"near": 0.0, "clear": 0.0}),
        ({"when_so": 0, "when_not": 1}, {"near": 0.0, "clear": 1.0}, {"near": 0.0, "clear": 0.0}),
        ({"when_so": 2}, {"near": 0.5, "clear": 0.0}, {"near": 0.0, "clear": 0.0}),
        ({"when_so": 3}, {"near": 1.0, "clear": 0.0}, {"near": 1.0, "clear": 0.0}),
        ({"when_so": 3, "inverted": 1}, {"near": 0.0, "clear": 1.0}, {"near": 1.0, "clear": 0.0}),
    ],
)
def test_an_indicator_does_in_each_condition_what_its_table_says(
    when: dict[str, float], lit: dict[str, float], sounds: dict[str, float]
) -> None:
    """The target comes to 120 mm from 4 to 6 s and is 1.5 m away at 0 and at 10 s."""
    done = made("T19", "bench", "indicate", 12.0, **{"mode": 4, "blink_s": 0.2} | when)
    spans = {"near": slice(400, 600), "clear": slice(0, 100)}
    outputs = {
        name: done.trace[spans[name]][:, [loop.OUTPUTS, loop.OUTPUTS + 8]].mean(axis=0) for name in spans
    }
    for name, (lamp, buzzer) in outputs.items():
        assert lamp == pytest.approx(lit[name], abs=0.06), name
        assert buzzer == pytest.approx(sounds[name], abs=0.01), name


@pytest.mark.parametrize(("when_missing", "lit"), [(0, 1.0), (1, 0.0), (2, 1.0), (3, 0.5)])
def test_a_missing_reading_has_a_line_of_its_own_in_the_table(when_missing: int, lit: float) -> None:
    behaviour = BEHAVIOURS["indicate"]
    asked = {"mode": 4, "blink_s": 0.2, "when_missing": when_missing}
    inputs, memory = StepInputs(behaviour.resolved(asked)), behaviour.begin()
    behaviour.step(memory, np.array([100.0, 1.0]), inputs, 0.01)
    shown = []
    for _ in range(200):
        behaviour.step(memory, np.array([np.nan, 0.0]), inputs, 0.01)
        shown.append(memory.outputs[0])
    assert np.mean(shown) == pytest.approx(lit, abs=0.02)


def test_a_row_lights_a_lamp_for_each_sensor_by_its_table() -> None:
    plain = made("T01", "bench", "indicate", 16.0)
    other = made("T01", "bench", "indicate", 16.0, when_so=0, when_not=3)
    lamps = slice(loop.OUTPUTS, loop.OUTPUTS + 3)
    assert (plain.trace[5:, lamps] == 1.0 - other.trace[5:, lamps]).all()
    assert (plain.trace[:, lamps] == plain.flags).mean() > 0.97  # flags have no hysteresis either
    assert other.trace[5:, loop.OUTPUTS + 8].any()


def test_a_guard_keeps_to_a_dark_field_by_its_span_and_not_because_white_is_ground() -> None:
    span = {f"table_{end}_s{i}": value for i in (1, 2) for end, value in (("low", 470), ("high", 1023))}
    done = made(table_rover(), "field", "edge-guard", 120.0, pitch=90, **span)
    assert done.judged.score["falls"] == 0, done.judged.why
    assert float(done.judged.score["way_m"] or 0) > 5
    pale = made(table_rover(), "field", "edge-guard", 20.0, pitch=90)
    assert pale.judged.verdict == "Takes its own field for the edge"
    assert re.search(r"read \d+ counts there, outside the field's span of 0 to \d+", pale.judged.why)
    wide = {name: 0 if "low" in name else 1023 for name in span}
    left = made(table_rover(), "field", "edge-guard", 30.0, pitch=90, **wide)
    assert left.judged.verdict.startswith("Leaves its field at")
    assert "within the field's span of 0 to 1023" in left.judged.why


@pytest.mark.parametrize("rig", ["T07", "T09", "T13", "T16", "T18", "T15", "rover"])
def test_whatever_is_run_wherever_has_a_score_or_is_refused_by_its_field(rig: str) -> None:
    used = rover(0.0, 90.0, -90.0) if rig == "rover" else template(rig)
    refused = set()
    for behaviour in BEHAVIOURS:
        for place in WORLDS.values():
            try:
                done = run(RunRequest(used, place, behaviour, {}, 0.6))
            except BadInput as error:
                refused.add(error.path)
                continue
            assert done.judged.verdict
            assert done.judged.score.keys() <= SCORES.keys()
            assert all(np.isfinite(value) for value in done.judged.score.values() if value is not None)
    assert refused == {"rig", "world"}


NUMBERS_OF_A_RUN = {spec.name: (spec.low, spec.high) for spec in SPECS} | {
    name: (low, high) for name, (_, low, high) in hands.NUMBERS.items()
}


@settings(max_examples=60, deadline=None)
@drawn(st.data())
def test_no_numbers_that_may_be_set_break_a_run(data: st.DataObject) -> None:
    """Ends and middles of everything that can be set: gains that clamp, plants that run away."""
    behaviour = data.draw(st.sampled_from(list(BEHAVIOURS.values())))
    rig = data.draw(
        st.sampled_from([template("T15"), template("T07"), template("T13"), rover(0.0, 90.0, -90.0)])
    )
    bounds = NUMBERS_OF_A_RUN | {each.name: (each.low, each.high) for each in behaviour.settings}
    names = data.draw(st.lists(st.sampled_from(list(bounds)), max_size=12, unique=True))
    given = {name: data.draw(st.sampled_from([*bounds[name], sum(bounds[name]) / 2])) for name in names}
    place = data.draw(st.sampled_from(list(WORLDS.values())))
    asked = RunRequest(rig, place, behaviour.id, given, 1.0, real=data.draw(st.booleans()))
    with contextlib.suppress(BadInput), warnings.catch_warnings():
        warnings.simplefilter("error")
        done = run(asked)
        assert np.isfinite(done.trace[:, : loop.STATE + 1]).all()
        assert all(np.isfinite(value) for value in done.judged.score.values() if value is not None)
