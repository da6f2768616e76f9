"""Control rules, step responses, odometry: against tables, python-control and fine integration."""

from __future__ import annotations

import math

import control
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import motion

RULES = {
    "P": "zn-p",
    "PI": "zn-pi",
    "PID classic": "zn-pid",
    "no overshoot": "no-overshoot",
    "some overshoot": "some-overshoot",
}


@pytest.mark.parametrize(
    "row", [r for r in rows("j_pid", "ultimate_cycle_worked") if r["rule"] in RULES], ids=str
)
def test_ultimate_cycle_rules_against_the_table(row: dict) -> None:
    found = run("pid-rule", {"ku": row["Ku"], "tu_s": row["Tu"], "rule": RULES[row["rule"]]})
    for field, column in (
        ("kp", "Kp"),
        ("ti_s", "Ti"),
        ("td_s", "Td"),
        ("ki", "Ki=Kp/Ti"),
        ("kd", "Kd=Kp Td"),
    ):
        wanted = row[column]
        assert found[field] == (wanted if wanted is None else pytest.approx(wanted, rel=1e-8))


@pytest.mark.parametrize("row", rows("j_pid", "fopdt_rules"), ids=str)
def test_lag_rules_against_the_table(row: dict) -> None:
    plant = {"gain": row["K"], "lag_s": row["tau"], "delay_s": row["theta"]}
    for rule, kp, ti, td in (
        ("zn-open-loop-pid", "ZN PID Kc", "Ti", "Td"),
        ("cohen-coon-pid", "CC PID Kc", "CC Ti", "CC Td"),
        ("simc-pi", "SIMC PI Kc (tau_c=theta)", "SIMC Ti", None),
    ):
        found = run("lag-rule", {**plant, "rule": rule})
        assert found["kp"] == pytest.approx(row[kp], rel=1e-8)
        assert found["ti_s"] == pytest.approx(row[ti], rel=1e-8)
        assert found["td_s"] == (None if td is None else pytest.approx(row[td], rel=1e-8))


@pytest.mark.parametrize("row", rows("j_pid", "relay_formula"), ids=str)
def test_relay_against_the_table(row: dict) -> None:
    given = {
        "relay_amplitude": row["d"],
        "oscillation_amplitude": row["a"],
        "hysteresis": row["eps"],
        "period_s": 2.5,
    }
    assert run("relay", given) | {"steps": [], "assumptions": []} == {
        "ku": pytest.approx(row["Ku"], rel=1e-8),
        "tu_s": 2.5,
        "steps": [],
        "assumptions": [],
        "warnings": [],
    }


@pytest.mark.parametrize("row", rows("j_pid", "relay_simulated"), ids=str)
def test_a_simulated_relay_finds_the_ultimate_gain_of_its_plant(row: dict) -> None:
    given = {
        "relay_amplitude": row["d"],
        "oscillation_amplitude": row["amplitude a"],
        "hysteresis": row["hysteresis eps"],
    }
    assert run("relay", given)["ku"] == pytest.approx(row["with eps correction"], rel=1e-6)
    if row["hysteresis eps"] == 0:
        # the describing function's own error
        assert run("relay", given)["ku"] == pytest.approx(row["true Ku"], rel=0.03)


@pytest.mark.parametrize("row", rows("j_pid", "second_order_step"), ids=lambda r: f"zeta={r['zeta (wn=1)']}")
def test_step_metrics_of_a_second_order_system_against_python_control(row: dict) -> None:
    zeta = row["zeta (wn=1)"]
    t = np.linspace(0, max(30, 6 / zeta), 40_001)
    _, y = control.step_response(control.tf([1], [1, 2 * zeta, 1]), t)
    found = run("step-metrics", {"times_s": t.tolist(), "values": y.tolist(), "target": 1.0})
    assert found["overshoot_pct"] == pytest.approx(row["overshoot % exact"], abs=0.05)
    if row["overshoot % exact"] > 0.01:
        assert found["peak_time_s"] == pytest.approx(row["peak time exact"], abs=0.01)
    theirs = control.step_info(control.tf([1], [1, 2 * zeta, 1]), T=t)
    assert found["rise_s"] == pytest.approx(theirs["RiseTime"], abs=5e-3)
    assert found["settling_s"] == pytest.approx(theirs["SettlingTime"], abs=2e-2)


