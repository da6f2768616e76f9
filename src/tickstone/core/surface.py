"""Reflective sensors: counts to reflectance, and where a line lies under a row of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_positive
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

FAINT = 0.2  # darkness below this is ground, and takes no part in the centroid
DARK = 0.5
STATES = ("lost", "left", "centre", "right", "wide", "broken")
LOST, LEFT, CENTRE, RIGHT, WIDE, BROKEN = range(6)


def reflectance(counts: npt.ArrayLike, black: npt.ArrayLike, white: npt.ArrayLike) -> Array:
    """Reflectance between a sensor's own black and white, ``(x − black)/(white − black)``, clipped to 0…1.

    Parameters: counts, any shape, NaN = missing; black and white, what the sensor reads there, counts,
    broadcast. Returns: fraction, same shape. White may read low (load from the supply): the sign takes care
    of itself. Raises: BadInput for ``white`` when it equals black.

    >>> reflectance([100, 500, 950], 100, 900).tolist()
    [0.0, 0.5, 1.0]
    """
    dark, pale = np.asarray(black, dtype=np.float64), np.asarray(white, dtype=np.float64)
    if bool((dark == pale).any()):
        raise BadInput("white must differ from black: nothing tells them apart.", "white")
    scaled = (np.asarray(counts, dtype=np.float64) - dark) * (1.0 / (pale - dark))
    return np.clip(scaled, 0.0, 1.0)


@dataclass(frozen=True)
class LinePositions:
    """``offset_mm``, shape (n,), is NaN where the line is lost, positive to the right; ``dark``, shape
    (sensors, n), tells which sensors see the line."""

    offset_mm: Array
    dark: tuple[npt.NDArray[np.bool_], ...]
    pitch_mm: float

    @property
    def width_seen(self) -> npt.NDArray[np.int64]:
        """How many sensors see the line, shape (n,)."""
        return np.asarray(np.sum(self.dark, axis=0, dtype=np.int64))

    @property
    def state(self) -> npt.NDArray[np.int8]:
        """Index into STATES, shape (n,): lost, broken (dark, pale, dark), wide (all of two or more sensors
        dark), else left, centre or right by half a pitch."""
        begins = [
            self.dark[0],
            *(now & ~before for before, now in zip(self.dark, self.dark[1:], strict=False)),
        ]
        strips = np.sum(begins, axis=0)
        wide = (self.width_seen == len(self.dark)) & (len(self.dark) > 1)
        near = self.pitch_mm / 2 * (1 - 1e-9)
        with np.errstate(invalid="ignore"):
            sides = [self.offset_mm <= -near, self.offset_mm >= near]
        states = np.select(
            [np.isnan(self.offset_mm), strips > 1, wide, *sides], [LOST, BROKEN, WIDE, LEFT, RIGHT], CENTRE
        )
        return states.astype(np.int8)


def line_positions(darkness: npt.ArrayLike, pitch_mm: float) -> LinePositions:
    """Where the line lies under a row of sensors: weighted centroid of darkness.

    Parameters: darkness, shape (n, sensors) or (sensors,), 0 to 1, left to right (1 − reflectance); pitch_mm,
    between neighbours. Returns: LinePositions. A darkness below 0.2 counts as none.
    Raises: BadInput for ``darkness`` outside 0…1 or empty.

    >>> float(line_positions([0, 0, 1, 1, 0], 10).offset_mm[0])
    5.0
    """
    check_positive(pitch_mm, "pitch_mm")
    d = np.atleast_2d(np.asarray(darkness, dtype=np.float64))
    if d.shape[-1] == 0:
        raise BadInput("darkness needs at least one sensor.", "darkness")
    if d.size and not (d.min() >= 0 and d.max() <= 1):
        raise BadInput("darkness must lie between 0 and 1.", "darkness")
    count = d.shape[1]
    total, moment = np.zeros(len(d)), np.zeros(len(d))
    for place in range(count):  # few sensors, many rows: a column at a time is faster than along the rows
        weight = np.where(d[:, place] < FAINT, 0.0, d[:, place])
        total += weight
        moment += weight * ((place - (count - 1) / 2) * pitch_mm)
    with np.errstate(invalid="ignore"):
        offset = moment / total
    return LinePositions(offset, tuple(d[:, place] >= DARK for place in range(count)), pitch_mm)
