"""Accelerometers, gyros, fusion: against tables, closed forms, and the AHRS, filterpy and allantools
libraries."""

from __future__ import annotations

import json
from pathlib import Path

import ahrs
import allantools
import numpy as np
import pytest
from filterpy.kalman import KalmanFilter
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import inertial

REFERENCE = Path(__file__).parents[1] / "reference"


@pytest.mark.parametrize("row", rows("d_tilt", "tilt_from_g"), ids=str)
def test_tilt_against_the_table(row: dict) -> None:
    found = run("tilt", {"ax_g": row["ax"], "ay_g": row["ay"], "az_g": row["az"]})
    assert found["norm_g"] == pytest.approx(row["norm"], rel=1e-8)
    assert found["pitch_deg"] == pytest.approx(row["pitch=atan2(-ax,hyp(ay,az))"], abs=1e-6)
    assert found["tilt_deg"] == pytest.approx(row["inclination acos(az/norm)"], abs=1e-6)
    off = (found["roll_deg"] - row["roll=atan2(ay,az)"]) % 360
    assert min(off, 360 - off) < 1e-6
    assert found["valid"] == (abs(row["norm"] - 1) <= 0.1)
    assert -180 < found["roll_deg"] <= 180


angles = st.floats(-80, 80)


@given(st.floats(-179, 179), angles)
def test_tilt_against_the_ahrs_library(roll: float, pitch: float) -> None:
    g = inertial.gravity_at(roll, pitch)
    q = ahrs.filters.Tilt(np.atleast_2d(g)).Q[0]
    theirs = np.degrees(ahrs.Quaternion(q).to_angles())
    ours = inertial.tilt(*g)
    assert float(ours.pitch_deg) == pytest.approx(pitch, abs=1e-6)
    assert float(ours.roll_deg) == pytest.approx(roll, abs=1e-6)
    assert theirs[:2] == pytest.approx([roll, pitch], abs=1e-5)


@given(st.floats(-170, 170), angles, st.floats(0.01, 50))
def test_tilt_does_not_care_for_scale(roll: float, pitch: float, scale: float) -> None:
    g = inertial.gravity_at(roll, pitch)
    one, other = inertial.tilt(*g), inertial.tilt(*(g * scale))
    for name in ("roll_deg", "pitch_deg", "tilt_deg"):
        assert float(getattr(other, name)) == pytest.approx(float(getattr(one, name)), abs=1e-6)


def test_minus_negates_all_axes_first() -> None:
    plus = run("tilt", {"ax_g": 0.1, "ay_g": -0.2, "az_g": 0.95})
    minus = run("tilt", {"ax_g": -0.1, "ay_g": 0.2, "az_g": -0.95, "flat_reads": "minus"})
    assert [plus[k] for k in ("roll_deg", "pitch_deg", "tilt_deg")] == [
        minus[k] for k in ("roll_deg", "pitch_deg", "tilt_deg")
    ]
    assert plus["words"] == "nose up 5.9°, right side up 11.9°"
    assert inertial.tilt_words(0.01, -0.01) == "level"


@pytest.mark.parametrize("row", rows("d_tilt", "counts_to_g_to_tilt"), ids=str)
def test_analogue_counts_against_the_table(row: dict) -> None:
    given = {
        "counts": row["code"],
        "bits": row["bits"],
        "reference_v": row["vref"],
        "zero_g_v": row["zero-g V"],
        "v_per_g": row["V/g"],
    }
    found = run("analogue-acceleration", given)
    assert found["accel_g"] == pytest.approx(row["g"], abs=1e-8)
    alone = float(inertial.tilt_one_axis_deg(found["accel_g"]))
    if row["asin(g) deg"] is None:
        assert np.isnan(alone)
    else:
        assert alone == pytest.approx(row["asin(g) deg"], abs=1e-6)


