"""Value change dumps (IEEE 1364-2005, clause 18): wires, vectors and reals that are told when they change.

A row is a moment at which something changed. What did not change there holds; x and z are missing. Our own
exports say by an event of each scope which values belong to one row, since a reading that comes twice is two
readings.
"""

from __future__ import annotations

import io
import json
import math
from collections.abc import Iterator, Mapping
from typing import Any, BinaryIO

import numpy as np
from vcd.common import VarType
from vcd.reader import Token, TokenKind, VarDecl, VCDParseError, VectorChange, tokenize

from tickstone.errors import BadInput
from tickstone.formats.readings import MOST_COLUMNS, Array, BadLines, Block, Flags, Named

BLOCK_CHANGES = 400_000
LONGEST_TOKEN = 1_000_000  # bytes
LONGEST_UNIT_US = 1e12
# a dump is ASCII, its comments may not be
_ASCII = bytes(code if code < 128 else ord("?") for code in range(256))
ABOUT = "tick-stone "
ROW = "row"
TIME = "time"
_UNIT_US = {"s": 1e6, "ms": 1e3, "us": 1.0, "ns": 1e-3, "ps": 1e-6, "fs": 1e-9, "as": 1e-12, "zs": 1e-15}


class _Bounded(io.RawIOBase):
    """A file from which no token takes more than LONGEST_TOKEN bytes."""

    def __init__(self, file: BinaryIO) -> None:
        super().__init__()
        self._file = file
        self.taken = self._since = 0

    def readinto(self, buffer: Any) -> int:
        data = self._file.read(len(buffer)).translate(_ASCII)
        buffer[: len(data)] = data
        self.taken += len(data)
        self._since += len(data)
        if self._since > LONGEST_TOKEN:
            raise BadInput(
                f"Something in this dump is longer than {LONGEST_TOKEN} characters: it cannot be read.",
                "file",
            )
        return len(data)

    def fresh(self) -> None:
        self._since = 0


class DumpSource:
    """A value change dump that is open."""

    format = "value-change-dump"
    encoding = "ascii"

    def __init__(self, file: BinaryIO) -> None:
        self._file = _Bounded(file)
        self._tokens = self._tokenized()
        self.bad = BadLines()
        self.about: dict[str, Any] | None = None
        self._unit_us = 1.0
        self._places: dict[str, list[int]] = {}
        self._strobes: set[str] = set()
        self._line = 1
        self.columns = self._declared()
        self.time: tuple[str, float] | None = (TIME, self._unit_us)
        self.sample: Mapping[str, Array] = {}

    @property
    def taken(self) -> int:
        """Bytes read so far."""
        return self._file.taken

    def _tokenized(self) -> Iterator[Token]:
        tokens = tokenize(self._file)
        while True:
            try:
                token = next(tokens)
            except StopIteration:
                return
            except VCDParseError as error:
                raise BadInput(
                    f"Line {error.loc.line}: {str(error).partition(' ')[2] or 'not understood'}.", "file"
                ) from None
            except (ValueError, IndexError, UnicodeDecodeError):
                raise BadInput(f"Line {self._line}: not understood as a value change dump.", "file") from None
            self._file.fresh()
            self._line = token.span.end.line
            yield token

    def _declared(self) -> tuple[Named, ...]:
        scopes: list[str] = []
        paths: list[tuple[str, ...]] = []
        for token in self._tokens:
            kind = token.kind
            if kind is TokenKind.ENDDEFINITIONS:
                break
            if kind is TokenKind.SCOPE:
                scopes.append(token.scope.ident)
            elif kind is TokenKind.UPSCOPE:
                scopes = scopes[:-1]
            elif kind is TokenKind.TIMESCALE:
                self._unit_us = token.timescale.magnitude * _UNIT_US[token.timescale.unit.value]
                if not 0 < self._unit_us < LONGEST_UNIT_US:
                    raise BadInput(f"Line {self._line}: a timescale of {token.timescale} cannot be.", "file")
            elif kind is TokenKind.COMMENT and token.comment.startswith(ABOUT):
                self.about = _about(token.comment.removeprefix(ABOUT))
            elif kind is TokenKind.VAR:
                self._declare(token.var, scopes, paths)
        else:
            raise BadInput("The dump ends within its declarations: it holds no reading.", "file")
        if not paths:
            raise BadInput("The dump declares no wire, vector or real: it holds no reading.", "file")
        plain = [path[-1] for path in paths]
        return tuple(Named(path[-1] if plain.count(path[-1]) == 1 else ".".join(path)) for path in paths)

    def _declare(self, var: VarDecl, scopes: list[str], paths: list[tuple[str, ...]]) -> None:
        if var.type_ is VarType.event and var.reference == ROW:
            self._strobes.add(var.id_code)
        elif var.type_ not in (VarType.event, VarType.string):
            self._places.setdefault(var.id_code, []).append(len(paths))
            paths.append((*scopes, var.ref_str))
        if len(paths) > MOST_COLUMNS:
            raise BadInput(f"The dump has more than {MOST_COLUMNS} signals.", "file")

    def blocks(self) -> Iterator[Block]:
        """The rows, a block at a time."""
        rows = _DumpRows(self.columns)
        if self._strobes and self.about is not None:
            yield from self._strobed(rows)
        else:
            yield from self._timed(rows)

    def _timed(self, rows: _DumpRows) -> Iterator[Block]:
        """A row for each time at which something changes; what does not change keeps its value."""
        now, fresh = 0.0, True
        for token in self._tokens:
            if token.kind is TokenKind.CHANGE_TIME:
                now, fresh = float(token.time_change), True
                if rows.changes >= BLOCK_CHANGES:
                    yield rows.block(held=True)
                continue
            change = _change(token)
            if change is None:
                continue
            code, value = change
            places = self._places.get(code, ())
            if places and fresh:
                rows.begin(now, token.span.start.line)
                fresh = False
            for place in places:
                rows.put(rows.count - 1, place, value)
        if rows.count:
            yield rows.block(held=True)

    def _strobed(self, rows: _DumpRows) -> Iterator[Block]:
        """A row for each strobe of our own dumps, with what was written since the strobe before."""
        now, dumped = 0.0, False
        for token in self._tokens:
            if token.kind is TokenKind.CHANGE_TIME:
                now = float(token.time_change)
                continue
            change = _change(token)
            if change is None:
                continue
            code, value = change
            if code in self._strobes:
                if dumped:
                    rows.begin(now, token.span.start.line)
                dumped = False
                if rows.changes >= BLOCK_CHANGES:
                    yield rows.block(held=False)
                continue
            for place in self._places.get(code, ()):
                rows.put(rows.count, place, value)
                dumped = True
        if rows.count:
            yield rows.block(held=False)


