"""The recorder: keeps rows in memory until the store has committed them. What it calls committed is on
disk."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from tickstone.core.rows import Batch, Rows
from tickstone.errors import StoreAway

FLUSH_S = 0.15  # between two flushes, so that with the flush itself a commit comes at least every 250 ms
MOST_WAITING = 1_000_000  # rows kept while the store is away; the newest beyond them are counted as lost
MOST_ODD_LINES = 1000


class Sink(Protocol):
    """Where batches go. ``append`` returns after the commit and raises StoreAway when there was none."""

    def append(self, recording_id: int, batch: Batch) -> None: ...


@dataclass(frozen=True)
class Progress:
    """``taken`` rows have come in, ``committed`` are on disk, ``lost`` could not be held while the store was
    away."""

    taken: int
    committed: int
    lost: int
    store_away: bool


class Recorder:
    """Takes rows from the reader's thread, hands them to the sink from the flushing thread."""

    def __init__(self, recording_id: int, sink: Sink) -> None:
        self.recording_id = recording_id
        self._sink = sink
        self._lock = threading.Lock()
        self._flushing = threading.Lock()
        self._batch = Batch()
        self._unsent: Batch | None = None
        self._taken = self._committed = self._lost = self._odd = 0
        self._away = False

    def take(self, stream: str, segment: int, t_us: int, values: Sequence[float]) -> None:
        """Keep one row. While the store is away and MOST_WAITING rows wait, the newest are counted as
        lost."""
        with self._lock:
            self._taken += 1
            if self._taken - self._committed - self._lost > MOST_WAITING:
                self._lost += 1
                return
            rows = self._batch.rows.setdefault(stream, Rows())
            rows.segments.append(segment)
            rows.times.append(t_us)
            rows.values.append(tuple(values))

    def take_odd(self, t_us: int, text: str, why: str) -> None:
        """Keep a line that was not understood, up to MOST_ODD_LINES a recording."""
        with self._lock:
            if self._odd < MOST_ODD_LINES:
                self._odd += 1
                self._batch.odd_lines.append((t_us, text, why))

    def flush(self) -> bool:
        """Hand what waits to the sink. Returns False when the store is away; the rows go on waiting."""
        with self._flushing:
            return self._send() and self._send()  # a batch left over from before, and what came since

    def _send(self) -> bool:
        with self._lock:
            if self._unsent is None:
                if not self._batch.count and not self._batch.odd_lines:
                    return True
                self._unsent, self._batch = self._batch, Batch(self._batch.number + 1)
            batch = self._unsent
        try:
            self._sink.append(self.recording_id, batch)
        except StoreAway:
            self._away = True
            return False
        with self._lock:
            self._committed += batch.count
            self._unsent = None
            self._away = False
        return True

    @property
    def progress(self) -> Progress:
        """Counts so far."""
        with self._lock:
            return Progress(self._taken, self._committed, self._lost, self._away)
