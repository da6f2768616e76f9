"""The time axis of a source: the board's own clock unwrapped, or the time of arrival, with board resets as
segments."""

from __future__ import annotations

from dataclasses import dataclass

WRAP_US = 2**32
SLACK_US = (
    2_000_000  # how far the board's clock and ours may differ between two lines: buffers and waking laptops
)


@dataclass(frozen=True)
class PlacedLine:
    """A line's place in time: unwrapped µs since the first line, and the segment (one more after each
    reset)."""

    t_us: int
    segment: int


class DeviceClock:
    """Unwraps stamps. A stamp that fits neither the last line nor a roll-over is refused once; if the next
    line fits that stamp, the board was reset: a new segment begins, and time goes on by our own clock.

    ``pace`` is how many seconds of the board go by in one of ours: 1 for a real one, more for a replay.
    """

    def __init__(self, pace: float = 1.0) -> None:
        self._pace = pace
        self._last_stamp: int | None = None
        self._last_arrival: float | None = None
        self._t_us = 0
        self._segment = 0
        self._strange: tuple[int, float] | None = None

    def place(self, stamp_us: int, arrival_s: float, wrap_us: int = WRAP_US) -> PlacedLine | None:
        """Place a stamp that arrived at ``arrival_s`` (our own monotonic clock, s); None when it does not
        fit."""
        if self._last_stamp is None or self._last_arrival is None:
            return self._accept(stamp_us, arrival_s, self._since(arrival_s))
        step = self._step(self._last_stamp, self._last_arrival, stamp_us, arrival_s, wrap_us)
        if step is not None:
            return self._accept(stamp_us, arrival_s, step)
        if self._strange is not None and self._step(*self._strange, stamp_us, arrival_s, wrap_us) is not None:
            self._segment += 1
            return self._accept(stamp_us, arrival_s, self._since(arrival_s))
        self._strange = (stamp_us, arrival_s)
        return None

    def arrived(self, arrival_s: float) -> PlacedLine:
        """Place a line that has no time of its own by when it arrived."""
        placed = self._accept(self._last_stamp, arrival_s, self._since(arrival_s))
        self._last_stamp = None
        return placed

    def interrupted(self) -> None:
        """The source was away: what comes next is a new segment, by our own clock."""
        if self._last_arrival is not None:
            self._segment += 1
        self._last_stamp = self._strange = None

    def _since(self, arrival_s: float) -> int:
        """µs of the board's time since the last line, by our own clock."""
        return (
            0
            if self._last_arrival is None
            else max(0, round((arrival_s - self._last_arrival) * 1e6 * self._pace))
        )

    def _step(
        self, stamp: int, arrival: float, next_stamp: int, next_arrival: float, wrap_us: int
    ) -> int | None:
        step = (next_stamp - stamp) % wrap_us
        ours = (next_arrival - arrival) * 1e6 * self._pace
        # a silence may be longer than the counter's 71.6 minutes
        wraps = max(0, round((ours - step) / wrap_us))
        step += wraps * wrap_us
        return step if abs(step - ours) <= SLACK_US * max(1.0, self._pace) + 0.01 * ours else None

    def _accept(self, stamp_us: int | None, arrival_s: float, step_us: int) -> PlacedLine:
        self._last_stamp, self._last_arrival, self._strange = stamp_us, arrival_s, None
        self._t_us += step_us
        return PlacedLine(self._t_us, self._segment)
