"""The live feed of one rig: one source, at most one open recording, any number of windows that watch."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from typing import Generic, TypeVar

import numpy as np

from tickstone.actions.feed_state import FeedState, HeardLine, OpenRecording, Trouble
from tickstone.actions.ring import Stretch
from tickstone.actions.watched import Now, Watched
from tickstone.core.constants import Values
from tickstone.core.instruments import Instrument, stands_after_s
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Surroundings
from tickstone.core.rigs.meanings import Meaning
from tickstone.core.rigs.rig import Rig
from tickstone.core.timing import Rhythm, rhythm
from tickstone.errors import Conflict, NotConnected, NotFound
from tickstone.link.clock import DeviceClock, Placed
from tickstone.link.interpreter import GARBLED, UNUSED, Interpreter, Label, OddLine, Reading
from tickstone.link.reader import Reader
from tickstone.link.recorder import Recorder
from tickstone.link.sources import Source
from tickstone.supervised import Supervisor

AIR_MEAN_OF = 30  # common practice: average 30 temperature readings
RATE_LOOK_BACK_S = 5.0
SILENT_S = 2.0
GLANCE_S, RHYTHM_S = 0.04, 0.5  # how often it is looked anew at a sensor, and at the rhythm of the lines
SPREAD_S = 0.5  # lines without a time of their own that come together are spread over at most so long
KEPT_LINES = 40
MOST_PENDING = 500  # rows that wait to be converted
LATE_BATCHES, LATE_LOOK_BACK_S = 512, 10.0  # of lines, from which is told how late they come
NO_TEXT = 0.2  # of what came lately: with more strange bytes than that it is no text
NO_TEXT_WORDS = (
    "What comes is no text: the baud is most likely wrong. The board's program says it, in the line that begins its serial "
    "port; 9600 and 115200 are the usual ones."
)  # fmt: skip

T = TypeVar("T")
Pending = dict[str, tuple[list[int], list[tuple[float, ...]]]]


class Cached(Generic[T]):
    """An answer that is worked out anew only every ``for_s`` seconds."""

    def __init__(self, for_s: float) -> None:
        self._for_s = for_s
        self._kept: tuple[float, T] | None = None

    def get(self, now_s: float, work: Callable[[], T]) -> T:
        """The answer as it is at ``now_s``, or was a moment ago."""
        if self._kept is None or now_s - self._kept[0] >= self._for_s:
            self._kept = now_s, work()
        return self._kept[1]


class Feed:
    """Takes lines from a reader, converts and keeps them, hands rows to a recorder. Thread-safe."""

    def __init__(
        self, rig: Rig, values: Mapping[str, Values], meanings: Mapping[str, Meaning] | None = None,
        supervisor: Supervisor | None = None, clock: Callable[[], float] = time.monotonic,
    ) -> None:  # fmt: skip
        self._monotonic = clock
        self._lock = threading.RLock()
        self._supervisor = supervisor
        self._reader: Reader | None = None
        self._recorder: Recorder | None = None
        self._recording_name = ""
        self._recording_start_us: int | None = None
        self._source_title = ""
        self._status, self._why = "idle", ""
        self._watched: dict[str, Watched] = {}
        self._pending: Pending = {}
        self._rig = rig
        self._interpreter = Interpreter(rig, meanings)
        self._values = values
        self._restart(1.0)
        self.refresh(rig, values, meanings or {})

    def _restart(self, pace: float) -> None:
        self._clock, self._pace = DeviceClock(pace), pace
        self._late: deque[tuple[float, float]] = deque(maxlen=LATE_BATCHES)
        self._first_us: int | None = None  # of the lines that are being taken
        self._arrivals: deque[tuple[int, float]] = deque(maxlen=20_000)
        self._heard: deque[HeardLine] = deque(maxlen=KEPT_LINES)
        self.trouble = Trouble()
        self._interrupted = False
        self._lines = self._garbled = 0
        self._now_us = self._segment = 0
        self._last_arrival = self._lost_at = self._understood_at = 0.0
        self._air: deque[float] = deque(maxlen=AIR_MEAN_OF)
        self._pending.clear()
        self._watched = {key: Watched(key, old.kind, old.options) for key, old in self._watched.items()}
        for watched in self._watched.values():
            watched.fit(self._rig)
        self._glances: dict[str, Cached[Now]] = {}
        self._latest: Cached[float] = Cached(GLANCE_S)
        self._beat: Cached[Rhythm] = Cached(RHYTHM_S)

    def refresh(self, rig: Rig, values: Mapping[str, Values], meanings: Mapping[str, Meaning]) -> None:
        """Take over the rig, its constants and what its labels mean as they stand now."""
        with self._lock:
            self._convert()  # what came before belongs to the rig as it was
            self._rig, self._values = rig, values
            self._interpreter.refresh(rig, meanings)
            watched = {}
            for sensor in rig.sensors:
                fresh = Watched(sensor.id, kind(sensor.kind), sensor.options)
                old = self._watched.get(sensor.id)
                same = old is not None and (old.kind.id, old.channels) == (fresh.kind.id, fresh.channels)
                watched[sensor.id] = old if old is not None and same else fresh
                watched[sensor.id].fit(rig)
            self._watched = watched
            self._glances.clear()
            if self._air_key() is None:
                self._air.clear()  # nobody measures the air any more

    # Connecting -----------------------------------------------------------------------------------------------------

    def connect(self, source: Source, meanings: Mapping[str, Meaning] | None = None) -> None:
        """Open a source and begin to read it; what was connected before is let go. Raises SourceLost."""
        if self._recorder is not None:
            raise Conflict("A recording is running: stop it before changing the source.", "source")
        self.disconnect()
        source.open()
        with self._lock:
            self._restart(source.pace)
            self._interpreter = Interpreter(self._rig, meanings)
            self._source_title, self._status, self._why = source.title, "live", ""
            self._last_arrival = self._understood_at = self._monotonic()
            reader = Reader(
                source, self.take_lines, lambda why: self._on_lost(reader, why), lambda: self._on_back(reader),
                lambda why: self._on_over(reader, why), self._supervisor,
            )  # fmt: skip
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
                self._status, self._why, self._lost_at = "lost", why, self._monotonic()

    def _on_back(self, reader: Reader) -> None:
        with self._lock:
            if self._reader is reader:
                self._status, self._why = "live", ""
                self._last_arrival = self._understood_at = self._monotonic()
                self._clock.interrupted()
                self._interrupted = True

    def _on_over(self, reader: Reader, why: str) -> None:
        """A source that does not come back, such as a replay, has ended."""
        with self._lock:
            if self._reader is reader:
                self._reader = None
                self._status, self._why = "idle", why

    @property
    def rig(self) -> Rig:
        """The rig as it stands."""
        return self._rig

    @property
    def values(self) -> Mapping[str, Values]:
        """The constants of its sensors as they stand."""
        return self._values

    @property
    def connected(self) -> bool:
        """Whether a source is open and there."""
        return self._reader is not None and self._status != "lost"

    # Lines ----------------------------------------------------------------------------------------------------------

    def take_lines(self, lines: list[str], arrival_s: float) -> None:
        """Take lines that arrived together at ``arrival_s``, s of our own clock."""
        with self._lock:
            before, segment = max(self._last_arrival, arrival_s - SPREAD_S), self._segment
            self._first_us = None
            for place, line in enumerate(lines, 1):
                self._take(line, arrival_s, before + (arrival_s - before) * place / len(lines))
            if segment != self._segment:
                self._late.clear()
                self._latest = Cached(GLANCE_S)
            elif self._first_us is not None:
                now = self._monotonic()
                self._late.append((now, self._pace * now - self._first_us / 1e6))
            self._lines += len(lines)
            self.trouble.counted.append((self._now_us / 1e6, len(lines)))
            self._last_arrival = arrival_s
            self._arrivals.append((len(lines), arrival_s))
            if sum(len(times) for times, _ in self._pending.values()) > MOST_PENDING:
                self._convert()

    def _take(self, line: str, arrival_s: float, spread_s: float) -> None:
        understood = self._interpreter.read(line, arrival_s)
        placed: Placed | None = None
        if isinstance(understood, Reading):
            if understood.stamp_us is None:
                placed = self._clock.arrived(spread_s)
            else:
                placed = self._clock.place(understood.stamp_us, arrival_s, understood.wrap_us)
                if placed is None:
                    understood = OddLine(line, "its time does not fit the line before", UNUSED)
        if isinstance(understood, OddLine) or placed is None:
            self._set_aside(understood)
            return
        self._heard.append(HeardLine(line, ""))
        self._understood_at = arrival_s
        if placed.segment != self._segment:
            self._convert()
            self._segment = placed.segment
            if not self._interrupted:
                self.trouble.restarts.append(placed.t_us / 1e6)
            self._interrupted = False
            for watched in self._watched.values():
                watched.broken()
        self._now_us = placed.t_us
        self._first_us = placed.t_us if self._first_us is None else self._first_us
        self._keep(understood, placed)

    def _set_aside(self, odd: OddLine | Reading) -> None:
        if not isinstance(odd, OddLine):
            return
        self._heard.append(HeardLine(odd.text, odd.why))
        if odd.kind == GARBLED:
            self._garbled += 1
            self.trouble.odd.append((self._now_us / 1e6, odd.text))
        if self._recorder is not None:
            self._recorder.take_odd(self._since_start(self._now_us), odd.text, odd.why)

    def _keep(self, reading: Reading, placed: Placed) -> None:
        by_sensor: dict[str, dict[str, float]] = {}
        for (sensor, channel), value in reading.values.items():
            by_sensor.setdefault(sensor, {})[channel] = value
        for key, told in by_sensor.items():
            row = tuple([told.get(channel, np.nan) for channel in self._watched[key].channels])
            times, rows = self._pending.setdefault(key, ([], []))
            times.append(placed.t_us)
            rows.append(row)
            if self._recorder is not None:
                self._recorder.take(key, placed.segment, self._since_start(placed.t_us), row)

    def _since_start(self, t_us: int) -> int:
        if self._recording_start_us is None:
            self._recording_start_us = t_us
        return max(0, t_us - self._recording_start_us)

    def _convert(self) -> None:
        """Convert what waits. That is put off until somebody looks, so that many rows are one piece of work."""
        pending, self._pending = self._pending, {}
        air_key = self._air_key()
        for key in sorted(pending, key=lambda key: key != air_key):  # the air first: others convert with it
            times, rows = pending[key]
            mean = self._mean_air()
            air = None if mean is None else np.full(len(times), mean)
            converted = self._watched[key].take(times, rows, self._values[key], Surroundings(air))
            if key == air_key:
                self._air.extend(converted.values[converted.valid].tolist())

    def _air_key(self) -> str | None:
        return next((key for key, w in self._watched.items() if w.kind.quantity.name == "air temperature"), None)

    def _mean_air(self) -> float | None:
        return sum(self._air) / len(self._air) if self._air else None

    @property
    def air_c(self) -> float | None:
        """Mean of the last AIR_MEAN_OF air temperatures, °C, or None before the first."""
        with self._lock:
            self._convert()
            return self._mean_air()

    @property
    def air_readings(self) -> int:
        """How many temperatures the mean rests on."""
        return len(self._air)

    def air_last(self, most: int) -> np.ndarray:
        """The newest air temperatures, at most so many, °C, shape (n,)."""
        with self._lock:
            key = self._air_key()
            if key is None:
                return np.zeros(0)
            newest = self.watched[key].ring.since(0, most).values
            return newest[np.isfinite(newest)]

    @property
    def supply_v(self) -> float | None:
        """What a battery gauge of the rig says, V; None without one."""
        with self._lock:
            gauge = next((one for one in self.watched.values() if one.kind.family == "power"), None)
            if gauge is None:
                return None
            newest = gauge.ring.since(0, 5).values
            newest = newest[np.isfinite(newest)]
            return float(np.median(newest)) if newest.size else None

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

    @property
    def recording_start_us(self) -> int | None:
        """The feed's time of the open recording's first row, µs; None when nothing is being recorded."""
        return None if self._recorder is None else self._recording_start_us

    def recording_time_us(self, t_s: float) -> int | None:
        """A time of the feed, s, on the open recording's axis, µs; None when nothing is being recorded."""
        start = self._recording_start_us
        return None if self._recorder is None or start is None else round(t_s * 1e6) - start

    # Watching -------------------------------------------------------------------------------------------------------

    @property
    def watched(self) -> Mapping[str, Watched]:
        """The sensors by id, with everything that has come."""
        with self._lock:
            self._convert()
            return self._watched

    def state(self) -> FeedState:
        """How the feed stands now."""
        with self._lock:
            now = self._monotonic()
            status = self._status
            if status == "live" and now - self._last_arrival > self._silent_after_s():
                status = "silent"
            recording = None
            if self._recorder is not None:
                recording = OpenRecording(
                    self._recorder.recording_id, self._recording_name, self._recorder.progress, self._recording_start_us
                )
            return FeedState(
                status, self._source_title, self._why, self._advice(now), self._rhythm(now), self._lines, self._garbled,
                recording, self._now_us, now - self._lost_at if status == "lost" else 0.0,
            )  # fmt: skip

    def _silent_after_s(self) -> float:
        """How long no line may come before the source is called silent, s: where pulses alone send lines, a wheel that stands
        is no silence."""
        pulses = [stands_after_s(self._values[key]) for key, one in self._watched.items() if one.kind.fades is not None]
        return SILENT_S + max(pulses) if pulses and len(pulses) == len(self._watched) else SILENT_S

    def _advice(self, now: float) -> str:
        if self._reader is None or self._status != "live" or now - self._understood_at < SILENT_S:
            return ""
        return NO_TEXT_WORDS if self._reader.strange_share > NO_TEXT else ""

    def _rhythm(self, now: float) -> Rhythm:
        """Lines a second as they come, with jitter and gaps of the sensor that speaks most."""
        beat = self._beat.get(now, lambda: self._rhythm_at(now))
        return beat if self._status == "live" else Rhythm(None, beat.jitter_ms, beat.gaps)

    def _rhythm_at(self, now: float) -> Rhythm:
        busiest = max(self.watched.values(), key=lambda w: w.readings, default=None)
        times = busiest.ring.last_seconds(RATE_LOOK_BACK_S).times_s if busiest else np.zeros(0)
        beat = rhythm(times)
        while self._arrivals and self._arrivals[0][1] <= now - RATE_LOOK_BACK_S:
            self._arrivals.popleft()
        if not self._arrivals:
            return Rhythm(None, beat.jitter_ms, beat.gaps)
        span = max(now - self._arrivals[0][1], 0.5)
        return Rhythm(round(sum(n for n, _ in self._arrivals) / span, 1), beat.jitter_ms, beat.gaps)

    @property
    def told_s(self) -> float:
        """The feed's time of the last line, s: what came before is older than what comes next."""
        return self._now_us / 1e6

    def now_s(self) -> float:
        """The feed's time now, s: of the last line, and by our own clock since then while the source is there."""
        with self._lock:
            if self._status != "live" or self._lines == 0:
                return self._now_us / 1e6
            return self._now_us / 1e6 + self._pace * min(max(0.0, self._monotonic() - self._last_arrival), 3600.0)

    def _heard_to_s(self) -> float:
        """Up to when, s of the feed's time, everything that was sent has surely been taken: what has not come since then does
        not come. Lines take their time on the way, more of it at one moment than at another."""
        told_s = self._now_us / 1e6
        if self._status != "live" or not self._late:
            return told_s
        now = self._monotonic()
        return max(told_s, self._pace * now - self._latest.get(now, lambda: self._latest_at(now)))

    def _latest_at(self, now: float) -> float:
        return max((late for at, late in self._late if now - at < LATE_LOOK_BACK_S), default=self._late[-1][1])

    def now(self, key: str) -> Now:
        """What a sensor says now; several windows that ask at one moment get one answer."""
        with self._lock:
            clock_s = self._monotonic()
            glance = self._glances.setdefault(key, Cached(GLANCE_S))
            return glance.get(clock_s, lambda: self.watched[key].now(self._heard_to_s(), clock_s, self._values[key]))

    def held(self) -> AbstractContextManager[bool]:
        """While this is held nothing new comes in: what is asked for belongs together."""
        return self._lock

    def stretch(self, key: str, since: int, most: int) -> Stretch:
        """A sensor's readings after number ``since``."""
        with self._lock:
            return self.watched[key].ring.since(since, most)

    def last_seconds(self, key: str, seconds: float) -> Stretch:
        """A sensor's readings of the last ``seconds``."""
        with self._lock:
            return self.watched[key].ring.last_seconds(seconds)

    def instrument(self, key: str, name: str) -> Instrument:
        """An instrument of a sensor. Raises NotFound."""
        with self._lock:
            watched = self.watched.get(key)
            if watched is None or name not in watched.instruments:
                raise NotFound(f"No sensor {key!r} with an instrument {name!r} is watched here.")
            self._glances.pop(key, None)
            return watched.instruments[name]

    def zero(self, key: str, name: str) -> None:
        """Set an instrument to zero. Raises NotFound."""
        with self._lock:
            self.instrument(key, name).zero()

    @property
    def labels(self) -> list[Label]:
        """Every label on the line, with what it means."""
        with self._lock:
            return list(self._interpreter.labels)

    @property
    def heard(self) -> list[HeardLine]:
        """The last lines as they came."""
        with self._lock:
            return list(self._heard)
