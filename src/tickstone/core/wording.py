"""Numbers inside sentences."""

from __future__ import annotations

from collections.abc import Sequence


def fixed(value: float, digits: int = 0) -> str:
    """A number with a fixed count of decimals and a true minus sign; never minus zero.

    >>> fixed(-3.14, 1), fixed(-0.04, 1)
    ('\u22123.1', '0.0')
    """
    text = f"{value:.{digits}f}"
    return text.removeprefix("-") if float(text) == 0 else text.replace("-", "\u2212")


def listed(names: Sequence[str]) -> str:
    """Names one after another, the last with "and".

    >>> listed(["left", "centre", "right"])
    'left, centre and right'
    """
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
