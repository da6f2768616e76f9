"""Reading recordings back: traces fit to a screen's width, the values at a cursor, the noise of a stretch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from sqlalchemy.orm import Session

from tickstone.actions.constants import settled
from tickstone.core import decimation
from tickstone.core.constants import Values
from tickstone.core.noise import step_noise
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Converted, Surroundings
from tickstone.errors import NotFound
from tickstone.store import recordings, rigs, samples

Array = npt.NDArray[np.float64]
Times = npt.NDArray[np.int64]

UNPACK_AT_MOST = 200  # chunks: beyond this a trace is drawn from the chunks' minimum and maximum
NOISE_ROWS = 200_000


@dataclass(frozen=True)
class Trace:
    """A sensor's readings over a span, at most about ``width`` points: raw and converted minimum and maximum per bin.

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
class Worked:
    """Rows of a sensor worked out, each of shape (n,): times, µs, the first raw number asked for, what it means."""

    times: Times
    raw: Array
    converted: Converted


class Converter:
    """Converts rows of one sensor of a recording with a set of constants; the recording's own air is read once."""

    def __init__(
        self, session: Session, recording: recordings.StoredRecording, sensor: str, values: Values | None = None
    ) -> None:
        rig = rigs.rig_of_revision(session, recording.rig_revision_id)
        stored = rigs.rig_with_id(session, recording.rig_id)
        self.kind = kind(rig.sensor(sensor).kind)
        self.columns = tuple(column.channel for column in recording.stream_of(sensor).columns)
        self.values = settled(session, stored, sensor) if values is None else values
        self._air: tuple[Times, Array] | None = None
        for other in rig.sensors:
            stream = next((s for s in recording.streams if s.key == other.id and s.n), None)
            if stream is None or other.id == sensor or kind(other.kind).quantity.name != "air temperature":
                continue
            times, raw = samples.rows_between(session, stream)
            air = kind(other.kind).convert({"air": raw[0]}, settled(session, stored, other.id), Surroundings())
            if air.valid.any():
                self._air = (times[air.valid], air.values[air.valid])

    def air_at(self, times: Times) -> Array | None:
        """Air temperature at each time, °C, interpolated from the recording's own air stream; None without one."""
        return None if self._air is None else np.interp(times, *self._air)

    def ask(self, times: Times, raw: Array, notebook: dict[str, float]) -> Mapping[str, Array]:
        """The raw numbers that the kind asks for: times, shape (n,), µs; raw, shape (columns, n)."""
        by_name = dict(zip(self.columns, raw, strict=True))
        return self.kind.asked(by_name, times.astype(np.float64), self.values, notebook)

    def work(self, times: Times, raw: Array, notebook: dict[str, float] | None = None) -> Worked:
        """Convert rows; rows that tell no reading of their own (between two pulses) are left out. ``notebook`` is what
        goes on from one block of rows to the next."""
        asked = self.ask(times, raw, {} if notebook is None else notebook)
        converted = self.kind.working.read(asked, self.values, Surroundings(self.air_at(times)))
        first = asked.get(self.kind.working.asks(self.values)[0].name, np.full(times.shape, np.nan))
        if self.kind.fades is not None:
            kept = np.isfinite(converted.values)
            times, first = times[kept], first[kept]
            converted = Converted(converted.values[kept], converted.codes[kept])
        return Worked(times, first, converted)


def trace(
    session: Session, recording_id: int, sensor: str, t0_s: float | None, t1_s: float | None, width: int
) -> Trace:
    """A trace for drawing: every reading when few, else minimum and maximum per bin, so that no spike is lost."""
    recording = recordings.recording(session, recording_id)
    stream = recording.stream_of(sensor)
    if not stream.n or stream.t0 is None or stream.t1 is None:
        empty = np.zeros(0)
        return Trace(empty, empty, empty, empty, empty, 0, True)
    t0 = stream.t0 if t0_s is None else max(stream.t0, round(t0_s * 1e6))
    t1 = stream.t1 if t1_s is None else min(stream.t1, round(t1_s * 1e6))
    converter = Converter(session, recording, sensor)
    if samples.chunks_between(session, stream, t0, t1) > UNPACK_AT_MOST:
        return _from_chunks(session, recording, stream, sensor, t0, t1, width, converter)
    times, raw = samples.rows_between(session, stream, t0, t1)
    worked = converter.work(times, raw)
    times, converted = worked.times, worked.converted
    seconds = times / 1e6
    bins = decimation.bins(len(times), width)
    raw_low, raw_high = decimation.extremes(worked.raw, bins)
    low, high = decimation.extremes(np.where(converted.valid, converted.values, np.nan), bins)
    return Trace(decimation.middles(seconds, bins), raw_low, raw_high, low, high, len(times), len(times) <= width)


