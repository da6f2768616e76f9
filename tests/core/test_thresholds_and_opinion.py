"""Thresholds against scikit-image, scikit-learn and closed forms; the second opinion against its
definition."""

from __future__ import annotations

import itertools
import json
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm
from skimage.filters import threshold_otsu
from sklearn.metrics import roc_auc_score, roc_curve

from tests.tables import rows
from tickstone.calculations import run
from tickstone.core import opinion, thresholds
from tickstone.errors import BadInput

SETS = json.loads((Path(__file__).parents[1] / "reference" / "c_threshold.json").read_text())["sets"]


@pytest.mark.parametrize(
    "row", [r for r in rows("c_threshold", "two_gaussian_bayes_threshold") if r["P1"] == 0.5], ids=str
)
def test_two_normals_against_the_table(row: dict) -> None:
    (m1, s1), (m2, s2) = sorted([(row["m1"], row["s1"]), (row["m2"], row["s2"])])
    given = {"mean_low": m1, "sd_low": s1, "mean_high": m2, "sd_high": s2}
    found = run("two-population-threshold", given)
    assert found["threshold"] == pytest.approx(row["Bayes threshold"], rel=1e-6)
    assert found["misreads_per_1000"] == pytest.approx(1000 * row["error probability"], abs=1e-3)
    assert found["d_prime"] == pytest.approx(row["d_a = |dm|/rms(s)"], rel=1e-6)


@pytest.mark.parametrize("row", [r for r in rows("c_threshold", "dprime_table") if r["d'"] > 0], ids=str)
def test_error_rates_by_separation_against_the_table(row: dict) -> None:
    given = {"mean_low": 0, "sd_low": 100, "mean_high": 100 * row["d'"], "sd_high": 100}
    found = run("two-population-threshold", given)
    assert found["misreads_per_1000"] == pytest.approx(1000 * row["error rate at midpoint"], abs=1e-3)


@given(st.floats(0, 500), st.floats(1, 60), st.floats(10, 500), st.floats(1, 60))
def test_the_crossing_is_where_the_densities_are_equal(m1: float, s1: float, gap: float, s2: float) -> None:
    low, high = thresholds.Population(m1, s1), thresholds.Population(m1 + gap, s2)
    found = thresholds.threshold_minimum_error(low, high)
    if found is not None:
        assert low.mean < found < high.mean
        a, b = norm.logpdf(found, m1, s1), norm.logpdf(found, m1 + gap, s2)
        assert a == pytest.approx(b, abs=1e-6 * max(1, abs(a)))


@pytest.mark.parametrize("row", rows("c_threshold", "otsu_and_min_error_fixed_data"), ids=lambda r: r["set"])
def test_otsu_of_fixed_data_against_the_table(row: dict) -> None:
    found = run("otsu", {"counts": [float(v) for v in SETS[row["set"]]]})
    counts = SETS[row["set"]]
    assert found["lowest"] == row["otsu optimal t from"]
    assert _between(counts, found["highest"]) == pytest.approx(found["between_class_variance"])
    # the flat ends there
    assert _between(counts, found["highest"] + 1) < found["between_class_variance"] * (1 - 1e-9)
    assert found["threshold"] == (found["lowest"] + found["highest"]) / 2
    assert found["between_class_variance"] == pytest.approx(row["between-class variance"], rel=1e-8)


@given(st.lists(st.integers(0, 1023), min_size=5, max_size=300).filter(lambda x: len(set(x)) > 1))
def test_otsu_against_scikit_image(counts: list[int]) -> None:
    ours = thresholds.threshold_otsu(counts)
    theirs = threshold_otsu(np.array(counts), nbins=1024) if max(counts) - min(counts) == 1023 else None
    best = max(_between(counts, t) for t in range(min(counts), max(counts)))
    assert _between(counts, ours.lowest) == pytest.approx(best, rel=1e-9)
    assert ours.between_class_variance == pytest.approx(best, rel=1e-9)
    whole = threshold_otsu(image=np.array(counts, dtype=np.uint16))
    assert _between(counts, int(whole)) == pytest.approx(best, rel=1e-6)
    assert theirs is None or _between(counts, math.floor(theirs)) == pytest.approx(best, rel=1e-6)


def _between(counts: list[int], t: int) -> float:
    x = np.array(counts)
    low, high = x[x <= t], x[x > t]
    return (
        0.0
        if not (low.size and high.size)
        else low.size * high.size / x.size**2 * (low.mean() - high.mean()) ** 2
    )


@pytest.mark.parametrize("row", rows("c_threshold", "roc_fixed_data"), ids=lambda r: r["set"])
def test_scores_against_the_table(row: dict) -> None:
    scores, labels = ([float(v) for v in row[name].split()] for name in ("scores", "labels"))
    found = run("score-threshold", {"scores": scores, "labels": labels})
    assert found["auc"] == pytest.approx(row["AUC"])
    assert found["youden_j"] == pytest.approx(row["Youden J"])
    if row["Youden J"] > 0:
        assert found["threshold"] == row["threshold (score >=) at first max J"]
    else:
        assert found["threshold"] is None


@given(
    st.lists(st.tuples(st.integers(0, 30), st.booleans()), min_size=4, max_size=80).filter(
        lambda x: 0 < sum(y for _, y in x) < len(x)
    )
)
def test_scores_against_scikit_learn(data: list[tuple[int, bool]]) -> None:
    scores, labels = [float(s) for s, _ in data], [int(y) for _, y in data]
    found = thresholds.score_threshold(scores, labels)
    assert found.auc == pytest.approx(roc_auc_score(labels, scores))
    false, true, _ = roc_curve(labels, scores)
    assert found.youden_j == pytest.approx(max((true - false).max(), 0.0), abs=1e-12)


