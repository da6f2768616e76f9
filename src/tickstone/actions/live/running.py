"""The recording that runs: rows of a live rig on the recording's own axis, which begins with its first
row."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from tickstone.actions.live.state import RecordingState
from tickstone.formats.mapping import OTHER
from tickstone.link.recorder import Recorder


class RunningRecording:
    """Hands rows to a recorder. Times are the rig's, µs, until they are put on the recording's axis.
    ``commands`` are the columns of what is commanded, as the rig had them when it began."""

    def __init__(self, recorder: Recorder, name: str, commands: Sequence[str] = ()) -> None:
        self.recorder, self.name, self._commands = recorder, name, tuple(commands)
        self.start_us: int | None = None

    @property
    def id(self) -> int:
        """Under which number it is stored."""
        return self.recorder.recording_id

    @property
    def state(self) -> RecordingState:
        """How it stands."""
        return RecordingState(self.id, self.name, self.recorder.progress, self.start_us)

    def take(self, sensor: str, segment: int, t_us: int, row: Sequence[float]) -> None:
        """Keep a row of a sensor."""
        self.recorder.take(sensor, segment, self._since_start(t_us), row)

    def take_commands(self, segment: int, t_us: int, commands: Mapping[str, float]) -> None:
        """Keep what is commanded, by label."""
        if self._commands:
            self.take(OTHER, segment, t_us, [commands.get(label, math.nan) for label in self._commands])

    def take_odd(self, t_us: int, text: str, why: str) -> None:
        """Keep a line that is no reading."""
        self.recorder.take_odd(self._since_start(t_us), text, why)

    def time_us(self, t_s: float) -> int:
        """A time of the rig, s, on the recording's axis, µs, never before its beginning."""
        return 0 if self.start_us is None else max(0, round(t_s * 1e6) - self.start_us)

    def _since_start(self, t_us: int) -> int:
        if self.start_us is None:
            self.start_us = t_us
        return max(0, t_us - self.start_us)
