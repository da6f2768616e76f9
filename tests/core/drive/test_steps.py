"""Behaviours loop by loop: what each does with one reading after another, worked out by hand from what its
settings say."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import pytest

from tickstone.core.behaviours import indicate, roam
from tickstone.core.behaviours.behaviour import Step
from tickstone.core.behaviours.follow import BLACK, THRESHOLD, WHITE

Array = npt.NDArray[np.float64]
NONE = np.zeros((0, 8))
LOOP_S = 0.125  # no sum of it is rounded


class Stepped:
    """A behaviour with its memory and outputs, stepped by hand."""

    def __init__(self, step: Step, settings: list[float], sensors: Array = NONE) -> None:
        self._step, self._settings, self._sensors = step, np.array(settings, float), sensors
        self.memory, self.outputs = np.zeros(64), np.zeros(16)

    def __call__(self, *readings: float) -> tuple[int, list[float]]:
        state = self._step(
            LOOP_S,
            np.array(readings, float),
            self._settings,
            self._sensors,
            np.zeros(0),
            False,
            self.memory,
            self.outputs,
        )
        return int(state), self.outputs.tolist()


# cruise, trip, clear, votes, of, back_s, back, turn_s, turn, side, dropout_s
WANDER = [50.0, 300.0, 400.0, 1.0, 1.0, 0.375, 30.0, 0.25, 40.0, roam.ALTERNATE, 0.3]


def test_a_wanderer_stops_backs_and_turns_the_other_way_each_time() -> None:
    step = Stepped(roam.wander, WANDER)
    assert step(900.0, 1.0) == (roam.GOING, [50.0, 50.0, 1.0, 0.0] + [0.0] * 12)
    states, wheels = [], []
    for _ in range(9):
        state, outputs = step(250.0 if not states else 900.0, 1.0)
        states.append(state)
        wheels.append(tuple(outputs[:2]))
    assert states == [roam.STOPPING] + [roam.BACKING] * 3 + [roam.TURNING] * 4 + [roam.GOING]
    assert wheels[0] == (0.0, 0.0)
    assert set(wheels[1:4]) == {(-30.0, -30.0)}
    assert set(wheels[4:8]) == {(-40.0, 40.0)}  # to the left first
    for _ in range(20):
        step(900.0, 1.0)  # long enough that the next obstacle is one of its own
    while step(250.0, 1.0)[0] != roam.TURNING:
        pass
    assert step.outputs[:2].tolist() == [40.0, -40.0]


def test_a_wanderer_turns_longer_where_obstacles_follow_each_other() -> None:
    step = Stepped(roam.wander, [*WANDER[:7], 1.0, *WANDER[8:]])
    turned = []
    for _ in range(3):
        while step(250.0, 1.0)[0] != roam.TURNING:
            pass
        loops = 1
        while step(900.0, 1.0)[0] == roam.TURNING:
            loops += 1
        turned.append(loops)
    # the first is met at once as well: 1 + 0.6 a time
    assert turned == [math.ceil((1 + 0.6 * met) / LOOP_S) for met in (1, 2, 3)]


def test_a_wanderer_waits_without_echo_then_looks_another_way() -> None:
    step = Stepped(roam.wander, [*WANDER[:7], 0.5, *WANDER[8:]])
    step(900.0, 1.0)
    states = [step(math.nan, 1.0)[0] for _ in range(11)]
    assert states == [roam.GOING] * 2 + [roam.WAITING] * 8 + [roam.TURNING]  # after 0.3 s, and 1 s later
    step = Stepped(roam.wander, WANDER)
    for _ in range(6):
        step(math.nan, 0.0)
    assert step(900.0, 1.0)[0] == roam.GOING


def test_votes_are_of_the_last_looks_only() -> None:
    step = Stepped(roam.wander, [*WANDER[:3], 2.0, 3.0, *WANDER[5:]])
    near, far = (250.0, 1.0), (900.0, 1.0)
    states = [step(*reading)[0] for reading in (near, far, far, near, (250.0, 0.0), far, near)]
    assert states == [roam.GOING] * 6 + [roam.STOPPING]  # an old reading has no vote


# cruise, votes, back_s, back, turn_s, turn, side, turn_deg, drive_mm, track, v_top, dead, turns, a turn
EDGE = [40.0, 2.0, 0.25, 30.0, 0.25, 35.0, roam.AWAY, 90.0, 200.0, 100.0, 400.0, 10.0, 0.5, 100.0]
TABLE = np.zeros((3, 8))
TABLE[:, THRESHOLD], TABLE[:, roam.BAND] = 100.0, 200.0


def test_an_edge_guard_turns_and_drives_first_by_track_speed_and_dead_band() -> None:
    step = Stepped(roam.edge_guard, EDGE, TABLE)
    told = [step(150.0, 150.0, 150.0) for _ in range(30)]
    states = [state for state, _ in told]
    # 90° on a track of 100 mm is 78.5 mm a wheel, at 35 % of which 10 are dead: 111 mm/s
    assert states.count(roam.TURNS_FIRST) == math.ceil(math.pi * 25 / (400 * 25 / 90) / LOOP_S)
    # 200 mm and half a turn of 100 mm at 40 %: 133 mm/s
    assert states.count(roam.DRIVES_FIRST) == math.ceil(250 / (400 * 30 / 90) / LOOP_S)
    assert states[-1] == roam.GOING
    wheels = {state: outputs[:2] for state, outputs in told}
    assert wheels == {
        roam.TURNS_FIRST: [-35.0, 35.0],
        roam.DRIVES_FIRST: [40.0, 40.0],
        roam.GOING: [40.0, 40.0],
    }


@pytest.mark.parametrize(
    ("edge", "away"), [((99.0, 150.0, 150.0), [35.0, -35.0]), ((150.0, 150.0, 201.0), [-35.0, 35.0])]
)
def test_an_edge_guard_backs_and_turns_away_from_the_side_that_met_the_edge(
    edge: tuple[float, ...], away: list[float]
) -> None:
    step = Stepped(roam.edge_guard, [*EDGE[:7], 0.0, 0.0, *EDGE[9:12], 0.0, 0.0], TABLE)
    assert step(150.0, 150.0, 150.0)[0] == roam.GOING
    assert step(*edge)[0] == roam.GOING  # two looks in a row are asked for
    states = [step(*edge)[0]] + [step(150.0, 150.0, 150.0)[0] for _ in range(6)]
    assert states == [roam.STOPPING, *[roam.BACKING] * 2, *[roam.TURNING] * 4]
    assert step.outputs[:2].tolist() == away
    assert step(150.0, 150.0, 150.0)[0] == roam.GOING


def test_the_bounds_of_the_table_and_a_missing_reading() -> None:
    for reading, expected in ((100.0, roam.GOING), (200.0, roam.GOING), (math.nan, roam.STOPPING)):
        step = Stepped(roam.edge_guard, [*EDGE[:7], 0.0, 0.0, *EDGE[9:12], 0.0, 0.0], TABLE)
        for _ in range(2):
            state, _ = step(150.0, reading, 150.0)
        assert state == expected


# cruise, trip, clear, votes, of, dropout_s, bar lights from, steps
WARN = [60.0, 300.0, 400.0, 1.0, 1.0, 0.25, 800.0, 8.0]


def test_stop_and_warn_has_a_gap_between_stopping_and_going() -> None:
    step = Stepped(roam.stop_warn, WARN)
    course = [900.0, 350.0, 299.0, 350.0, 400.0, 401.0]
    told = [step(distance, 1.0) for distance in course]
    assert [state for state, _ in told] == [
        roam.GOING,
        roam.GOING,
        roam.STOPPING,
        roam.STOPPING,
        roam.STOPPING,
        roam.GOING,
    ]
    assert [outputs[0] for _, outputs in told] == [60.0, 60.0, 0.0, 0.0, 0.0, 60.0]
    assert [outputs[2] for _, outputs in told] == [0.0, 0.0, 1.0, 1.0, 1.0, 0.0]
    # a bar of eight from 800 mm on: a step each 100 mm, the first as soon as it is nearer
    assert [outputs[4] for _, outputs in told] == [0.0, 5.0, 6.0, 5.0, 5.0, 4.0]
    assert [step(distance, 0.0)[1][4] for distance in (800.0, 799.0, 1.0)] == [0.0, 1.0, 8.0]


def test_stop_and_warn_waits_without_an_echo() -> None:
    step = Stepped(roam.stop_warn, WARN)
    step(900.0, 1.0)
    told = [step(math.nan, 1.0) for _ in range(3)]
    assert [state for state, _ in told] == [roam.GOING, roam.GOING, roam.WAITING]
    assert told[-1][1][:5] == [0.0] * 5
    assert step(299.0, 1.0)[0] == roam.STOPPING
    for _ in range(3):
        step(math.nan, 1.0)
    assert step(301.0, 1.0)[0] == roam.GOING


# cruise, wanted, kp, kd, most, trip, clear, turn, to the right, dropout_s, round a corner by
WALL = [50.0, 200.0, 0.1, 0.02, 20.0, 300.0, 400.0, 30.0, 1.0, 0.3, 12.0]


@pytest.mark.parametrize("to_right", [True, False])
def test_a_wall_is_followed_by_its_distance_and_how_fast_it_nears(to_right: bool) -> None:
    step = Stepped(roam.follow_wall, [*WALL[:8], float(to_right), *WALL[9:]])

    def looked(ahead: float, side: float) -> tuple[int, list[float]]:
        beside = (math.nan, 0.0, side, 1.0) if to_right else (side, 1.0, math.nan, 0.0)
        return step(ahead, 1.0, *beside)

    def wheels(answer: float, cruise: float = 50.0) -> list[float]:
        toward = answer if to_right else -answer
        return [cruise + toward, cruise - toward]

    # 100 mm too far: 0.1 × 100; it comes 10 mm nearer a loop, 80 mm/s: −0.02 × 80 beside it
    assert looked(900.0, 300.0) == (roam.GOING, wheels(10.0) + [0.0] * 14)
    assert looked(900.0, 290.0)[1][:2] == pytest.approx(wheels(9.0 - 1.6))
    assert looked(900.0, 480.0)[1][:2] == wheels(20.0)  # no more than it may
    assert looked(900.0, 501.0) == (roam.LOOKING, wheels(12.0) + [0.0] * 14)  # 2.5 times: there is no wall
    assert looked(900.0, math.nan)[0] == roam.LOOKING
    assert looked(math.nan, 200.0)[1][:2] == pytest.approx(wheels(0.0, 30.0))  # no echo is not clear
    turned = looked(299.0, 200.0)
    assert turned[0] == roam.TURNING
    assert turned[1][:2] == ([-30.0, 30.0] if to_right else [30.0, -30.0])
    assert looked(399.0, 200.0)[0] == roam.TURNING
    assert looked(401.0, 200.0)[0] == roam.GOING
    waiting = [looked(math.nan, math.nan) for _ in range(4)]
    assert [state for state, _ in waiting] == [roam.LOOKING] * 2 + [roam.WAITING] * 2
    assert waiting[-1][1][:2] == [0.0, 0.0]


# mode, lamps, inverted, every_s, near, far, while so, while not, while nothing is read
def lamps_of(
    mode: int, lamps: int, *readings: float, inverted: bool = False, done=(1, 0, 0)
) -> list[list[int]]:
    step = Stepped(indicate.indicate, [mode, lamps, float(inverted), 0.5, 300.0, 400.0, *done])
    return [[int(on) for on in step(reading, 1.0)[1][:lamps]] for reading in readings]


def test_lamps_follow_toggle_and_run_on_by_edges() -> None:
    assert lamps_of(indicate.FOLLOWS, 2, 0, 1, 1, 0) == [[0, 0], [1, 1], [1, 1], [0, 0]]
    assert lamps_of(indicate.FOLLOWS, 1, 0, 1, inverted=True) == [[1], [0]]
    assert lamps_of(indicate.TOGGLES, 1, 1, 0, 1, 1, 0, 1) == [[0], [0], [1], [1], [1], [0]]
    runs = lamps_of(indicate.CHASES, 3, 0, 0, 1, 1, 0, math.nan, 1)
    assert [lit.index(1) for lit in runs] == [0, 0, 1, 1, 2, 2, 0]


def test_a_lamp_flickers_while_its_level_is_low() -> None:
    lit = [lamps[0] for lamps in lamps_of(indicate.FLICKERS, 1, *[0] * 8)]
    assert lit == [0, 1, 1, 0, 0, 1, 1, 0]  # every 0.5 s once on and once off
    held = [lamps[0] for lamps in lamps_of(indicate.FLICKERS, 1, 0, 0, *[1] * 6)]
    assert len(set(held[2:])) == 1


def test_a_lamp_by_what_is_near_has_a_gap_and_may_blink() -> None:
    assert lamps_of(indicate.NEAR, 1, 500, 299, 350, 400, 401, 350) == [[0], [1], [1], [1], [0], [0]]
    blinks = lamps_of(indicate.NEAR, 1, *[200] * 8, done=(indicate.BLINK, indicate.OFF, 0))
    assert blinks == [[1], [0], [0], [1], [1], [0], [0], [1]]
    kept = lamps_of(indicate.NEAR, 1, 200, math.nan, done=(indicate.ON, indicate.OFF, 0))
    assert kept == [[1], [1]]  # as it was while nothing is read
    assert lamps_of(indicate.NEAR, 1, 200, math.nan, done=(indicate.ON, indicate.OFF, 1)) == [[1], [0]]
    sounding = Stepped(indicate.indicate, [indicate.NEAR, 1, 0, 0.4, 300, 400, indicate.TONE, 0, 0])
    assert [sounding(distance, 1.0)[1][indicate.MOST_LAMPS] for distance in (200.0, 500.0)] == [1.0, 0.0]


def test_a_bar_has_even_steps_between_its_ends() -> None:
    bars = lamps_of(indicate.BAR, 4, 401, 388, 387, 363, 362, 313, 312, 100, math.nan)
    assert [sum(bar) for bar in bars] == [0, 0, 1, 1, 2, 3, 4, 4, 4]
    assert lamps_of(indicate.BAR, 2, 100, inverted=True) == [[0, 0]]


def test_a_lamp_for_each_sensor_by_whether_it_is_over_the_line() -> None:
    sensors = np.zeros((3, 8))
    sensors[:, THRESHOLD] = 500.0
    sensors[:, BLACK], sensors[:, WHITE] = [900.0, 900.0, 100.0], [100.0, 100.0, 900.0]
    step = Stepped(indicate.indicate, [indicate.DARK, 3, 0, 0.4, 0, 0, indicate.TONE, 0, 0], sensors)
    state, outputs = step(700.0, 300.0, 300.0)
    assert (state, outputs[:3], outputs[indicate.MOST_LAMPS]) == (2, [1.0, 0.0, 1.0], 1.0)
    state, outputs = step(500.0, 500.0, 500.0)
    assert (state, outputs[:3], outputs[indicate.MOST_LAMPS]) == (1, [0.0, 0.0, 1.0], 1.0)
    state, outputs = step(500.0, 500.0, 501.0)
    assert (state, outputs[:3], outputs[indicate.MOST_LAMPS]) == (0, [0.0, 0.0, 0.0], 0.0)