def test_the_six_poses_of_common_practice() -> None:
    poses = {f"{sign}{axis}": 411 if sign == "+" else 277 for sign in "+-" for axis in "xyz"}
    found = run("six-pose", {"poses": poses})
    assert (found["offset"], found["counts_per_g"]) == ([344] * 3, [67] * 3)
    turned = run("six-pose", {"poses": {**poses, "+y": 277, "-y": 411}})
    assert turned["counts_per_g"][1] == -67
    assert turned["warnings"]


def test_full_fit_of_six_exact_poses_against_the_table() -> None:
    poses = [list(row.values()) for row in rows("g_calib", "six_position_exact")]
    for row in rows("g_calib", "six_position_apply"):
        found = run("six-pose-fit", {"rows": poses, "apply": [row["raw x"], row["raw y"], row["raw z"]]})
        assert found["applied_g"] == pytest.approx([row["full gx"], row["full gy"], row["full gz"]], abs=1e-8)
        assert found["applied_simple_g"] == pytest.approx(
            [row["simple gx"], row["simple gy"], row["simple gz"]], abs=1e-8
        )
        assert found["residual_sd"] == pytest.approx(0, abs=1e-9)


def test_full_fit_of_noisy_poses_against_numpys_own() -> None:
    raw = json.loads((REFERENCE / "g_calib.json").read_text())["noisy_six_position_raw"]["rows"]
    found = run("six-pose-fit", {"rows": raw})
    table = {
        row["parameter"]: row["numpy.linalg.lstsq on 96 noisy integer rows (g_calib.json)"]
        for row in rows("g_calib", "six_position_noisy_fit")
    }
    for i in range(3):
        assert found["matrix_offset"][i] == pytest.approx(table[f"b{i + 1}"], rel=1e-6)
        for j in range(3):
            assert found["matrix"][i][j] == pytest.approx(table[f"M{i + 1}{j + 1}"], rel=1e-6)
    assert found["residual_sd"] == pytest.approx(table["rms residual (counts, per axis pooled)"], rel=1e-6)


def test_rest_and_motion_are_told_apart() -> None:
    # a bias as seen in real recordings
    noise = np.random.default_rng(4).normal([4.3, -1.0, 0.2], 0.05, (400, 3))
    still = run("stillness", {"samples": noise.tolist(), "rate_hz": 100, "limit": 0.2})
    assert still["still"]
    assert still["bias"] == pytest.approx([4.3, -1.0, 0.2], abs=0.01)
    assert still["sd"] == pytest.approx([0.05] * 3, rel=0.15)
    turning = noise + np.linspace(0, 1, 400)[:, None]
    assert not run("stillness", {"samples": turning.tolist(), "rate_hz": 100, "limit": 0.4})["still"]


@pytest.mark.parametrize("row", rows("d_tilt", "complementary_bias_error"), ids=str)
def test_a_gyro_bias_leaves_the_error_of_the_closed_form(row: dict) -> None:
    n = 6000
    angle = inertial.complementary(
        np.full(n, row["gyro bias deg/s"]), np.zeros(n), row["alpha"], 1 / row["dt"]
    )
    assert angle[-1] == pytest.approx(row["alpha dt b/(1-alpha) = tau b"], rel=1e-8)


@pytest.mark.parametrize("row", rows("d_tilt", "complementary_step"), ids=str)
def test_a_step_of_the_accelerometer_against_the_closed_form(row: dict) -> None:
    target = row["accelerometer angle (constant), gyro 0, start 0"]
    reference = np.concatenate([[0.0], np.full(row["samples"], target)])
    angle = inertial.complementary(np.zeros(reference.size), reference, row["alpha"], 1 / row["dt"])
    assert angle[-1] == pytest.approx(row["output = th0 (1-alpha^n)"], rel=1e-8)


