"""What comes in from a live rig: lines become readings, readings are converted, kept, and handed to the
recording that runs."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Mapping

import numpy as np

from tickstone.actions.live.lateness import Lateness
from tickstone.actions.live.running import RunningRecording
from tickstone.actions.live.state import HeardLine, Trouble
from tickstone.actions.live.watched import Watched
from tickstone.core.constants import Values
from tickstone.core.rigs.commands import command_labels
from tickstone.core.rigs.kinds import is_thermometer, kind
from tickstone.core.rigs.kinds.base import Ambient
from tickstone.core.rigs.meanings import Meaning
from tickstone.core.rigs.rig import Rig
from tickstone.link.clock import DeviceClock, PlacedLine
from tickstone.link.interpreter import GARBLED, UNUSED, WORDS, Interpreter, Label, OddLine, Reading

AIR_MEAN_OF = 30  # common practice: average 30 temperature readings
SPREAD_S = 0.5  # lines without a time of their own that come together are spread over at most so long
KEPT_LINES = 40
GREETING_SHARE = 0.05  # of the lines: words that come oftener are no greeting of a board that starts
MOST_PENDING = 500  # rows that wait to be converted

Pending = dict[str, tuple[list[int], list[tuple[float, ...]]]]


class Intake:
    """Takes lines and keeps what they tell. ``rig`` and ``values`` are the rig and the constants of its
    sensors as they stand; ``clock`` is our own, s. Thread-safe by the ``lock`` that it shares."""

    def __init__(
        self,
        rig: Rig,
        values: Mapping[str, Values],
        meanings: Mapping[str, Meaning] | None,
        lock: threading.RLock,
        clock: Callable[[], float],
    ) -> None:
        self._lock, self._clock = lock, clock
        self.rig, self.values = rig, values
        self.recording: RunningRecording | None = None
        self._interpreter = Interpreter(rig, meanings)
        self._watched: dict[str, Watched] = {}
        self._pending: Pending = {}
        self._restart(1.0)
        self.refresh(rig, values, meanings or {})

    def _restart(self, pace: float) -> None:
        self.pace = pace
        self.trouble = Trouble()
        self.lateness = Lateness(pace)
        # how many lines came when, s of our own clock
        self.arrivals: deque[tuple[int, float]] = deque(maxlen=20_000)
        self.lines = self.garbled = 0
        self.last_arrival_s = self.understood_at_s = 0.0
        self.now_us = 0  # the rig's time of the last line
        self._device = DeviceClock(pace)
        self._segment = 0
        self._interrupted = False
        self._refused: tuple[str, Reading] | None = None  # whose time did not fit, until the next line comes
        self._words = 0
        self._heard: deque[HeardLine] = deque(maxlen=KEPT_LINES)
        self._air: deque[float] = deque(maxlen=AIR_MEAN_OF)
        self._pending.clear()
        self._watched = {key: Watched(key, old.kind, old.options) for key, old in self._watched.items()}
        for watched in self._watched.values():
            watched.fit(self.rig)

    def begin(self, pace: float, meanings: Mapping[str, Meaning] | None) -> None:
        """A source begins to send; nothing of what came before belongs to it."""
        with self._lock:
            self._restart(pace)
            self._interpreter = Interpreter(self.rig, meanings)
            self.last_arrival_s = self.understood_at_s = self._clock()

    def interrupted(self) -> None:
        """The source was away and is back."""
        with self._lock:
            self.last_arrival_s = self.understood_at_s = self._clock()
            self._settle_refused(None)
            self._device.interrupted()
            self._interrupted = True

    def refresh(self, rig: Rig, values: Mapping[str, Values], meanings: Mapping[str, Meaning]) -> None:
        """Take over the rig, its constants and what its labels mean as they stand now."""
        with self._lock:
            self._convert()  # what came before belongs to the rig as it was
            self.rig, self.values = rig, values
            self._interpreter.refresh(rig, meanings)
            self.commands = tuple(command_labels(rig))
            watched = {}
            for sensor in rig.sensors:
                fresh = Watched(sensor.id, kind(sensor.kind), sensor.options)
                old = self._watched.get(sensor.id)
                same = old is not None and (old.kind.id, old.channels) == (fresh.kind.id, fresh.channels)
                watched[sensor.id] = old if old is not None and same else fresh
                watched[sensor.id].fit(rig)
            self._watched = watched
            if self._thermometer() is None:
                self._air.clear()  # nobody measures the air any more

    # Lines --------------------------------------------------------------------------------------------------

    def take_lines(self, lines: list[str], arrival_s: float) -> None:
        """Take lines that arrived together at ``arrival_s``, s of our own clock."""
        with self._lock:
            before, segment = max(self.last_arrival_s, arrival_s - SPREAD_S), self._segment
            first_us: int | None = None
            for place, line in enumerate(lines, 1):
                placed = self._take(line, arrival_s, before + (arrival_s - before) * place / len(lines))
                first_us = placed.t_us if first_us is None and placed else first_us
            if segment != self._segment:
                self.lateness.clear()
            elif first_us is not None:
                self.lateness.add(self._clock(), first_us)
            self.lines += len(lines)
            self.trouble.counted.append((self.now_us / 1e6, len(lines)))
            self.last_arrival_s = arrival_s
            self.arrivals.append((len(lines), arrival_s))
            if sum(len(times) for times, _ in self._pending.values()) > MOST_PENDING:
                self._convert()

    def _take(self, line: str, arrival_s: float, spread_s: float) -> PlacedLine | None:
        """Take a line; returns where in time it stands, or None where it is no reading."""
        understood = self._interpreter.read(line, arrival_s)
        if isinstance(understood, OddLine):
            self._set_aside(understood)
            self._words += understood.kind == WORDS
            if understood.kind == WORDS and self._words <= GREETING_SHARE * (self.lines + 100):
                self._device.greeted()
            return None
        if understood.stamp_us is None:
            placed: PlacedLine | None = self._device.arrived(spread_s)
        else:
            placed = self._device.place(understood.stamp_us, arrival_s, understood.wrap_us)
        self._settle_refused(placed)
        if placed is None:
            self._refused = line, understood
            return None
        self._heard.append(HeardLine(line, ""))
        self.understood_at_s = arrival_s
        self._keep(understood, placed)
        return placed

    def _settle_refused(self, placed: PlacedLine | None) -> None:
        """A line whose time did not fit makes sense by the line after it, or is set aside."""
        if self._refused is None:
            return
        (line, reading), self._refused = self._refused, None
        if placed is not None and placed.refused_us is not None:
            self._heard.append(HeardLine(line, ""))
            self._keep(reading, PlacedLine(placed.t_us - placed.refused_us, placed.segment))
        else:
            self._set_aside(OddLine(line, "its time does not fit the line before", UNUSED))

    def _set_aside(self, odd: OddLine) -> None:
        self._heard.append(HeardLine(odd.text, odd.why))
        if odd.kind == GARBLED:
            self.garbled += 1
            self.trouble.odd.append((self.now_us / 1e6, odd.text))
        if self.recording is not None:
            self.recording.take_odd(self.now_us, odd.text, odd.why)

    def _begin_segment(self, placed: PlacedLine) -> None:
        """The board has begun anew, or was away."""
        self._convert()
        self._segment = placed.segment
        if not self._interrupted:
            self.trouble.restarts.append(placed.t_us / 1e6)
        self._interrupted = False
        for watched in self._watched.values():
            watched.broken()

    def _keep(self, reading: Reading, placed: PlacedLine) -> None:
        if placed.segment != self._segment:
            self._begin_segment(placed)
        self.now_us = placed.t_us
        if reading.commands and self.recording is not None:
            self.recording.take_commands(placed.segment, placed.t_us, reading.commands)
        by_sensor: dict[str, dict[str, float]] = {}
        for (sensor, channel), value in reading.values.items():
            by_sensor.setdefault(sensor, {})[channel] = value
        for key, channels in by_sensor.items():
            row = tuple([channels.get(channel, np.nan) for channel in self._watched[key].channels])
            times, rows = self._pending.setdefault(key, ([], []))
            times.append(placed.t_us)
            rows.append(row)
            if self.recording is not None:
                self.recording.take(key, placed.segment, placed.t_us, row)

    def _convert(self) -> None:
        """Convert what waits. That is put off until somebody looks, so that many rows are a single piece of
        work."""
        pending, self._pending = self._pending, {}
        thermometer = self._thermometer()
        for key in sorted(
            pending, key=lambda key: key != thermometer
        ):  # the air first: others convert with it
            times, rows = pending[key]
            mean = self._mean_air()
            air = None if mean is None else np.full(len(times), mean)
            converted = self._watched[key].take(times, rows, self.values[key], Ambient(air))
            if key == thermometer:
                self._air.extend(converted.values[converted.valid].tolist())

    # What was kept ------------------------------------------------------------------------------------------

    @property
    def watched(self) -> Mapping[str, Watched]:
        """The sensors by id, with everything that has come."""
        with self._lock:
            self._convert()
            return self._watched

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

    def _thermometer(self) -> str | None:
        return next((key for key, w in self._watched.items() if is_thermometer(w.kind)), None)

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
            thermometer = self._thermometer()
            if thermometer is None:
                return np.zeros(0)
            newest = self.watched[thermometer].ring.since(0, most).values
            return newest[np.isfinite(newest)]

    @property
    def supply_v(self) -> float | None:
        """What a battery gauge of the rig says, V; None without one."""
        with self._lock:
            gauge = next(
                (watched for watched in self.watched.values() if watched.kind.family == "power"), None
            )
            if gauge is None:
                return None
            newest = gauge.ring.since(0, 5).values
            newest = newest[np.isfinite(newest)]
            return float(np.median(newest)) if newest.size else None