def test_a_step_downwards_is_measured_the_same() -> None:
    t = np.linspace(0, 30, 3001)
    _, y = control.step_response(control.tf([1], [1, 0.6, 1]), t)
    up = run("step-metrics", {"times_s": t.tolist(), "values": y.tolist(), "target": 1.0})
    down = run("step-metrics", {"times_s": (t + 7).tolist(), "values": (20 - 5 * y).tolist(), "target": 15.0})
    for field in ("overshoot_pct", "peak_time_s", "rise_s", "settling_s"):
        assert down[field] == pytest.approx(up[field], rel=1e-6)
    assert down["steady_error"] == pytest.approx(-5 * up["steady_error"], abs=1e-9)
    never = run("step-metrics", {"times_s": [0, 1, 2], "values": [0, 0.2, 0.3], "target": 1.0})
    assert (never["rise_s"], never["settling_s"]) == (None, None)


def test_a_servo_is_held_at_its_stops() -> None:
    """Common practice: ±1 onto 80 to 120°."""
    ends = {"in_low": -1, "in_high": 1, "out_low": 80, "out_high": 120}
    assert run("servo-map", {"value": 0.5, **ends})["mapped"] == 110
    found = run("servo-map", {"value": 1.5, **ends})
    assert (found["mapped"], found["clamped"], found["saturated"]) == (130, 120, True)
    backwards = run("servo-map", {"value": 0.5, "in_low": -1, "in_high": 1, "out_low": 120, "out_high": 80})
    assert backwards["mapped"] == 90


@pytest.mark.parametrize("row", rows("k_motion", "diff_drive_exact"), ids=str)
def test_arcs_against_the_table(row: dict) -> None:
    given = {
        "left_mm": 1000 * row["vl"] * row["dt"],
        "right_mm": 1000 * row["vr"] * row["dt"],
        "track_mm": 1000 * row["track b"],
        "x_mm": 1000 * row["x"],
        "y_mm": 1000 * row["y"],
        "heading_deg": math.degrees(row["theta"]),
    }
    found = run("arc-step", given)
    assert found["x_mm"] / 1000 == pytest.approx(row["x1"], abs=1e-7)
    assert found["y_mm"] / 1000 == pytest.approx(row["y1"], abs=1e-7)
    assert math.radians(found["heading_deg"]) == pytest.approx(row["theta1 (unwrapped)"], abs=1e-7)


@pytest.mark.parametrize("row", rows("k_motion", "tick_odometry_from_origin"), ids=str)
def test_odometry_of_ticks_against_the_table(row: dict) -> None:
    per_tick = math.pi * row["wheel d m"] * 1000 / row["ticks/rev"]
    given = {
        "left_mm": per_tick * row["left ticks"],
        "right_mm": per_tick * row["right ticks"],
        "track_mm": 1000 * row["track m"],
    }
    found = run("arc-step", given)
    assert found["x_mm"] / 1000 == pytest.approx(row["x"], abs=1e-8)
    assert found["y_mm"] / 1000 == pytest.approx(row["y"], abs=1e-8)
    assert found["heading_deg"] == pytest.approx(row["dtheta deg"], abs=1e-6)


wheel = st.floats(-500, 500)


@given(wheel, wheel, st.floats(50, 500), st.floats(-180, 180))
def test_an_arc_against_fine_integration(left: float, right: float, track: float, heading: float) -> None:
    n = 2000
    turn, way = (right - left) / track, (left + right) / 2
    along = math.radians(heading) + turn * (np.arange(n) + 0.5) / n
    found = run("arc-step", {"left_mm": left, "right_mm": right, "track_mm": track, "heading_deg": heading})
    assert found["x_mm"] == pytest.approx(float(np.cos(along).sum()) * way / n, abs=1e-3)
    assert found["y_mm"] == pytest.approx(float(np.sin(along).sum()) * way / n, abs=1e-3)
    assert found["heading_deg"] == pytest.approx(heading + math.degrees(turn))


@pytest.mark.parametrize("aside", [0.0, 1e-9, 6.9e-3, 8e-3, 0.1])
def test_an_arc_that_is_nearly_straight_is_as_exact_as_any(aside: float) -> None:
    """The chord by numpy.sinc, sin(πx)/(πx), of half the turn."""
    half = aside / 150
    x, y, heading = motion.arc_step(1000 - aside, 1000 + aside, 150)
    chord = 1000 * np.sinc(half / math.pi)
    assert (x, y) == pytest.approx((chord * math.cos(half), chord * math.sin(half)), rel=1e-12)
    assert heading == pytest.approx(math.degrees(2 * half), rel=1e-12)


@given(st.floats(-89, 89))
def test_grades_go_there_and_back(angle: float) -> None:
    percent = run("grade", {"angle_deg": angle})["grade_pct"]
    assert run("grade", {"grade_pct": percent})["angle_deg"] == pytest.approx(angle, abs=1e-6)


def test_a_square_cart_tips_at_45_degrees() -> None:
    found = run("tip-over", {"track_mm": 300, "cog_height_mm": 150})
    assert (found["angle_deg"], found["grade_pct"]) == (pytest.approx(45), pytest.approx(100))
