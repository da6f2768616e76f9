"""Loops over samples that cannot be written as array expressions: each sample needs the result of the one
before.

A loop is one plain Python function over arrays. Short inputs run it as it is; long ones run the same function
compiled. Functions that a loop calls are marked with ``part_of_loops``: they stay plain functions, and are
compiled with the loops that call them.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import cache
from typing import Any, TypeVar

COMPILED_FROM = 20_000  # samples: below this the plain loop is done before the compiler would be loaded
_PARTS: list[Callable[..., Any]] = []
_READY: set[Callable[..., Any]] = set()
_MAKE_NO_ARRAYS: set[Callable[..., Any]] = set()
Part = TypeVar("Part", bound=Callable[..., Any])


def part_of_loops(function: Part) -> Part:
    """Mark a plain function of numbers and arrays that loops may call. It must be marked before a loop that
    calls it is compiled."""
    _PARTS.append(function)
    return function


def makes_no_arrays(loop: Part) -> Part:
    """Mark a loop that makes no arrays, and copies none: who holds which array need not be counted then,
    which else takes most of the time of a loop with many small parts."""
    _MAKE_NO_ARRAYS.add(loop)
    return loop


@cache
def _compiled(loop: Callable[..., Any]) -> Callable[..., Any]:
    import numba  # here, since loading it takes longer than most calculations
    from numba.extending import register_jitable

    for part in _PARTS:
        register_jitable(part)
    # what was compiled is kept by name: with another part it is another loop
    kept = hashlib.sha256()
    for part in (loop, *_PARTS):
        code = part.__code__
        kept.update(repr((code.co_code, code.co_names, code.co_consts)).encode())
    loop.__qualname__ = f"{loop.__name__}_{kept.hexdigest()[:12]}"
    options: dict[str, Any] = {"error_model": "numpy", "nogil": True, "_nrt": loop not in _MAKE_NO_ARRAYS}
    try:
        made: Callable[..., Any] = numba.njit(cache=True, **options)(loop)
    except RuntimeError:  # nowhere to keep what was compiled: compile anew each time
        made = numba.njit(**options)(loop)
    return made


def ready(loop: Callable[..., Any]) -> bool:
    """Whether a loop has been compiled in this process: then it is worth it for any number of samples."""
    return loop in _READY


def run(loop: Callable[..., Any], samples: int, *arguments: Any) -> Any:
    """The result of ``loop(*arguments)``; compiled when there are many ``samples``."""
    if samples < COMPILED_FROM:
        return loop(*arguments)
    result = _compiled(loop)(*arguments)
    _READY.add(loop)
    return result
