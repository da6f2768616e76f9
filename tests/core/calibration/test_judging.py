"""What each procedure says of the readings before it, what it keeps of them, and what it makes of a
notebook's line.

Windows are made by hand, one for each thing that may be wrong at a bench and one where nothing is.
"""

from __future__ import annotations

import math
import re
from dataclasses import replace

import numpy as np
import pytest

from tests.simulated.calibrations import simulated, values_of, window
from tickstone.core.calibration.catalogue import procedure
from tickstone.core.calibration.marks import MarkLevels, Traces
from tickstone.core.calibration.procedure import Holding, Step, Want, Window
from tickstone.core.calibration.still import differs
from tickstone.core.inertial import gravity_at
from tickstone.errors import BadInput

WANT = Want("run", "run", "")


def noise(n: int, sd: float, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).normal(0.0, sd, n)


def pulses(*periods_s: float) -> Window:
    """Edges that come after these periods, by the board's own clock."""
    times = np.cumsum([0.5, *periods_s])
    return Window(times, {"edge": times * 1e6, "level": np.full(times.shape, np.nan)})


def g_window(roll: float, pitch: float, rate_hz: float = 50, n: int = 110, **more: float) -> Window:
    """An inertial unit that stands so, its gyro silent."""
    g = gravity_at(roll, pitch)
    still = {axis: np.round((g[i] + noise(n, 0.002, i)) * 16384) for i, axis in enumerate("xyz")}
    turned = {f"g{axis}": noise(n, 8.0, 7) for axis in "xyz"}
    return window(rate_hz, still | turned | {name: np.full(n, value) for name, value in more.items()})


def judged(name: str, seen: Window, values, key: str = "run", steps=(), **truth: float) -> Holding:
    return procedure(name).judge(seen, Want(key, key, ""), truth, steps, values)


# Pulses -----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["steady-run", "steady-marks"])
def test_a_steady_run_is_judged_by_its_pulses(name: str) -> None:
    kind_id = "hall-switch" if name == "steady-run" else "comparator-switch"
    values = values_of(kind_id)
    assert judged(name, pulses(0.1, 0.1), values).why_not == "It hardly turns: drive the wheel."
    assert judged(name, pulses(*[0.1] * 10), values).why_not == "11 of 24 pulses."
    faster = judged(name, pulses(*[0.1] * 20, *[0.094] * 20), values)
    assert faster.why_not == "Its speed changed by 6 % just now: keep it steady."
    nearly = judged(name, pulses(*[0.1] * 20, *[0.0955] * 20), values)
    assert nearly.ready  # 4.5 %: within what a hand can do
    steady = judged(name, pulses(*[0.1] * 40), values)
    assert steady.ready
    assert steady.figure == "10.0 Hz"
    with pytest.raises(BadInput, match="at least 24 pulses, not 11"):
        procedure(name).take(pulses(*[0.1] * 10), "run", values)


def test_uneven_magnets_are_counted_and_even_ones_cannot_be() -> None:
    values = values_of("hall-switch", magnets=3)
    uneven = procedure("steady-run").take(pulses(*[0.12, 0.10, 0.08] * 15), "run", values)
    assert uneven.count == 3
    assert uneven.shares == pytest.approx([0.4, 1 / 3, 0.8 / 3])
    assert uneven.period_s == pytest.approx(0.1)
    found = procedure("steady-run").fit([Step("run", "run", {}, uneven)], values)
    assert found.heading == "3 magnets a turn; the widest gap is 20.0 % too wide"
    assert found.notes == ()
    two = procedure("steady-run").fit([Step("run", "run", {}, uneven)], values_of("hall-switch", magnets=2))
    assert two.heading == "The pulses repeat every 3; the rig says 2 magnets"
    assert not two.can_accept
    counted = [Step("run", "run", {"count": 3}, uneven)]
    assert (
        procedure("steady-run").fit(counted, values_of("hall-switch", magnets=2)).constants == found.constants
    )
    wrong = procedure("steady-run").fit([Step("run", "run", {"count": 4}, uneven)], values)
    assert wrong.heading == "4 magnets a turn do not fit"
    six = procedure("steady-run").fit([Step("run", "run", {}, uneven)], values_of("hall-switch", magnets=6))
    assert six.heading.startswith("6 magnets a turn")
    assert six.notes == ("The pulses repeat every 3: some gaps are alike.",)
    even = procedure("steady-run").take(pulses(*[0.1] * 40), "run", values)
    found = procedure("steady-run").fit([Step("run", "run", {}, even)], values)
    assert found.heading == "Its pulses come evenly"
    assert [one.name for one in found.constants] == ["jitter"]


