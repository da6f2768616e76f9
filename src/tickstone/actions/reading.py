"""Reading recordings back: traces fit to a screen's width, the values at a cursor, the noise of a stretch."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from sqlalchemy.orm import Session

from tickstone.actions.constants import settled
from tickstone.core import decimation
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds import kind, thermometers
from tickstone.core.rigs.kinds.base import Ambient, Converted, Series, as_they_are
from tickstone.core.rigs.rig import Rig
from tickstone.errors import NotFound
from tickstone.formats.mapping import AIR_CHANNEL, OTHER
from tickstone.store import recordings, rigs, samples
from tickstone.store.codec import CHUNK_ROWS
from tickstone.store.database import Database

Array = npt.NDArray[np.float64]
Times = npt.NDArray[np.int64]

UNPACK_AT_MOST = 60  # chunks: beyond this a trace is drawn from an overview that is worked out once
BINS_A_CHUNK = 16
WORKERS = 2
WARMED = 4  # newest recordings


@dataclass(frozen=True)
class SensorTrace:
    """A sensor's readings over a span, at most about ``width`` points: raw and converted minimum and maximum
    per bin.

    ``times_s`` are bin middles; where no reading means anything, the converted pair is NaN.
    """

    times_s: Array
    raw_low: Array
    raw_high: Array
    low: Array
    high: Array
    n: int
    exact: bool


@dataclass(frozen=True)
class WorkedRows:
    """Rows of a sensor worked out, each of shape (n,): times, µs, the first raw number asked for, what it
    means."""

    times: Times
    raw: Array
    converted: Converted


def _air_told(session: Session, recording: recordings.StoredRecording) -> tuple[Times, Array] | None:
    """The air that a file told of a rig without a thermometer: times, µs, and °C."""
    for stream in recording.streams:
        names = [(column.channel, column.unit) for column in stream.columns]
        if stream.key == OTHER and stream.n and (AIR_CHANNEL, "°C") in names:
            times, raw = samples.rows_between(session, stream)
            air = raw[names.index((AIR_CHANNEL, "°C"))]
            known = np.isfinite(air)
            return (times[known], air[known]) if known.any() else None
    return None


class Converter:
    """Converts rows of one sensor of a recording with a set of constants; the recording's own air is read
    once."""

    def __init__(
        self,
        session: Session,
        recording: recordings.StoredRecording,
        sensor: str,
        values: Values | None = None,
    ) -> None:
        rig = rigs.rig_of_revision(session, recording.rig_revision_id)
        stored = rigs.rig_with_id(session, recording.rig_id)
        self.kind = kind(rig.sensor(sensor).kind)
        self.columns = tuple(column.channel for column in recording.stream_of(sensor).columns)
        self.values = settled(session, stored, sensor, rig=rig) if values is None else values
        self._air: tuple[Times, Array] | None = None
        for other in thermometers(rig):
            stream = next((s for s in recording.streams if s.key == other.id and s.n), None)
            if stream is None or other.id == sensor:
                continue
            times, raw = samples.rows_between(session, stream)
            air = kind(other.kind).convert(
                {"air": raw[0]}, settled(session, stored, other.id, rig=rig), Ambient()
            )
            if air.valid.any():
                self._air = (times[air.valid], air.values[air.valid])
        if self._air is None:
            self._air = _air_told(session, recording)

    def air_at(self, times: Times) -> Array | None:
        """Air temperature at each time, °C, interpolated from the recording's own air stream; None without
        one."""
        return None if self._air is None else np.interp(times, *self._air)

    @property
    def needed(self) -> list[int]:
        """Positions of the columns that the main result cannot do without: all of them where rows hang
        together."""
        working = self.kind.working
        asks = {ask.name for ask in working.asks(self.values) if ask.needed}
        if not self.alone or not asks <= set(self.columns):
            return list(range(len(self.columns)))
        return [index for index, name in enumerate(self.columns) if name in asks]

    def ask(
        self, times: Times, raw: Array, notebook: dict[str, float], positions: Sequence[int] | None = None
    ) -> Mapping[str, Array]:
        """The raw numbers that the kind asks for: times, shape (n,), µs; raw, shape (columns, n), of all
        columns or of those at ``positions``."""
        names = self.columns if positions is None else [self.columns[index] for index in positions]
        by_name = dict(zip(names, raw, strict=True))
        return self.kind.inputs(by_name, times.astype(np.float64), self.values, notebook)

    def rows(
        self, times: Times, raw: Array, notebook: dict[str, float]
    ) -> tuple[Converted, tuple[Series, ...]]:
        """What every row means, shape (n,) each, with the further results that its channels tell."""
        inputs = dict(self.ask(times, raw, notebook))
        for ask in self.kind.working.asks(self.values):
            inputs.setdefault(ask.name, np.full(times.shape, np.nan))
        ambient = Ambient(self.air_at(times))
        more = self.kind.working.more(inputs, self.values, ambient)
        return self.kind.working.read(inputs, self.values, ambient), tuple(
            series for series in more if not series.needs or series.needs in self.columns
        )

    def work(
        self,
        times: Times,
        raw: Array,
        notebook: dict[str, float] | None = None,
        positions: Sequence[int] | None = None,
    ) -> WorkedRows:
        """Convert rows; rows that tell no reading of their own (between two pulses) are left out.
        ``notebook`` is what goes on from one block of rows to the next; ``positions`` says which columns
        ``raw`` holds (None: all)."""
        inputs = self.ask(times, raw, {} if notebook is None else notebook, positions)
        converted = self.kind.working.read(inputs, self.values, Ambient(self.air_at(times)))
        first = inputs.get(self.kind.working.asks(self.values)[0].name, np.full(times.shape, np.nan))
        if self.kind.fades is not None:
            kept = np.isfinite(converted.values)
            times, first = times[kept], first[kept]
            converted = Converted(converted.values[kept], converted.codes[kept])
        return WorkedRows(times, first, converted)

    @property
    def alone(self) -> bool:
        """Whether each row stands for itself; otherwise its result hangs on those before (a count, a
        pulse)."""
        return self.kind.working.inputs is as_they_are

    def between(
        self, session: Session, stream: samples.StreamInfo, t0: int | None, t1: int | None
    ) -> WorkedRows:
        """The rows between two times, µs, worked out; a count is counted from the recording's beginning."""
        times, raw = samples.rows_between(session, stream, t0 if self.alone else None, t1, self.needed)
        worked = self.work(times, raw, positions=self.needed)
        if self.alone or t0 is None:
            return worked
        kept = worked.times >= t0
        converted = Converted(worked.converted.values[kept], worked.converted.codes[kept])
        return WorkedRows(worked.times[kept], worked.raw[kept], converted)