def test_the_complementary_filter_against_the_ahrs_library_on_a_level_turn() -> None:
    rng = np.random.default_rng(9)
    n, rate, alpha = 400, 100.0, 0.97
    roll = 20 * np.sin(np.arange(n) / 60)
    accel = np.array([inertial.gravity_at(r, 0.0) for r in roll]) + rng.normal(0, 0.005, (n, 3))
    gyro = np.column_stack([np.gradient(roll, 1 / rate), np.zeros(n), np.zeros(n)]) + rng.normal(
        0, 0.2, (n, 3)
    )
    ours = run(
        "complementary",
        {"rate_hz": rate, "alpha": alpha, "gyro_dps": gyro.tolist(), "accel_g": accel.tolist()},
    )
    theirs = ahrs.filters.Complementary(
        gyr=np.radians(gyro), acc=accel * 9.80665, frequency=rate, gain=alpha, representation="angles"
    )
    np.testing.assert_allclose(ours["roll_deg"], np.degrees(theirs.W[:, 0]), atol=0.05)
    assert np.abs(np.array(ours["roll_deg"]) - roll).max() < 1.5


def test_the_two_state_filter_against_filterpy() -> None:
    rng = np.random.default_rng(5)
    rate, n = 50.0, 300
    truth = 15 * np.sin(np.arange(n) / 40)
    gyro = np.gradient(truth, 1 / rate) + 2.5 + rng.normal(0, 0.3, n)
    accel = truth + rng.normal(0, 1.5, n)
    angles, biases = inertial.angle_and_bias(gyro, accel, rate, q_angle=1e-3, q_bias=1e-3, r_angle=2.25)
    kf = KalmanFilter(dim_x=2, dim_z=1, dim_u=1)
    dt = 1 / rate
    kf.F, kf.B, kf.H = np.array([[1, -dt], [0, 1]]), np.array([[dt], [0]]), np.array([[1.0, 0.0]])
    kf.Q, kf.R = np.diag([1e-3, 1e-3]), np.array([[2.25]])
    kf.x, kf.P = np.array([[accel[0]], [0.0]]), np.diag([2.25, 1e-3])
    for i in range(n):
        if i:
            kf.predict(u=np.array([[gyro[i]]]))
        kf.update(accel[i])
        assert angles[i] == pytest.approx(float(kf.x[0, 0]), abs=1e-6)
        assert biases[i] == pytest.approx(float(kf.x[1, 0]), abs=1e-6)
    assert np.abs(angles[100:] - truth[100:]).std() < 1.0


@pytest.mark.parametrize(
    "row", [r for r in rows("g_calib", "nbs_monograph140_9_point") if r["averaging factor"]], ids=str
)
def test_allan_deviation_of_nine_points_against_the_monograph(row: dict) -> None:
    """NBS Monograph 140, annex 8.E (from memory in the table), as recomputed by allantools."""
    nine = [892, 809, 823, 798, 671, 644, 883, 903, 677]
    found = run("allan", {"values": nine, "rate_hz": 1, "averaging": [row["averaging factor"]]})
    field = {"adev": "plain", "oadev": "overlapping"}.get(row["statistic"])
    if field:
        assert found[field][0] == pytest.approx(row["computed"], rel=1e-7)


def test_allan_deviation_against_allantools() -> None:
    values = np.random.default_rng(5).normal(0, 0.05, 5000).cumsum() * 0.01
    for m in (1, 3, 10, 100):
        (_, theirs, _, _) = allantools.oadev(values, rate=100.0, data_type="freq", taus=[m / 100])
        assert inertial.allan_deviations(values, m)[0] == pytest.approx(theirs[0], rel=1e-7)


@pytest.mark.parametrize(
    ("roll", "pitch", "words"),
    [
        (0.3, 0.4, "nose down 0.4°, left side up 0.3°"),
        (-0.3, -0.4, "nose up 0.4°, right side up 0.3°"),
        (0.04, -0.05, "nose up 0.1°"),
        (0.04, -0.04, "level"),
    ],
)
def test_the_least_tilt_is_said_the_right_way_round(roll: float, pitch: float, words: str) -> None:
    assert inertial.tilt_words(roll, pitch) == words
