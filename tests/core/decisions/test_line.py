"""Line thresholds: odds of every threshold, the safest one, what is said of heaps that overlap, and the truth
table."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import gaussian_kde, norm
from sklearn.metrics import roc_curve

from tests.core.decisions.seen import row_seen, values_of
from tickstone.core.decisions import heaps
from tickstone.core.decisions.catalogue import decision
from tickstone.core.decisions.decision import Marked, Question
from tickstone.core.decisions.line import SAFE_SDS, one_for_all, sensor_odds
from tickstone.core.decisions.steering import ACTIONS, check_lamps, flags_of, reachable, usual_action
from tickstone.core.line_row import BROKEN, patterns, place_of
from tickstone.core.thresholds import Population
from tickstone.errors import BadInput

REFERENCE = json.loads((Path(__file__).parents[2] / "reference" / "c_threshold.json").read_text())
TABLE = REFERENCE["tables"]["two_gaussian_bayes_threshold"]
TOP = 1023
counts = st.lists(st.integers(0, TOP), min_size=1, max_size=60)


@given(counts, counts)
def test_the_misreads_of_every_threshold_are_those_of_a_roc_curve(low: list[int], high: list[int]) -> None:
    """scikit-learn's roc_curve calls a reading high from its threshold on; ours from above it: one count
    less."""
    found = heaps.counted(low, high, TOP)
    wrong, right, at = roc_curve([0] * len(low) + [1] * len(high), [*low, *high], drop_intermediate=False)
    for false, true, t in zip(wrong[1:], right[1:], at[1:], strict=True):
        if t >= 1:
            assert found[int(t) - 1] == round(false * len(low) + (1 - true) * len(high))


@pytest.mark.parametrize("row", [row for row in TABLE["rows"] if row[4] == 0.5 and row[0] < row[2]])
def test_the_fit_is_least_where_two_normals_cross(row: list[float]) -> None:
    """Reference table: scipy.stats.norm and a root finder."""
    m1, s1, m2, s2, _, _, bayes, error, *_ = row
    t = np.linspace(m1, m2, 20_001)
    per_1000 = heaps.fitted(Population(m1, s1), Population(m2, s2), t)
    assert t[per_1000.argmin()] == pytest.approx(bayes, abs=2 * (m2 - m1) / 20_000)
    assert per_1000.min() / 1000 == pytest.approx(error, abs=1e-6)
    assert per_1000[0] == pytest.approx(500 * (0.5 + norm.sf((m2 - m1) / s2)), rel=1e-9)


def test_the_fit_holds_against_simulated_readings() -> None:
    random = np.random.default_rng(4)
    low, high = random.normal(200, 40, 200_000), random.normal(420, 60, 200_000)
    for t in (250, 292, 330):
        wrong = 1000 * ((low > t).mean() + (high <= t).mean()) / 2
        fit = heaps.fitted(Population(200, 40), Population(420, 60), [t])[0]
        assert wrong == pytest.approx(fit, abs=4 * np.sqrt(fit * 1000 / 400_000) + 0.02)


fits = st.builds(Population, st.floats(0, 1000), st.floats(0.3, 60))


@given(st.lists(st.tuples(fits, fits), min_size=1, max_size=5))
def test_no_other_threshold_has_a_greater_worst_margin(pairs: list[tuple[Population, Population]]) -> None:
    best = heaps.safest(pairs)

    def worst(t: float) -> float:
        return min(min(t - low.mean - 3 * low.sd, high.mean - 3 * high.sd - t) for low, high in pairs)

    assert worst(best.threshold) == pytest.approx(best.margin, abs=1e-6)
    assert all(worst(best.threshold + step) <= best.margin + 1e-9 for step in (-50, -1, -0.01, 0.01, 1, 50))


def test_a_lamp_that_lifts_everything_ruins_the_fewest_misreads_and_not_the_safest() -> None:
    """Common practice: black 120 ± 15 against white 800 ± 90 puts the fewest misreads at 221."""
    random = np.random.default_rng(1)
    black, white = random.normal(120, 15, 4000), random.normal(800, 90, 4000)
    alone = sensor_odds([black], [white], ["noon"], TOP)
    fewest = int(alone.table.fitted[0].argmin())
    assert fewest == pytest.approx(221, abs=4)
    lamp = heaps.table([heaps.pair("lamp", black + 60, white + 60)], TOP)
    assert lamp.margin_sds[0, fewest] < SAFE_SDS < lamp.margin_sds[0, round(alone.safest.threshold)]


def lights(sds: tuple[float, float, float], shift: float = 40.0, seed: int = 2):
    """Three sensors, pale low, under a lamp and without."""
    random = np.random.default_rng(seed)
    seen = []
    for number, lamp in enumerate((0, 1), 1):
        line = np.array([np.round(random.normal(700 - shift * lamp, sd, 600)) for sd in sds])
        ground = np.array([np.round(random.normal(200 - shift * lamp, sd, 600)) for sd in sds])
        seen.append(row_seen(line, ground, f"day {number}", number, lamp=("off", "on")[lamp]))
    return seen


def test_the_row_says_which_sensor_is_not_safe_and_why() -> None:
    values = values_of("line-sensors", sensors=3)
    line = decision("line")
    good = line.work(Question(lights((8, 9, 10))), values)
    assert good.good
    assert good.heading == "All three sensors are safe in every light"
    assert good.drawing is not None
    assert [row.title for row in good.drawing.rows] == ["left", "centre", "right"]
    assert good.drawing.rows[0].high_place == "line"
    assert all(row.odds.counted[round(good.choices[0].value)] == 0 for row in good.drawing.rows)
    assert {c.label for c in good.choices[0].candidates} == {
        "midpoint",
        "Otsu",
        "least error",
        "half of the scale",
    }
    assert good.choices[1].value == pytest.approx(6 * 8, rel=0.1)  # the band: six times the noise
    wide = line.work(Question(lights((8, 200, 10))), values)
    assert wide.heading == "Two sensors are safe in every light; centre is not"
    assert "no threshold works for centre" in wide.next
    one_light = line.work(Question(lights((8, 9, 10))[:1]), values)
    assert any("one light and one height only" in note for note in one_light.notes)


def test_heaps_that_move_with_the_light_are_the_lights_fault() -> None:
    found = decision("line").work(
        Question(lights((40, 8, 8), shift=300.0)), values_of("line-sensors", sensors=3)
    )
    assert found.drawing is not None
    assert found.drawing.rows[0].said == "its heaps move with the light"
    assert "shade left" in found.next


def test_one_threshold_for_all_says_what_it_costs() -> None:
    random = np.random.default_rng(3)
    base = np.array([[180.0], [300.0]])
    seen = row_seen(base + 400 + random.normal(0, 8, (2, 500)), base + random.normal(0, 8, (2, 500)))
    said = " ".join(decision("line").work(Question([seen]), values_of("line-sensors", sensors=2)).notes)
    assert "One threshold for all would stand at 4" in said
    assert "one for each leaves" in said


def test_a_recording_kept_aside_tests_and_never_chooses() -> None:
    values, seen = values_of("line-sensors", sensors=3), lights((8, 9, 10))
    aside = lights((60, 9, 10), seed=9)[0]
    found = decision("line").work(Question(seen, aside), values)
    assert found.drawing is not None
    odds = found.drawing.rows[0].odds
    t = round(found.choices[0].value)
    assert odds.tested_of == 1200
    expected = int((aside.channels["s1"][600:] <= t).sum() + (aside.channels["s1"][:600] > t).sum())
    assert odds.tested[t] == expected
    assert found.used == (1, 2)


def test_what_cannot_be_decided_is_said() -> None:
    values, line = values_of("line-sensors", sensors=3), decision("line")
    assert "nothing is recorded" in line.work(Question(), values).heading
    only = lights((8, 8, 8))[0]
    only = type(only)(1, "half", only.times_s, only.channels, {}, only.converted, only.valid, only.marks[:1])
    half = line.work(Question([only]), values)
    assert half.heading == "One heap is missing: a threshold stands between two"
    assert "over the line" in half.why_not
    flat = row_seen(np.full((3, 50), 300.0), np.full((3, 50), 300.0))
    with pytest.raises(BadInput, match=r"Sensor 1: .*read the same"):
        line.work(Question([flat]), values)
    day, night = lights((8, 8, 8))
    turned = row_seen(
        np.array([night.channels[f"s{i}"][:600] for i in (1, 2, 3)]),
        np.array([night.channels[f"s{i}"][600:] for i in (1, 2, 3)]),
        "turned",
        3,
    )
    with pytest.raises(BadInput, match="In turned ground and line are the other way round"):
        line.work(Question([day, turned]), values)
    constant = row_seen(np.full((3, 50), 700.0), np.full((3, 50), 200.0))
    assert line.work(Question([constant]), values).heading == "All three sensors are safe"


def test_marks_are_understood_however_they_are_said() -> None:
    assert place_of("over the line, 8 mm, lamp on") == ("line", {"height_mm": 8.0, "lamp": 1.0})
    assert place_of("White", {"lamp": "off", "supply_v": 7.4}) == ("ground", {"lamp": 0.0, "supply_v": 7.4})
    assert place_of("ground", {"lamp": 1, "height_mm": "?"}) == ("ground", {"lamp": 1.0})
    assert place_of("box stands") is None
    line = decision("line")
    span = Marked(0, 1, "ground", None, {})
    assert not line.speaks([span])
    assert line.speaks([span, Marked(1, 2, "black", None, {})])
    assert not line.speaks([span, Marked(1, 1, "black", None, {})])  # a moment is no span


# The truth table --------------------------------------------------------------------------------------------


def test_three_sensors_have_the_eight_states_of_the_trade() -> None:
    """Common practice: all white, left, left and middle, middle, middle and right, right, all black, and the
    broken one."""
    assert patterns(3) == ("000", "100", "110", "010", "011", "001", "111", BROKEN)
    assert len(patterns(8)) == 8 * 9 // 2 + 2
    assert patterns(1) == ("0", "1")
    assert [ACTIONS[usual_action(one)] for one in patterns(3)] == [
        "search on the last side",
        "left hard",
        "left",
        "straight on",
        "right",
        "right hard",
        "straight on",
        "as before",
    ]


def test_states_that_one_tape_cannot_give_are_known() -> None:
    can = [one for one in patterns(5) if reachable(one, 12.0, 19.0)]
    assert can == ["00000", "10000", "11000", "01000", "01100", "00100", "00110", "00010", "00011", "00001"]
    assert reachable("00100", 12.0, 6.0)
    assert not reachable("01100", 12.0, 6.0)


@pytest.mark.parametrize(
    ("pattern", "action", "said"),
    [
        ("100", 5, "steers away"),
        ("010", 2, "line is in the middle"),
        ("000", 0, "the line is lost"),
        ("110", 1, "mirror 011"),
    ],
)
def test_actions_that_contradict_a_state_are_flagged(pattern: str, action: int, said: str) -> None:
    actions = {one: usual_action(one) for one in patterns(3)}
    assert not any(flag.wrong for one in patterns(3) for flag in flags_of(one, actions, 0, 12.0, 19.0))
    actions[pattern] = action
    if pattern == "110":
        actions["011"] = 2
    assert any(flag.wrong and said in flag.text for flag in flags_of(pattern, actions, 0, 12.0, 19.0))


def test_two_sensors_astride_the_line_go_straight_on_while_neither_sees_it() -> None:
    """Common practice: sensors outside of the tape; the side that sees it is the side to steer to."""
    astride = {"sensors": 2, "pitch": 30.0, "tape": 19.0}
    found = decision("steering").work(Question([]), values_of("line-sensors", **astride))
    states = {state.pattern: state for state in found.drawing.rows}
    assert [ACTIONS[int(choice.suggested)] for choice in found.choices] == [
        "straight on",
        "left hard",
        "right hard",
        "straight on",
    ]
    assert "between the sensors" in states["00"].words
    assert found.good
    assert not any(flag.wrong for state in states.values() for flag in state.flags)
    assert any("astride" in note for note in found.notes)
    for kept_apart in (
        {"pitch": 12.0},
        {"aside": 40.0},
        {"sensors": 3},
    ):  # it covers both, one side alone, or has a middle
        other = decision("steering").work(
            Question([]), values_of("line-sensors", **{**astride, **kept_apart})
        )
        lost = next(choice for choice in other.choices if "1" not in choice.name.removeprefix("act_"))
        assert ACTIONS[int(lost.suggested)] == "search on the last side"
    straight = values_of("line-sensors", sensors=2, act_00=0.0)
    flags = next(
        one.flags
        for one in decision("steering").work(Question([]), straight).drawing.rows
        if one.pattern == "00"
    )
    assert any(flag.wrong and "line is lost" in flag.text for flag in flags)


def test_states_are_counted_by_the_chosen_thresholds() -> None:
    seen = lights((8, 8, 8))[0]
    usual = decision("steering").work(Question([seen]), values_of("line-sensors", sensors=3))
    assert {state.pattern: state.seen for state in usual.drawing.rows if state.seen} == {
        "000": 600,
        "111": 600,
    }
    moved = values_of("line-sensors", sensors=3, threshold_s2=900)
    found = {
        state.pattern: state for state in decision("steering").work(Question([seen]), moved).drawing.rows
    }
    assert found[BROKEN].seen == 600
    assert any(not flag.wrong and "seen 600 times all the same" in flag.text for flag in found[BROKEN].flags)


def test_the_check_lamps_show_left_middle_and_right() -> None:
    assert check_lamps([True, False, False]) == (True, False, False)
    assert check_lamps([False, True]) == (False, False, True)
    assert check_lamps([False, False, True, False, False]) == (False, True, False)
    assert check_lamps([False, True, True, False]) == (False, True, False)
    assert check_lamps([False, False, False, True]) == (False, False, True)


@pytest.mark.parametrize("spread", [0.0, 9.0])
def test_the_shape_of_a_heap_is_that_of_a_general_kernel_density(spread: float) -> None:
    """scipy's gaussian_kde with Silverman's width; codes that are all the same get the drawing's own
    grain."""
    values = np.round(400 + np.random.default_rng(3).normal(0, 1, 500) * spread)
    width = max(1.06 * values.std() * 500 ** (-1 / 5), 1023 / 600.0)
    drawn = np.array(heaps.outline(values, 0, 1023))
    assert drawn[:, 1].max() == pytest.approx(1.0)
    # what is below a thousandth is left out
    assert values.min() - 3.6 * width <= drawn[0, 0] < values.min() - 1.5 * width
    assert values.max() + 1.5 * width < drawn[-1, 0] <= values.max() + 3.6 * width
    expected = norm.pdf(drawn[:, :1], values[None, :], width).mean(axis=1)
    # codes go to a grid
    assert drawn[:, 1] == pytest.approx(expected / expected.max(), abs=0.05 if spread else 0.09)
    if spread:
        general = gaussian_kde(values, bw_method=width / values.std(ddof=1))(drawn[:, 0])
        assert drawn[:, 1] == pytest.approx(general / general.max(), abs=0.05)


def test_marks_of_moments_and_of_other_things_change_nothing() -> None:
    values, (day, _) = values_of("line-sensors", sensors=3), lights((8, 8, 8))
    begin, middle = day.marks[0].t0_s, day.marks[1].t0_s
    others = (
        Marked(begin + 1, middle + 1, "50 cm", {"quantity": "distance", "value": 500.0}, {}, 90),
        Marked(begin + 1, middle + 1, "left", None, {}, 91),
        Marked(begin + 1, begin + 1, "line", None, {}, 92),
        Marked(middle + 1, middle + 1, "ground", None, {}, 93),
    )
    more = replace(day, marks=(*day.marks, *others))
    assert decision("line").work(Question([more]), values) == decision("line").work(Question([day]), values)


def test_a_mark_of_a_moment_is_no_span() -> None:
    day, _ = lights((8, 8, 8))
    moment = Marked(day.marks[1].t0_s, day.marks[1].t0_s, "line", None, {}, 99)
    half = type(day)(
        1, "half", day.times_s, day.channels, {}, day.converted, day.valid, (day.marks[0], moment)
    )
    assert (
        "over the line"
        in decision("line").work(Question([half]), values_of("line-sensors", sensors=3)).why_not
    )


def test_one_threshold_for_all_may_be_the_very_top_of_the_converter() -> None:
    random = np.random.default_rng(3)
    ground, line = random.normal(249, 9, 400).clip(0, 255).round(), np.full(400, 255.0)
    shared = one_for_all((sensor_odds([line], [ground], ["noon"], 255),))
    assert shared is not None
    assert (shared.threshold, shared.worst) == (255.0, 0)
    assert shared.margin < 0
