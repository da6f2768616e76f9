"""The time axis of a source: the board's own clock unwrapped, or the time of arrival, with board resets as
segments."""

from __future__ import annotations

from dataclasses import dataclass

WRAP_US = 2**32
SLACK_US = 2_000_000  # how far a board's clock may run ahead of ours: buffers and waking laptops
DRIFT = 0.01  # by how much either clock may be fast


@dataclass(frozen=True)
class PlacedLine:
    """A line's place in time: unwrapped µs since the first line, and the segment (one more after each reset).
    ``refused_us`` is how long before it the line came that was refused and now makes sense; None where there
    was none."""

    t_us: int
    segment: int
    refused_us: int | None = None


class DeviceClock:
    """Unwraps stamps, which are believed and not their arrival: a reader that was late gets a backlog, whose
    stamps go on as if nothing had been. But a board's clock cannot be ahead of ours: a stamp that would be is
    refused until the next line fits it; then, where stamps had fallen back, the board was reset: a new
    segment begins, and time goes on by our own clock. After a greeting a stamp that falls back is a reset at
    once, roll-over or not.

    ``pace`` is how many seconds of the board go by in one of ours: 1 for a real one, more for a replay.
    """

    def __init__(self, pace: float = 1.0) -> None:
        self._pace = pace
        self._last_stamp: int | None = None
        self._last_arrival: float | None = None
        self._t_us = 0
        self._late_us = 0.0  # how far the last line was behind our clock
        self._segment = 0
        self._refused: tuple[int, float] | None = None
        self._greeted = False

    def place(self, stamp_us: int, arrival_s: float, wrap_us: int = WRAP_US) -> PlacedLine | None:
        """Place a stamp that arrived at ``arrival_s`` (our own monotonic clock, s); None when it does not
        fit."""
        if self._last_stamp is None or self._last_arrival is None:
            return self._accept(stamp_us, arrival_s, self._since(arrival_s))
        if self._greeted and stamp_us < self._last_stamp:
            return self._reset(stamp_us, arrival_s)
        step = self._step(self._last_stamp, self._last_arrival, stamp_us, arrival_s, wrap_us)
        if step is not None:
            return self._accept(stamp_us, arrival_s, step)
        if self._refused is not None:
            refused_stamp, refused_arrival = self._refused
            step = self._step(refused_stamp, refused_arrival, stamp_us, arrival_s, wrap_us)
            if step is not None:
                if refused_stamp > self._last_stamp:
                    self._accept(refused_stamp, refused_arrival, refused_stamp - self._last_stamp)
                else:
                    self._reset(refused_stamp, refused_arrival)
                placed = self._accept(stamp_us, arrival_s, step)
                return PlacedLine(placed.t_us, placed.segment, step)
        self._refused = stamp_us, arrival_s
        return None

    def greeted(self) -> None:
        """The board has said what it says when it starts."""
        self._greeted = True

    def arrived(self, arrival_s: float) -> PlacedLine:
        """Place a line that has no time of its own by when it arrived."""
        placed = self._accept(self._last_stamp, arrival_s, self._since(arrival_s))
        self._last_stamp = None
        return placed

    def interrupted(self) -> None:
        """The source was away: what comes next is a new segment, by our own clock."""
        if self._last_arrival is not None:
            self._segment += 1
        self._last_stamp = self._refused = None

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
        step += max(0, round((ours - step) / wrap_us)) * wrap_us
        behind = self._late_us if next_stamp >= stamp else 0.0  # a leap over a roll-over is no backlog
        most = behind + (1 + DRIFT) * ours + SLACK_US * max(1.0, self._pace)
        return step if step <= most else None

    def _reset(self, stamp_us: int, arrival_s: float) -> PlacedLine:
        """The board began anew, at least its stamp before this line; how long before that is lost where lines
        come late."""
        ours = self._since(arrival_s)
        self._segment += 1
        return self._accept(stamp_us, arrival_s, max(ours, round(min(stamp_us, ours + self._late_us))))

    def _accept(self, stamp_us: int | None, arrival_s: float, step_us: int) -> PlacedLine:
        self._late_us = max(0.0, self._late_us + (1 - DRIFT) * self._since(arrival_s) - step_us)
        self._last_stamp, self._last_arrival = stamp_us, arrival_s
        self._refused, self._greeted = None, False
        self._t_us += step_us
        return PlacedLine(self._t_us, self._segment)
