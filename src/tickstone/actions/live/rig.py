"""A rig that is live: its connection, what comes in over it, and the view of it that windows get."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager

from tickstone.actions.live.connection import Connection
from tickstone.actions.live.finder import Finder
from tickstone.actions.live.hold import HoldState
from tickstone.actions.live.intake import Intake
from tickstone.actions.live.running import RunningRecording
from tickstone.actions.live.view import View
from tickstone.core.constants import Values
from tickstone.core.motor_check import Hearing
from tickstone.core.rigs.meanings import Meaning
from tickstone.core.rigs.rig import Rig
from tickstone.errors import Conflict, NotConnected
from tickstone.link.recorder import Recorder
from tickstone.link.sources import LineSource
from tickstone.supervised import Supervisor


class LiveRig:
    """At most one source, at most one recording, any number of windows that watch. ``version`` rises with
    every stored change that windows show; ``rest`` is what it was like with motors off, kept until it is held
    against what it is like with them. Thread-safe."""

    def __init__(
        self,
        rig: Rig,
        values: Mapping[str, Values],
        meanings: Mapping[str, Meaning] | None = None,
        supervisor: Supervisor | None = None,
        clock: Callable[[], float] = time.monotonic,
        slug: str = "",
    ) -> None:
        self.slug = slug
        self.version = 0
        self._lock = threading.RLock()
        self.intake = Intake(rig, values, meanings, self._lock, clock)
        self.connection = Connection(self.intake, self._lock, supervisor, clock)
        self.view = View(self.intake, self.connection, self._lock, clock)
        self.holding = HoldState()
        self.finder = Finder()
        self.rest: Hearing | None = None

    def held(self) -> AbstractContextManager[bool]:
        """While this is held nothing new comes in: what is asked for belongs together."""
        return self._lock

    def refresh(self, rig: Rig, values: Mapping[str, Values], meanings: Mapping[str, Meaning]) -> None:
        """Take over the rig, its constants and what its labels mean as they stand now."""
        with self._lock:
            self.intake.refresh(rig, values, meanings)
            self.view.renew()

    def connect(self, source: LineSource, meanings: Mapping[str, Meaning] | None = None) -> None:
        """Open a source and begin to read it; what was connected before is let go. Raises SourceLost."""
        self.connection.connect(source, meanings)
        self.view.renew()

    def disconnect(self) -> None:
        """Let the source go."""
        self.connection.disconnect()

    @property
    def recording(self) -> RunningRecording | None:
        """The recording that runs, if one does."""
        return self.intake.recording

    def begin(self, recorder: Recorder, name: str) -> None:
        """Send rows to a recorder from now on."""
        with self._lock:
            if not self.connection.open:
                raise NotConnected("Connect the board or the stand-in first.")
            if self.recording is not None:
                raise Conflict("A recording is running already.", "recording")
            self.intake.recording = RunningRecording(recorder, name, self.intake.commands)

    def end(self) -> Recorder | None:
        """Stop sending rows, and watching for what would be held in them; returns the recorder, which may
        still hold rows to flush."""
        with self._lock:
            recording, self.intake.recording = self.intake.recording, None
            self.holding = HoldState()
            return None if recording is None else recording.recorder
