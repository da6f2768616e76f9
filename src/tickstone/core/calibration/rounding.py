"""Readings that a converter or a timer has rounded: to which steps, and what level they were rounded from."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]

FINE_STEPS = 0.62  # readings that scatter by so many steps average out their rounding
AGAIN = 3  # times that each value must come, about, for a step to be seen
KNOWN_SHAPE = 300.0  # readings, beyond which more say nothing: no noise is shaped so truly
WIDER = 1.2  # so that ± 2 sd are 95 % for noises of a third of a step, too, where the answer is least normal
FARTHEST = 3  # steps off the median, beyond which a value says nothing
GRID, OUTSIDE = 60, 0.75  # levels a step, and how many steps beyond the values a level may lie
STRAY = 1e-7  # share of readings that no noise explains


def step_of(readings: Array) -> float:
    """The step to which readings seem to be rounded, in their unit; 0 where none is seen.

    Parameters: readings, shape (n,), finite. Few values that lie whole steps apart, each met again and again.
    """
    values = np.unique(readings)
    if not 1 < values.size <= readings.size / AGAIN:
        return 0.0
    apart = np.diff(values)
    step = float(apart.min())
    whole = apart / step
    return step if np.abs(whole - np.round(whole)).max() < 0.01 else 0.0


def level_of_rounded(readings: Array, step: float, effective: float) -> tuple[float, float]:
    """The level, and its sd, of which readings with little noise were rounded to a step.

    Parameters: readings, shape (n,), in their unit; step, in it; effective, how many independent readings
    they are worth. The level and the noise that explain how often each value came (a population seen in
    classes; Sheppard 1898; Kendall & Stuart, The Advanced Theory of Statistics; from memory), averaged over
    noises of every size up to a step, each as likely in its logarithm, normal or with heavy tails. Always the
    same value: the level may lie anywhere in it, step/√12.
    """
    values, counts = np.unique(np.round(readings / step), return_counts=True)
    if values.size == 1:
        return float(readings.mean()), step / math.sqrt(12.0)
    middle = float(np.median(readings / step))
    near = np.abs(values - middle) <= FARTHEST
    values, weights = values[near], counts[near] * min(effective, KNOWN_SHAPE) / readings.size
    places = (GRID * (values - values[0])).astype(np.intp)
    beyond = int(OUTSIDE * GRID)
    grid = np.arange(-beyond, places[-1] + beyond + 1)
    levels = values[0] + grid / GRID
    table, first = _logs_of_shares()
    chance = sum(weight * table[place - grid - first] for weight, place in zip(weights, places, strict=True))
    chance = np.exp(chance - chance.max()).sum(axis=(1, 2))
    chance /= chance.sum()
    level = float((levels * chance).sum())
    sd = math.sqrt(float(((levels - level) ** 2 * chance).sum()))
    offset = float(np.median(readings - np.round(readings / step) * step))  # values need not be whole steps
    return level * step + offset, WIDER * sd * step


@lru_cache(1)
def _logs_of_shares() -> tuple[Array, int]:
    """The logarithm of the share of readings that are rounded to a value, by how far the value lies above the
    level, in steps over GRID; of noises of two shapes and many sizes. Shape (differences, shapes, noises),
    and the first difference."""
    from scipy.special import ndtr  # here, since loading it takes longer than most calculations

    most = int((2 * FARTHEST + OUTSIDE) * GRID)
    noises = np.geomspace(0.02, 1.0, 24)
    above = (np.arange(-most, most + 1)[:, None] / GRID + 0.5) / noises
    below = above - 1.0 / noises
    shares = np.stack([ndtr(above) - ndtr(below), _heavy(above) - _heavy(below)], axis=1)
    return np.log(shares + STRAY), -most


def _heavy(x: Array) -> Array:
    """Distribution function of Student's t with three degrees of freedom, which is a closed form."""
    scaled = x / math.sqrt(3.0)
    return 0.5 + (scaled / (1.0 + scaled**2) + np.arctan(scaled)) / math.pi


def rounding_left(noise: float, step: float) -> float:
    """What rounding to ``step`` leaves in a mean of readings whose noise was ``noise`` before, k = 1.

    Rounding is undone by averaging over noise: what is left shrinks as exp(−2π²(noise/step)²) (Widrow &
    Kollár, Quantization Noise, 2008; from memory).

    >>> round(rounding_left(0.0, 1.0), 4)
    0.2887
    """
    if step <= 0:
        return 0.0
    return step / math.sqrt(12.0) * math.exp(-2.0 * (math.pi * noise / step) ** 2)


def noise_of_rounded(spread: float, step: float) -> float:
    """The noise before rounding of readings that scatter by ``spread`` after it: rounding adds step²/12 to
    the variance (Sheppard 1898)."""
    return math.sqrt(max(spread**2 - step**2 / 12.0, 0.0))