@pytest.mark.parametrize("count", [24, 25, 27, 31])
@pytest.mark.parametrize("runs_up", [False, True])
def test_the_shortest_runs_give_numbers_or_say_why_not(count: int, runs_up: bool) -> None:
    """Few turns: every number that is kept is one."""
    gaps = np.tile([0.065, 0.063], 40)[: count - 1]
    if runs_up:
        gaps[:6] *= np.array([1.6, 1.4, 1.25, 1.15, 1.08, 1.04])
    run, values = procedure("steady-run"), values_of("hall-switch", magnets=2)
    taken = run.take(pulses(*gaps), "run", values)
    kept = [taken.shares, taken.sds, *(numbers for pair in taken.others.values() for numbers in pair)]
    assert all(np.isfinite(numbers).all() for numbers in kept)
    assert run.fit([Step("run", "run", {}, taken)], values).heading
    with pytest.raises(BadInput, match="Hardly two turns"):
        run.take(pulses(*np.geomspace(0.5, 0.01, 24)), "run", values)


def test_levels_that_fall_are_pulses_too() -> None:
    level = np.tile([1.0, 1.0, 0.0, 0.0], 30)
    taken = procedure("marks").take(window(100, {"level": level}), "speed 1", values_of("comparator-switch"))
    assert taken.hz == pytest.approx(25.0)
    assert taken.n == 30


def test_marks_by_another_instrument_are_judged_taken_and_written_down() -> None:
    values = values_of("comparator-switch")
    assert judged("marks", pulses(0.1, 0.1), values, rpm=600).why_not.startswith("No pulses come")
    assert judged("marks", pulses(*[0.1] * 10), values, rpm=600).why_not == "Steady for 1.0 s of 2 s."
    assert (
        judged("marks", pulses(*[0.1] * 12, *[0.085] * 14), values).why_not
        == "Its speed changes: keep it steady."
    )
    steady = judged("marks", pulses(*[0.1] * 20), values, rpm=600)
    assert (steady.ready, steady.figure) == (True, "10.0 Hz")
    taken = procedure("marks").take(pulses(*[0.1] * 20), "speed 1", values)
    assert taken.hz == pytest.approx(10.0)
    with pytest.raises(BadInput) as refused:
        procedure("marks").take(pulses(0.1), "speed 1", values)
    assert refused.value.path == "rpm"
    step = procedure("marks").from_notebook({"rpm": 300.0, "reading": 10.0}, values)
    found = procedure("marks").fit([step], values)
    assert found.heading == "2 marks a turn"
    assert {one.name: one.value for one in found.constants} == {"marks": 2.0}
    assert procedure("marks").fit([], values).why_not


def test_a_roller_is_taken_when_it_stands() -> None:
    values = values_of("rotary-encoder", steps=24)
    count = np.concatenate([np.linspace(0, 48, 100).round(), np.full(200, 48.0)])
    turned = window(100, {"count": count})
    assert judged("steps", window(100, {"count": np.full(50, np.nan)}), values, turns=2).why_not == (
        "No step yet: turn the roller."
    )
    assert judged("steps", window(100, {"count": count[:20]}), values, turns=10).why_not == "9 steps: go on."
    short = window(100, {"count": count[:150]})
    assert judged("steps", short, values, turns=2).why_not == "48 steps: it is taken when it stands."
    assert judged("steps", turned, values, turns=2).figure == "48"
    assert judged("steps", turned, values, turns=2).ready
    assert procedure("steps").take(turned, "run 1", values).steps == 48
    with pytest.raises(BadInput) as refused:
        procedure("steps").take(window(100, {"count": np.zeros(50)}), "run 1", values)
    assert refused.value.path == "turns"


def test_a_roller_s_two_channels_are_counted_both_ways_round() -> None:
    a, b = np.tile([0, 1, 1, 0], 12), np.tile([0, 0, 1, 1], 12)
    ahead = procedure("steps").take(window(100, {"a": a, "b": b}), "run 1", values_of("rotary-encoder"))
    back = procedure("steps").take(window(100, {"a": b, "b": a}), "run 1", values_of("rotary-encoder"))
    assert ahead.steps == back.steps == 47


# An inertial part in its vehicle ----------------------------------------------------------------------------