def _from_chunks(
    session: Session, recording: recordings.StoredRecording, stream: samples.StreamInfo, sensor: str, t0: int, t1: int,
    width: int, converter: Converter,
) -> Trace:  # fmt: skip
    """Long spans: the raw extremes come from the chunk table; the converted ones are computed once and cached, since a
    dropout among the raw values must not pass for a distance."""
    overview = samples.chunk_overview(session, stream, 0, t0, t1)
    key = tuple((name, value.value, value.value_id) for name, value in sorted(converter.values.items()))
    cached = _OVERVIEWS.get((recording.id, sensor, stream.n, key))
    if cached is None:
        cached = _converted_extremes(session, stream, converter)
        _OVERVIEWS.put((recording.id, sensor, stream.n, key), cached)
    starts, low, high = cached
    inside = np.isin(starts, overview.t0)
    low, high = low[inside], high[inside]
    middle = (overview.t0 + overview.t1) / 2e6
    bins = decimation.bins(len(middle), width)
    return Trace(
        decimation.middles(middle, bins), decimation.extremes(overview.low, bins)[0],
        decimation.extremes(overview.high, bins)[1], decimation.extremes(low, bins)[0],
        decimation.extremes(high, bins)[1], stream.n, False,
    )  # fmt: skip


class _Overviews:
    """A few converted overviews, by recording and constants."""

    def __init__(self, size: int) -> None:
        self._size = size
        self._kept: dict[object, tuple[Times, Array, Array]] = {}

    def get(self, key: object) -> tuple[Times, Array, Array] | None:
        return self._kept.get(key)

    def put(self, key: object, value: tuple[Times, Array, Array]) -> None:
        if len(self._kept) >= self._size:
            self._kept.pop(next(iter(self._kept)), None)
        self._kept[key] = value


_OVERVIEWS = _Overviews(16)


def _converted_extremes(
    session: Session, stream: samples.StreamInfo, converter: Converter
) -> tuple[Times, Array, Array]:
    starts: list[int] = []
    lows: list[float] = []
    highs: list[float] = []
    notebook: dict[str, float] = {}
    for chunk in samples.whole_chunks(session, stream):
        converted = converter.work(chunk.times, chunk.values, notebook).converted
        good = converted.values[converted.valid]
        starts.append(int(chunk.times[0]))
        lows.append(float(good.min()) if good.size else np.nan)
        highs.append(float(good.max()) if good.size else np.nan)
    return np.array(starts, np.int64), np.array(lows), np.array(highs)


@dataclass(frozen=True)
class AtCursor:
    """The reading nearest to a cursor; ``asked`` holds its raw numbers as Convert asks for them."""

    t_s: float
    raw: float | None
    asked: dict[str, float]
    value: float | None
    reason: str
    air_c: float | None


def at_cursor(session: Session, recording_id: int, sensor: str, t_s: float) -> AtCursor:
    """The reading of a sensor nearest to a time of a recording. Raises NotFound when there is none."""
    recording = recordings.recording(session, recording_id)
    stream = recording.stream_of(sensor)
    if not stream.n or stream.t0 is None or stream.t1 is None:
        raise NotFound("This recording holds no reading of that sensor.")
    wanted = min(max(round(t_s * 1e6), stream.t0), stream.t1)
    reach = 1_000_000
    while True:
        times, raw = samples.rows_between(session, stream, wanted - reach, wanted + reach)
        if len(times) or reach > stream.t1 - stream.t0 + 1_000_000:
            break
        reach *= 16
    converter = Converter(session, recording, sensor)
    working, values = converter.kind.working, converter.values
    numbers = converter.ask(times, raw, {})
    air = converter.air_at(times)
    converted = working.read(numbers, values, Surroundings(air))
    told = np.flatnonzero(np.isfinite(converted.values)) if converter.kind.fades is not None else np.arange(len(times))
    if not told.size:
        raise NotFound("There is no reading near that time.")
    here = int(told[np.argmin(np.abs(times[told] - wanted))])
    asked = {name: float(column[here]) for name, column in numbers.items() if np.isfinite(column[here])}
    value = float(converted.values[here])
    return AtCursor(
        float(times[here]) / 1e6, asked.get(working.asks(values)[0].name), asked, value if np.isfinite(value) else None,
        converter.kind.reasons[int(converted.codes[here])], None if air is None else float(air[here]),
    )  # fmt: skip


@dataclass(frozen=True)
class Noise:
    """Noise of a sensor's converted readings in a recording (k = 1), and how many readings and dropouts it rests on."""

    sd: float | None
    readings: int
    dropouts: int
    interval_s: float | None


def noise(session: Session, recording_id: int, sensor: str) -> Noise:
    """The noise of a recording's own readings, dropouts left out; long recordings are judged by their end."""
    recording = recordings.recording(session, recording_id)
    stream = recording.stream_of(sensor)
    if not stream.n or stream.t0 is None or stream.t1 is None:
        return Noise(None, 0, 0, None)
    first = stream.t0
    if stream.n > NOISE_ROWS:
        first = round(stream.t1 - (stream.t1 - stream.t0) * NOISE_ROWS / stream.n)
    times, raw = samples.rows_between(session, stream, first, None)
    worked = Converter(session, recording, sensor).work(times, raw)
    good, times = worked.converted.valid, worked.times
    interval = float(np.median(np.diff(times))) / 1e6 if len(times) > 2 else None
    return Noise(step_noise(worked.converted.values[good]), len(times), int((~good).sum()), interval)
