"""From lines to readings: what each label means, guessed at first sight, remembered, and said otherwise by a
person."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field

from tickstone.core.rigs.commands import command_labels
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.meanings import (
    CHANNEL,
    COMMAND,
    COMMANDED,
    IGNORED,
    MARK,
    TIME,
    Meaning,
    guess,
    guess_bare,
)
from tickstone.core.rigs.rig import Rig
from tickstone.formats.shapes import Heading, LabelledNumber, Unread, take_apart

Key = tuple[str, str]  # sensor, channel
LONGEST_KEPT = 200
REAL_AFTER = 3  # times that a label must come before it is taken for one and not for garbling,
REAL_SHARE = 0.005  # and of the lines since then
MOST_LABELS = 64
WRAP = 2**32
TIME_FOUND_S = 0.4  # how long a time of unknown unit is watched before its unit is told
GARBLED, WORDS, UNUSED = "garbled", "words", "unused"


@dataclass(frozen=True)
class Reading:
    """A line that was understood: raw values by (sensor, channel), what the program commands by label, and
    the board's own time, µs, with where it wraps; ``stamp_us`` is None where the line has no time or its unit
    is not known yet."""

    values: dict[Key, float]
    stamp_us: int | None = None
    wrap_us: int = WRAP
    commands: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class OddLine:
    """A line without a reading: its text (cut), why, and whether it is ``garbled``, ``words``, or readable
    but ``unused``."""

    text: str
    why: str
    kind: str = GARBLED


@dataclass
class Label:
    """A label that has been seen: its last number and unit, how often, and what it means (None: nobody
    knows)."""

    name: str
    unit: str
    last: float | None
    count: int
    meaning: Meaning | None
    guessed: bool
    since: int = 0  # lines that had come before it

    def real(self, lines: int) -> bool:
        """Whether it comes often enough, of so many lines, to be a label and no garbling."""
        return self.count >= REAL_AFTER and self.count >= REAL_SHARE * (lines - self.since)


@dataclass(frozen=True)
class _Target:
    key: Key
    factor: float
    zero: float
    low: float
    high: float


class Interpreter:
    """Reads the lines of one source for one rig. ``said`` are the meanings that a person has settled, by
    label."""

    def __init__(self, rig: Rig, meanings: Mapping[str, Meaning] | None = None) -> None:
        self._seen: dict[str, Label] = {}
        self._heading: tuple[str, ...] = ()
        self._labelled = self._bare = self._lines = 0
        self._columns = 0
        self._times: deque[tuple[float, float]] = deque(maxlen=4000)
        self._found_us: float | None = None
        self.refresh(rig, meanings or {})

    def refresh(self, rig: Rig, meanings: Mapping[str, Meaning]) -> None:
        """Take over the rig and what is settled; what was seen stays."""
        self._rig, self._said = rig, dict(meanings)
        self._spans = {
            (sensor.id, channel.name): (channel.low, channel.high)
            for sensor in rig.sensors
            for channel in kind(sensor.kind).channels_of(sensor.options)
        }
        self._commands = command_labels(rig)
        self._targets: dict[str, _Target] = {}
        self._time_label = ""
        self._time_us: float | None = None
        for label in self._seen.values():
            label.meaning = None
        for label in self._seen.values():
            self._settle(label)
        if self._heading:
            self._head(self._heading)

    @property
    def labels(self) -> list[Label]:
        """Every label that came often enough to be one, in order of appearance."""
        return [
            label for label in self._seen.values() if label.meaning is not None or label.real(self._lines)
        ]

    def read(self, line: str, arrival_s: float) -> Reading | OddLine:
        """The readings of a line that arrived at ``arrival_s``, s of our own clock."""
        self._lines += 1
        apart = take_apart(line)
        if isinstance(apart, Unread):
            return _odd(line, apart.why, WORDS if apart.words else GARBLED)
        if isinstance(apart, Heading):
            self._head(apart.names)
            return _odd(line, "names of columns", WORDS)
        pieces = apart.pieces
        if apart.bare:
            named = self._named(pieces)
            if named is None:
                return _odd(line, f"{len(pieces)} numbers without their labels")
            pieces = named
        else:
            self._labelled += 1
        return self._reading(line, pieces, arrival_s)

    def _head(self, names: tuple[str, ...]) -> None:
        """Take over the names of columns: real from the start, and known by their place where no word
        helps."""
        self._heading = names
        for name in names:
            label = self._seen.get(name) or self._meet(LabelledNumber(name, None))
            label.count = max(label.count, REAL_AFTER)
        places = guess_bare(len(names), self._rig)
        unknown = [name for name in names if self._seen[name].meaning is None]
        if len(unknown) >= len(names) - 1 and len(places) == len(names):
            for place, name in enumerate(names, 1):
                label = self._seen[name]
                if label.meaning is None:
                    label.meaning = places[str(place)]
                    self._aim(label)

    def _named(self, pieces: tuple[LabelledNumber, ...]) -> tuple[LabelledNumber, ...] | None:
        """Bare numbers with the names of their columns; None where such a line cannot be whole."""
        if self._labelled >= REAL_AFTER and self._labelled > self._bare:
            return None
        if len(self._heading) == len(pieces):
            self._bare += 1
            return tuple(
                LabelledNumber(name, piece.number) for name, piece in zip(self._heading, pieces, strict=True)
            )
        if self._bare >= REAL_AFTER and len(pieces) != self._columns:
            return None
        self._bare += 1
        if len(pieces) != self._columns:
            self._columns = len(pieces)
            for name, meaning in guess_bare(len(pieces), self._rig).items():
                label = self._seen.setdefault(name, Label(name, "", None, 0, None, True))
                if name not in self._said:
                    label.meaning, label.guessed = meaning, True
                    self._aim(label)
        return pieces

    def _reading(self, line: str, pieces: tuple[LabelledNumber, ...], arrival_s: float) -> Reading | OddLine:
        values: dict[Key, float] = {}
        commands: dict[str, float] = {}
        stamp: float | None = None
        names: set[str] = set()
        unknown = ""
        unused = False
        for piece in pieces:
            name, number = piece.label, piece.number
            if name in names:
                return _odd(line, f"{name} stands twice")
            names.add(name)
            label = self._seen.get(name) or self._meet(piece)
            label.count += 1
            label.last = number
            if name == self._time_label:
                stamp = number
                continue
            if label.meaning == COMMANDED:
                if number is not None:
                    commands[name] = number
                continue
            target = self._targets.get(name)
            if target is None:
                unused = True
                if label.meaning is None and not label.real(self._lines):
                    unknown = name
            elif number is not None:
                raw = (
                    number
                    if target.factor == 1.0 and not target.zero
                    else number * target.factor + target.zero
                )
                if not target.low <= raw <= target.high:
                    return _odd(line, f"{name} cannot be {number:g}")
                values[target.key] = raw
        if unknown and (values or stamp is not None):
            return _odd(line, f"no sensor of this rig sends {unknown[:40]}")
        if not values and not commands:
            return _odd(line, "no reading", UNUSED if unused else GARBLED)
        return self._timed(line, values, commands, stamp, arrival_s)

    def _timed(
        self,
        line: str,
        values: dict[Key, float],
        commands: dict[str, float],
        stamp: float | None,
        arrival_s: float,
    ) -> Reading | OddLine:
        if stamp is None:
            return (
                _odd(line, f"no {self._time_label}")
                if self._time_label and self._always_timed()
                else Reading(values, commands=commands)
            )
        unit_us = self._time_us or self._found_us
        if unit_us is None:
            self._find_unit(stamp, arrival_s)
            return Reading(values, commands=commands)
        if not 0 <= stamp < WRAP or (unit_us == 1.0 and stamp != int(stamp)):
            return _odd(line, f"{self._time_label} is no 32-bit count")
        return Reading(values, round(stamp * unit_us), round(WRAP * min(unit_us, 1e6)), commands)

    def _always_timed(self) -> bool:
        """Whether every line so far had its time: then one without has lost it."""
        label = self._seen[self._time_label]
        return label.count >= REAL_AFTER and label.count >= 0.9 * (self._labelled + self._bare)

    def _find_unit(self, stamp: float, arrival_s: float) -> None:
        """Tell ms from µs and s by how fast the number rises against our own clock."""
        self._times.append((stamp, arrival_s))
        first, begun = self._times[0]
        if arrival_s - begun >= TIME_FOUND_S and stamp > first:
            pace = (stamp - first) / (arrival_s - begun)
            self._found_us = min((1.0, 1000.0, 1e6), key=lambda unit: abs(math.log(pace * unit / 1e6)))

    def _meet(self, piece: LabelledNumber) -> Label:
        """A label for the first time."""
        if len(self._seen) >= MOST_LABELS:
            rare = min(self._seen.values(), key=lambda label: (label.meaning is not None, label.count))
            if rare.meaning is not None:
                return Label(piece.label, piece.unit, None, REAL_AFTER, None, True)  # enough is enough
            del self._seen[rare.name]
        label = self._seen[piece.label] = Label(piece.label, piece.unit, None, 0, None, True, self._lines)
        self._settle(label)
        return label

    def _settle(self, label: Label) -> None:
        meaning = self._said.get(label.name)
        label.guessed = meaning is None
        if meaning is not None:
            label.meaning = meaning
        elif label.name in self._commands:
            label.meaning = COMMANDED
        elif label.name.isdigit():
            label.meaning = guess_bare(self._columns, self._rig).get(label.name)
        else:
            taken = [target.key for target in self._targets.values()]
            taken += [(m.sensor, m.channel) for m in self._said.values() if m.role == CHANNEL]
            label.meaning = guess(label.name, label.unit, self._rig, taken)
        self._aim(label)

    def _aim(self, label: Label) -> None:
        self._targets.pop(label.name, None)
        meaning = label.meaning
        if meaning is None or meaning.role in (IGNORED, MARK, COMMAND):
            return
        if meaning.role == TIME:
            if not self._time_label or self._time_label == label.name or not label.guessed:
                if self._time_label != label.name:
                    self._times.clear()
                    self._found_us = None
                self._time_label, self._time_us = label.name, meaning.unit_us
            return
        span = self._spans.get((meaning.sensor, meaning.channel))
        if span is None:
            label.meaning = None
            return
        self._targets[label.name] = _Target(
            (meaning.sensor, meaning.channel), meaning.factor, meaning.zero, *span
        )


def _odd(line: str, why: str, what: str = GARBLED) -> OddLine:
    return OddLine(line[:LONGEST_KEPT].replace("\x00", "\ufffd"), why, what)
