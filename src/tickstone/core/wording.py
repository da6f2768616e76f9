"""Numbers inside sentences."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

POWER = re.compile(r"(?<![\w.])\d+(?:\.\d+)?e[+-]\d+")
MINUS = re.compile(r"(?<![\w.)-])-(?=\d)")


def fixed(value: float, digits: int = 0) -> str:
    """A number with a fixed count of decimals and a true minus sign; never minus zero.

    >>> fixed(-3.14, 1), fixed(-0.04, 1)
    ('\u22123.1', '0.0')
    """
    text = f"{value:.{digits}f}"
    return text.removeprefix("-") if float(text) == 0 else text.replace("-", "\u2212")


def often(count: int) -> str:
    """How often something happened.

    >>> often(1), often(3)
    ('once', '3 times')
    """
    return "once" if count == 1 else f"{count} times"


def readable(text: str) -> str:
    """A sentence whose numbers have true minus signs and no powers of ten.

    >>> readable("says -2 twice, 4-channel, (-0.5), 8e+06 Hz, 6.1e-05")
    'says \u22122 twice, 4-channel, (\u22120.5), 8000000 Hz, 0.000061'
    """
    return MINUS.sub("\u2212", POWER.sub(lambda match: positional(float(match.group())), text))


def positional(value: float) -> str:
    """A number in full, without a power of ten."""
    return np.format_float_positional(value, trim="-")


def significant(value: float, digits: int = 3) -> str:
    """A number with so many significant figures, never with a power of ten, and a true minus sign.

    >>> significant(1750.4), significant(0.00001), significant(-24.71, 2), significant(5.0)
    ('1750', '0.00001', '\u221225', '5')
    """
    return positional(float(f"{value:.{digits}g}")).replace("-", "\u2212")


def listed(names: Sequence[str]) -> str:
    """Names one after another, the last with "and".

    >>> listed(["left", "centre", "right"])
    'left, centre and right'
    """
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def rate(value: float) -> str:
    """How often something happens, in digits that claim no more than is known.

    >>> rate(0.0), rate(0.00001), rate(7.13), rate(240.4)
    ('none', 'below 1 in 10 000', '7.1', '240')
    """
    if value == 0:
        return "none"
    if value < 1e-4:
        return "below 1 in 10 000"
    return f"{value:.2g}" if value < 100 else fixed(value)


def begun(words: str) -> str:
    """Words at the beginning of a sentence.

    >>> begun("the left sensor")
    'The left sensor'
    """
    return words[:1].upper() + words[1:]