def test_level_is_read_standing_and_turned_round() -> None:
    values, level = values_of("inertial-unit"), procedure("level")
    assert judged("level", g_window(0, 40), values, "there").why_not.startswith("It does not stand")
    assert judged("level", g_window(0, 24), values, "there").ready
    tipping = g_window(0, 0)
    tipping.channels["x"][:] += np.linspace(0, 4000, 110)
    assert judged("level", tipping, values, "there").why_not.startswith("Hold still")
    steps = [
        Step("there", "there", {}, level.take(g_window(3, -1), "there", values)),
        Step("turned", "turned", {}, level.take(g_window(1, 5), "turned", values)),
    ]
    found = level.fit(steps, values)
    roll, pitch = (
        next(one for one in found.constants if one.name == name) for name in ("level_roll", "level_pitch")
    )
    assert (roll.value, pitch.value) == pytest.approx((2, 2), abs=0.1)
    # the bench: half of what differs, 1° and 3°, as one slope
    slope = math.degrees(math.acos(math.cos(math.radians(1)) * math.cos(math.radians(3))))
    assert found.notes == (f"The bench itself slopes by {slope:.1f}°.",)
    assert found.verdict.startswith("Good: ± 0.2°")
    with pytest.raises(BadInput):
        level.take(window(50, {axis: np.full(20, np.nan) for axis in "xyz"}), "there", values)


@pytest.mark.parametrize(
    ("up", "forward", "said"),
    [("z", "x", "z points up, x forward"), ("-y", "z", "minus y points up, z forward")],
)
def test_mounting_names_the_axes_that_point_up_and_forward(up: str, forward: str, said: str) -> None:
    values, mounting = values_of("inertial-unit"), procedure("mounting")

    def standing(nose_up_deg: float, aside_deg: float = 0.0) -> Window:
        # forward is the axis that gravity goes into as the nose rises: what it reads is minus sin(pitch) of
        # "up"
        g = dict.fromkeys("xyz", 0.0)
        for name, share in ((up, math.cos), (forward, math.sin)):
            g[name[-1]] += share(math.radians(nose_up_deg)) * (-1 if name[0] == "-" else 1)
        (third,) = set("xyz") - {up[-1], forward[-1]}
        g[third] += math.sin(math.radians(aside_deg))
        return window(
            50, {axis: np.round((one + noise(110, 0.002, ord(axis))) * 16384) for axis, one in g.items()}
        )

    assert judged("mounting", standing(45, 45), values, "level").why_not.startswith(
        "No axis points straight up"
    )
    assert judged("mounting", standing(0), values, "level").ready
    level = Step("level", "level", {}, mounting.take(standing(0), "level", values))
    assert judged("mounting", standing(10), values, "nose-up", [level]).why_not.startswith(
        "Lift the nose further"
    )
    assert judged("mounting", standing(20), values, "nose-up", [level]).ready
    assert mounting.fit([level], values).why_not == "Hold it nose up too."
    lifted = Step("nose-up", "nose-up", {}, mounting.take(standing(30), "nose-up", values))
    found = mounting.fit([level, lifted], values)
    assert found.heading == said
    assert found.verdict.startswith("Good")
    aside = Step("nose-up", "nose-up", {}, mounting.take(standing(30, 14), "nose-up", values))
    assert mounting.fit([level, aside], values).notes == ("It was lifted a little sideways too (48 %).",)
    worse = Step("nose-up", "nose-up", {}, mounting.take(standing(30, 20), "nose-up", values))
    assert mounting.fit([level, worse], values).verdict.startswith("Rough")


def test_a_turn_that_begins_too_soon_is_asked_for_again() -> None:
    """The first half second is the rest that bias is taken from: a turn that begins within it is no turn."""
    values, n = values_of("inertial-unit"), 300
    for rests_s, why in ((0.2, "It was turning already"), (0.4, "It was turning already"), (1.2, "")):
        rate = np.where((np.arange(n) > 50 * rests_s) & (np.arange(n) < 50 * rests_s + 150), 120.0, 0.0)
        seen = window(50, {"gx": noise(n, 5, 1), "gy": noise(n, 5, 2), "gz": rate * 131 + noise(n, 5, 3)})
        judged_ = judged("gyro-turn", seen, values, "turn 1", turned_deg=360.0)
        assert judged_.why_not.startswith(why)
        assert judged_.ready == (not why)


# Three Halls ------------------------------------------------------------------------------------------------


def spin(rates_hz: np.ndarray, codes: tuple[int, ...] = (5, 4, 6, 2, 3, 1)) -> Window:
    """Three Halls of a motor: for each electrical turn, the turns a second it is made at."""
    times, told = [0.0], []
    for rate in rates_hz:
        for code in codes:
            told.append(code)
            times.append(times[-1] + 1 / (6 * rate))
    code = np.array(told)
    return Window(
        np.array(times[:-1]), {f"h{i + 1}": ((code >> (2 - i)) & 1).astype(float) for i in range(3)}
    )


