"""Numbers inside sentences."""

from __future__ import annotations

import re
from collections.abc import Sequence

MINUS = re.compile(r"(?<![\w.)-])-(?=\d)")


def fixed(value: float, digits: int = 0) -> str:
    """A number with a fixed count of decimals and a true minus sign; never minus zero.

    >>> fixed(-3.14, 1), fixed(-0.04, 1)
    ('\u22123.1', '0.0')
    """
    text = f"{value:.{digits}f}"
    return text.removeprefix("-") if float(text) == 0 else text.replace("-", "\u2212")


def minus(text: str) -> str:
    """A sentence with true minus signs before its numbers.

    >>> minus("says -2 twice, 4-channel, (-0.5)")
    'says \u22122 twice, 4-channel, (\u22120.5)'
    """
    return MINUS.sub("\u2212", text)


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