class _DumpRows:
    """Rows on their way into a block: their times, and each change with its row and its column."""

    def __init__(self, columns: tuple[Named, ...]) -> None:
        self._columns = columns
        self._last = np.full(len(columns), np.nan)
        self._clear()

    def _clear(self) -> None:
        self._times: list[float] = []
        self._lines: list[int] = []
        self._rows: list[int] = []
        self._places: list[int] = []
        self._values: list[float] = []

    @property
    def count(self) -> int:
        """Rows so far."""
        return len(self._times)

    @property
    def changes(self) -> int:
        """Changes so far."""
        return len(self._values)

    def begin(self, time: float, line: int) -> None:
        """Begin a row at a time, which stands in a line of the file."""
        self._times.append(time)
        self._lines.append(line)

    def put(self, row: int, place: int, value: float) -> None:
        """Put a value into a row, at the place of its column."""
        self._rows.append(row)
        self._places.append(place)
        self._values.append(value)

    def block(self, held: bool) -> Block:
        """The rows so far, which are forgotten here; ``held`` keeps each value until it changes."""
        n, width = len(self._times), len(self._columns)
        row, place = np.array(self._rows, np.int64), np.array(self._places, np.int64)
        kept = row < n
        table = np.full((width, n), np.nan)
        present: Flags = np.zeros((width, n), bool)
        table[place[kept], row[kept]] = np.array(self._values)[kept]
        present[place[kept], row[kept]] = True
        if held:
            last = np.maximum.accumulate(np.where(present, np.arange(n), -1), axis=1)
            before = np.broadcast_to(self._last[:, None], table.shape)
            table = np.where(last < 0, before, np.take_along_axis(table, np.maximum(last, 0), axis=1))
            self._last = table[:, -1].copy()
        numbers = {TIME: np.array(self._times)}
        flags = {TIME: np.ones(n, bool)}
        for position, column in enumerate(self._columns):
            numbers[column.name], flags[column.name] = table[position], present[position]
        lines = np.array(self._lines, np.int64)
        self._clear()
        return Block(lines, numbers, present=flags)


def _change(token: Token) -> tuple[str, float] | None:
    """Which signal changes to which value; None for a token of another kind."""
    if token.kind is TokenKind.CHANGE_SCALAR:
        return token.scalar_change.id_code, {"0": 0.0, "1": 1.0}.get(token.scalar_change.value, math.nan)
    if token.kind is TokenKind.CHANGE_VECTOR:
        return token.vector_change.id_code, _number(token.vector_change)
    if token.kind is TokenKind.CHANGE_REAL:
        value = token.real_change.value
        return token.real_change.id_code, value if math.isfinite(value) else math.nan
    return None


def _number(change: VectorChange) -> float:
    try:
        return float(change.value) if isinstance(change.value, int) else math.nan
    except OverflowError:
        return math.nan


def _about(text: str) -> dict[str, Any] | None:
    try:
        result = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return result if isinstance(result, dict) else None
