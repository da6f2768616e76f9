"""Filters against tables, scipy, filterpy and the Riccati equation."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import scipy.linalg
import scipy.ndimage
import scipy.signal
from filterpy.kalman import KalmanFilter
from hypothesis import given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import filters

REFERENCE = Path(__file__).parents[1] / "reference"
values = st.lists(st.floats(-1e4, 1e4), min_size=1, max_size=80)


@pytest.mark.parametrize("row", rows("f_filters", "moving_average"), ids=str)
def test_moving_averages_against_the_table(row: dict) -> None:
    found = run("filter-tradeoff", {"kind": "average", "length": row["N"], "rate_hz": 1000, "speed_m_s": 0.5})
    assert found["noise_ratio"] == pytest.approx(row["noise gain"], rel=1e-8)
    assert found["lag_ms"] == pytest.approx(row["group delay samples"])
    assert found["lag_mm"] == pytest.approx(row["group delay samples"] * 0.5)


@pytest.mark.parametrize("row", rows("f_filters", "one_pole"), ids=str)
def test_smoothing_against_the_table(row: dict) -> None:
    found = run("filter-tradeoff", {"kind": "smooth", "alpha": row["a"], "rate_hz": 1000})
    assert found["noise_ratio"] == pytest.approx(row["noise gain"], rel=1e-8)
    assert found["lag_ms"] == pytest.approx(row["DC group delay samples"], rel=1e-8)
    assert filters.smooth(np.r_[0.0, np.ones(10)], row["a"])[-1] == pytest.approx(
        row["step after 10 samples"], rel=1e-7
    )


@pytest.mark.parametrize("row", rows("f_filters", "median_gaussian"), ids=str)
def test_noise_of_the_median_against_the_table(row: dict) -> None:
    assert filters.median_noise(row["N"]) == pytest.approx(row["noise gain"], abs=1e-6)


@pytest.mark.parametrize("length", [2, 4, 8])
def test_noise_of_an_even_median_against_simulation(length: int) -> None:
    drawn = np.median(np.random.default_rng(2).normal(size=(400_000, length)), axis=1)
    assert filters.median_noise(length) == pytest.approx(drawn.std(), rel=4e-3)  # 3.5 σ of such a simulation


def test_the_sequence_of_the_table() -> None:
    table = rows("f_filters", "filter_sequence")
    x = [row["x"] for row in table]
    np.testing.assert_allclose(filters.moving_median(x, 5), [r["causal median of last <=5"] for r in table])
    np.testing.assert_allclose(filters.smooth(x, 0.25), [r["one pole a=0.25 from y0=x0"] for r in table])
    np.testing.assert_allclose(
        filters.moving_average(x, 4)[3:], [r["moving average of last 4 (from i=3)"] for r in table][3:]
    )


@given(values, st.integers(1, 12))
def test_moving_filters_against_scipy(x: list[float], length: int) -> None:
    average, median = filters.moving_average(x, length), filters.moving_median(x, length)
    for i in range(len(x)):
        part = x[max(0, i - length + 1) : i + 1]
        assert average[i] == pytest.approx(np.mean(part), abs=1e-6)
        assert median[i] == pytest.approx(np.median(part), abs=1e-9)
    whole = scipy.ndimage.median_filter(x, size=length, origin=(length - 1) // 2, mode="nearest")
    if length % 2:
        np.testing.assert_allclose(median[length - 1 :], whole[length - 1 :])


@given(values, st.floats(0.01, 1))
def test_smoothing_against_scipy(x: list[float], alpha: float) -> None:
    theirs, _ = scipy.signal.lfilter([alpha], [1, alpha - 1], x, zi=[(1 - alpha) * x[0]])
    np.testing.assert_allclose(filters.smooth(x, alpha), theirs, atol=1e-6)


@pytest.mark.parametrize("row", rows("e_kalman", "steady_state"), ids=str)
def test_steady_gain_against_the_table(row: dict) -> None:
    found = run("kalman-gain", {"q": row["q"], "r": row["r"]})
    assert found["gain"] == pytest.approx(row["K = alpha"], rel=1e-7)
    assert found["variance"] == pytest.approx(row["P+ posterior"], rel=1e-7)
    assert found["equivalent_samples"] == pytest.approx(row["equivalent moving-average N = 2/K-1"], rel=1e-7)


@given(st.floats(1e-6, 1e3), st.floats(1e-4, 1e3))
def test_steady_gain_against_the_riccati_equation(q: float, r: float) -> None:
    prior = float(
        scipy.linalg.solve_discrete_are(np.eye(1), np.eye(1), np.array([[q]]), np.array([[r]]))[0, 0]
    )
    assert filters.kalman_gain(q, r).gain == pytest.approx(prior / (prior + r), rel=1e-5)


def test_the_transient_against_the_table() -> None:
    table = rows("e_kalman", "transient_q0.01_r1_x0_10_P0_1")
    given = {
        "kind": "kalman",
        "values": [row["z"] for row in table],
        "q": 0.01,
        "r": 1.0,
        "x0": 10.0,
        "p0": 1.0,
    }
    assert run("filter-run", given)["values"] == pytest.approx([row["x"] for row in table], rel=1e-8)


def test_the_nile_against_durbin_and_koopman() -> None:
    """Local level model of the Nile (Durbin & Koopman, ch. 2): the filter there updates first, so p0 lacks
    one q."""
    reference = json.loads((REFERENCE / "e_kalman.json").read_text())
    q, r = 1469.1, 15_099.0
    level = filters.kalman(reference["nile"], q, r, 0.0, 1e7 - q)
    for row in rows("e_kalman", "nile_local_level"):
        assert level[row["year index (1 = 1871)"] - 1] == pytest.approx(row["filtered level"], rel=1e-6)


def test_the_scalar_filter_against_filterpy() -> None:
    z = np.random.default_rng(3).normal(5, 1, 60)
    kf = KalmanFilter(dim_x=1, dim_z=1)
    kf.F = kf.H = np.eye(1)
    kf.Q, kf.R, kf.x, kf.P = np.array([[0.02]]), np.array([[0.9]]), np.array([[z[0]]]), np.array([[0.9]])
    ours = filters.kalman(z, 0.02, 0.9)
    for i, reading in enumerate(z):
        kf.predict()
        kf.update(reading)
        assert ours[i] == pytest.approx(float(kf.x[0, 0]), abs=1e-9)


@pytest.mark.parametrize("kind", ["smooth", "kalman"])
def test_a_compiled_loop_is_the_plain_one(kind: str) -> None:
    x = np.random.default_rng(8).normal(size=30_000)  # long enough to be compiled
    settings = {"alpha": 0.1} if kind == "smooth" else {"q": 0.01, "r": 1.0}
    long = filters.run(kind, x, **settings)
    np.testing.assert_allclose(long[:5000], filters.run(kind, x[:5000], **settings), rtol=1e-12)


@pytest.mark.parametrize("kind", ["average", "median", "smooth", "kalman"])
def test_noise_and_lag_are_what_a_long_run_shows(kind: str) -> None:
    settings = {
        "average": {"length": 5},
        "median": {"length": 5},
        "smooth": {"alpha": 0.3},
        "kalman": {"q": 0.2, "r": 1.0},
    }[kind]
    white = np.random.default_rng(6).normal(size=200_000)
    cost = filters.tradeoff(kind, **settings)
    assert filters.run(kind, white, **settings)[200:].std() == pytest.approx(cost.noise_ratio, rel=0.02)
    ramp = filters.run(kind, np.arange(400.0), **settings)
    assert 399 - ramp[-1] == pytest.approx(cost.lag_samples, abs=1e-6)
