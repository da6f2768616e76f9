"""The board's own clock: 32-bit µs unwrapped into one axis, with board resets as segments."""

from __future__ import annotations

from dataclasses import dataclass

WRAP_US = 2**32
SLACK_US = 2_000_000  # how far the board's clock and ours may differ between two lines: buffers and waking laptops


@dataclass(frozen=True)
class Placed:
    """A line's place in time: unwrapped µs since the first line, and the segment (one more after each reset)."""

    t_us: int
    segment: int


class DeviceClock:
    """Unwraps stamps. A stamp that fits neither the last line nor a roll-over is refused once; if the next line fits
    that stamp, the board was reset: a new segment begins, and time goes on by our own clock."""

    def __init__(self) -> None:
        self._last_stamp: int | None = None
        self._last_arrival = 0.0
        self._t_us = 0
        self._segment = 0
        self._strange: tuple[int, float] | None = None

    def place(self, stamp_us: int, arrival_s: float) -> Placed | None:
        """Place a stamp that arrived at ``arrival_s`` (our own monotonic clock, s); None when it does not fit."""
        if self._last_stamp is None:
            return self._accept(stamp_us, arrival_s, 0)
        step = self._step(self._last_stamp, self._last_arrival, stamp_us, arrival_s)
        if step is not None:
            return self._accept(stamp_us, arrival_s, step)
        if self._strange is not None and self._step(*self._strange, stamp_us, arrival_s) is not None:
            self._segment += 1
            return self._accept(stamp_us, arrival_s, max(0, round((arrival_s - self._last_arrival) * 1e6)))
        self._strange = (stamp_us, arrival_s)
        return None

    @staticmethod
    def _step(stamp: int, arrival: float, next_stamp: int, next_arrival: float) -> int | None:
        step = (next_stamp - stamp) % WRAP_US
        ours = (next_arrival - arrival) * 1e6
        wraps = max(0, round((ours - step) / WRAP_US))  # a silence may be longer than the counter's 71.6 minutes
        step += wraps * WRAP_US
        return step if abs(step - ours) <= SLACK_US + 0.01 * ours else None

    def _accept(self, stamp_us: int, arrival_s: float, step_us: int) -> Placed:
        self._last_stamp, self._last_arrival, self._strange = stamp_us, arrival_s, None
        self._t_us += step_us
        return Placed(self._t_us, self._segment)
