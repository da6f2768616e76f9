"""Value change dumps (IEEE 1364-2005, clause 18): wires, vectors and reals that are told when they change.

A row is a moment at which something changed. What did not change there holds; x and z are missing. Our own exports say by
an event of each scope which values belong to one row, since a reading that comes twice is two readings.
"""

from __future__ import annotations

import io
import json
import math
from collections.abc import Iterator
from typing import Any, BinaryIO

import numpy as np
from vcd.common import VarType
from vcd.reader import TokenKind, VCDParseError, VectorChange, tokenize

from tickstone.errors import BadInput
from tickstone.formats.readings import MOST_COLUMNS, Array, BadLines, Block, Flags, Named

BLOCK_CHANGES = 400_000
LONGEST_TOKEN = 1_000_000  # bytes
LONGEST_UNIT_US = 1e12
_ASCII = bytes(code if code < 128 else ord("?") for code in range(256))  # a dump is ASCII, its comments may not be
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
                f"Something in this dump is longer than {LONGEST_TOKEN} characters: it cannot be read.", "file"
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

    @property
    def taken(self) -> int:
        """Bytes read so far."""
        return self._file.taken

    def _tokenized(self) -> Iterator[Any]:
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
        found: list[tuple[tuple[str, ...], Named]] = []
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
                var = token.var
                if var.type_ is VarType.event and var.reference == ROW:
                    self._strobes.add(var.id_code)
                elif var.type_ not in (VarType.event, VarType.string):
                    self._places.setdefault(var.id_code, []).append(len(found))
                    found.append(((*scopes, var.ref_str), Named(var.ref_str)))
                if len(found) > MOST_COLUMNS:
                    raise BadInput(f"The dump has more than {MOST_COLUMNS} signals.", "file")
        else:
            raise BadInput("The dump ends within its declarations: it holds no reading.", "file")
        if not found:
            raise BadInput("The dump declares no wire, vector or real: it holds no reading.", "file")
        plain = [path[-1] for path, _ in found]
        return tuple(Named(path[-1] if plain.count(path[-1]) == 1 else f"{'.'.join(path)}") for path, _ in found)

    def blocks(self) -> Iterator[Block]:
        """The rows, a block at a time."""
        held = np.full(len(self.columns), np.nan)
        strobed = bool(self._strobes) and self.about is not None
        times: list[float] = []
        lines: list[int] = []
        rows: list[int] = []
        places: list[int] = []
        values: list[float] = []
        now, fresh, dumped = 0.0, True, not strobed
        for token in self._tokens:
            kind = token.kind
            if kind is TokenKind.CHANGE_TIME:
                now, fresh = float(token.time_change), True
                if len(values) >= BLOCK_CHANGES and not strobed:
                    yield self._block(times, lines, rows, places, values, held, strobed)
                    times, lines, rows, places, values = [], [], [], [], []
                continue
            if kind is TokenKind.CHANGE_SCALAR:
                change = token.scalar_change
                value = 1.0 if change.value == "1" else 0.0 if change.value == "0" else math.nan
            elif kind is TokenKind.CHANGE_VECTOR:
                change = token.vector_change
                value = _number(change)
            elif kind is TokenKind.CHANGE_REAL:
                change = token.real_change
                value = change.value if math.isfinite(change.value) else math.nan
            else:
                continue
            if strobed and change.id_code in self._strobes:
                if dumped:
                    times.append(now)
                    lines.append(token.span.start.line)
                dumped = False
                if len(values) >= BLOCK_CHANGES:
                    yield self._block(times, lines, rows, places, values, held, strobed)
                    times, lines, rows, places, values = [], [], [], [], []
                continue
            for place in self._places.get(change.id_code, ()):
                if not strobed and fresh:
                    times.append(now)
                    lines.append(token.span.start.line)
                    fresh = False
                rows.append(len(times) if strobed else len(times) - 1)
                places.append(place)
                values.append(value)
                dumped = True
        if times:
            yield self._block(times, lines, rows, places, values, held, strobed)

    def _block(
        self, times: list[float], lines: list[int], rows: list[int], places: list[int], values: list[float], held: Array,
        strobed: bool,
    ) -> Block:  # fmt: skip
        n, width = len(times), len(self.columns)
        row, place = np.array(rows, np.int64), np.array(places, np.int64)
        kept = row < n
        table = np.full((width, n), np.nan)
        told: Flags = np.zeros((width, n), bool)
        table[place[kept], row[kept]] = np.array(values)[kept]
        told[place[kept], row[kept]] = True
        if not strobed:
            last = np.maximum.accumulate(np.where(told, np.arange(n), -1), axis=1)
            before = np.broadcast_to(held[:, None], table.shape)
            table = np.where(last < 0, before, np.take_along_axis(table, np.maximum(last, 0), axis=1))
            held[:] = table[:, -1]
        numbers = {TIME: np.array(times)}
        flags = {TIME: np.ones(n, bool)}
        for at, column in enumerate(self.columns):
            numbers[column.name], flags[column.name] = table[at], told[at]
        return Block(np.array(lines, np.int64), numbers, told=flags)


def _number(change: VectorChange) -> float:
    try:
        return float(change.value) if isinstance(change.value, int) else math.nan
    except OverflowError:
        return math.nan


def _about(text: str) -> dict[str, Any] | None:
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, dict) else None
