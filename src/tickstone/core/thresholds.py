"""Thresholds between two populations of readings, and how often each would misread. High means above the
threshold."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_length, check_not_negative, check_same_length
from tickstone.core.noise import sample_sd
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

LEAST_SD = 1.0 / math.sqrt(12.0)  # a count is never known better than its own width
GOOD_D, MARGINAL_D = 6.0, 4.0
HYSTERESIS_SDS = 6.0


@dataclass(frozen=True)
class Population:
    """A normal population of readings; ``sd`` is at least that of one count."""

    mean: float
    sd: float


def population(values: npt.ArrayLike, name: str) -> Population:
    """Mean and sample sd of readings, shape (n,), n ≥ 1. Raises BadInput naming the list when it is empty."""
    x = np.asarray(values, dtype=np.float64)
    check_length(x, 1, name)
    return Population(float(x.mean()), sample_sd(x) or LEAST_SD)


def tail(z: float) -> float:
    """Share of a unit normal population above ``z``."""
    return 0.5 * math.erfc(z / math.sqrt(2.0))


def misreads_per_1000(threshold: float, low: Population, high: Population) -> float:
    """Misreads per 1000 at equal priors, by the two fitted normals: ``1000·½·(both tails)``.

    >>> round(misreads_per_1000(200, Population(100, 50), Population(300, 50)), 2)
    22.75
    """
    wrong = tail((threshold - low.mean) / low.sd) + tail((high.mean - threshold) / high.sd)
    return 500.0 * wrong


def counted_per_1000(threshold: float, low: npt.ArrayLike, high: npt.ArrayLike) -> float:
    """Misreads per 1000 of the samples given, by counting them."""
    low_x, high_x = np.asarray(low), np.asarray(high)
    wrong = int((low_x > threshold).sum() + (high_x <= threshold).sum())
    return 1000.0 * wrong / (low_x.size + high_x.size)


def threshold_midpoint(low: npt.ArrayLike, high: npt.ArrayLike) -> float:
    """Mean of the two means, shapes (n,) and (m,).

    >>> threshold_midpoint([100, 120], [300, 320])
    210.0
    """
    return (float(np.asarray(low, np.float64).mean()) + float(np.asarray(high, np.float64).mean())) / 2


@dataclass(frozen=True)
class Otsu:
    """``threshold`` is the middle of the flat optimum ``lowest``…``highest`` (whole counts; class 0 is ≤
    t)."""

    threshold: float
    lowest: int
    highest: int
    between_class_variance: float


def threshold_otsu(counts: npt.ArrayLike) -> Otsu:
    """Threshold of one mixed population: the whole count that makes the variance between the classes largest.

    Parameters: counts, shape (n,), with at least two different whole counts.
    Returns: Otsu. Raises: BadInput for field ``counts``. Source: Otsu, IEEE Trans. SMC 9 (1979) 62.

    >>> threshold_otsu([10, 10, 20, 20]).threshold
    14.5
    """
    x = np.asarray(counts, dtype=np.float64)
    check_length(x, 1, "counts")
    values, numbers = np.unique(x, return_counts=True)
    lowest = np.ceil(values[:-1])
    highest = np.ceil(values[1:]) - 1
    usable = lowest <= highest  # a whole count lies between the two values
    if not usable.any():
        raise BadInput("counts must hold at least two different values: there is nothing to part.", "counts")
    below = np.cumsum(numbers)[:-1]
    sums = np.cumsum(numbers * (values - values[0]))  # from the smallest value, to keep the digits
    total, n = sums[-1], x.size
    mean_low = sums[:-1] / below
    mean_high = (total - sums[:-1]) / (n - below)
    variance = np.where(usable, below / n * (1 - below / n) * (mean_low - mean_high) ** 2, -1.0)
    best = float(variance.max())
    flat = np.flatnonzero(variance >= best * (1 - 1e-12))
    low, high = int(lowest[flat[0]]), int(highest[flat[-1]])
    return Otsu((low + high) / 2, low, high, best)


def threshold_minimum_error(low: Population, high: Population) -> float | None:
    """Where the two normal densities cross between the means (equal priors): fewest misreads. None without a
    crossing.

    Parameters: two populations, low mean below high mean. Returns: counts.
    Raises: BadInput for ``mean_low`` when the means are equal or the wrong way round.
    Source: Duda, Hart & Stork, Pattern Classification, ch. 2; Kittler & Illingworth, Pattern Recognition 19
    (1986) 41.

    >>> round(threshold_minimum_error(Population(120, 15), Population(800, 90)), 1)
    220.6
    """
    if not low.mean < high.mean:
        raise BadInput(f"mean_low ({low.mean:g}) must be below mean_high ({high.mean:g}).", "mean_low")
    # With x = low.mean + u the crossing solves a·u² + b·u + c = 0.
    gap = high.mean - low.mean
    a = 1 / low.sd**2 - 1 / high.sd**2
    b = 2 * gap / high.sd**2
    c = -(gap**2) / high.sd**2 - 2 * math.log(high.sd / low.sd)
    if abs(a) * gap < 1e-12 * b:
        u = -c / b
        return low.mean + u if 0 < u < gap else None
    root = b * b - 4 * a * c
    if root < 0:
        return None
    q = -(b + math.copysign(math.sqrt(root), b)) / 2
    crossings = [u for u in (q / a, c / q if q else math.inf) if 0 < u < gap]
    return low.mean + crossings[0] if crossings else None


def separation(item: Population, other: Population) -> float:
    """d′: distance of the means over the root mean square of the sds (Green & Swets, 1966).

    >>> separation(Population(0, 1), Population(2, 1))
    2.0
    """
    return abs(item.mean - other.mean) / math.sqrt((item.sd**2 + other.sd**2) / 2)


@dataclass(frozen=True)
class Candidate:
    """A threshold with its odds: by the fitted normals, and counted on the samples given."""

    threshold: float | None
    misreads_per_1000: float | None
    counted_per_1000: float | None


@dataclass(frozen=True)
class LineThreshold:
    """Candidates for one line sensor; ``hysteresis`` is the full band in counts, centred on the threshold."""

    midpoint: Candidate
    otsu: Candidate
    minimum_error: Candidate
    separation: float
    hysteresis: float
    polarity: str
    verdict: str


def line_threshold(black: npt.ArrayLike, white: npt.ArrayLike) -> LineThreshold:
    """Candidate thresholds between readings over black and over white, with their odds and a verdict.

    Parameters: black, white, shapes (n,) and (m,), counts, not empty. Returns: LineThreshold; polarity
    white_high or white_low from the means; verdict good (d′ ≥ 6 and the band under half the gap), marginal
    (d′ ≥ 4) or poor. Raises: BadInput for ``white`` when the means are equal.

    >>> line_threshold([100, 104, 102], [600, 610, 605]).polarity
    'white_high'
    """
    dark, pale = population(black, "black"), population(white, "white")
    if dark.mean == pale.mean:
        raise BadInput(
            f"white reads the same as black on average ({pale.mean:g}): nothing tells them apart.", "white"
        )
    white_high = pale.mean > dark.mean
    low, high = (dark, pale) if white_high else (pale, dark)
    low_x, high_x = (black, white) if white_high else (white, black)

    def candidate(threshold: float | None) -> Candidate:
        if threshold is None:
            return Candidate(None, None, None)
        return Candidate(
            threshold, misreads_per_1000(threshold, low, high), counted_per_1000(threshold, low_x, high_x)
        )

    pooled = np.concatenate([np.asarray(black, np.float64), np.asarray(white, np.float64)])
    d = separation(dark, pale)
    band = HYSTERESIS_SDS * max(dark.sd, pale.sd)
    good = d >= GOOD_D and band < (high.mean - low.mean) / 2
    return LineThreshold(
        candidate(threshold_midpoint(black, white)),
        candidate(threshold_otsu(pooled).threshold),
        candidate(threshold_minimum_error(low, high)),
        d,
        band,
        "white_high" if white_high else "white_low",
        "good" if good else "marginal" if d >= MARGINAL_D else "poor",
    )


def checked_population(mean: float, sd: float, name: str) -> Population:
    """A population from its numbers, a zero sd raised to that of one count. Raises BadInput for a negative
    sd."""
    return Population(mean, check_not_negative(sd, name) or LEAST_SD)


@dataclass(frozen=True)
class ScoreThreshold:
    """Area under the ROC curve, Youden's J, and the score from which on a reading is called high (None when J
    is 0)."""

    auc: float
    youden_j: float
    threshold: float | None


def score_threshold(scores: npt.ArrayLike, labels: npt.ArrayLike) -> ScoreThreshold:
    """Area under the ROC curve and the threshold of the largest Youden J, the first from the top.

    Parameters: scores, shape (n,); labels, shape (n,), 0 or 1, both present. A reading is high if score ≥
    threshold. Returns: ScoreThreshold. Raises: BadInput for ``labels`` or ``scores``.
    Source: Mann & Whitney (1947) by ranks, ties counted half; Youden, Cancer 3 (1950) 32.

    >>> score_threshold([0.1, 0.4, 0.35, 0.8], [0, 0, 1, 1])
    ScoreThreshold(auc=0.75, youden_j=0.5, threshold=0.8)
    """
    x, y = np.asarray(scores, dtype=np.float64), np.asarray(labels)
    check_length(x, 1, "scores")
    check_same_length({"scores": x, "labels": y})
    high, low = x[y == 1], x[y == 0]
    if high.size + low.size != y.size:
        raise BadInput("labels must be 0 or 1.", "labels")
    if not (high.size and low.size):
        raise BadInput("labels must hold both 0 and 1.", "labels")
    low_sorted = np.sort(low)
    wins = np.searchsorted(low_sorted, high, "left") + np.searchsorted(low_sorted, high, "right")
    auc = float(wins.sum()) / (2.0 * high.size * low.size)
    steps = np.unique(x)[::-1]
    hits = 1 - np.searchsorted(np.sort(high), steps, "left") / high.size
    false = 1 - np.searchsorted(low_sorted, steps, "left") / low.size
    j = hits - false
    best = int(np.argmax(j >= j.max() - 1e-12))
    if j[best] <= 1e-12:
        return ScoreThreshold(auc, 0.0, None)
    return ScoreThreshold(auc, float(j[best]), float(steps[best]))
