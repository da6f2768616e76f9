"""How late lines come: a line takes its time on the way, more of it at one moment than at another."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import Generic, TypeVar

GLANCE_S = 0.04  # a glance at anything is worth so long
BATCHES, LOOK_BACK_S = 512, 10.0  # of lines, from which it is judged

T = TypeVar("T")


class Cached(Generic[T]):
    """An answer that is worked out anew only every ``for_s`` seconds."""

    def __init__(self, for_s: float) -> None:
        self._for_s = for_s
        self._kept: tuple[float, T] | None = None

    def get(self, now_s: float, work: Callable[[], T]) -> T:
        """The answer as it is at ``now_s``, or was a moment ago."""
        if self._kept is None or now_s - self._kept[0] >= self._for_s:
            self._kept = now_s, work()
        return self._kept[1]


class Lateness:
    """``pace`` is how many seconds of the rig's time pass in one of ours."""

    def __init__(self, pace: float) -> None:
        self._pace = pace
        self._batches: deque[tuple[float, float]] = deque(maxlen=BATCHES)
        self._most: Cached[float] = Cached(GLANCE_S)

    def add(self, now_s: float, first_us: int) -> None:
        """Lines have come by ``now_s``, s of our own clock, the first of them with the rig's time
        ``first_us``."""
        self._batches.append((now_s, self._pace * now_s - first_us / 1e6))

    def clear(self) -> None:
        """The rig's time has begun anew."""
        self._batches.clear()
        self._most = Cached(GLANCE_S)

    def complete_to_s(self, now_s: float) -> float | None:
        """Up to when, s of the rig's time, everything that was sent has surely come; None before the first
        lines."""
        if not self._batches:
            return None
        return self._pace * now_s - self._most.get(now_s, lambda: self._most_at(now_s))

    def _most_at(self, now_s: float) -> float:
        return max(
            (late for at, late in self._batches if now_s - at < LOOK_BACK_S), default=self._batches[-1][1]
        )
