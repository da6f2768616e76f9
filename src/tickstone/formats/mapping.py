"""What the columns of a file mean to a rig: said by a person, told by the file itself, or guessed."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from tickstone.core.rigs.kinds import kind, thermometers
from tickstone.core.rigs.kinds.base import ChannelSpec
from tickstone.core.rigs.labels import channels
from tickstone.core.rigs.meanings import CHANNEL, MARK, NOTHING, TIME, Meaning, guess, guess_bare
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.errors import BadInput
from tickstone.formats.about import About
from tickstone.formats.pace import time_unit
from tickstone.formats.readings import CLOCK, NUMBER, FileSource, Named
from tickstone.formats.summary import mark_column, time_column, time_doubt

OTHER = "~other"  # key of the stream of columns that belong to no sensor
AIR, AIR_CHANNEL = "~air", "air"  # the air around a rig that has no thermometer, as a file tells it


@dataclass
class ColumnMapping:
    """What becomes of each column: its meaning (None: a reading of no sensor) and whether that is guessed;
    the column of the time and how many µs one step of it is; the column of what was true; the question what
    the times count, where that is open."""

    meanings: dict[str, Meaning | None]
    guessed: dict[str, bool]
    time: tuple[str, float] | None
    mark: str | None = None
    doubt: str = ""


@dataclass(frozen=True)
class StreamPlan:
    """A stream to be: a sensor's (or of none), its channels, and which column fills which of them, by
    position."""

    key: str
    sensor: str | None
    channels: tuple[ChannelSpec, ...]
    columns: dict[int, tuple[str, Meaning]]


def mapped(
    rig: Rig, source: FileSource, meanings: Mapping[str, Meaning], about: About | None = None
) -> ColumnMapping:
    """What each column of an open file means to a rig.

    Raises BadInput naming a column that is said to be what the rig has not, or that another one is already.
    """
    every = channels_with_air(rig)
    for name, wanted in meanings.items():
        if wanted.role == CHANNEL and (wanted.sensor, wanted.channel) not in every:
            raise BadInput(f"{name}: this rig has no {wanted.sensor}: {wanted.channel}.", name)
    guesses = _Guesses(rig, source, meanings)
    made = ColumnMapping({}, {}, source.time)
    for column in source.columns:
        name = column.name
        made.guessed[name] = name not in meanings
        if name in meanings:
            meaning: Meaning | None = meanings[name]
        elif about is not None:
            meaning = about.meaning(name, every)
        else:
            meaning = guesses.meaning(column)
        made.meanings[name] = meaning
        if meaning is None:
            continue
        if meaning.role == CHANNEL:
            guesses.taken.append((meaning.sensor, meaning.channel))
        elif meaning.role == TIME and made.time is None:
            made.time = name, 1.0 if column.type == CLOCK else meaning.unit_us or guesses.unit_us(name)
            made.doubt = "" if meaning.unit_us else time_doubt(source, made.time)
        elif meaning.role == MARK and column.type != NUMBER:
            made.mark = name
    _check_apart(made)
    return made


def channels_with_air(rig: Rig) -> set[tuple[str, str]]:
    """Everything that a column can be, as (sensor, channel)."""
    air = {(AIR, AIR_CHANNEL)} if wants_air(rig) else set()
    return {(sensor.id, channel.name) for sensor, channel in channels(rig)} | air


def wants_air(rig: Rig) -> bool:
    """Whether it has sensors that convert with the air, and none that measures it."""
    return not thermometers(rig) and any("air" in kind(sensor.kind).specs for sensor in rig.sensors)


class _Guesses:
    """What columns seem to be that nobody has named; ``taken`` are the channels that have a column."""

    def __init__(self, rig: Rig, source: FileSource, meanings: Mapping[str, Meaning]) -> None:
        self._rig = rig
        self._air = replace(rig, sensors=(Sensor(AIR, "air-temperature", AIR),)) if wants_air(rig) else None
        self._source, self._time, self._mark = source, time_column(source), mark_column(source)
        self._bare = {} if meanings else _by_place(rig, source)
        self._time_is_named = any(meaning.role == TIME for meaning in meanings.values())
        self.taken = [
            (meaning.sensor, meaning.channel) for meaning in meanings.values() if meaning.role == CHANNEL
        ]

    def meaning(self, column: Named) -> Meaning | None:
        """What a column seems to mean; None for a reading of no sensor."""
        if self._time is not None and column.name == self._time[0]:
            if self._time_is_named:
                return NOTHING
            return Meaning(TIME, unit_us=None if time_doubt(self._source, self._time) else self._time[1])
        if column.name == self._mark:
            return Meaning(MARK)
        if column.type != NUMBER:
            return NOTHING
        if self._bare:
            return self._free(self._bare.get(column.name))
        meaning = guess(column.name, column.unit, self._rig, self.taken)
        if meaning is None and self._air is not None:
            meaning = guess(column.name, column.unit, self._air, self.taken)
        return self._free(meaning)

    def unit_us(self, name: str) -> float:
        """µs in one step of a column of times that nobody has said."""
        return time_unit(self._source.sample.get(name, ())).unit_us

    def _free(self, meaning: Meaning | None) -> Meaning | None:
        """The meaning, unless another column has it already."""
        if meaning is None:
            return None
        second_time = meaning.role == TIME and (self._time is not None or self._time_is_named)
        taken = meaning.role == CHANNEL and (meaning.sensor, meaning.channel) in self.taken
        return None if second_time or taken else meaning


def _by_place(rig: Rig, source: FileSource) -> dict[str, Meaning]:
    """What columns without names are: the rig's channels in order, where there are as many, or one more for
    the time."""
    count, every = len(source.columns), [channel for _, channel in channels(rig) if channel.form != "edge"]
    nameless = all(column.name.isdigit() for column in source.columns)
    return guess_bare(count, rig) if nameless and count - len(every) in (0, 1) else {}


def _check_apart(made: ColumnMapping) -> None:
    known: dict[tuple[str, str], str] = {}
    for name, meaning in made.meanings.items():
        if meaning is not None and meaning.role == CHANNEL:
            other = known.setdefault((meaning.sensor, meaning.channel), name)
            if other != name:
                raise BadInput(
                    f"{other} and {name} are both taken for {meaning.sensor}: {meaning.channel}.", name
                )


def streams(
    rig: Rig, source: FileSource, made: ColumnMapping, about: About | None = None
) -> list[StreamPlan]:
    """The streams that a mapping gives: one a sensor, and one of the columns that belong to none, the air
    of a rig without a thermometer among them."""
    known = {} if about is None else {column.name: column for column in about.columns}
    stream_plans = []
    for sensor in rig.sensors:
        specs = kind(sensor.kind).channels_of(sensor.options)
        columns = {
            position: (name, meaning)
            for position, spec in enumerate(specs)
            for name, meaning in made.meanings.items()
            if meaning is not None
            and (meaning.role, meaning.sensor, meaning.channel) == (CHANNEL, sensor.id, spec.name)
        }
        if columns:
            stream_plans.append(StreamPlan(sensor.id, sensor.id, specs, columns))
    air = {name: m for name, m in made.meanings.items() if m is not None and m.sensor == AIR}
    loose = [
        column
        for column in source.columns
        if (made.meanings[column.name] is None or column.name in air) and column.type == NUMBER
    ]
    if loose:
        specs = tuple(
            ChannelSpec(AIR_CHANNEL, column.name, "level", "°C", (column.name,), -math.inf, math.inf)
            if column.name in air
            else ChannelSpec(
                known[column.name].channel,
                column.name,
                known[column.name].form,
                known[column.name].unit,
                (column.name,),
                -math.inf,
                math.inf,
            )
            if column.name in known
            else ChannelSpec(
                column.name, column.name, "level", column.unit, (column.name,), -math.inf, math.inf
            )
            for column in loose
        )
        stream_plans.append(
            StreamPlan(
                OTHER,
                None,
                specs,
                {
                    index: (column.name, air.get(column.name, Meaning(CHANNEL)))
                    for index, column in enumerate(loose)
                },
            )
        )
    return stream_plans


def wanting(made: ColumnMapping, rate_hz: float | None) -> str:
    """What is still to be said before a file can be taken in, in a sentence; empty when nothing is."""
    if made.doubt:
        return made.doubt
    if made.time is None and rate_hz is None:
        return "No column is the time: say which one is, or how many rows came a second."
    if not any(meaning is None or meaning.role == CHANNEL for meaning in made.meanings.values()):
        return "No column is a reading: say what one of them is."
    return ""