def test_a_spin_is_judged_by_how_many_turns_and_how_even() -> None:
    values = values_of("motor-halls", pole_pairs=7)
    assert judged("hall-spin", spin(np.full(1, 20.0)), values).why_not == "It hardly turns: spin it."
    short = judged("hall-spin", spin(np.full(5, 20.0)), values)
    assert short.why_not == "5 of 12 electrical turns."
    even = judged("hall-spin", spin(np.full(14, 20.0)), values)
    assert even.ready
    assert even.figure == "171 rpm"  # 20 electrical turns a second, 7 pole pairs: 60 · 20 / 7
    faster = judged("hall-spin", spin(np.repeat([20.0, 23.0], 8)), values)
    assert faster.why_not.startswith("Its speed changed by 1")
    with pytest.raises(BadInput, match="four electrical turns"):
        procedure("hall-spin").take(spin(np.full(3, 20.0)), "spin", values)


@pytest.mark.parametrize(
    ("codes", "heading"),
    [
        ((5, 4, 6, 2, 3, 1), "120° scheme, forward: 101 100 110 010 011 001"),
        ((1, 3, 2, 6, 4, 5), "120° scheme, reverse: 001 011 010 110 100 101"),
    ],
)
def test_scheme_and_direction_are_read_off_a_spin(codes: tuple[int, ...], heading: str) -> None:
    values = values_of("motor-halls")
    taken = procedure("hall-spin").take(spin(np.full(14, 20.0), codes), "spin", values)
    found = procedure("hall-spin").fit([Step("spin", "spin", {}, taken)], values)
    assert found.heading == heading
    assert taken.places == pytest.approx([0, 0, 0], abs=1e-6)


def test_a_60_degree_spin_is_known_and_a_late_sensor_is_late_either_way_round() -> None:
    values = values_of("motor-halls")
    sixty = procedure("hall-spin").take(spin(np.full(14, 20.0), (0, 4, 6, 7, 3, 1)), "spin", values)
    found = procedure("hall-spin").fit([Step("spin", "spin", {}, sixty)], values)
    assert found.heading.startswith("60° scheme")
    assert found.notes[-1] == "The rig says 120°: this spin says 60°."
    steps, truth, values = simulated("hall-spin", 4)
    ahead = {one.name: one.value for one in procedure("hall-spin").fit(steps, values).constants}
    for n in (1, 2, 3):
        assert ahead[f"place_h{n}"] == pytest.approx(truth[f"place_h{n}"], abs=0.4)


def test_an_order_that_draws_less_than_the_forward_one_is_looked_at_again() -> None:
    trial, values = procedure("wire-order"), values_of("motor-halls")

    def tried(**outcomes: tuple[float, float]) -> list[Step]:
        return [
            Step(order, order, {"outcome": what, "amps": amps}, None)
            for order, (what, amps) in outcomes.items()
        ]

    found = trial.fit(tried(ABC=(0, 1.0), BAC=(4, 0.7)), values)
    assert found.notes == ("BAC draws 0.7 A, less than ABC: look again which of them is smooth.",)
    assert trial.fit(tried(ABC=(0, 1.0), BAC=(4, 0.9)), values).notes == ()
    hint = trial.fit(tried(BCA=(1, 0.4)), values)
    assert hint.notes == ("Try BAC, ACB and CBA next.",)
    assert not hint.can_accept
    found = trial.fit(tried(CAB=(0, 0.3), ACB=(1, 0.3)), values)
    assert found.heading == "Phases CAB run forward; ACB runs backward"
    assert {one.name: one.value for one in found.constants} == {"phase_order": 5.0}
    assert all(want.more for want in trial.wants(tried(CAB=(0, 0.3)), values))