def test_line_thresholds_by_the_definitions() -> None:
    rng = np.random.default_rng(7)
    black, white = rng.normal(300, 20, 2000).round(), rng.normal(420, 30, 2000).round()
    found = run("line-threshold", {"black": black.tolist(), "white": white.tolist()})
    assert found["polarity"] == "white_high"
    assert found["midpoint"]["threshold"] == pytest.approx((black.mean() + white.mean()) / 2)
    assert found["hysteresis"] == pytest.approx(6 * white.std(ddof=1))
    for name in ("midpoint", "otsu", "minimum_error"):
        one = found[name]
        t = one["threshold"]
        counted = 1000 * ((black > t).sum() + (white <= t).sum()) / 4000
        fitted = 500 * (
            norm.sf(t, black.mean(), black.std(ddof=1)) + norm.cdf(t, white.mean(), white.std(ddof=1))
        )
        assert one["counted_per_1000"] == pytest.approx(counted)
        assert one["misreads_per_1000"] == pytest.approx(fitted, rel=1e-6)
    assert found["minimum_error"]["misreads_per_1000"] <= found["midpoint"]["misreads_per_1000"] + 1e-9
    assert found["verdict"] == "marginal"
    mirrored = run("line-threshold", {"black": (1023 - black).tolist(), "white": (1023 - white).tolist()})
    assert mirrored["polarity"] == "white_low"
    assert mirrored["separation"] == pytest.approx(found["separation"])


def test_constant_populations_get_the_width_of_a_count() -> None:
    found = run("line-threshold", {"black": [100, 100], "white": [900, 900]})
    assert found["hysteresis"] == pytest.approx(6 / math.sqrt(12))
    assert found["verdict"] == "good"
    assert any("3/n" in warning for warning in found["warnings"])


def readings(*numbers: tuple[float, float]) -> list[dict]:
    return [{"label": f"r{i}", "value": v, "uncertainty": u} for i, (v, u) in enumerate(numbers)]


def test_the_three_on_one_shaft() -> None:
    """Common practice: optical 300, contact 150, video 230."""
    found = run("second-opinion", {"readings": readings((300, 3), (150, 3), (230, 4))})
    assert found["consensus"] is None
    assert len(found["outliers"]) == 3
    half = next(o for o in found["outliers"] if o["label"] == "r1")
    assert half["ratio"] == pytest.approx(0.5)
    assert "both edges" in half["causes"][0]


def test_the_mean_of_the_group_against_the_closed_form() -> None:
    found = run("second-opinion", {"readings": readings((10.0, 0.1), (10.1, 0.2), (20.0, 0.5))})
    weights = np.array([100.0, 25.0])
    assert found["consensus"] == pytest.approx((weights @ [10.0, 10.1]) / 125)
    assert found["uncertainty"] == pytest.approx(1 / math.sqrt(125))
    assert found["members"] == ["r0", "r1"]
    wide = run("second-opinion", {"readings": readings((10.0, 0.1), (10.27, 0.1))})
    birge = math.sqrt(2 * (0.135 / 0.1) ** 2)
    assert wide["uncertainty"] == pytest.approx(0.1 / math.sqrt(2) * birge)


@given(st.lists(st.tuples(st.floats(1, 50), st.floats(0.1, 5)), min_size=2, max_size=8))
def test_the_group_is_the_largest_of_all_subsets(numbers: list[tuple[float, float]]) -> None:
    given = [opinion.InstrumentReading(str(i), v, u) for i, (v, u) in enumerate(numbers)]
    found = opinion.second_opinion(given)
    sizes = [
        len(subset)
        for n in range(2, len(given) + 1)
        for subset in itertools.combinations(given, n)
        if all(opinion.agree(a, b) for a, b in itertools.combinations(subset, 2))
    ]
    assert len(found.members) == max(sizes, default=0)


@pytest.mark.parametrize(
    ("ratio", "said"),
    [
        (2.0, "2:1"),
        (0.125, "1:8"),
        (60.5, "60:1"),
        (1 / 7, "7 pole pairs: electrical turns taken for mechanical ones by the others (1:7)"),
        (0.5, "counted by the others (1:2)"),  # what reads half is not what has double marks
        (2 * math.pi, "radians"),
        (0.25, "prescaler"),
    ],
)
def test_ratios_betray_their_cause(ratio: float, said: str) -> None:
    assert any(said in cause for cause in opinion.causes(ratio, 0.001))
    assert opinion.causes(1.37, 0.001) == ()


def test_a_threshold_is_a_whole_count_between_two_heaps_or_none() -> None:
    assert thresholds.threshold_otsu([10, 11]).threshold == pytest.approx(10, abs=0.5)
    # no whole count lies between 10.2 and 10.9
    assert 11 <= thresholds.threshold_otsu([10.2, 10.9, 20.0]).threshold <= 19.5
    assert 9.5 < thresholds.threshold_otsu([9.5, 10.5]).threshold < 10.5
    for nothing in ([10.2, 10.8], [7, 7, 7], [3]):
        with pytest.raises(BadInput) as refused:
            thresholds.threshold_otsu(nothing)
        assert refused.value.path == "counts"


def test_readings_that_are_all_alike_have_nothing_to_part() -> None:
    for counts in ([7], [7, 7, 7]):
        with pytest.raises(BadInput, match="two different values"):
            thresholds.threshold_otsu(counts)
    with pytest.raises(BadInput, match="counts"):
        thresholds.threshold_otsu([])