def trace(
    session: Session,
    recording_id: int,
    sensor: str,
    t0_s: float | None,
    t1_s: float | None,
    width: int,
    values: Values | None = None,
) -> SensorTrace:
    """A trace for drawing: every reading when few, else minimum and maximum per bin, so that no spike is
    lost. ``values`` are the constants to convert with, where not those that stand."""
    recording = recordings.recording(session, recording_id)
    stream = recording.stream_of(sensor)
    if not stream.n or stream.t0 is None or stream.t1 is None:
        empty = np.zeros(0)
        return SensorTrace(empty, empty, empty, empty, empty, 0, True)
    t0 = stream.t0 if t0_s is None else max(stream.t0, round(t0_s * 1e6))
    t1 = stream.t1 if t1_s is None else min(stream.t1, round(t1_s * 1e6))
    converter = Converter(session, recording, sensor, values)
    if samples.chunks_between(session, stream, t0, t1) > UNPACK_AT_MOST:
        return _from_chunks(session, recording, stream, sensor, t0, t1, width, converter)
    worked = converter.between(session, stream, t0, t1)
    times, converted = worked.times, worked.converted
    seconds = times / 1e6
    bins = decimation.bins(len(times), width)
    raw_low, raw_high = decimation.extremes(worked.raw, bins)
    low, high = decimation.extremes(np.where(converted.valid, converted.values, np.nan), bins)
    return SensorTrace(
        decimation.middles(seconds, bins), raw_low, raw_high, low, high, len(times), len(times) <= width
    )


def _from_chunks(
    session: Session,
    recording: recordings.StoredRecording,
    stream: samples.StreamInfo,
    sensor: str,
    t0: int,
    t1: int,
    width: int,
    converter: Converter,
) -> SensorTrace:
    """Long spans: worked out once, BINS_A_CHUNK bins a chunk, and cached, since a dropout among the raw
    values must not pass for a distance."""
    key = tuple((name, value.value, value.value_id) for name, value in sorted(converter.values.items()))
    with _ONE_AT_A_TIME:  # whoever asks for the same meanwhile finds it done
        cached = _OVERVIEWS.get((recording.id, sensor, stream.n, key))
        if cached is None:
            cached = _whole_overview(session, stream, converter)
            _OVERVIEWS.put((recording.id, sensor, stream.n, key), cached)
    times, *pairs = cached
    first, last = np.searchsorted(times, [t0 / 1e6, t1 / 1e6])
    times, pairs = times[first : last + 1], [pair[first : last + 1] for pair in pairs]
    bins = decimation.bins(len(times), width)
    raw_low, raw_high, low, high = (
        decimation.extremes(pair, bins)[index] for pair, index in zip(pairs, (0, 1, 0, 1), strict=True)
    )
    return SensorTrace(decimation.middles(times, bins), raw_low, raw_high, low, high, stream.n, False)


# times of bins, s; raw low and high; converted low and high
_Overview = tuple[Array, Array, Array, Array, Array]


