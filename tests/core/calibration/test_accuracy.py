"""The stated 95 % intervals hold the truth; fits agree with general routines; every fit is quick to answer.

The full table of 1 000 calibrations a kind is ``docs/calibration.md``, made by ``./tick-stone benchmark
calibrations``.
"""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from scipy.optimize import curve_fit, least_squares

from tests.simulated.calibrations import (
    NOISES,
    SIMULATIONS,
    UNEVEN,
    WHITE,
    covered,
    outcome_of,
    simulated,
    turning_times,
    values_of,
    window,
)
from tickstone.actions.comparing import with_fitted
from tickstone.core.calibration.catalogue import PROCEDURES
from tickstone.core.calibration.drive import square_end, square_errors
from tickstone.core.calibration.gaps import counts_of
from tickstone.core.calibration.means import coverage, mean_of
from tickstone.core.calibration.poses import ORDER, fit_axes
from tickstone.core.calibration.procedure import Step, Window
from tickstone.core.inertial import fit_six_pose
from tickstone.core.rigs.kinds import KINDS, kind
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.worked import work

pytestmark = pytest.mark.slow

TABLES = json.loads((Path(__file__).parents[2] / "reference" / "g_calib.json").read_text())["tables"]
SEEDS = range(100_000, 100_080)  # not those of the table
WITHOUT = {  # where the constant is the noise itself, and one number does not say it
    ("filter", "coarse"),
    ("filter", "heavy tails"),
    ("filter", "drifting"),
    ("gyro-long", "coarse"),
    ("gyro-long", "heavy tails"),
}
LEAST_ERROR = 0.6  # of the stated sd, over many calibrations


def test_every_procedure_that_gives_a_plus_minus_is_simulated() -> None:
    counted = {
        "dark-level",
        "hall-spacing",
        "marks",
        "mounting",
        "steady-marks",
        "steps",
        "trace",
        "wire-order",
    }
    assert {procedure for procedure, _ in SIMULATIONS.values()} | counted == set(PROCEDURES)