@pytest.mark.parametrize(
    ("spacing", "heading"),
    [
        (60.0, "60° works in the 60° scheme"),
        (17.142857, "17.1429° works in the 120° scheme"),
        (25.0, "25° gives 175° electrical, which is neither scheme; the nearest is 17.14°"),
    ],
)
def test_a_spacing_in_mind_is_checked(spacing: float, heading: str) -> None:
    """Seven pole pairs: 120°/7 = 17.14°, 60°/7 = 8.57°, 420° is 60° again; by the definition of electrical
    degrees."""
    plan, values = procedure("hall-spacing"), values_of("motor-halls", pole_pairs=7)
    step = Step("board", "board", {"radius_mm": 15.0, "placement_mm": 0.2, "spacing_deg": spacing}, None)
    found = plan.fit([step], values)
    assert found.heading == heading
    # a millimetre at 15 mm is 3.82° of the board, times 7 pole pairs; a fifth of that for 0.2 mm
    assert found.notes[0].startswith("A millimetre out of place is 26.7° electrical")
    assert found.notes[1] == "Placed to within 0.2 mm: up to 5.3° electrical."
    assert not found.can_accept
    bare = plan.fit([Step("board", "board", {"radius_mm": 15.0}, None)], values)
    assert bare.heading.startswith("The closest that works is 17.14° apart, 4.5 mm along the arc")


# Levels, noise, traces, volts -------------------------------------------------------------------------------


def test_which_level_is_dark_is_asked_of_both_places() -> None:
    dark, values = procedure("dark-level"), values_of("digital-line-sensor")
    assert judged(
        "dark-level", window(10, {"level": np.full(3, np.nan)}), values, "ground"
    ).why_not.startswith("No level")
    high, low = window(10, {"level": np.ones(3)}), window(10, {"level": np.zeros(3)})
    assert judged("dark-level", low, values, "ground").ready
    ground = Step("ground", "over ground", {}, dark.take(low, "ground", values))
    assert judged("dark-level", low, values, "line", [ground]).why_not.startswith(
        "It says the same as over ground"
    )
    assert judged("dark-level", low, values, "ground", [ground]).ready  # the same place again
    assert judged("dark-level", high, values, "line", [ground]).ready
    line = Step("line", "over the line", {}, dark.take(high, "line", values))
    assert dark.fit([ground], values).why_not == "Hold both."
    found = dark.fit([ground, line], values)
    assert (found.heading, found.constants[0].value) == ("Dark is high", 1.0)
    blind = Step("line", "over the line", {}, dark.take(low, "line", values))
    assert "the same over both" in dark.fit([ground, blind], values).why_not
    assert dark.of_mark("over ground", None) == ("ground", {})
    with pytest.raises(BadInput):
        dark.take(window(10, {"level": np.full(3, np.nan)}), "ground", values)


def test_noise_is_taken_at_rest_and_lag_from_one_step() -> None:
    values = values_of("line-sensors")
    still = window(100, {"s1": 400 + noise(300, 4.0)})
    assert judged("filter", window(100, {"s1": still.channels["s1"][:15]}), values, "still").why_not == (
        "Too few readings yet."
    )
    assert judged("filter", window(100, {"s1": still.channels["s1"][:200]}), values, "still").why_not == (
        "Still for 2.0 s of 3 s."
    )
    assert judged("filter", still, values, "still").ready
    drifting = window(100, {"s1": still.channels["s1"] + np.linspace(0, 40, 300)})
    assert judged("filter", drifting, values, "still").why_not.startswith("Hold still")
    assert judged("filter", still, values, "step").why_not.startswith("No step yet")
    jump = np.where(np.arange(300) < 150, 0.0, 300.0)
    stepped = window(100, {"s1": still.channels["s1"] + jump})
    assert judged("filter", stepped, values, "step").ready
    small = window(100, {"s1": still.channels["s1"] + jump / 10})  # twelve times a noise of 4 is wanted
    assert re.match(
        r"No step yet: it moved by \d\d, wanted (4|5)\d\.", judged("filter", small, values, "step").why_not
    )
    moving = window(
        100, {"s1": stepped.channels["s1"] + np.where(np.arange(300) > 200, np.arange(300) * 1.5, 0)}
    )
    assert judged("filter", moving, values, "step").why_not == "Leave it there: it still moves."
    with pytest.raises(BadInput):
        procedure("filter").take(window(100, {"s1": np.arange(5.0)}), "still", values)
    assert procedure("filter").of_mark("Still", None) == ("still", {})
    assert procedure("filter").of_mark("box", None) is None


