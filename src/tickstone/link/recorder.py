"""The recorder: keeps rows in memory until the store has committed them, and in a journal, too, while the
store is away. What it calls committed is in the store."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from tickstone.core.rows import Batch, Rows
from tickstone.errors import StoreAway
from tickstone.link.journal import Journal
from tickstone.supervised import LOG

FLUSH_S = 0.15  # between two flushes, so that with the flush itself a commit comes at least every 250 ms
AWAY_S = 1.0  # between two batches while the store is away: each goes into the journal by itself
MOST_WAITING = 1_000_000  # rows kept while the store is away; the newest beyond them are counted as lost
MOST_ODD_LINES = 1000


class Sink(Protocol):
    """Where batches go. ``append`` returns after the commit and raises StoreAway when there was none."""

    def append(self, recording_id: int, batch: Batch) -> None: ...


@dataclass(frozen=True)
class Progress:
    """``taken`` rows have come in, ``committed`` are in the store, ``lost`` could not be held while it was
    away. ``away`` is the code of why the store does not take them just now, empty while it does."""

    taken: int
    committed: int
    lost: int
    away: str

    @property
    def waiting(self) -> int:
        """Rows that are held and not committed."""
        return self.taken - self.committed - self.lost


class Recorder:
    """Takes rows from the reader's thread, hands them to the sink from the flushing thread."""

    def __init__(self, recording_id: int, sink: Sink, journal: Journal | None = None) -> None:
        self.recording_id = recording_id
        self._sink, self._journal = sink, journal
        self._lock = threading.Lock()
        self._flushing = threading.Lock()
        self._batch = Batch()
        self._unsent: deque[Batch] = deque()
        self._journaled = 0  # the number of the last batch that the journal has
        self._ended = False
        self._closed_at = 0.0
        self._taken = self._committed = self._lost = self._odd = 0
        self._away = ""

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
        """Hand what waits to the sink. Returns False when the store is away; the rows go on waiting, and in
        the journal, too."""
        with self._flushing:
            if not self._away or time.monotonic() - self._closed_at >= AWAY_S:
                self._close_batch()
            if not self._drain():
                return False
            self._close_batch()  # what came meanwhile, or was not due
            if not self._drain():
                return False
            if not self._ended:
                self._empty_journal()
        return True

    def _drain(self) -> bool:
        while self._unsent:
            if not self._send(self._unsent[0]):
                self._write_journal()
                return False
            self._unsent.popleft()
        return True

    def settled(self) -> None:
        """The store has it all, and how it ended, too."""
        with self._flushing:
            self._empty_journal()

    def rest(self, status: str, why: str) -> None:
        """The recording has ended while the store is away: what waits goes into the journal, and how it
        ended."""
        with self._flushing:
            self._close_batch()
            self._write_journal()
            if self._journal is None or self._ended:
                return
            try:
                self._journal.end(status, why)
            except OSError as error:
                LOG.error("how recording %d ended waits in memory only: %s", self.recording_id, error)
            else:
                self._ended, self._journaled = True, max(self._journaled, 1)

    def _close_batch(self) -> None:
        with self._lock:
            if self._batch.count or self._batch.odd_lines:
                self._unsent.append(self._batch)
                self._batch = Batch(self._batch.number + 1)
        self._closed_at = time.monotonic()

    def _send(self, batch: Batch) -> bool:
        try:
            self._sink.append(self.recording_id, batch)
        except StoreAway as error:
            if not self._away:
                LOG.warning("recording %d waits: %s", self.recording_id, error.message)
            self._away = error.code
            return False
        with self._lock:
            self._committed += batch.count
            self._away = ""
        return True

    def _empty_journal(self) -> None:
        if self._journal is not None and self._journaled:
            self._journal.remove()
            self._journaled = 0

    def _write_journal(self) -> None:
        fresh = [batch for batch in self._unsent if batch.number > self._journaled]
        if self._journal is None or not fresh:
            return
        try:
            self._journal.write(fresh)
        except OSError as error:
            LOG.error("rows of recording %d wait in memory only: %s", self.recording_id, error)
        else:
            self._journaled = fresh[-1].number

    @property
    def progress(self) -> Progress:
        """Counts so far."""
        with self._lock:
            return Progress(self._taken, self._committed, self._lost, self._away)
