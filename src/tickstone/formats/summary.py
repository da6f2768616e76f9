"""What a file of readings contains, told as it stands: no unit is converted."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tickstone.core.rigs.meanings import TIME, time_meaning
from tickstone.core.time_axis import WRAP, rolled_over
from tickstone.core.timing import GAP_FACTOR
from tickstone.errors import BadInput
from tickstone.formats.naming import channel_named, named
from tickstone.formats.pace import WORDS, time_unit
from tickstone.formats.readings import CLOCK, NUMBER, TEXT, Array, FileSource

SHOWN_BAD = 5
MARK_NAMES = ("mark", "marks")


@dataclass
class _Channel:
    count: int = 0
    low: float = np.inf
    high: float = -np.inf

    def take(self, values: Array) -> None:
        known = values[np.isfinite(values)]
        if known.size:
            self.count += known.size
            self.low, self.high = min(self.low, float(known.min())), max(self.high, float(known.max()))


@dataclass
class _Rhythm:
    """How regularly rows come; times in the column's own steps. The usual interval is that of the first
    block."""

    unit_s: float
    counter: bool  # of a board, and not a date
    first: float | None = None
    last: float = 0.0
    lasted: float = 0.0
    usual: float = 0.0
    gaps: int = 0
    backward: int = 0
    regular: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])  # count, sum, sum of squares

    def take(self, stamps: Array) -> None:
        known = stamps[np.isfinite(stamps)]
        if not known.size:
            return
        if self.first is None:
            self.first = self.last = float(known[0])
        before = np.concatenate([[self.last], known[:-1]])
        steps = known - before + np.where(self.counter & rolled_over(before, known), WRAP, 0)
        self.last = float(known[-1])
        self.backward += int((steps < 0).sum())
        steps = steps[steps >= 0]
        self.lasted += float(steps.sum())
        rising = steps[steps > 0]
        if not self.usual and rising.size:
            self.usual = float(np.median(rising))
        regular = steps[steps <= GAP_FACTOR * self.usual] if self.usual else steps
        self.gaps += int(steps.size - regular.size)
        self.regular[0] += regular.size
        self.regular[1] += float(regular.sum())
        self.regular[2] += float((regular**2).sum())

    def said(self) -> dict[str, Any]:
        count, total, squares = self.regular
        count -= 1  # the first row has none before it
        if self.first is None or count < 1 or total <= 0:
            return dict(_UNTIMED)
        mean = total / count
        spread = max(0.0, squares / count - mean**2) ** 0.5
        pace = mean * self.unit_s
        return {
            "duration_s": _finite(self.lasted * self.unit_s, 9),
            "rate_hz": _finite(1 / pace if pace else np.inf, 6),
            "jitter": _finite(spread / mean, 6),
            "gaps": self.gaps,
        }


_UNTIMED: dict[str, Any] = {"duration_s": None, "rate_hz": None, "jitter": None, "gaps": 0}


def _finite(value: float, digits: int) -> float | None:
    return round(value, digits) if np.isfinite(value) else None


def summary(source: FileSource) -> dict[str, Any]:
    """What a file contains: format, channels (name, kind, unit, count, min, max), rows, duration_s, rate_hz,
    jitter (sd of the intervals between rows as a share of their mean, gaps left out), gaps, bad_lines. Raises
    BadInput when there is no reading in it."""
    timed = time_column(source)
    channels = {column.name: _Channel() for column in source.columns if column.type == NUMBER}
    edges = next((name for name in channels if _of_edges(name)), None)
    if timed is None and edges is not None:
        timed = edges, 1.0
    elif timed is not None:
        channels.pop(timed[0], None)
    dates = timed is not None and any(c.name == timed[0] and c.type == CLOCK for c in source.columns)
    rhythm = _Rhythm(timed[1] / 1e6, not dates) if timed else None
    rows = 0
    for block in source.blocks():
        rows += len(block.lines)
        for name, channel in channels.items():
            channel.take(
                block.numbers[name] if block.present is None else block.numbers[name][block.present[name]]
            )
        if rhythm is not None and timed is not None:
            rhythm.take(block.numbers[timed[0]])
    if not rows or not any(channel.count for channel in channels.values()):
        raise BadInput("There is no reading in this file.", "file")
    said = rhythm.said() if rhythm else _UNTIMED
    units = {column.name: column.unit for column in source.columns}
    return {
        "format": source.format,
        "encoding": source.encoding,
        "channels": [
            _channel(name, units[name], channel) for name, channel in channels.items() if channel.count
        ],
        **_of_time(source, timed, dates),
        "rows": rows,
        **said,
        "backward": rhythm.backward if rhythm else 0,
        "bad_lines": {
            "count": source.bad.count,
            "first": [{"line": line.line, "text": line.text} for line in source.bad.first[:SHOWN_BAD]],
        },
    }


def _of_time(source: FileSource, timed: tuple[str, float] | None, dates: bool) -> dict[str, Any]:
    """The column of times, what it counts (None for a clock), and the question where that is open."""
    if timed is None:
        return {"time": None, "time_unit": None, "time_doubt": ""}
    name, unit_us = timed
    clock = dates or source.time is not None
    return {
        "time": name,
        "time_unit": None if clock else WORDS.get(unit_us, f"{unit_us:g} µs"),
        "time_doubt": time_doubt(source, timed),
    }


def _of_edges(name: str) -> bool:
    known = channel_named(name)
    return known is not None and known[1].form == "edge"


def time_column(source: FileSource, besides: Collection[str] = ()) -> tuple[str, float] | None:
    """The column that is surely or probably the time, and how many µs one step of it is; ``besides`` are
    columns that are something else."""
    if source.time is not None:
        return source.time
    columns = [column for column in source.columns if column.name not in besides]
    for column in columns:
        if column.type == CLOCK:
            return column.name, 1.0
    for column in columns:
        meaning = time_meaning(column.name, column.unit) if column.type == NUMBER else None
        if meaning is not None and meaning.role == TIME:
            return column.name, meaning.unit_us or time_unit(source.sample.get(column.name, ())).unit_us
    return None


def time_doubt(source: FileSource, time: tuple[str, float] | None) -> str:
    """The question what a column of times counts, where that is neither said nor plain; else empty."""
    column = next((column for column in source.columns if time and column.name == time[0]), None)
    if column is None or source.time is not None or column.type != NUMBER:
        return ""
    meaning = time_meaning(column.name, column.unit)
    if meaning is None or meaning.role != TIME or meaning.unit_us is not None:
        return ""
    return time_unit(source.sample.get(column.name, ())).doubt(column.name)


def doubt_and_choice(source: FileSource) -> str:
    """The question what a column of times counts, and what it is taken for where nobody can be asked; else
    empty."""
    timed = time_column(source)
    doubt = time_doubt(source, timed)
    return f"{doubt} Here it is taken as {WORDS[timed[1]]}." if timed and doubt else ""


def mark_column(source: FileSource) -> str | None:
    """The column that tells what was true at a row."""
    return next(
        (
            column.name
            for column in source.columns
            if column.type == TEXT and column.name.lower() in MARK_NAMES
        ),
        None,
    )


def _channel(name: str, unit: str, channel: _Channel) -> dict[str, Any]:
    known = named(name)
    return {
        "name": name,
        "kind": known.quantity,
        "unit": unit or known.unit,
        "count": channel.count,
        "min": channel.low,
        "max": channel.high,
    }