def test_what_a_filter_leaves_and_how_late_it_is_follows_from_its_length() -> None:
    """An average of n leaves 1/√n of white noise and comes (n − 1)/2 readings late: both by definition."""
    response, values = procedure("filter"), values_of("line-sensors")
    still = window(100, {"s1": 400 + noise(390, 4.0, 5)})
    ramp = np.clip(np.arange(390) - 150, 0, 8) * 100.0
    stepped = window(100, {"s1": 400 + noise(390, 4.0, 6) + ramp})
    taken = {key: response.take(seen, key, values) for key, seen in (("still", still), ("step", stepped))}
    assert taken["step"].rate_hz == pytest.approx(100)
    found = response.fit([Step(key, key, {}, numbers) for key, numbers in taken.items()], values)
    rows = {name: (share, late) for name, _, share, late in found.tables[0].rows}
    assert float(rows["average 5"][0].split()[0]) == pytest.approx(100 / math.sqrt(5), abs=8)
    assert float(rows["average 11"][0].split()[0]) == pytest.approx(100 / math.sqrt(11), abs=8)
    assert float(rows["average 5"][1].split()[0]) == pytest.approx(20, abs=2)
    assert float(rows["average 11"][1].split()[0]) == pytest.approx(50, abs=2)
    assert float(rows["median 11"][1].split()[0]) == pytest.approx(50, abs=3)
    assert found.heading.endswith("it follows a step in 80 ms")
    (one,) = found.constants
    assert one.value == pytest.approx(4.0, rel=0.08)
    assert one.sd == pytest.approx(one.value / math.sqrt(2 * 389), rel=0.5)


def test_marks_in_a_trace_need_a_swing_that_stands_clear_of_noise() -> None:
    values, trace = values_of("line-sensors"), procedure("trace")
    level = np.where(np.arange(360) % 36 < 6, 700.0, 200.0)  # ten marks in 3.6 s
    seen = window(100, {"s1": level + noise(360, 5.0), "s2": 300 + noise(360, 5.0)})
    assert (
        judged("trace", window(100, {"s1": level[:15]}), values, sensor=1).why_not == "Too few readings yet."
    )
    assert judged("trace", seen, values, sensor=2).why_not.startswith("It swings by")
    short = window(100, {"s1": seen.channels["s1"][:200]})
    assert judged("trace", short, values, sensor=1).why_not == "2.0 s of 3 s."
    assert judged("trace", seen, values, sensor=1).ready
    taken = trace.take(seen, "trace", values)
    found = trace.fit([Step("trace", "trace", {"sensor": 1.0}, taken)], values)
    fitted = {one.name: one.value for one in found.constants}
    assert fitted["mark_threshold"] == pytest.approx(450, abs=3)
    assert fitted["mark_hysteresis"] == pytest.approx(30, rel=0.25)  # six times the noise
    levels = taken.levels["s1"]
    assert (levels.low, levels.high) == pytest.approx((200, 700), abs=3)
    assert levels.hz == pytest.approx(9 / 3.59, rel=0.02)  # the first began before the trace
    clean = window(100, {"s1": level})
    assert judged("trace", clean, values, sensor=1).ready  # the marks themselves are no noise
    # half a step: that much every reading is rounded by
    assert trace.take(clean, "trace", values).levels["s1"].noise == 0.5
    drowned = Traces(360, {"s1": MarkLevels(200.0, 260.0, 8.0, 2.8)})
    why = trace.fit([Step("trace", "trace", {"sensor": 1.0}, drowned)], values).why_not
    assert why.startswith("Noise of 8 counts fills the 60 between mark and shaft: it would chatter.")
    assert "saw no mark" in trace.fit([Step("trace", "trace", {"sensor": 4.0}, taken)], values).why_not
    with pytest.raises(BadInput) as refused:
        trace.take(window(100, {"s1": level[:15]}), "trace", values)
    assert refused.value.path == "sensor"


def test_a_voltmeter_is_believed_where_the_divider_can_follow() -> None:
    values = values_of("battery-divider")

    def gauge(counts: float, said: float, spread: float = 0.6) -> Window:
        seen = window(20, {"counts": np.round(counts + noise(45, spread))})
        return Window(seen.times_s, seen.channels, np.full(45, said))

    assert judged("voltmeter", gauge(757, 7.4), values, "reading 1", volts=7.4).ready
    assert judged("voltmeter", gauge(1023, 10, 0), values, "reading 1", volts=12).why_not.startswith(
        "The converter is at its top"
    )
    assert (
        "not 12: look at the meter"
        in judged("voltmeter", gauge(757, 7.4), values, "reading 1", volts=12).why_not
    )
    sagging = gauge(757, 7.4)
    sagging.channels["counts"][:] -= np.linspace(0, 60, 45)
    assert judged("voltmeter", sagging, values, "reading 1", volts=7.4).why_not.startswith(
        "Wait until it settles"
    )
    held = Step("reading 1", "reading 1", {"volts": 7.4}, None)
    alike = judged("voltmeter", gauge(757, 7.4), values, "reading 2", [held], volts=7.5)
    assert alike.why_not.startswith("Almost the same as reading 1")
    assert judged("voltmeter", gauge(860, 8.4), values, "reading 2", [held], volts=8.4).ready
    steps = [
        procedure("voltmeter").from_notebook({"volts": v, "reading": c}, values)
        for v, c in ((6.6, 676), (8.2, 840))
    ]
    steps = [Step(f"reading {i}", "", one.truth, one.taken) for i, one in enumerate(steps)]
    found = procedure("voltmeter").fit(steps, values)
    ratio = {one.name: one.value for one in found.constants}["ratio"]
    assert ratio == pytest.approx((6.6 / 676 + 8.2 / 840) / 2 / (5 / 1024), rel=1e-3)
    odd = [steps[0], Step("reading 2", "", {"volts": 8.2}, replace(steps[1].taken, mean=760.0))]
    assert procedure("voltmeter").fit(odd, values).verdict.startswith("Rough")


