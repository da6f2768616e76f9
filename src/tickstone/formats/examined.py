"""A file of readings as the fault finder looks at it: by what its columns are called, or by what they mean to
a rig."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from tickstone.core.diagnosis.fitted import stream_of
from tickstone.core.diagnosis.lines import looks_garbled
from tickstone.core.diagnosis.record import (
    ACCEL,
    EDGE,
    GYRO,
    LEVEL,
    LIGHT,
    OTHER,
    Array,
    Record,
    Signal,
    Stream,
    Truth,
)
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.usual import usual_values
from tickstone.core.time_axis import TimeAxis
from tickstone.errors import BadInput
from tickstone.formats.mapping import mapped, streams
from tickstone.formats.marks import MarkColumn
from tickstone.formats.naming import named
from tickstone.formats.readings import NUMBER, FileSource
from tickstone.formats.summary import mark_column, time_column

MOST_ROWS = 4_000_000  # that are looked at; more do not fit in memory beside what is worked out
UNTIMED_US = 10_000.0  # between rows of a file without times
FULLS = (1023.0, 4095.0, 16_383.0, 65_535.0)  # highest codes of converters
SIGNED = (-32_768.0, 32_767.0)
ANEW_BEFORE = (
    0.5  # a clock that falls to less than this share of what it said began anew; less is a line out of order
)

_SIDES = ("left", "mid", "center", "centre", "right")


@dataclass
class _Columns:
    """The columns of a file, gathered block by block."""

    numbers: dict[str, list[Array]] = field(default_factory=dict)
    lines: list[Array] = field(default_factory=list)
    marks: list[str] = field(default_factory=list)
    rows: int = 0
    changes_only: bool = False  # a row tells a change: rows need not come evenly


def record_of(source: FileSource, rig: Rig | None = None) -> Record:
    """Everything in an open file that the fault finder can look at.

    Parameters: source; rig, whose sensors the columns are, where that is known.
    Raises: BadInput when there is no reading in the file.
    """
    time, mark = time_column(source), mark_column(source)
    gathered = _Columns()
    for block in source.blocks():
        size = len(block.lines)
        names = {column.name for column in source.columns if column.type == NUMBER} | (
            {time[0]} if time else set()
        )
        for name in names & block.numbers.keys():
            gathered.numbers.setdefault(name, []).append(block.numbers[name])
        gathered.changes_only = gathered.changes_only or block.present is not None
        gathered.lines.append(block.lines.astype(np.float64))
        if mark is not None:
            gathered.marks += block.texts.get(mark, [""] * size)
        gathered.rows += size
        if gathered.rows >= MOST_ROWS:
            break
    order = [column.name for column in source.columns]
    columns = {
        name: np.concatenate(gathered.numbers[name])
        for name in sorted(gathered.numbers, key=lambda name: order.index(name) if name in order else -1)
    }
    if not gathered.rows or not any(np.isfinite(column).any() for column in columns.values()):
        raise BadInput("There is no reading in this file.", "file")
    lines = np.concatenate(gathered.lines)
    if rig is not None:
        made = mapped(rig, source, {})
        time = made.time or time
        plans = streams(rig, source, made)
        by_sensor = {
            plan.sensor: {
                plan.channels[index].name: (name, columns[name] * meaning.factor + meaning.zero)
                for index, (name, meaning) in plan.columns.items()
            }
            for plan in plans
            if plan.sensor is not None
        }
        record = _timed(
            columns, time, gathered.marks, lambda times, tick: _of_rig(rig, by_sensor, times, tick)
        )
    else:
        record = columns_record(columns, time, gathered.marks)
    if gathered.changes_only:
        record = replace(record, streams=tuple(replace(stream, regular=False) for stream in record.streams))
    return _with_odd(record, source, lines)


def columns_record(
    columns: Mapping[str, Array], time: tuple[str, float] | None, marks: list[str] | None = None
) -> Record:
    """A record of bare columns, told apart by their names.

    Parameters: columns, each of shape (n,), NaN for an empty cell; time, the column of the time and its step
    in µs (None: there is none); marks, what was true at each row.
    """
    bare = {
        name: values
        for name, values in columns.items()
        if time is None or name != time[0] or named(name).nature == EDGE
    }
    return _timed(columns, time, marks or [], lambda times, tick: _by_name(bare, times, tick))


def _timed(
    columns: Mapping[str, Array],
    time: tuple[str, float] | None,
    marks: list[str],
    made: Callable[[Array, float], tuple[Stream, ...]],
) -> Record:
    """Place the rows in time, and the marks and new beginnings with them."""
    size = len(next(iter(columns.values())))
    edges = next((name for name in columns if named(name).nature == EDGE), None)
    if time is None and edges is not None:
        time = edges, 1.0
    by_edges = time is not None and time[0] == edges
    stamps = columns[time[0]] if time is not None else np.arange(size) * 1.0
    unit_us = time[1] if time is not None else UNTIMED_US
    known = np.isfinite(stamps)
    if not known.all():
        places = np.arange(size)
        stamps = np.interp(places, places[known], stamps[known]) if known.any() else places * 1.0
    placed = TimeAxis(unit_us).place(np.asarray(stamps, np.float64))
    times = placed.times / 1e6
    falls = np.flatnonzero(np.diff(placed.segments) > 0) + 1
    anew = falls[stamps[falls] < ANEW_BEFORE * stamps[falls - 1]]
    told = MarkColumn()
    if marks:
        told.take(placed.times, marks)
    truths = tuple(
        Truth(
            mark.t0 / 1e6,
            (mark.t1 if mark.t1 is not None else mark.t0) / 1e6,
            mark.label,
            float(mark.truth["value"]) if mark.truth else None,
        )
        for mark in told.marks("~")
    )
    whole = bool((stamps[:1000] == np.rint(stamps[:1000])).all())
    tick = unit_us / 1e6 if time is not None and whole else 0.0
    made_streams = made(times, tick)
    if time is None or by_edges:
        made_streams = tuple(replace(stream, regular=False) for stream in made_streams)
    clock = time[0] if time is not None else "time"
    return Record(made_streams, truths, lines=size, restarts_s=times[anew], clock=clock)


def _of_rig(
    rig: Rig, by_sensor: Mapping[str, Mapping[str, tuple[str, Array]]], times: Array, tick: float
) -> tuple[Stream, ...]:
    results = []
    for key, known in by_sensor.items():
        sensor = rig.sensor(key)
        values = usual_values(KINDS[sensor.kind], rig, sensor)
        rows = np.logical_or.reduce([np.isfinite(column) for _, column in known.values()])
        columns = {channel: column[rows] for channel, (_, column) in known.items()}
        names = {channel: name for channel, (name, _) in known.items()}
        results.append(stream_of(rig, sensor, times[rows], columns, values, tick, names))
    return tuple(results)


def _by_name(columns: Mapping[str, Array], times: Array, tick: float) -> tuple[Stream, ...]:
    made: list[Stream] = []
    row: list[Signal] = []
    axes: list[Signal] = []
    for name, values in columns.items():
        signal = _bare_signal(name, values)
        if signal.nature in (ACCEL, GYRO):
            axes.append(signal)
        elif signal.nature == LIGHT:
            row.append(signal)
        else:
            regular = signal.nature != EDGE and not (signal.nature == LEVEL and _mostly_changes(values))
            made.append(Stream(name, times, (signal,), tick, regular))
    if axes:
        made.append(Stream("inertial", times, tuple(axes), tick))
    if row:
        if all(any(side in signal.name.lower() for side in _SIDES) for signal in row):
            row.sort(
                key=lambda signal: next(i for i, side in enumerate(_SIDES) if side in signal.name.lower())
            )
        made.append(Stream("row", times, tuple(row), tick, row=len(row) > 1))
    order = {name: index for index, name in enumerate(columns)}
    return tuple(sorted(made, key=lambda stream: order[stream.signals[0].name]))


def _mostly_changes(levels: Array) -> bool:
    """Whether a level is told as it changes, and not every so often."""
    return levels.size > 1 and float((np.diff(levels) != 0).mean()) > 0.4


def _bare_signal(name: str, values: Array) -> Signal:
    nature, scale = named(name)[2:]
    known = values[np.isfinite(values)]
    if nature == OTHER and known.size and np.isin(known, (0.0, 1.0)).all():
        return Signal(name, LEVEL, values)
    ends = None
    if nature in (ACCEL, GYRO) and scale is None:
        ends = SIGNED
    elif nature == LIGHT or name.lower().endswith("_adc"):
        top = float(known.max()) if known.size else 0.0
        ends = 0.0, next((full for full in FULLS if top <= full), FULLS[-1])
    axis = name.lower()[1] if nature in (ACCEL, GYRO) and len(name) > 1 else ""
    low = True if nature == LEVEL and "hall" in name.lower() else None
    return Signal(name, nature, values, scale, 0.0, ends, axis=axis, magnet_low=low)


def _with_odd(record: Record, source: FileSource, lines: Array) -> Record:
    """The record with the lines that were no reading, words and repeated headings left out."""
    names = {column.name.lower() for column in source.columns}
    bad = [line for line in source.bad.first if looks_garbled(line.text, names)]
    share = len(bad) / max(len(source.bad.first), 1)
    times = record.streams[0].times_s if record.streams else np.zeros(0)
    rows = np.searchsorted(lines, [line.line for line in bad])
    places = times[np.minimum(rows, times.size - 1)] if times.size == lines.size else np.zeros(0)
    count = round(share * source.bad.count)
    lines_in_all = record.lines + source.bad.count
    return replace(
        record, odd_s=places, odd_first=bad[0].text if bad else "", odd_count=count, lines=lines_in_all
    )
