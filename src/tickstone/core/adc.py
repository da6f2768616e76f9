"""Converter codes: counts to volts, and signed counts to units."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_positive, check_whole
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]

MOST_BITS = 32


def check_bits(bits: int, name: str = "bits") -> int:
    """Return ``bits``, or raise BadInput unless it is a whole number from 1 to 32."""
    if check_whole(bits, 1, name) > MOST_BITS:
        raise BadInput(f"{name} must be at most {MOST_BITS}, not {bits}.", name)
    return bits


def check_codes(counts: npt.ArrayLike, low: int, high: int, name: str = "counts") -> Array:
    """``counts`` as an array, NaN = missing. Raises BadInput for a code outside ``low``…``high``."""
    codes = np.asarray(counts, dtype=np.float64)
    if bool((codes < low).any() or (codes > high).any()):
        wrong = float(codes[(codes < low) | (codes > high)].flat[0]) if codes.ndim else float(codes)
        raise BadInput(f"{name} must lie between {low} and {high}, but is {wrong:g}.", name)
    return codes


def lsb_v(bits: int, reference_v: float) -> float:
    """One step of a converter, V: ``reference / 2^bits``.

    A second school divides by ``2^bits − 1``, so that the top code reads the reference; the two differ by one
    part in 2^bits at full scale. Source: common practice; IEEE Std 1241 terms.

    >>> round(lsb_v(10, 5.0) * 1000, 3)
    4.883
    """
    return check_positive(reference_v, "reference_v") / float(2 ** check_bits(bits))


def quantisation_v(bits: int, reference_v: float) -> float:
    """Standard uncertainty of one code, V: ``LSB/√12`` (JCGM 100:2008, F.2.2.1)."""
    return lsb_v(bits, reference_v) / math.sqrt(12.0)


def volts(counts: npt.ArrayLike, bits: int = 10, reference_v: float = 5.0) -> Array:
    """Counts to volts, ``counts·reference/2^bits``.

    Parameters: counts, any shape, 0 to 2^bits − 1, NaN = missing; bits; reference_v, V. Returns: V, same
    shape. Raises: BadInput for field ``counts`` when a code is outside the converter's range.

    >>> volts([0, 512, 1023]).round(3).tolist()
    [0.0, 2.5, 4.995]
    """
    step = lsb_v(bits, reference_v)
    return check_codes(counts, 0, 2**bits - 1) * step


def volts_by_top_code(counts: float, bits: int = 10, reference_v: float = 5.0) -> float:
    """What the second school says: the top code reads the reference, ``counts·reference/(2^bits − 1)``, V.

    >>> volts_by_top_code(1023)
    5.0
    """
    return counts * check_positive(reference_v, "reference_v") / float(2 ** check_bits(bits) - 1)


def counts_from_volts(level_v: npt.ArrayLike, bits: int = 10, reference_v: float = 5.0) -> Array:
    """The code that a level gives, whole counts held within the range: the inverse of ``volts`` to within one
    step.

    >>> counts_from_volts([2.5, 9.0]).tolist()
    [512.0, 1023.0]
    """
    code = np.floor(np.asarray(level_v, dtype=np.float64) / lsb_v(bits, reference_v) + 1e-9)
    return np.clip(code, 0, 2**bits - 1)


def clipped(counts: npt.ArrayLike, low: int, high: int) -> npt.NDArray[np.bool_]:
    """True where a code is pinned at either end of its range."""
    codes = np.asarray(counts)
    return np.asarray((codes <= low) | (codes >= high))


def signed_range(bits: int) -> tuple[int, int]:
    """Lowest and highest two's-complement code.

    >>> signed_range(16)
    (-32768, 32767)
    """
    half = 2 ** (check_bits(bits) - 1)
    return -half, half - 1


def units(counts: npt.ArrayLike, full_scale: float, bits: int = 16) -> Array:
    """Signed counts to units, ``counts·full_scale/2^(bits−1)``.

    Parameters: counts, any shape, two's complement, NaN = missing; full_scale, the value of 2^(bits−1)
    counts. Returns: in the unit of full_scale, same shape. Raises: BadInput for ``counts`` outside the range.

    >>> float(units(16384, 2.0))
    1.0
    """
    check_positive(full_scale, "full_scale")
    return check_codes(counts, *signed_range(bits)) * (full_scale / float(2 ** (bits - 1)))