def test_the_other_span_is_wanted_at_the_height_and_lamp_of_the_first() -> None:
    values, line = values_of("line-sensors"), procedure("line")
    at = {"height_mm": 4.0, "lamp": 1.0}
    ground = next(want for want in line.wants([], values) if want.key == "ground")
    held = Step(line.key_of(ground, at), line.label_of(ground, at), at, None)
    wants = {want.key: want for want in line.wants([held], values) if not want.more}
    assert list(wants) == [held.key, held.key.replace("ground", "line")]
    assert wants[held.key.replace("ground", "line")].label == held.label.replace("ground", "the line")
    both = [held, Step(held.key.replace("ground", "line"), "", at, None)]
    assert all(want.more or want.key in {one.key for one in both} for want in line.wants(both, values))
    swept = [Step("sweep", "sweep", {}, None)]
    assert [want.key for want in line.wants(swept, values) if not want.more] == ["sweep"]
    assert line.window_s(next(want for want in line.wants([], values) if want.key == "sweep+")) == 0.0
    assert line.window_s(ground) == 2.0


def test_a_span_that_reads_as_its_partner_is_not_taken() -> None:
    """The row was not moved: over the line it reads what it read over ground."""
    values, line = values_of("line-sensors", sensors=3), procedure("line")
    over = {"ground": 210.0, "line": 690.0}

    def row(counts: float) -> Window:
        return window(20, {f"s{i}": np.round(counts + noise(45, 2.0)) for i in (1, 2, 3)})

    for span, other in (("ground", "line"), ("line", "ground")):
        held = Step(other, other, {}, line.take(row(over[other]), other, values))
        assert judged("line", row(over[span]), values, span, [held]).ready
        same = judged("line", row(over[other]), values, span, [held])
        assert (same.ready, same.why_not) == (False, f"It reads as {other}: has the row moved?")


def test_the_levels_of_a_sweep_are_those_that_it_dwells_on() -> None:
    """On its way over a wide tape's blurred edge the row reads everything between: none of that belongs to a
    level."""
    values, line = values_of("line-sensors", sensors=1), procedure("line")
    way = np.linspace(200, 700, 400)
    swept = np.concatenate([200 + noise(150, 3.0), way, 700 + noise(150, 3.0), way[::-1]])
    numbers = line.take(window(50, {"s1": swept}), "sweep", values)
    assert numbers.lows.means == pytest.approx([200.0], abs=1.4)
    assert numbers.highs.means == pytest.approx([700.0], abs=1.4)


@pytest.mark.parametrize(
    ("swing", "noise", "ready"), [(9, 0.3, True), (6, 0.3, False), (60, 6.0, True), (60, 12.0, False)]
)
def test_a_trace_swings_by_eight_counts_and_eight_times_its_noise(
    swing: float, noise: float, ready: bool
) -> None:
    rng = np.random.default_rng(3)
    at = np.arange(900) * 0.004
    level = 400 + swing * (np.sin(2 * np.pi * 2.5 * at) > 0) + rng.normal(0, noise, 900)
    held = judged("trace", Window(at, {"s1": level}), values_of("line-sensors"), sensor=1)
    assert held.ready is ready, held.why_not


def test_readings_that_are_always_the_same_are_as_uncertain_as_their_size() -> None:
    for middle in (0.2, 1.0, 1000.0, 30_000.0):
        size = 1e-4 * max(middle, 1.0)
        at = np.full(9, middle)
        assert not differs(at, at + 3.5 * size)
        assert differs(at, at + 4.5 * size)


