"""What an export says of itself, so that a number can be traced, and so that the file can become the same
recording again."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from tickstone.core.rigs.meanings import CHANNEL, NOTHING, TIME, Meaning

VERSION = 1
TIME_COLUMN = "t_us"
SEGMENT_COLUMN = "segment"


@dataclass(frozen=True)
class AboutColumn:
    """A raw column: whose channel it is (``sensor`` is None for a column of no sensor), its form and unit."""

    name: str
    sensor: str | None
    channel: str
    form: str
    unit: str


@dataclass(frozen=True)
class AboutMark:
    """A mark; times in µs from the recording's start."""

    t0: int
    t1: int | None
    label: str
    sensor: str | None = None
    truth: dict[str, Any] | None = None
    conditions: dict[str, Any] | None = None


@dataclass(frozen=True)
class AboutLine:
    """A line that was not understood when the readings were taken."""

    t: int
    text: str
    why: str
    line: int | None = None


@dataclass(frozen=True)
class About:
    """A recording's name, origin and rig, the columns of the file, and what is kept beside the readings."""

    name: str
    note: str
    rig: str
    rig_title: str
    revision: int | None
    source: str
    clock: str
    started_at: datetime | None
    ended_at: datetime | None
    ended_why: str
    constants: str
    columns: tuple[AboutColumn, ...]
    converted: tuple[str, ...]
    marks: tuple[AboutMark, ...] = ()
    odd: tuple[AboutLine, ...] = ()

    def meaning(self, column: str, every: Iterable[tuple[str, str]]) -> Meaning | None:
        """What a column means to a rig with these (sensor, channel) pairs; None for readings of no sensor of
        it."""
        if column == TIME_COLUMN:
            return Meaning(TIME, unit_us=1.0)
        for item in self.columns:
            if item.name == column:
                known = item.sensor is not None and (item.sensor, item.channel) in set(every)
                return Meaning(CHANNEL, item.sensor or "", item.channel) if known else None
        return NOTHING

    def to_json(self, ascii_only: bool = False) -> str:
        """One line of JSON."""
        plain = asdict(self)
        for name in ("started_at", "ended_at"):
            plain[name] = plain[name].isoformat() if plain[name] is not None else None
        return json.dumps({"version": VERSION, **plain}, ensure_ascii=ascii_only, separators=(",", ":"))

    def sentences(self) -> list[str]:
        """The same for people, a line each; no line holds a line's end."""
        began = f", begun {self.started_at.isoformat(' ', 'seconds')}" if self.started_at else ""
        columns = ", ".join(
            f"{column.name} [{column.unit}]" if column.unit else column.name for column in self.columns
        )
        sentences = [
            f"{self.name}, a recording of {self.rig_title} ({self.rig}, revision {self.revision}) from "
            f"{self.source}{began}",
            f"raw columns: {columns}",
        ]
        if self.converted:
            sentences.append(f"converted columns, with {self.constants}: {', '.join(self.converted)}")
        if self.note:
            sentences.append(f"note: {self.note}")
        return [" ".join(line.split()) for line in sentences]


def about_of(results: Mapping[str, Any] | None) -> About | None:
    """What a file says of itself, or None when it says nothing that is whole: it is then a file like any
    other."""
    if results is None or results.get("version") != VERSION:
        return None
    try:
        plain = {name: results[name] for name in About.__dataclass_fields__}
        for name, kind in (("columns", AboutColumn), ("marks", AboutMark), ("odd", AboutLine)):
            plain[name] = tuple(kind(**item) for item in plain[name])
        for name in ("started_at", "ended_at"):
            plain[name] = datetime.fromisoformat(plain[name]) if plain[name] else None
            if plain[name] is not None and plain[name].tzinfo is None:
                return None
        plain["converted"] = tuple(plain["converted"])
        about = About(**plain)
    except (KeyError, TypeError, ValueError):
        return None
    return about if _whole(about) else None


def _whole(about: About) -> bool:
    """Whether every part is of its type: what a stranger wrote must not end in a failure later."""
    texts = (
        about.name,
        about.note,
        about.rig,
        about.rig_title,
        about.source,
        about.clock,
        about.ended_why,
        about.constants,
    )
    marks = all(
        isinstance(mark.label, str)
        and isinstance(mark.t0, int)
        and (mark.t1 is None or isinstance(mark.t1, int))
        and isinstance(mark.truth, dict | None)
        and isinstance(mark.conditions, dict | None)
        and isinstance(mark.sensor, str | None)
        and 0 <= mark.t0 < 2**62
        and (mark.t1 is None or mark.t0 <= mark.t1 < 2**62)
        for mark in about.marks
    )
    columns = all(
        isinstance(v, str)
        for column in about.columns
        for v in (column.name, column.channel, column.form, column.unit)
    )
    odd = all(
        isinstance(line.text, str) and isinstance(line.why, str) and isinstance(line.t, int)
        for line in about.odd
    )
    return (
        all(isinstance(text, str) and "\0" not in text for text in texts)
        and isinstance(about.revision, int | None)
        and all(isinstance(item, str) for item in about.converted)
        and marks
        and columns
        and odd
    )
