"""Thresholds between two populations of readings."""

from __future__ import annotations

from tickstone.calculations.registry import Finite, Inputs, Numbers, Result, ResultPart, calculation, step
from tickstone.core import thresholds


class OtsuInputs(Inputs):
    """One mixed population of counts."""

    counts: Numbers


class OtsuResult(Result):
    threshold: float
    lowest: int
    highest: int
    between_class_variance: float


@calculation("otsu")
def otsu(given: OtsuInputs) -> OtsuResult:
    """The threshold that parts one mixed population best (Otsu, 1979)."""
    found = thresholds.threshold_otsu(given.counts)
    return OtsuResult(
        threshold=found.threshold,
        lowest=found.lowest,
        highest=found.highest,
        between_class_variance=found.between_class_variance,
        steps=[
            step("threshold", f"({found.lowest} + {found.highest}) ÷ 2, the flat optimum", found.threshold)
        ],
        assumptions=["a count at the threshold belongs to the lower class"],
    )


class LineThresholdInputs(Inputs):
    black: Numbers
    white: Numbers


class CandidatePart(ResultPart):
    threshold: float | None
    misreads_per_1000: float | None
    counted_per_1000: float | None


class LineThresholdResult(Result):
    midpoint: CandidatePart
    otsu: CandidatePart
    minimum_error: CandidatePart
    separation: float
    hysteresis: float
    polarity: str
    verdict: str


def _candidate(one: thresholds.Candidate) -> CandidatePart:
    return CandidatePart(
        threshold=one.threshold,
        misreads_per_1000=one.misreads_per_1000,
        counted_per_1000=one.counted_per_1000,
    )


@calculation("line-threshold")
def line_threshold(given: LineThresholdInputs) -> LineThresholdResult:
    """Candidate thresholds between readings over black and over white, with their odds."""
    found = thresholds.line_threshold(given.black, given.white)
    warnings = []
    if found.minimum_error.threshold is None:
        warnings.append("The two populations' curves do not cross between their means.")
    if found.verdict == "poor":
        warnings.append("No threshold is safe here: it is the sensor, its height or its light.")
    clean = [one for one in (found.midpoint, found.otsu, found.minimum_error) if one.counted_per_1000 == 0]
    n = len(given.black) + len(given.white)
    if clean:
        warnings.append(
            f"None misread of {n} samples says no more than fewer than {3000 / n:.2g} per 1000 (3/n)."
        )
    return LineThresholdResult(
        midpoint=_candidate(found.midpoint),
        otsu=_candidate(found.otsu),
        minimum_error=_candidate(found.minimum_error),
        separation=found.separation,
        hysteresis=found.hysteresis,
        polarity=found.polarity,
        verdict=found.verdict,
        warnings=warnings,
        assumptions=["a reading is high when its count is above the threshold", "equal priors"],
        steps=[
            step("midpoint", "mean of the two means", found.midpoint.threshold),
            step("separation d′", "|difference of means| ÷ √(mean variance)", found.separation),
            step("hysteresis", "6 × the larger sd", found.hysteresis, "counts"),
        ],
    )


class TwoPopulationThresholdInputs(Inputs):
    mean_low: Finite
    sd_low: Finite
    mean_high: Finite
    sd_high: Finite


class TwoPopulationThresholdResult(Result):
    threshold: float | None
    misreads_per_1000: float | None
    d_prime: float


@calculation("two-population-threshold")
def two_population_threshold(given: TwoPopulationThresholdInputs) -> TwoPopulationThresholdResult:
    """The threshold of fewest misreads between two normal populations, equal priors."""
    low = thresholds.checked_population(given.mean_low, given.sd_low, "sd_low")
    high = thresholds.checked_population(given.mean_high, given.sd_high, "sd_high")
    found = thresholds.threshold_minimum_error(low, high)
    wrong = None if found is None else thresholds.misreads_per_1000(found, low, high)
    return TwoPopulationThresholdResult(
        threshold=found,
        misreads_per_1000=wrong,
        d_prime=thresholds.separation(low, high),
        steps=[step("threshold", "where the two densities cross", found)],
        assumptions=["equal priors"],
        warnings=[] if found is not None else ["The two densities do not cross between the means."],
    )


class ScoreThresholdInputs(Inputs):
    """Labels are 0 or 1, one for each score."""

    scores: Numbers
    labels: Numbers


class ScoreThresholdResult(Result):
    auc: float
    youden_j: float
    threshold: float | None


@calculation("score-threshold")
def score_threshold(given: ScoreThresholdInputs) -> ScoreThresholdResult:
    """Area under the ROC curve, and the threshold of the largest Youden J."""
    found = thresholds.score_threshold(given.scores, given.labels)
    return ScoreThresholdResult(
        auc=found.auc,
        youden_j=found.youden_j,
        threshold=found.threshold,
        steps=[step("J", "hits − false alarms, the first largest from the top", found.youden_j)],
        assumptions=["a reading is high from the threshold on"],
        warnings=[] if found.threshold is not None else ["No threshold does better than chance."],
    )
