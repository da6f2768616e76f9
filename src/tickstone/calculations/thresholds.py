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
    result = thresholds.threshold_otsu(given.counts)
    return OtsuResult(
        threshold=result.threshold,
        lowest=result.lowest,
        highest=result.highest,
        between_class_variance=result.between_class_variance,
        steps=[
            step("threshold", f"({result.lowest} + {result.highest}) ÷ 2, the flat optimum", result.threshold)
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


def _candidate(candidate: thresholds.Candidate) -> CandidatePart:
    return CandidatePart(
        threshold=candidate.threshold,
        misreads_per_1000=candidate.misreads_per_1000,
        counted_per_1000=candidate.counted_per_1000,
    )


@calculation("line-threshold")
def line_threshold(given: LineThresholdInputs) -> LineThresholdResult:
    """Candidate thresholds between readings over black and over white, with their odds."""
    threshold = thresholds.line_threshold(given.black, given.white)
    warnings = []
    if threshold.minimum_error.threshold is None:
        warnings.append("The two populations' curves do not cross between their means.")
    if threshold.verdict == "poor":
        warnings.append("No threshold is safe here: it is the sensor, its height or its light.")
    clean = [
        candidate
        for candidate in (threshold.midpoint, threshold.otsu, threshold.minimum_error)
        if candidate.counted_per_1000 == 0
    ]
    n = len(given.black) + len(given.white)
    if clean:
        warnings.append(
            f"None misread of {n} samples says no more than fewer than {3000 / n:.2g} per 1000 (3/n)."
        )
    return LineThresholdResult(
        midpoint=_candidate(threshold.midpoint),
        otsu=_candidate(threshold.otsu),
        minimum_error=_candidate(threshold.minimum_error),
        separation=threshold.separation,
        hysteresis=threshold.hysteresis,
        polarity=threshold.polarity,
        verdict=threshold.verdict,
        warnings=warnings,
        assumptions=["a reading is high when its count is above the threshold", "equal priors"],
        steps=[
            step("midpoint", "mean of the two means", threshold.midpoint.threshold),
            step("separation d′", "|difference of means| ÷ √(mean variance)", threshold.separation),
            step("hysteresis", "6 × the larger sd", threshold.hysteresis, "counts"),
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
    result = thresholds.threshold_minimum_error(low, high)
    wrong = None if result is None else thresholds.misreads_per_1000(result, low, high)
    return TwoPopulationThresholdResult(
        threshold=result,
        misreads_per_1000=wrong,
        d_prime=thresholds.separation(low, high),
        steps=[step("threshold", "where the two densities cross", result)],
        assumptions=["equal priors"],
        warnings=[] if result is not None else ["The two densities do not cross between the means."],
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
    threshold = thresholds.score_threshold(given.scores, given.labels)
    return ScoreThresholdResult(
        auc=threshold.auc,
        youden_j=threshold.youden_j,
        threshold=threshold.threshold,
        steps=[step("J", "hits − false alarms, the first largest from the top", threshold.youden_j)],
        assumptions=["a reading is high from the threshold on"],
        warnings=[] if threshold.threshold is not None else ["No threshold does better than chance."],
    )