def from_rest(lag_s: float, speed: float, until_s: float, begins_s: float = 1.0) -> Window:
    """Edges of four magnets of a wheel that follows a step, by inverting its way numerically."""
    t = np.arange(0, until_s, 1e-4)
    s = np.maximum(t - begins_s, 0)
    turned = 0.1 + speed * (s - lag_s * (1 - np.exp(-s / lag_s)))
    marks = np.arange(1, int(turned[-1] * 4) + 1) / 4
    times = np.interp(marks, turned, t)
    return Window(times, {"edge": times * 1e6})


def test_a_motor_s_lag_is_taken_once_it_runs_steadily_and_began_at_rest() -> None:
    values = values_of("hall-switch", magnets=4)
    said = {
        "stands": judged("motor-lag", from_rest(0.4, 8, 1.05), values),
        "run on": judged("motor-lag", from_rest(0.4, 8, 1.6), values),
        "gains": judged("motor-lag", from_rest(1.5, 8, 2.6), values),
        "already": judged("motor-lag", from_rest(0.001, 8, 3.0), values),
    }
    assert "It stands" in said["stands"].why_not
    assert "let it run on" in said["run on"].why_not
    assert "still gains speed" in said["gains"].why_not
    assert "turning already" in said["already"].why_not
    seen = from_rest(0.4, 8, 4.0)
    assert judged("motor-lag", seen, values).ready
    taken = procedure("motor-lag").take(seen, "run 1", values)
    assert taken.lag_s == pytest.approx(0.4, rel=0.01)
    assert taken.speed == pytest.approx(8, rel=0.001)
    with pytest.raises(BadInput, match="too few marks"):
        procedure("motor-lag").take(from_rest(0.4, 8, 1.5), "run 1", values)


@pytest.mark.parametrize("seed", range(8))
def test_a_lag_of_which_few_marks_tell_is_refused_or_within_its_plus_minus(seed: int) -> None:
    """Four marks a turn, and a lag that is over within a mark or two."""
    values, rng = values_of("hall-switch", magnets=4), np.random.default_rng(seed)
    lag = rng.uniform(0.05, 0.15)
    edges = from_rest(lag, 2, 6.0, 1.0 + rng.uniform(0, 0.1)).channels["edge"]
    edges = edges + 1e6 * rng.normal(0, 1e-3, edges.size)
    seen = Window(edges / 1e6, {"edge": edges})
    if judged("motor-lag", seen, values).ready:
        taken = procedure("motor-lag").take(seen, "run 1", values)
        assert abs(taken.lag_s - lag) < 2.5 * taken.lag_sd


def passed(width_mm: float, speed: float, seconds: float = 4.0, tape_mm: float = 19.0) -> Window:
    """Counts of one sensor while tape passes under a round spot, by a fine sum over the disc."""
    t = np.arange(0, seconds, 0.02)
    x, y = np.meshgrid(*[np.linspace(-1, 1, 201)] * 2)
    across = x[x**2 + y**2 < 1] * width_mm / 2
    way = speed * (t - seconds / 2)
    dark = np.array([np.mean(np.abs(at + across) < tape_mm / 2) for at in way])
    return Window(t, {"s1": np.round(180 + 560 * dark)})


@pytest.mark.parametrize("width", [4.0, 7.0, 11.0])
def test_a_spot_is_as_wide_as_the_disc_that_passed(width: float) -> None:
    values = values_of("line-sensors")
    seen = passed(width, 18.0)
    assert judged("spot", seen, values, "pass 1").ready
    (share,) = procedure("spot").take(seen, "pass 1", values).shares
    assert 19 * share == pytest.approx(width, rel=0.02)


@pytest.mark.parametrize(
    "seen",
    [
        passed(7.0, 18.0, 1.2),  # it ends over the tape
        passed(7.0, 900.0),  # too fast to see an edge
        passed(25.0, 18.0),  # wider than the tape
        Window(np.arange(0, 4, 0.02), {"s1": np.full(200, 180.0)}),  # it never crossed
    ],
)
def test_a_pass_that_tells_no_width_is_asked_for_again(seen: Window) -> None:
    values = values_of("line-sensors")
    holding = judged("spot", seen, values, "pass 1")
    assert not holding.ready
    assert "pale over dark to pale" in holding.why_not
    with pytest.raises(BadInput, match="crossed the tape"):
        procedure("spot").take(seen, "pass 1", values)


def test_one_pass_of_one_sensor_has_no_plus_minus() -> None:
    values = values_of("line-sensors")
    taken = procedure("spot").take(passed(7.0, 18.0), "pass 1", values)
    outcome = procedure("spot").fit([Step("pass 1", "pass 1", {}, taken)], values)
    assert "push it across again" in outcome.why_not
    assert outcome.constants == ()