@pytest.mark.parametrize("noise", NOISES)
@pytest.mark.parametrize("name", SIMULATIONS)
def test_the_truth_lies_within_the_stated_interval(name: str, noise: str) -> None:
    """Under every noise: never an interval that is too short. Where none can be given, none is stated."""
    seen = covered(name, SEEDS if noise == WHITE else SEEDS[: len(SEEDS) // 2], noise)
    calibrations = len(SEEDS) if noise == WHITE else len(SEEDS) // 2
    # constants of one calibration hang together: count calibrations
    spread = 2.6 * np.sqrt(0.95 * 0.05 / calibrations)
    assert seen.share >= 0.95 - spread
    assert seen.without <= 0.1 * (seen.stated + seen.without) or (name, noise) in WITHOUT


@pytest.mark.parametrize("name", SIMULATIONS)
def test_the_stated_interval_is_no_wider_than_the_errors_ask_for(name: str) -> None:
    """The size of errors against the stated sd: were it far below 1, any truth would lie within."""
    off = []
    for seed in SEEDS:
        found, truth = outcome_of(name, seed)
        fitted = {one.name: one for one in found.constants}
        for constant, real in truth.items():
            one = fitted.get(constant)
            off += [] if one is None or one.sd is None else [(one.value - real) / one.sd]
    assert np.sqrt(np.mean(np.square(off))) > LEAST_ERROR


@pytest.mark.parametrize(("name", "noise"), sorted(WITHOUT))
def test_a_noise_that_is_not_one_number_is_said_to_be_none(name: str, noise: str) -> None:
    found, _ = outcome_of(name, 5, noise)
    assert "no ± holds" in found.verdict + " ".join(found.notes)


def test_every_procedure_is_one_of_a_kind_and_every_kind_names_only_known_ones() -> None:
    named = {name for one in KINDS.values() for name in one.procedures}
    assert named == set(PROCEDURES)


def test_two_sd_are_95_percent_of_students_distribution() -> None:
    # Student's t at 97.5 %: 12.706, 3.182, 2.262 for 1, 3 and 9 degrees of freedom (any handbook table)
    assert [2 * coverage(n) for n in (1, 3, 9)] == pytest.approx([12.706, 3.182, 2.262], abs=5e-4)


def test_a_mean_of_flickering_readings_is_less_sure_than_one_of_as_many_independent_ones() -> None:
    random = np.random.default_rng(4)
    noise = random.normal(0, 1, 400)
    slow = np.sin(np.arange(400) / 60)
    assert mean_of(noise + slow).sd > 2 * mean_of(noise).sd
    assert mean_of(np.full(100, 7.0), step=1.0).sd == pytest.approx(1 / np.sqrt(12))


def test_six_poses_agree_with_a_general_least_squares_routine_and_the_worked_example() -> None:
    # The rows of the reference table (general least squares by numpy), held as steps
    rows = np.array(TABLES["six_position_exact"]["rows"])
    found = fit_six_pose(rows[:, :3], rows[:, 3:])
    assert found.simple is not None
    assert found.simple.offset.tolist() == pytest.approx([512, 520, 498])
    assert found.simple.counts_per_g.tolist() == pytest.approx([205, 198, 210])
    solved, *_ = np.linalg.lstsq(np.column_stack([rows[:, :3], np.ones(6)]), rows[:, 3:], rcond=None)
    assert found.matrix == pytest.approx(solved[:3].T)


@pytest.mark.parametrize("seed", range(5))
def test_tilted_poses_agree_with_a_general_fit_of_the_norm(seed: int) -> None:
    steps, truth, values = simulated("poses, analogue", seed)
    axes = fit_axes({step.key: step for step in steps}, values)
    volts = (
        np.array([step.taken.means for step in sorted(steps, key=lambda s: ORDER.index(s.key))]) * 5 / 1024
    )

    def off(p):
        return (((volts - p[:3]) / p[3:]) ** 2).sum(axis=1) - 1

    general = least_squares(off, [1.65] * 3 + [0.33] * 3, xtol=1e-15, ftol=1e-15)
    assert np.concatenate([axes.zeros, axes.gains]) == pytest.approx(general.x, rel=1e-6)
    assert axes.gains == pytest.approx([truth[f"per_g_{axis}"] for axis in "xyz"], rel=0.01)


@pytest.mark.parametrize("seed", range(5))
def test_the_hyperbola_agrees_with_a_general_fitting_routine(seed: int) -> None:
    steps, truth, values = simulated("hyperbola", seed)
    found = {one.name: one for one in PROCEDURES["hyperbola"].fit(steps, values).constants}
    d = np.array([step.truth["true_mm"] for step in steps])
    v = np.array([step.taken.mean for step in steps]) * 5 / 1024
    spreads = np.array([step.taken.sd for step in steps]) / np.sqrt([step.taken.n for step in steps])
    sds = np.median([step.taken.mean_sd for step in steps]) * np.maximum(spreads / np.median(spreads), 1.0)
    weights = np.hypot(found["a"].value / (d + found["b"].value) ** 2, np.maximum(sds, 0.3) * 5 / 1024)
    general, covariance = curve_fit(
        lambda x, a, b, c: a / (x + b) + c, d, v, p0=(260, 9, 0.05), sigma=weights, maxfev=20_000
    )
    assert [found[name].value for name in "abc"] == pytest.approx(general.tolist(), rel=2e-3, abs=2e-4)
    wide = np.sqrt(np.diag(covariance)) * coverage(len(steps) - 3)
    assert [found[name].sd for name in "abc"] == pytest.approx(wide.tolist(), rel=0.02)
    assert abs(found["a"].value - truth["a"]) < 4 * (found["a"].sd or 0)


def test_one_bad_place_of_a_hyperbola_is_named_and_does_not_bend_the_curve() -> None:
    steps, truth, values = simulated("hyperbola", 11)
    bad = steps[3]
    steps[3] = Step(bad.key, bad.label, {"true_mm": bad.truth["true_mm"] + 25}, bad.taken)
    found = PROCEDURES["hyperbola"].fit(steps, values)
    assert found.repeat == (bad.key,)
    assert {one.name: one.value for one in found.constants}["a"] == pytest.approx(truth["a"], rel=0.04)


def test_allan_deviations_of_a_rest_agree_with_a_reference_library() -> None:
    allantools = pytest.importorskip("allantools")
    values = values_of("inertial-unit")
    counts = {
        f"g{axis}": np.round(np.random.default_rng(i).normal(0, 40, 3000)) for i, axis in enumerate("xyz")
    }
    taken = PROCEDURES["gyro-long"].take(window(100, counts), "rest", values)
    rates = counts["gx"] * 250 / 32768
    factors = np.array(taken.factors)
    _, reference, _, _ = allantools.oadev(rates, rate=100.0, data_type="freq", taus=factors / 100.0)
    assert taken.deviations[0] == pytest.approx(reference.tolist(), rel=1e-9)


@pytest.mark.parametrize(("alpha", "beta"), [(0.05, 0.0), (0.0, 0.03), (-0.04, 0.02)])
def test_squares_give_back_the_errors_they_were_driven_with(alpha: float, beta: float) -> None:
    right = np.array([square_end(alpha, beta, 2000, -1.0)] * 2)
    left = np.array([square_end(alpha, beta, 2000, 1.0)] * 2)
    found = square_errors(right, left, 2000)
    assert found[:2] == pytest.approx((alpha, beta), abs=1e-9)
    # Borenstein & Feng's first-order signs: too little turning ends both ways short, to either side
    if beta == 0:
        assert right[0] == pytest.approx([-2 * 2000 * alpha, -2 * 2000 * alpha], rel=0.15)
        assert left[0] == pytest.approx([-2 * 2000 * alpha, 2 * 2000 * alpha], rel=0.15)


def test_the_plus_minus_of_a_fitted_curve_is_that_of_its_errors() -> None:
    """The constants of a hyperbola err together: what they make of a distance is far less than each would
    alone."""
    ranger = kind("triangulation-ranger")
    errors: dict[int, list[float]] = {100: [], 200: [], 400: []}
    for seed in range(100):
        steps, truth, values = simulated("hyperbola", seed)
        fitted = {
            c.name: c for c in PROCEDURES["hyperbola"].fit(steps, values).constants if c.name != "noise"
        }
        known = with_fitted(ranger, values, fitted)
        step_v = values["reference"].value / 2 ** values["bits"].value
        for mm, found in errors.items():
            counts = (truth["a"] / (mm + truth["b"]) + truth["c"]) / step_v
            result = work(ranger, known, {"counts": counts}, Ambient())
            sd = math.sqrt(dict(result.shares)["curve (a, b, c)"]) * result.sd
            found.append((result.value - mm) / sd)
    for mm, found in errors.items():
        assert 0.4 < float(np.mean(np.square(found))) < 1.5, mm
        assert np.mean(np.abs(found) < 2) > 0.88, mm


@pytest.mark.parametrize("stamps_s", [1e-3, 250e-6, 4e-6])
def test_a_wheel_of_four_magnets_is_never_taken_for_another(stamps_s: float) -> None:
    """Whatever the stamps: four, or a divisor where gaps are alike to what stamps tell, or it is asked."""
    for seed in range(300):
        count, *likely = counts_of(turning_times(seed, stamps_s, UNEVEN))
        assert count == 4 or 4 in likely, seed
        count, *likely = counts_of(turning_times(seed, stamps_s, (1.0,) * 4))
        assert 4 % count == 0 or 4 in likely, (seed, "hardly uneven")


def test_pulses_that_are_missed_make_no_count() -> None:
    times = turning_times(3, 4e-6, UNEVEN)
    random = np.random.default_rng(1)
    ragged = np.delete(times, random.choice(times.size, 30, replace=False))
    values = values_of("hall-switch", magnets=4)
    taken = PROCEDURES["steady-run"].take(Window(ragged, {"edge": 1e6 * ragged}), "run", values)
    found = PROCEDURES["steady-run"].fit([Step("run", "run", {}, taken)], values)
    assert found.heading == "Its pulses do not repeat"
    assert not found.can_accept


@pytest.mark.parametrize("noise", [0.0, 0.1, 0.2, 0.3, 0.45])
@pytest.mark.parametrize("n", [40, 100, 400])
def test_more_readings_never_make_a_mean_surer_than_its_rounding_lets_it_be(n: int, noise: float) -> None:
    """Noise of less than half a step: the level lies within the stated interval however many readings there
    are, and the interval is no wider than a step."""
    random = np.random.default_rng(int(1000 * noise) + n)
    inside = 0
    for _ in range(200):
        level = random.uniform(-0.5, 0.5) + 300
        found = mean_of(np.round(level + random.normal(0, noise, n)), 1.0)
        inside += abs(found.value - level) <= 2 * found.sd
        assert found.sd <= 0.3
    assert inside >= 0.9 * 200


def test_noise_below_a_step_is_said_with_what_helps() -> None:
    values = values_of("line-sensors")
    for noise, told in ((0.1, True), (3.0, False)):
        random = np.random.default_rng(3)
        steps = []
        for span, level in (("ground", 150.3), ("line", 700.2)):
            seen = {f"s{i + 1}": np.round(level + random.normal(0, noise, 100)) for i in range(5)}
            steps.append(Step(span, span, {}, PROCEDURES["line"].take(window(50, seen), span, values), 100))
        notes = " ".join(PROCEDURES["line"].fit(steps, values).notes)
        assert ("less than a step of the converter" in notes) is told
