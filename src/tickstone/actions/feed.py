"""The live feed of one rig: one source, at most one open recording, any number of windows that watch."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from tickstone.actions.ring import Ring, Stretch
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Converted, Kind, Moment, Surroundings
from tickstone.core.rigs.labels import known_labels
from tickstone.core.rigs.rig import Rig
from tickstone.core.timing import Rhythm, rhythm
from tickstone.errors import Conflict, NotConnected
from tickstone.link.clock import DeviceClock
from tickstone.link.parser import Field, OddLine, parse
from tickstone.link.reader import Reader
from tickstone.link.recorder import Progress, Recorder
from tickstone.link.sources import Source

RING_ROWS = 120_000  # a minute at 2 000 lines/s
AIR_MEAN_OF = 30  # common practice: average 30 temperature readings
WORDS_EVERY_S = 0.5  # a sentence settles: at most two changes a second
WORDS_LOOK_BACK_S = 1.0
RATE_LOOK_BACK_S = 5.0
SILENT_S = 2.0


@dataclass
class Watched:
    """One sensor of the feed: its ring, its counts, its sentence."""

    key: str
    kind: Kind
    ring: Ring = field(default_factory=lambda: Ring(RING_ROWS))
    readings: int = 0
    dropouts: int = 0
    sentence: str = ""
    sentence_at: float = 0.0


@dataclass(frozen=True)
class OpenRecording:
    """The recording that runs: ``start_us`` is the feed's time of its first row, None before that."""

    id: int
    name: str
    progress: Progress
    start_us: int | None


@dataclass(frozen=True)
class FeedState:
    """How the feed stands: ``status`` is idle, live, silent or lost; ``why`` is a sentence when lost."""

    status: str
    source: str
    why: str
    rhythm: Rhythm
    lines: int
    garbled: int
    recording: OpenRecording | None
    now_us: int


