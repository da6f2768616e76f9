"""How uncertain a computed number is, by the law of propagation of uncertainty."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]

# a step to one side that so much outdoes the other is a jump, rounding of the result left out
JUMPS, NOISE = 3.0, 1e-9
STEP = 1e-4  # of a standard uncertainty: small enough to be straight, large enough to keep digits


DRAWS, SEED = 4000, 20
INSIDE = 0.95
DIFFERS = 0.15  # of the ±: an end that lies farther from where the ± has it is said for itself


Name = TypeVar("Name", bound=Hashable)  # of a number: a word, or a key of one's own


@dataclass(frozen=True)
class Budget:
    """Standard uncertainty (k = 1), and the share of its variance by cause (summing to 1, or all 0)."""

    uncertainty: float
    shares: Mapping[str, float]


def plus_minus(sd: float | None) -> float | None:
    """The ± that people read: half of the 95 % interval, k = 2 (JCGM 100:2008, 6.2); None where nothing is
    known.

    >>> plus_minus(1.5)
    3.0
    """
    return None if sd is None else 2 * sd


def combine(variances: Mapping[str, float]) -> Budget:
    """Combine independent variances into one standard uncertainty and the shares (JCGM 100:2008, 5.1.2).

    >>> combine({"temperature": 9.0, "tick": 16.0}).shares
    {'temperature': 0.36, 'tick': 0.64}
    """
    total = math.fsum(variances.values())
    return Budget(
        math.sqrt(total), {cause: (part / total if total else 0.0) for cause, part in variances.items()}
    )


def propagate(
    result: Callable[[Mapping[Name, float]], float],
    values: Mapping[Name, float],
    sds: Mapping[Name, float],
    covariances: Mapping[tuple[Name, Name], float] | None = None,
    causes: Mapping[Name, str] | None = None,
) -> Budget | None:
    """Uncertainty of ``result(values)`` by first-order propagation with central differences.

    Parameters: result, a smooth function of named numbers; values, where to look; sds, standard uncertainty
    of the uncertain ones, in their own units (where the result jumps, what a whole one makes of it: 5.1.3,
    note 2; where it turns back, as a magnitude does at nothing, its slope to one side); covariances, of pairs
    of names; causes, a name to the cause its share is counted under (itself unless said), the same one for
    names that vary together. Returns: Budget, in the result's unit, or None where the result is no number.
    Source: JCGM 100:2008, 5.1.2 and 5.2.2.

    >>> round(propagate(lambda v: v["a"] * v["b"], {"a": 2.0, "b": 5.0}, {"a": 0.1, "b": 0.0}).uncertainty, 9)
    0.5
    """
    slopes: dict[Name, float] = {}
    here = result(values)
    for name, sd in sds.items():
        if sd <= 0:
            continue

        def away(share: float, name: Name = name, sd: float = sd) -> float:
            return result({**values, name: values[name] + share * sd}) - here

        above, below = away(STEP), away(-STEP)
        slopes[name] = (above - below) / (2 * STEP * sd)
        if above * below > 0 and min(abs(above), abs(below)) > NOISE * abs(here):
            # a magnitude at nothing rises to both sides
            slopes[name] = max(abs(above), abs(below)) / (STEP * sd)
        if not math.isfinite(slopes[name]):
            return None
        if max(abs(above), abs(below)) > JUMPS * min(abs(above), abs(below)) + NOISE * abs(here):
            far = [entry for entry in (away(1.0), away(-1.0)) if math.isfinite(entry)]
            slopes[name] = max(map(abs, far), default=0.0) / sd
    cause_of = causes or {}
    variances: dict[str, float] = {}
    for name, slope in slopes.items():
        cause = cause_of.get(name, str(name))
        variances[cause] = variances.get(cause, 0.0) + (slope * sds[name]) ** 2
    for (item, other), covariance in (covariances or {}).items():
        if item in slopes and other in slopes:
            variances[cause_of.get(item, str(item))] += 2 * slopes[item] * slopes[other] * covariance
    return combine({cause: max(part, 0.0) for cause, part in variances.items()})


def drawn(
    sds: Mapping[Name, float],
    covariances: Mapping[tuple[Name, Name], float] | None = None,
    draws: int = DRAWS,
) -> dict[Name, Array]:
    """Errors of uncertain numbers, each an array of shape (draws,), drawn from normal populations that hang
    together as their covariances say; always the same draws.

    Source: JCGM 101:2008, propagation of distributions, 6.4.8.
    """
    names = [name for name, sd in sds.items() if sd > 0]
    place = {name: i for i, name in enumerate(names)}
    spread = np.diag([sds[name] ** 2 for name in names])
    for (item, other), covariance in (covariances or {}).items():
        if item in place and other in place:
            spread[place[item], place[other]] = spread[place[other], place[item]] = covariance
    power, turned = np.linalg.eigh(spread) if names else (np.zeros(0), np.zeros((0, 0)))
    half = np.random.default_rng(SEED).normal(size=(draws // 2, len(names)))
    normal = np.vstack([half, -half])  # both ways alike, so that what is straight stays centred
    errors = normal * np.sqrt(np.maximum(power, 0.0)) @ turned.T
    return {name: errors[:, i] for name, i in place.items()}


def interval_of(results: Array, value: float) -> tuple[float, float] | None:
    """Where 95 % of drawn results lie, the value among them: ends equally likely to be passed, or, where the
    value lies beyond such an end (a magnitude near nothing), from the value on. None without results.

    Parameters: results, shape (n,), NaN left out. Source: JCGM 101:2008, 7.7.
    """
    known = results[np.isfinite(results)]
    if known.size < results.size / 2:
        return None
    rest = (1.0 - INSIDE) / 2.0
    low, high = (float(end) for end in np.quantile(known, (rest, 1.0 - rest)))
    if value < low:
        return value, float(np.quantile(known, INSIDE))
    if value > high:
        return float(np.quantile(known, 1.0 - INSIDE)), value
    return low, high


def lopsided(ends: tuple[float, float], value: float, sd: float) -> bool:
    """Whether an interval is another than the value ± 2 sd."""
    wide = max(ends[1] - ends[0], 4.0 * sd) / 2.0
    off = max(abs(ends[0] - (value - 2 * sd)), abs(ends[1] - (value + 2 * sd)))
    return off > DIFFERS * wide
