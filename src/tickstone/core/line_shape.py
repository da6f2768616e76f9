"""How far the centroid of a row may lie from the line itself, by the shape of what its sensors see: spots
narrower than the pitch leave gaps in which nothing changes, and a phototransistor near saturation tells half
a spot as less than half."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_positive
from tickstone.core.surface import line_positions

Array = npt.NDArray[np.float64]

STEPS = (-1.5, -0.75, 0.0, 0.75, 1.5)  # of a spot's sd, about its width; each as likely as a normal one
BENDS = (0.6, 1.0, 1.6)  # exponents of a response from early to late
STEPS_A_PITCH = 120  # of the line's place
NEAR = 1 / 40  # of a pitch: readings that lie so near are the same


def darkness_of(line_mm: Array, place_mm: Array, spot_mm: float, tape_mm: float, bend: float = 1.0) -> Array:
    """How dark sensors see the floor with a line at places across the row.

    Parameters: line_mm, shape (n,), and place_mm, shape (sensors,), positive to the right; spot_mm and
    tape_mm, widths; bend, exponent of the response (1: straight). Returns: 0 to 1, shape (n, sensors).

    >>> darkness_of(np.array([0.0, 6.0]), np.array([0.0]), 4.0, 12.0).ravel().tolist()
    [1.0, 0.5]
    """
    off = np.abs(line_mm[:, None] - place_mm[None, :])
    covered = np.clip((tape_mm + spot_mm) / 2 - off, 0.0, min(spot_mm, tape_mm)) / spot_mm
    return np.asarray(covered**bend, np.float64)


@lru_cache(maxsize=64)
def _readings(
    count: int, pitch_mm: float, tape_mm: float, spot_mm: float, spot_sd_mm: float
) -> tuple[Array, Array, Array]:
    """Where the line was, what the centroid says there, and how likely that is, over every plausible spot and
    response; all of shape (n,). The line's middle is at most half its width beyond the row."""
    places = (np.arange(count, dtype=np.float64) - (count - 1) / 2) * pitch_mm
    half = float(places[-1]) + tape_mm / 2
    steps = round(half / pitch_mm * STEPS_A_PITCH)
    line = np.arange(-steps, steps + 1, dtype=np.float64) * (half / steps)
    lines, values, weights = [], [], []
    for step in STEPS if spot_sd_mm > 0 else (0.0,):
        for bend in BENDS:
            dark = darkness_of(line, places, max(spot_mm + step * spot_sd_mm, 0.1 * spot_mm), tape_mm, bend)
            result = line_positions(dark, pitch_mm).offset_mm
            seen = np.isfinite(result)
            lines.append(line[seen])
            values.append(result[seen])
            weights.append(np.full(int(seen.sum()), np.exp(-(step**2) / 2)))
    return np.concatenate(lines), np.concatenate(values), np.concatenate(weights)


def centroid_doubt_mm(
    offset_mm: float, count: int, pitch_mm: float, tape_mm: float, spot_mm: float, spot_sd_mm: float
) -> float:
    """Standard uncertainty of a centroid for its spots alone: root mean square of how far the line lies from
    it, over every place, spot and response that would give this reading.

    Parameters: offset_mm, the centroid; count and pitch_mm of the row; tape_mm; spot_mm and spot_sd_mm, what
    a sensor sees. Returns: mm, k = 1. Raises: BadInput for ``pitch_mm``, ``tape_mm`` or ``spot_mm`` not above
    0.
    """
    for name, size in (("pitch_mm", pitch_mm), ("tape_mm", tape_mm), ("spot_mm", spot_mm)):
        check_positive(size, name)
    line, values, weights = _readings(count, pitch_mm, tape_mm, spot_mm, spot_sd_mm)
    if not line.size:
        return 0.0  # a tape that no sensor would see enough of: there is no centroid to doubt
    away = np.abs(values - offset_mm)
    same = away <= max(NEAR * pitch_mm, float(away.min()))
    return float(np.sqrt(np.average((line[same] - offset_mm) ** 2, weights=weights[same])))
