"""How a live rig stands, as those see it who ask."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field

from tickstone.core.timing import Rhythm
from tickstone.link.recorder import Progress


@dataclass(frozen=True)
class RecordingState:
    """The recording that runs: ``start_us`` is the rig's time of its first row, None before that."""

    id: int
    name: str
    progress: Progress
    start_us: int | None


@dataclass(frozen=True)
class LiveState:
    """How the rig's line stands: ``status`` is idle, live, silent or lost; ``why`` is a sentence when lost or
    ended; ``advice`` what to do about a source that makes no sense; ``left_out`` are the bytes of one that
    sends more than can be read; ``rhythm`` holds all lines a second,
    jitter and gaps of the sensor that speaks most."""

    status: str
    source: str
    why: str
    advice: str
    left_out: int
    rhythm: Rhythm
    lines: int
    garbled: int
    recording: RecordingState | None
    now_us: int
    lost_for_s: float


@dataclass
class Trouble:
    """What the line itself did wrong lately, by the rig's time, s: lines that make no sense, as (time, text),
    and when the board began anew. ``counted`` holds how many lines had come by when, as (time, lines)."""

    odd: deque[tuple[float, str]] = field(default_factory=lambda: deque(maxlen=500))
    restarts: deque[float] = field(default_factory=lambda: deque(maxlen=50))
    counted: deque[tuple[float, int]] = field(default_factory=lambda: deque(maxlen=5000))

    def lines_since(self, t_s: float) -> int:
        """How many lines came since a time."""
        return sum(lines for at, lines in self.counted if at >= t_s)


@dataclass(frozen=True)
class HeardLine:
    """A line as it came, and why it is not a reading (empty: it is one)."""

    text: str
    why: str
