"""Several channels of a recording on one time ruler: drawn to a screen's width, read out over a span and at a
cursor."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions import reading
from tickstone.actions.constants import as_of
from tickstone.actions.reading import Array, Converter, Times
from tickstone.core import decimation
from tickstone.core.constants import Values
from tickstone.core.lanes import Pulses, Statistics, changes, pulses, statistics
from tickstone.core.rigs.commands import command_labels
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.errors import NotFound
from tickstone.formats.mapping import OTHER
from tickstone.store import recordings, rigs, samples

NUMBERS, LEVELS, EDGES = "numbers", "levels", "edges"
DRAWN_AT_MOST = 1500  # chunks: beyond this a raw lane is drawn from their extremes
EDGES_AT_MOST = 2000  # changes of a level that are told one by one
MEASURED_AT_MOST = 5_000_000  # rows of a span


@dataclass(frozen=True)
class Shown:
    """Something of a recording that can be a lane: a sensor's converted readings (``channel`` empty) or a raw
    channel. ``form`` is numbers, levels or edges."""

    id: str
    sensor: str
    channel: str
    title: str
    unit: str
    form: str
    digits: int


@dataclass(frozen=True)
class Lane:
    """A lane as drawn: bins of time, s, with their lowest and highest (NaN: nothing); of few levels every
    change instead, each level holding until the next. ``n`` readings are behind it."""

    shown: Shown
    times_s: Array
    low: Array
    high: Array
    n: int
    exact: bool


@dataclass(frozen=True)
class ReadOut:
    """A lane over a span, with the pulses of one of levels (or the distances of edges, as periods)."""

    shown: Shown
    statistics: Statistics
    pulses: Pulses | None
    whole: bool


def everything(rig: Rig, recording: recordings.StoredRecording) -> list[Shown]:
    """Everything of a recording that can be a lane."""
    shown: list[Shown] = []
    commands = command_labels(rig)
    for stream in recording.streams:
        if not stream.n:
            continue
        sensor = rig.find_sensor(stream.key)
        if sensor is None:
            for c in stream.columns:
                command = commands.get(c.channel)
                title, digits = (c.label, 3) if command is None else (command.label, command.digits)
                shown.append(Shown(f"{OTHER}.{c.channel}", OTHER, c.channel, title, c.unit, NUMBERS, digits))
            continue
        what = kind(sensor.kind)
        quantity = what.quantity
        shown.append(
            Shown(
                sensor.id,
                sensor.id,
                "",
                f"{sensor.name}: {quantity.name}",
                quantity.unit,
                NUMBERS,
                quantity.digits,
            )
        )
        specs = {spec.name: spec for spec in what.channels_of(sensor.options)}
        for column in stream.columns:
            spec = specs.get(column.channel)
            if spec is None:
                continue
            level = spec.form == "level" and (spec.low, spec.high) == (0, 1)
            form = LEVELS if level else EDGES if spec.form == "edge" else NUMBERS
            title = f"{sensor.name}: {spec.label}, raw"
            shown.append(
                Shown(f"{sensor.id}.{spec.name}", sensor.id, spec.name, title, spec.unit, form, spec.digits)
            )
    return shown


class _Opened:
    """A recording with the lanes that are asked for, and the constants that they are converted with."""

    def __init__(self, session: Session, recording_id: int, wanted: Sequence[str], stone: int | None) -> None:
        self.session, self.stone = session, stone
        self.recording = recordings.recording(session, recording_id)
        self.stored = rigs.rig_with_id(session, self.recording.rig_id)
        self.rig = rigs.rig_of_revision(session, self.recording.rig_revision_id)
        every = {shown.id: shown for shown in everything(self.rig, self.recording)}
        for item in wanted:
            if item not in every:
                raise NotFound(f"This recording holds nothing of {item!r}.", "show")
        self.shown = [every[entry] for entry in wanted]

    def values(self, sensor: str) -> Values | None:
        return None if self.stone is None else as_of(self.session, self.stored, sensor, self.stone, self.rig)

    def rows(self, shown: Shown, t0: int | None, t1: int | None) -> tuple[Times, Array]:
        """A lane's readings between two times, µs: raw as they are, converted ones NaN where they mean
        nothing."""
        stream = self.recording.stream_of(shown.sensor)
        if shown.channel:
            position = next(c.position for c in stream.columns if c.channel == shown.channel)
            times, values = samples.rows_between(self.session, stream, t0, t1, [position])
            return times, values[0]
        converter = Converter(self.session, self.recording, shown.sensor, self.values(shown.sensor))
        worked = converter.between(self.session, stream, t0, t1)
        return worked.times, np.where(worked.converted.valid, worked.converted.values, np.nan)


def lanes(
    session: Session,
    recording_id: int,
    wanted: Sequence[str],
    t0_s: float | None,
    t1_s: float | None,
    width: int,
    stone: int | None = None,
) -> list[Lane]:
    """Lanes for drawing, each at most about ``width`` points, between two times, s. Raises NotFound."""
    opened = _Opened(session, recording_id, wanted, stone)
    results = []
    for shown in opened.shown:
        if not shown.channel:
            trace = reading.trace(
                session, recording_id, shown.sensor, t0_s, t1_s, width, opened.values(shown.sensor)
            )
            results.append(Lane(shown, trace.times_s, trace.low, trace.high, trace.n, trace.exact))
        else:
            results.append(_raw_lane(opened, shown, _us(t0_s), _us(t1_s), width))
    return results


def _us(t_s: float | None) -> int | None:
    return None if t_s is None else round(t_s * 1e6)


def _raw_lane(opened: _Opened, shown: Shown, t0: int | None, t1: int | None, width: int) -> Lane:
    stream = opened.recording.stream_of(shown.sensor)
    first, last = (stream.t0 or 0) if t0 is None else t0, (stream.t1 or 0) if t1 is None else t1
    position = next(c.position for c in stream.columns if c.channel == shown.channel)
    if samples.chunks_between(opened.session, stream, first, last) > DRAWN_AT_MOST:
        whole = samples.chunk_overview(opened.session, stream, position, first, last)
        bins = decimation.bins(len(whole.t0), width)
        low, high = decimation.extremes(whole.low, bins)[0], decimation.extremes(whole.high, bins)[1]
        return Lane(shown, decimation.middles((whole.t0 + whole.t1) / 2e6, bins), low, high, stream.n, False)
    times, values = opened.rows(shown, t0, t1)
    seconds = times / 1e6
    if shown.form == LEVELS:
        rows = changes(values)
        if rows.size <= EDGES_AT_MOST:
            return Lane(shown, seconds[rows], values[rows], values[rows], len(times), True)
    if shown.form == EDGES:
        present = np.isfinite(values)
        seconds, values = seconds[present], values[present]
    bins = decimation.bins(len(seconds), EDGES_AT_MOST if shown.form == EDGES else width)
    low, high = decimation.extremes(values, bins)
    return Lane(shown, decimation.middles(seconds, bins), low, high, len(times), len(bins) == len(seconds))


def read_outs(
    session: Session,
    recording_id: int,
    wanted: Sequence[str],
    t0_s: float,
    t1_s: float,
    stone: int | None = None,
) -> list[ReadOut]:
    """What lanes say over a span, s. Of a span of very many rows the first MEASURED_AT_MOST count, and
    ``whole`` is False."""
    opened = _Opened(session, recording_id, wanted, stone)
    results = []
    for shown in opened.shown:
        stream = opened.recording.stream_of(shown.sensor)
        end, whole = _us(t1_s), True
        length = max(1, (stream.t1 or 0) - (stream.t0 or 0))
        most = round(length * MEASURED_AT_MOST / max(1, stream.n))
        if (t1_s - t0_s) * 1e6 > most:
            end, whole = round(t0_s * 1e6) + most, False
        times, values = opened.rows(shown, _us(t0_s), end)
        seconds = times / 1e6
        told = pulses(seconds, values) if shown.form == LEVELS else None
        if shown.form == EDGES:
            places = seconds[np.isfinite(values)]
            period = float((places[-1] - places[0]) / (places.size - 1)) if places.size > 1 else None
            told = Pulses(int(places.size), period, None, None, None)
        results.append(ReadOut(shown, statistics(seconds, values), told, whole))
    return results


@dataclass(frozen=True)
class LaneAtCursor:
    """A lane at a moment: the nearest reading's time, s, and value (None: it means nothing); of levels how
    long this one has held and will hold, s, and from rise to rise about it."""

    shown: Shown
    t_s: float
    value: float | None
    width_s: float | None = None
    period_s: float | None = None


def at_cursor(
    session: Session, recording_id: int, wanted: Sequence[str], t_s: float, stone: int | None = None
) -> list[LaneAtCursor]:
    """What lanes say at a time, s. A lane without a reading near it is left out."""
    opened = _Opened(session, recording_id, wanted, stone)
    results = []
    for shown in opened.shown:
        stream = opened.recording.stream_of(shown.sensor)
        near = _near(opened, shown, stream, min(max(round(t_s * 1e6), stream.t0 or 0), stream.t1 or 0))
        if near is None:
            continue
        times, values, index = near
        value = float(values[index]) if np.isfinite(values[index]) else None
        width = period = None
        if shown.form == LEVELS:
            width, period = _pulse_about(times / 1e6, values, index)
        results.append(LaneAtCursor(shown, float(times[index]) / 1e6, value, width, period))
    return results


def _near(
    opened: _Opened, shown: Shown, stream: samples.StreamInfo, wanted: int
) -> tuple[Times, Array, int] | None:
    reach = 1_000_000
    while True:
        times, values = opened.rows(shown, wanted - reach, wanted + reach)
        if shown.form != NUMBERS or not shown.channel:
            present = np.isfinite(values) if shown.form == EDGES else np.ones(len(times), bool)
            times, values = times[present], values[present]
        enough = len(times) > 0 and (shown.form != LEVELS or changes(values).size > 4)
        if enough or reach > (stream.t1 or 0) - (stream.t0 or 0) + 1_000_000:
            break
        reach *= 16
    if not len(times):
        return None
    if shown.form == LEVELS:  # the level that holds, not the next one
        return times, values, max(0, int(np.searchsorted(times, wanted, "right")) - 1)
    return times, values, int(np.argmin(np.abs(times - wanted)))


def _pulse_about(seconds: Array, values: Array, index: int) -> tuple[float | None, float | None]:
    """How long the level at a row holds in all, and from the rise before it to the next one."""
    where = changes(values)
    here = int(np.searchsorted(where, index, "right")) - 1
    if here < 1 or here + 1 >= where.size:
        return None, None
    width = float(seconds[where[here + 1]] - seconds[where[here]])
    rises = where[(values[where] > 0.5) & (np.arange(where.size) > 0)]
    before, after = rises[rises <= index], rises[rises > index]
    period = float(seconds[after[0]] - seconds[before[-1]]) if before.size and after.size else None
    return width, period
