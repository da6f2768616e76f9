"""Readings that are lost by chance, told from those that are missing because nothing is there."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

LONGEST = 2  # readings missing in a row: more are not lost by chance


def lost_share(valid: npt.NDArray[np.bool_]) -> float | None:
    """The share of readings that were lost alone among others that came, 0 to 1.

    Parameters: valid, shape (n,), whether each reading means something. Returns: None where none does.

    >>> import numpy as np
    >>> lost_share(np.array([True, False, True, True, False, False, False, False, True, True]))
    0.16666666666666666
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[True], valid, [True]]).astype(np.int8)))
    lengths = edges[1::2] - edges[::2]
    within = (edges[::2] > 0) & (edges[1::2] < valid.size)
    lost = int(lengths[within & (lengths <= LONGEST)].sum())
    came = int(valid.sum())
    return lost / (lost + came) if came else None
