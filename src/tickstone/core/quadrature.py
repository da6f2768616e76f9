"""A rotary encoder's two channels: direction, count, and transitions that cannot be."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_same_length
from tickstone.errors import BadInput

# Place of the state 2·A + B in the cycle 00, 10, 11, 01: forward when A leads B.
_PLACE = np.array([0, 3, 1, 2])


@dataclass(frozen=True)
class Quadrature:
    """``count`` is the running count in quarter cycles, shape (n,), from 0; ``illegal`` counts double
    steps."""

    count: npt.NDArray[np.int64]
    illegal: int


def decode(a: npt.ArrayLike, b: npt.ArrayLike) -> Quadrature:
    """Follow two channels in quadrature (×4): each change of one channel is a step, of both at once none.

    Parameters: a, b: levels 0 or 1, shape (n,). Returns: Quadrature; forward (A leads) counts up.
    Raises: BadInput for ``a`` or ``b``. Source: common practice (the state table of two channels a quarter
    cycle apart).

    >>> decode([0, 1, 1, 0, 0], [0, 0, 1, 1, 0]).count.tolist()
    [0, 1, 2, 3, 4]
    """
    item, other = np.asarray(a), np.asarray(b)
    check_same_length({"a": item, "b": other})
    for name, levels in (("a", item), ("b", other)):
        if not np.isin(levels, (0, 1)).all():
            raise BadInput(f"{name} must hold levels 0 and 1 only.", name)
    places = _PLACE[(2 * item + other).astype(np.int64)]
    steps = (np.diff(places) + 1) % 4 - 1  # −1, 0, 1, or 2 for both at once
    illegal = steps == 2
    count = (
        np.concatenate([[0], np.cumsum(np.where(illegal, 0, steps))]) if item.size else np.zeros(0, np.int64)
    )
    return Quadrature(count.astype(np.int64), int(illegal.sum()))
