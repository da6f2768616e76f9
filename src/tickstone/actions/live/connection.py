"""The connection of a live rig: at most one source, how it stands, and what became of it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping

from tickstone.actions.live.intake import Intake
from tickstone.core.rigs.meanings import Meaning
from tickstone.errors import Conflict
from tickstone.link.reader import Reader
from tickstone.link.sources import LineSource
from tickstone.supervised import Supervisor

IDLE, LIVE, LOST = "idle", "live", "lost"


class Connection:
    """Opens a source for an intake. ``status`` is idle, live or lost; ``why`` says how it was lost or ended;
    ``lost_at`` is when, s of our own clock."""

    def __init__(
        self, intake: Intake, lock: threading.RLock, supervisor: Supervisor | None, clock: Callable[[], float]
    ) -> None:
        self._intake, self._lock, self._supervisor, self._clock = intake, lock, supervisor, clock
        self._reader: Reader | None = None
        self._changing = threading.Lock()  # two that connect at once do it one after the other
        self.source = ""
        self.status, self.why = IDLE, ""
        self.lost_at = 0.0

    @property
    def open(self) -> bool:
        """Whether a source is open and there."""
        return self._reader is not None and self.status != LOST

    @property
    def standin(self) -> bool:
        """Whether the rig is connected to its stand-in."""
        return self._reader is not None and self._reader.standin

    @property
    def strange_share(self) -> float:
        """Of the bytes that came lately, the share that no text is made of."""
        return 0.0 if self._reader is None else self._reader.strange_share

    @property
    def left_out(self) -> int:
        """Bytes of the source that were left out: more came than could be read."""
        return 0 if self._reader is None else self._reader.left_out

    def connect(self, source: LineSource, meanings: Mapping[str, Meaning] | None = None) -> None:
        """Open a source and begin to read it; what was connected before is let go. Raises SourceLost."""
        if self._intake.recording is not None:
            raise Conflict("A recording is running: stop it before changing the source.", "source")
        with self._changing:
            self._let_go()
            source.open()
            self._begin(source, meanings)

    def _begin(self, source: LineSource, meanings: Mapping[str, Meaning] | None) -> None:
        with self._lock:
            self._intake.begin(source.pace, meanings)
            self.source, self.status, self.why = source.title, LIVE, ""
            reader = Reader(
                source,
                self._intake.take_lines,
                lambda why: self._on_lost(reader, why),
                lambda: self._on_back(reader),
                lambda why: self._on_over(reader, why),
                self._supervisor,
            )
            self._reader = reader
        reader.start()

    def disconnect(self) -> None:
        """Let the source go."""
        with self._changing:
            self._let_go()

    def _let_go(self) -> None:
        with self._lock:
            reader, self._reader = self._reader, None
            self.status, self.why = IDLE, ""
        if reader is not None:
            reader.stop()

    def _on_lost(self, reader: Reader, why: str) -> None:
        with self._lock:
            if self._reader is reader:
                self.status, self.why, self.lost_at = LOST, why, self._clock()

    def _on_back(self, reader: Reader) -> None:
        with self._lock:
            if self._reader is reader:
                self.status, self.why = LIVE, ""
                self._intake.interrupted()

    def _on_over(self, reader: Reader, why: str) -> None:
        """A source that does not come back, such as a replay, has ended."""
        with self._lock:
            if self._reader is reader:
                self._reader = None
                self.status, self.why = IDLE, why