class Feed:
    """Takes lines from a reader, converts and keeps them, hands rows to a recorder. Thread-safe."""

    def __init__(self, rig: Rig, values: Mapping[str, Values]) -> None:
        self._lock = threading.RLock()
        self._reader: Reader | None = None
        self._recorder: Recorder | None = None
        self._recording_name = ""
        self._recording_start_us: int | None = None
        self._source_title = ""
        self._status, self._why = "idle", ""
        self.watched: dict[str, Watched] = {}
        self._restart()
        self.refresh(rig, values)

    def _restart(self) -> None:
        self._clock = DeviceClock()
        self._arrivals: deque[tuple[int, float]] = deque(maxlen=20_000)
        self._lines = self._garbled = 0
        self._now_us = 0
        self._last_arrival = 0.0
        self._air: deque[float] = deque(maxlen=AIR_MEAN_OF)
        self.watched = {key: Watched(key, watched.kind) for key, watched in self.watched.items()}

    def refresh(self, rig: Rig, values: Mapping[str, Values]) -> None:
        """Take over the rig and its constants as they stand now."""
        with self._lock:
            self._values = values
            self._fields: dict[str, Field] = {}
            for sensor in rig.sensors:
                what = kind(sensor.kind)
                if sensor.id not in self.watched:
                    self.watched[sensor.id] = Watched(sensor.id, what)
            for label, (sensor, channel) in known_labels(rig).items():
                self._fields[label] = Field(sensor.id, channel.name, channel.low, channel.high)
            gone = set(self.watched) - {sensor.id for sensor in rig.sensors}
            self.watched = {key: one for key, one in self.watched.items() if key not in gone}

    # Connecting -----------------------------------------------------------------------------------------------------

    def connect(self, source: Source) -> None:
        """Open a source and begin to read it; what was connected before is let go. Raises SourceLost."""
        if self._recorder is not None:
            raise Conflict("A recording is running: stop it before changing the source.", "source")
        self.disconnect()
        source.open()
        with self._lock:
            self._restart()
            self._source_title, self._status, self._why = source.title, "live", ""
            self._last_arrival = time.monotonic()
            reader = Reader(source, self._on_lines, lambda why: self._on_lost(reader, why))
            self._reader = reader
        reader.start()

    def disconnect(self) -> None:
        """Let the source go."""
        with self._lock:
            reader, self._reader = self._reader, None
            self._status, self._why = "idle", ""
        if reader is not None:
            reader.stop()

    def _on_lost(self, reader: Reader, why: str) -> None:
        with self._lock:
            if self._reader is reader:
                self._reader = None
                self._status, self._why = "lost", why

    @property
    def connected(self) -> bool:
        """Whether a source is open."""
        return self._reader is not None

    # Lines ----------------------------------------------------------------------------------------------------------

    def _on_lines(self, lines: list[str], arrival_s: float) -> None:
        with self._lock:
            pending: dict[str, tuple[list[int], list[tuple[float, ...]]]] = {}
            for line in lines:
                self._take(line, arrival_s, pending)
            self._lines += len(lines)
            self._last_arrival = arrival_s
            self._arrivals.append((len(lines), arrival_s))
            for key in sorted(pending, key=lambda key: key != self._air_key()):  # the air first: others convert with it
                self._convert(self.watched[key], *pending[key])

    def _take(self, line: str, arrival_s: float, pending: dict[str, tuple[list[int], list[tuple[float, ...]]]]) -> None:
        understood = parse(line, self._fields)
        placed = None
        if not isinstance(understood, OddLine):
            placed = self._clock.place(understood.stamp_us, arrival_s)
            if placed is None:
                understood = OddLine(line, "its time does not fit the line before")
        if isinstance(understood, OddLine) or placed is None:
            self._garbled += 1
            if self._recorder is not None and isinstance(understood, OddLine):
                self._recorder.take_odd(self._since_start(self._now_us), understood.text, understood.why)
            return
        self._now_us = placed.t_us
        by_sensor: dict[str, dict[str, float]] = {}
        for label, value in understood.values.items():
            where = self._fields[label]
            by_sensor.setdefault(where.sensor, {})[where.channel] = value
        for key, channels in by_sensor.items():
            row = tuple(channels.get(channel.name, np.nan) for channel in self.watched[key].kind.channels)
            times, rows = pending.setdefault(key, ([], []))
            times.append(placed.t_us)
            rows.append(row)
            if self._recorder is not None:
                self._recorder.take(key, placed.segment, self._since_start(placed.t_us), row)

    def _since_start(self, t_us: int) -> int:
        if self._recording_start_us is None:
            self._recording_start_us = t_us
        return t_us - self._recording_start_us

    def _convert(self, watched: Watched, times: list[int], rows: list[tuple[float, ...]]) -> None:
        table = np.asarray(rows, np.float64).T
        raw = {channel.name: column for channel, column in zip(watched.kind.channels, table, strict=True)}
        air = None if self.air_c is None else np.full(table.shape[1], self.air_c)
        converted = watched.kind.convert(raw, self._values[watched.key], Surroundings(air))
        watched.ring.add(np.asarray(times) / 1e6, table[0], converted.values, converted.codes)
        watched.readings += len(times)
        watched.dropouts += int(np.isnan(converted.values).sum())
        if watched.key == self._air_key():
            self._air.extend(converted.values[converted.valid].tolist())

    def _air_key(self) -> str | None:
        return next((key for key, w in self.watched.items() if w.kind.quantity.name == "air temperature"), None)

    @property
    def air_c(self) -> float | None:
        """Mean of the last AIR_MEAN_OF air temperatures, °C, or None before the first."""
        return sum(self._air) / len(self._air) if self._air else None

    @property
    def air_readings(self) -> int:
        """How many temperatures the mean rests on."""
        return len(self._air)

    # Recording ------------------------------------------------------------------------------------------------------

    def begin(self, recorder: Recorder, name: str) -> None:
        """Send rows to a recorder from now on."""
        with self._lock:
            if not self.connected:
                raise NotConnected("Connect the board or the stand-in first.")
            if self._recorder is not None:
                raise Conflict("A recording is running already.", "recording")
            self._recorder, self._recording_name, self._recording_start_us = recorder, name, None

    def end(self) -> Recorder | None:
        """Stop sending rows; returns the recorder, which may still hold rows to flush."""
        with self._lock:
            recorder, self._recorder = self._recorder, None
            return recorder

    @property
    def recorder(self) -> Recorder | None:
        """The open recording's recorder, if there is one."""
        return self._recorder

    def recording_time_us(self, t_s: float) -> int | None:
        """A time of the feed, s, on the open recording's axis, µs; None when nothing is being recorded."""
        start = self._recording_start_us
        return None if self._recorder is None or start is None else round(t_s * 1e6) - start

    # Watching -------------------------------------------------------------------------------------------------------

    def state(self) -> FeedState:
        """How the feed stands now."""
        with self._lock:
            now = time.monotonic()
            status = self._status
            if status == "live" and now - self._last_arrival > SILENT_S:
                status = "silent"
            recording = None
            if self._recorder is not None:
                recording = OpenRecording(
                    self._recorder.recording_id, self._recording_name, self._recorder.progress, self._recording_start_us
                )
            recent = [(n, at) for n, at in self._arrivals if at > now - RATE_LOOK_BACK_S]
            beat = self._rhythm()
            if recent and status == "live":
                span = max(now - recent[0][1], 0.5)
                lines_per_s = sum(n for n, _ in recent) / span
                beat = Rhythm(beat.rate_hz if beat.rate_hz else round(lines_per_s, 1), beat.jitter_ms, beat.gaps)
            return FeedState(status, self._source_title, self._why, beat, self._lines, self._garbled, recording,
                             self._now_us)  # fmt: skip

    def _rhythm(self) -> Rhythm:
        busiest = max(self.watched.values(), key=lambda w: w.readings, default=None)
        return rhythm(busiest.ring.last_seconds(RATE_LOOK_BACK_S).times_s) if busiest else Rhythm(None, None, 0)

    def stretch(self, key: str, since: int, most: int) -> Stretch:
        """A sensor's readings after number ``since``."""
        with self._lock:
            return self.watched[key].ring.since(since, most)

    def last_seconds(self, key: str, seconds: float) -> Stretch:
        """A sensor's readings of the last ``seconds``."""
        with self._lock:
            return self.watched[key].ring.last_seconds(seconds)

    def sentence(self, key: str) -> str:
        """What a sensor says, in words; settles for WORDS_EVERY_S."""
        with self._lock:
            watched, now = self.watched[key], time.monotonic()
            if now - watched.sentence_at >= WORDS_EVERY_S:
                recent = watched.ring.last_seconds(WORDS_LOOK_BACK_S)
                if recent.times_s.size < 30:
                    recent = watched.ring.since(0, 30)
                moment = Moment(recent.times_s, Converted(recent.values, recent.codes))
                watched.sentence, watched.sentence_at = watched.kind.words(moment, self._values[key]), now
            return watched.sentence
