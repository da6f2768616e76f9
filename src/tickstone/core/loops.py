"""Loops over samples that cannot be written as array expressions: each sample needs the result of the one
before.

A loop is one plain Python function over arrays. Short inputs run it as it is; long ones run the same function
compiled.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

COMPILED_FROM = 20_000  # samples: below this the plain loop is done before the compiler would be loaded


@cache
def _compiled(loop: Callable[..., Any]) -> Callable[..., Any]:
    import numba  # here, since loading it takes longer than most calculations

    try:
        made: Callable[..., Any] = numba.njit(cache=True)(loop)
    except RuntimeError:  # nowhere to keep what was compiled: compile anew each time
        made = numba.njit(loop)
    return made


def run(loop: Callable[..., Any], samples: int, *arguments: Any) -> Any:
    """The result of ``loop(*arguments)``; compiled when there are many ``samples``."""
    return (loop if samples < COMPILED_FROM else _compiled(loop))(*arguments)