class _Overviews:
    """A few converted overviews, by recording and constants."""

    def __init__(self, size: int) -> None:
        self._size = size
        self._kept: dict[object, _Overview] = {}

    def get(self, key: object) -> _Overview | None:
        return self._kept.get(key)

    def put(self, key: object, value: _Overview) -> None:
        if len(self._kept) >= self._size:
            self._kept.pop(next(iter(self._kept)), None)
        self._kept[key] = value


_OVERVIEWS = _Overviews(16)
_ONE_AT_A_TIME = threading.Lock()


def slow_to_open(rig: Rig, newest_first: Sequence[recordings.StoredRecording]) -> list[tuple[int, str]]:
    """The long streams of the newest recordings, whose overviews take their time: each recording's id and the
    sensor."""
    known = {sensor.id for sensor in rig.sensors}
    return [
        (recording.id, stream.key)
        for recording in newest_first[:WARMED]
        for stream in recording.streams
        if stream.key in known and stream.n > UNPACK_AT_MOST * CHUNK_ROWS
    ]


def warm(database: Database, streams: Sequence[tuple[int, str]]) -> None:
    """Work out the overviews of streams, so that they are there when their recordings are opened."""
    for recording_id, sensor in streams:
        with database.transaction() as session:
            trace(session, recording_id, sensor, None, None, 2)


def _whole_overview(session: Session, stream: samples.StreamInfo, converter: Converter) -> _Overview:
    """The whole of a stream, BINS_A_CHUNK bins a chunk. Chunks whose rows stand for themselves are worked
    side by side, while the next ones are fetched; what goes on from row to row is worked in order."""
    notebook: dict[str, float] = {}
    needed = converter.needed

    def bins_of(packed: samples.Packed) -> list[Array]:
        worked = converter.work(*packed.unpack(), notebook, needed)
        bins = decimation.bins(len(worked.times), BINS_A_CHUNK * len(packed.sizes))
        good = np.where(worked.converted.valid, worked.converted.values, np.nan)
        return [
            decimation.middles(worked.times / 1e6, bins),
            *decimation.extremes(worked.raw, bins),
            *decimation.extremes(good, bins),
        ]

    waiting: deque[Future[list[Array]]] = deque()
    parts: list[list[Array]] = []
    with ThreadPoolExecutor(WORKERS) as pool:
        for packed in samples.packed_chunks(session, stream, needed):
            alone = converter.alone and (packed.missing == 0 or len(packed.columns) == 1)
            while waiting and (not alone or len(waiting) > WORKERS):
                parts.append(waiting.popleft().result())
            if alone:
                waiting.append(pool.submit(bins_of, packed))
            else:
                parts.append(bins_of(packed))
        parts += [item.result() for item in waiting]
    times, raw_low, raw_high, low, high = (np.concatenate(column) for column in zip(*parts, strict=True))
    return times, raw_low, raw_high, low, high


@dataclass(frozen=True)
class ReadingAtCursor:
    """The reading nearest to a cursor; ``asked`` holds its raw numbers as Convert asks for them."""

    t_s: float
    raw: float | None
    asked: dict[str, float]
    value: float | None
    reason: str
    air_c: float | None


def at_cursor(session: Session, recording_id: int, sensor: str, t_s: float) -> ReadingAtCursor:
    """The reading of a sensor nearest to a time of a recording. Raises NotFound when there is none."""
    recording = recordings.recording(session, recording_id)
    stream = recording.stream_of(sensor)
    if not stream.n or stream.t0 is None or stream.t1 is None:
        raise NotFound("This recording holds no reading of that sensor.")
    wanted = min(max(round(t_s * 1e6), stream.t0), stream.t1)
    converter = Converter(session, recording, sensor)
    reach = 1_000_000
    while True:
        times, raw = samples.rows_between(
            session, stream, wanted - reach if converter.alone else None, wanted + reach
        )
        if len(times) or reach > stream.t1 - stream.t0 + 1_000_000:
            break
        reach *= 16
    working, values = converter.kind.working, converter.values
    numbers = converter.ask(times, raw, {})
    air = converter.air_at(times)
    converted = working.read(numbers, values, Ambient(air))
    rows = (
        np.flatnonzero(np.isfinite(converted.values))
        if converter.kind.fades is not None
        else np.arange(len(times))
    )
    if not rows.size:
        raise NotFound("There is no reading near that time.")
    here = int(rows[np.argmin(np.abs(times[rows] - wanted))])
    inputs = {name: float(column[here]) for name, column in numbers.items() if np.isfinite(column[here])}
    value = float(converted.values[here])
    return ReadingAtCursor(
        float(times[here]) / 1e6,
        inputs.get(working.asks(values)[0].name),
        inputs,
        value if np.isfinite(value) else None,
        converter.kind.reasons[int(converted.codes[here])],
        None if air is None else float(air[here]),
    )
