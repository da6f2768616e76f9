"""RPM, speed and distance from pulses; timers, gates, wheels."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import pulses, quadrature
from tickstone.errors import BadInput

DATA = Path(__file__).parents[1] / "reference" / "data"


@pytest.mark.parametrize(("hz", "rpm"), [(3.9, 234), (94, 5640)], ids=["3.9 Hz", "94 Hz"])  # common practice
def test_common_rates(hz: float, rpm: float) -> None:
    assert run("rpm", {"frequency_hz": hz})["rpm"] == pytest.approx(rpm)


def test_the_eight_bit_boards_timer_of_common_practice() -> None:
    found = run("timer-range", {"clock_hz": 8e6, "prescaler": 256})
    assert (found["ticks_per_s"], found["max_rpm"]) == (31_250, 1_875_000)
    assert found["min_rpm"] == pytest.approx(28.6, abs=0.05)


@pytest.mark.parametrize("row", rows("h_rpm", "timer_range"), ids=str)
def test_timer_range_against_the_table(row: dict) -> None:
    given = {"clock_hz": row["clock Hz"], "prescaler": row["prescale"], "bits": row["bits"]}
    found = run("timer-range", given)
    assert found["tick_us"] == pytest.approx(row["resolution us"])
    assert found["min_rpm"] == pytest.approx(row["slowest rpm at 1 pulse/rev"], rel=1e-8)


@pytest.mark.parametrize("row", rows("h_rpm", "quantisation"), ids=str)
def test_quantisation_against_the_table(row: dict) -> None:
    n, clock, gate, rpm = row["pulses/rev"], row["clock Hz"], row["gate s"], row["rpm"]
    assert run("gate-count", {"gate_s": gate, "pulses_per_turn": n})["rpm_step"] == pytest.approx(
        row["gate: rpm step 60/(n Tg)"]
    )
    timed = run(
        "timer-range", {"clock_hz": clock, "prescaler": 1, "bits": 64, "pulses_per_turn": n, "rpm": rpm}
    )
    assert timed["rpm_step"] == pytest.approx(row["period: rpm step rpm f/fc"])
    assert pulses.gate_error_pct(rpm, gate, n) == pytest.approx(row["gate error %"])
    assert pulses.period_error_pct(rpm, clock, n) == pytest.approx(row["period error %"])


@pytest.mark.parametrize("row", rows("h_rpm", "crossover"), ids=str)
def test_crossover_against_the_table(row: dict) -> None:
    found = run("gate-count", {"gate_s": row["gate s"], "ticks_per_s": row["f_clock Hz"]})
    assert found["crossover_hz"] == pytest.approx(row["f0 = sqrt(fc/Tg) Hz"], rel=1e-8)


@pytest.mark.parametrize("row", rows("h_rpm", "period_to_speed"), ids=str)
def test_periods_against_the_table(row: dict) -> None:
    n, around = row["pulses/rev"], math.pi * row["wheel diameter m"] * 1000
    found = run("rpm", {"period_us": row["period us"], "pulses_per_turn": n})
    assert found["rpm"] == pytest.approx(row["rpm"], rel=1e-8)
    speed = run("wheel-speed", {"rpm": found["rpm"], "circumference_mm": around})
    for field, column in (("speed_m_s", "m/s"), ("speed_km_h", "km/h"), ("speed_mph", "mph")):
        assert speed[field] == pytest.approx(row[column], rel=1e-8)


@pytest.mark.parametrize("row", rows("h_rpm", "odometer"), ids=str)
def test_odometer_against_the_table(row: dict) -> None:
    given = {
        "counts": row["pulses"],
        "steps_per_turn": row["pulses/rev"],
        "diameter_mm": row["diameter m"] * 1000,
    }
    assert run("roller", given)["distance_mm"] / 1000 == pytest.approx(row["distance m"], rel=1e-8)


@pytest.mark.parametrize("row", rows("h_rpm", "wraparound"), ids=str)
def test_roll_over_against_the_table(row: dict) -> None:
    given = {"start": row["t0 ticks"], "stop": row["t1 ticks"], "bits": row["bits"]}
    assert run("ticks-elapsed", given)["ticks"] == row["dt ticks"]


@pytest.mark.parametrize("row", rows("h_rpm", "no_pulse_upper_bound"), ids=str)
def test_the_shown_rpm_falls_while_no_pulse_comes(row: dict) -> None:
    assert pulses.rpm_bound(row["seconds since last pulse"], row["pulses/rev"]) == row["rpm is less than"]


def test_unequal_magnets_ripple_once_a_turn() -> None:
    table = rows("h_rpm", "uneven_magnets_1000rpm_4_magnets")
    gaps = [row["seconds"] * 1e6 for row in table if str(row["interval"]).startswith("magnet")]
    edges = np.concatenate([[0.0], np.cumsum(gaps * 3)])
    seen = pulses.rpm_at_edges(edges, 4)[1:5]
    np.testing.assert_allclose(seen, [r["rpm from that interval alone"] for r in table][:4], rtol=1e-8)
    assert run("edges", {"edges_us": edges.tolist(), "pulses_per_turn": 4})["rpm"] == pytest.approx(
        1000, rel=1e-6
    )


def test_edges_by_the_definitions() -> None:
    base = [0, 20_000, 40_000, 60_000, 100_000, 120_000, 126_000, 140_000]
    found = run("edges", {"edges_us": base, "pulses_per_turn": 2, "circumference_mm": 500})
    assert found["rpm"] == pytest.approx(60e6 * 7 / (2 * 140_000))
    assert found["rpm_last"] == pytest.approx(60e6 / (2 * 14_000))
    assert (found["suspected_missed"], found["suspected_doubled"], found["rejected"]) == (1, 1, 0)
    assert found["distance_mm"] == pytest.approx(7 * 500 / 2)
    dead = run("edges", {"edges_us": base, "refractory_us": 8000})
    assert (dead["rejected"], dead["suspected_doubled"]) == (1, 0)
    assert run("edges", {"edges_us": [5, 5, 5, 10]})["rejected"] == 2
    wrapped = run("edges", {"edges_us": [65_000, 500, 1536], "bits": 16})
    assert wrapped["rpm"] == pytest.approx(60e6 * 2 / 2072)
    alone = run("edges", {"edges_us": [7]})
    assert (alone["rpm"], alone["rpm_last"], len(alone["warnings"])) == (None, None, 1)


@given(st.lists(st.integers(0, 400), min_size=2, max_size=200), st.integers(0, 300))
def test_dead_time_against_a_plain_loop(gaps: list[int], refractory: int) -> None:
    edges = np.cumsum(gaps).astype(float)
    kept, last = [True], edges[0]
    for edge in edges[1:]:
        fine = edge > last and edge - last >= refractory
        kept.append(bool(fine))
        last = edge if fine else last
    assert pulses.accepted(edges, float(refractory)).tolist() == kept


def test_a_recorded_wheel_encoder_turns_as_its_count_says() -> None:
    """Rotary encoder, open data (see tests/reference/data): the same edges as count and as two wires."""
    table = np.loadtxt(DATA / "rotary_encoder_real_us_A.csv", delimiter=",", skiprows=1)
    stamps, count = table[:, 0], table[:, 1]
    cycle = [(0, 0), (1, 0), (1, 1), (0, 1)]
    a, b = np.array([cycle[int(c) % 4] for c in count]).T
    found = quadrature.decode(a, b)
    single = np.abs(np.diff(count)) <= 1
    np.testing.assert_array_equal(np.diff(found.count)[single], np.diff(count)[single])
    rising = stamps[np.flatnonzero(np.diff(stamps, prepend=-1) > 0)]
    rpm = pulses.rpm_at_edges(rising, 1024)
    assert np.nanmedian(rpm) == pytest.approx(60e6 / 1024 / np.median(np.diff(rising)), rel=0.01)


@given(st.lists(st.sampled_from([-1, 0, 1]), max_size=60))
def test_quadrature_follows_any_walk(steps: list[int]) -> None:
    place = np.concatenate([[0], np.cumsum(steps)]).astype(int)
    cycle = [(0, 0), (1, 0), (1, 1), (0, 1)]
    a, b = np.array([cycle[p % 4] for p in place]).T
    found = quadrature.decode(a, b)
    np.testing.assert_array_equal(found.count, place)
    assert found.illegal == 0
    assert quadrature.decode([0, 1], [0, 1]).illegal == 1
    with pytest.raises(BadInput, match="levels 0 and 1"):
        quadrature.decode([0, 2], [0, 0])


def test_the_plan_is_the_best_of_all_prescalers_and_methods() -> None:
    given = {
        "clock_hz": 16e6,
        "prescalers": [1, 8, 64, 256, 1024],
        "rpm_min": 60,
        "rpm_max": 6000,
        "curve_points": 9,
    }
    plan = run("timer-plan", given)
    assert {one["prescaler"] for one in plan["rejected"]} == {1, 8, 64}
    assert (plan["prescaler"], plan["method"]) == (256, "period")
    by_hand = {
        (p, m): max(e)
        for p in (256, 1024)
        for m, e in (
            ("period", [100 * rpm / (60 * 16e6 / p) for rpm in (60, 6000)]),
            ("gate", [100 * 60 / rpm for rpm in (60, 6000)]),
        )
    }
    assert min(by_hand, key=by_hand.__getitem__) == (256, "period")
    assert max(plan["error_pct_low"], plan["error_pct_high"]) == pytest.approx(by_hand[256, "period"])
    curves = {curve["prescaler"]: curve for curve in plan["curves"]}
    assert curves[256]["error_pct"][-1] == pytest.approx(plan["error_pct_high"])
    assert curves[64]["rpm"][0] == pytest.approx(curves[64]["slow_rpm"])
    assert curves[None]["slow_rpm"] == 60
    fast = run("timer-plan", {**given, "rpm_min": 300_000, "rpm_max": 2_000_000, "prescalers": [1024]})
    assert fast["method"] == "gate"  # 0.02 % at worst, against 213 % of one tick


@pytest.mark.parametrize(
    ("name", "given", "field", "value"),
    [
        ("video-rpm", {"fps": 240, "frames": 48}, "rpm", 300),
        ("video-rpm", {"fps": 240, "frames": 48}, "rpm_low", 60 * 240 / 49),
        ("video-rpm", {"fps": 240, "frames": 48}, "rpm_high", 60 * 240 / 47),
        ("motor-constant-rpm", {"kv_rpm_per_v": 900, "volts": 10, "load_fraction": 0.8}, "rpm", 7200),
        ("roll-out", {"turns": 10, "distance_mm": 2042, "distance_sd_mm": 5}, "circumference_sd_mm", 0.5),
        (
            "roller",
            {"counts": 1, "steps_per_turn": 30, "diameter_mm": 30},
            "step_mm",
            3.14159265,
        ),  # common practice
        ("pass-time", {"rpm": 600, "radius_mm": 50, "width_mm": 10 * math.pi, "loop_ms": 5}, "pass_ms", 10.0),
        (
            "wheel-speed",
            {"frequency_hz": 2, "pulses_per_turn": 2, "circumference_mm": 1200},
            "speed_m_s",
            1.2,
        ),
    ],
)
def test_closed_forms(name: str, given: dict, field: str, value: float) -> None:
    assert run(name, given)[field] == pytest.approx(value, rel=1e-6)


def test_a_loop_that_looks_less_than_twice_needs_an_interrupt() -> None:
    given = {"rpm": 600, "radius_mm": 50, "width_mm": 10 * math.pi}
    assert not run("pass-time", {**given, "loop_ms": 4.99})["needs_interrupt"]
    assert run("pass-time", {**given, "loop_ms": 5.01})["needs_interrupt"]
