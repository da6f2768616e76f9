"""The triangulation ranger against exact curves, scipy and certified fits; uncertainty against the GUM and a
library."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
import uncertainties
import uncertainties.umath
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import inertial, triangulation
from tickstone.core.uncertainty import propagate

REFERENCE = json.loads((Path(__file__).parents[1] / "reference" / "o_ir.json").read_text())


@pytest.mark.parametrize("row", rows("o_ir", "exact_curve_a26_b0.9_c0.05"), ids=str)
def test_the_exact_curve_there_and_back(row: dict) -> None:
    mm = row["d cm"] * 10
    assert float(triangulation.volts_at(mm, 260, 9, 0.05)) == pytest.approx(row["V"], rel=1e-7)
    found = run("ranger-distance", {"volts": row["V"], "a": 260, "b": 9, "c": 0.05})
    assert found["distance_mm"] == pytest.approx(mm, rel=1e-6)


@pytest.mark.parametrize("row", rows("o_ir", "resolution_10bit_5V"), ids=str)
def test_resolution_against_the_table(row: dict) -> None:
    found = run("ranger-distance", {"volts": row["V"], "a": 260, "b": 9, "c": 0.05, "lsb_mv": 5000 / 1024})
    assert found["mm_per_count"] == pytest.approx(row["distance per LSB, mm"], rel=1e-6)


@pytest.mark.parametrize("row", rows("o_ir", "ambiguity"), ids=str)
def test_one_voltage_belongs_to_two_distances(row: dict) -> None:
    volts = row["V (model: linear rise to 6 cm, then hyperbola)"]
    found = run("ranger-distance", {"volts": volts, "a": 260, "b": 9, "c": 0.05})
    assert found["distance_mm"] == pytest.approx(
        10 * row["distance reported by the far-branch inverse"], rel=1e-6
    )
    assert found["valid"] == (100 <= found["distance_mm"] <= 800)


def test_the_fit_of_noisy_readings_against_scipys() -> None:
    noisy = REFERENCE["noisy"]
    pairs = [[10 * d, v] for d, v in zip(noisy["d"], noisy["V_clean"], strict=True)]
    found = run("ranger-fit", {"pairs": pairs})
    wanted = next(row for row in rows("o_ir", "hyperbola_fits") if row["fit"] == "LSQ, clean")
    assert found["a"] == pytest.approx(10 * wanted["a"], rel=1e-4)
    assert found["b"] == pytest.approx(10 * wanted["b"], rel=1e-4)
    assert found["c"] == pytest.approx(wanted["c"], rel=1e-4)
    back = [found["a"] / (v - found["c"]) - found["b"] - d for d, v in pairs]
    assert found["residual_sd_mm"] == pytest.approx(math.sqrt(sum(r * r for r in back) / (len(pairs) - 3)))
    assert found["monotonic_from_mm"] == 100


def test_a_certified_hyperbola_is_fitted_at_least_as_closely() -> None:
    """NIST StRD Misra1d, y = b1·b2·x/(1 + b2·x), turned over falls as a ranger's voltage does; ours has one
    number more."""
    data = REFERENCE["nist"]["Misra1d"]
    certified = {
        r["parameter"]: r["certified"] for r in rows("o_ir", "nist_strd") if r["dataset"] == "Misra1d"
    }
    pairs = [[x, 100 - y] for x, y in zip(data["x"], data["y"], strict=True)]
    found = run("ranger-fit", {"pairs": pairs, "min_mm": 0, "max_mm": 1000})
    squares = sum((found["a"] / (x + found["b"]) + found["c"] - v) ** 2 for x, v in pairs)
    assert squares <= certified["residual SS"] * (1 + 1e-6)
    assert squares > certified["residual SS"] / 2
    assert 1 / found["b"] == pytest.approx(certified["b2"], rel=0.1)


@given(st.floats(100, 800), st.floats(-20, 60), st.floats(0, 0.4), st.floats(100, 800))
def test_exact_readings_give_their_curve_back(a: float, b: float, c: float, far: float) -> None:
    assume(far > 250)
    places = np.linspace(100, far, 8)
    pairs = [
        [float(d), float(v)] for d, v in zip(places, triangulation.volts_at(places, a, b, c), strict=True)
    ]
    found = run("ranger-fit", {"pairs": pairs})
    back = triangulation.volts_at(places, found["a"], found["b"], found["c"])
    np.testing.assert_allclose(back, [v for _, v in pairs], atol=1e-7)


@pytest.mark.parametrize(
    ("places", "volts", "from_mm"),
    [
        ([100.0], [2.0], None),
        ([100.0, 200.0], [2.0, 1.0], 100.0),
        ([100.0, 200.0], [1.0, 2.0], None),
        ([20.0, 60.0, 100.0, 200.0], [1.0, 2.0, 1.5, 1.0], 60.0),
        ([20.0, 60.0, 100.0, 200.0], [1.0, 2.0, 1.0, 1.0], None),  # alike at the far end: nothing falls
        (
            [200.0, 20.0, 60.0, 60.0],
            [1.0, 1.9, 1.0, 2.0],
            20.0,
        ),  # in any order, several readings of a place: their mean
    ],
)
def test_from_where_on_a_curve_only_falls(
    places: list[float], volts: list[float], from_mm: float | None
) -> None:
    assert triangulation.monotonic_from_mm(np.array(places), np.array(volts)) == from_mm


def test_the_gums_own_example_of_correlated_inputs() -> None:
    """JCGM 100:2008, annex H.2: resistance, reactance and impedance from correlated means of five readings
    (the readings from memory; their means agree with the printed ones)."""
    printed = {row["quantity"]: row["published"] for row in rows("m_gum", "gum_h2")}
    seen = np.array(
        [
            [5.007, 4.994, 5.005, 4.990, 4.999],
            [19.663, 19.639, 19.640, 19.685, 19.678],
            [1.0456, 1.0438, 1.0468, 1.0428, 1.0433],
        ]
    )
    names = ("V", "I", "phi")
    values = dict(zip(names, seen.mean(axis=1) * [1, 1e-3, 1], strict=True))
    spread = np.cov(seen * np.array([[1], [1e-3], [1]])) / 5
    sds = dict(zip(names, np.sqrt(np.diag(spread)), strict=True))
    covariances = {(names[i], names[j]): spread[i, j] for i in range(3) for j in range(i)}
    for quantity, formula, sd in (
        ("R", lambda v: v["V"] / v["I"] * math.cos(v["phi"]), 0.071),
        ("X", lambda v: v["V"] / v["I"] * math.sin(v["phi"]), 0.295),
        ("Z", lambda v: v["V"] / v["I"], 0.236),
    ):
        found = propagate(formula, values, sds, covariances, dict.fromkeys(names, "all"))
        assert formula(values) == pytest.approx(printed[quantity], abs=1e-3)
        assert found is not None
        assert found.uncertainty == pytest.approx(sd, abs=1e-3)  # printed
        assert found.shares == {"all": pytest.approx(1)}


@pytest.mark.parametrize("row", rows("m_gum", "echo_distance"), ids=str)
def test_distance_uncertainty_against_the_table(row: dict) -> None:
    speed = 20_000 * row["d cm"] / row["echo us"]
    values = {"echo": row["echo us"], "t": row["t C"]}
    found = propagate(
        lambda v: 343.2 * math.sqrt((v["t"] + 273.15) / 293.15) * v["echo"] / 20_000,
        values,
        {"echo": row["u us"], "t": row["u(t) K"]},
    )
    assert speed == pytest.approx(343.2, rel=0.1)
    assert found is not None
    assert found.uncertainty == pytest.approx(row["u(d) cm"], rel=1e-3)
    assert found.uncertainty == pytest.approx(row["Monte Carlo u (400k)"], rel=5e-3)


@given(st.floats(0.2, 0.9), st.floats(-0.5, 0.5), st.floats(0.3, 1), st.floats(0.001, 0.02))
def test_tilt_uncertainty_against_the_uncertainties_library(x: float, y: float, z: float, u: float) -> None:
    ax, ay, az = (uncertainties.ufloat(v, u) for v in (x, y, z))
    theirs = uncertainties.umath.degrees(
        uncertainties.umath.atan2(-ax, uncertainties.umath.sqrt(ay**2 + az**2))
    )
    found = propagate(
        lambda v: float(inertial.tilt(v["x"], v["y"], v["z"]).pitch_deg),
        {"x": x, "y": y, "z": z},
        dict.fromkeys("xyz", u),
    )
    assert found is not None
    assert found.uncertainty == pytest.approx(theirs.std_dev, rel=1e-5)


def test_a_magnitude_at_nothing_is_as_uncertain_as_to_either_side() -> None:
    budget = propagate(lambda v: math.hypot(v["x"], v["y"]), {"x": 0.0, "y": 0.0}, {"x": 3.0, "y": 4.0})
    assert budget is not None
    assert budget.uncertainty == pytest.approx(5.0)
    assert budget.shares == pytest.approx({"x": 0.36, "y": 0.64})


def test_a_result_that_is_no_number_has_no_uncertainty() -> None:
    assert propagate(lambda _: math.nan, {"a": 1.0}, {"a": 0.1}) is None
