"""Tables of text: rows of cells with a separator between, read in blocks by polars."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl

from tickstone.formats.layout import COMMENT, Layout, is_missing, split
from tickstone.formats.readings import (
    CLOCK,
    NUMBER,
    TEXT,
    Array,
    BadLines,
    Block,
    Flags,
    Times,
    moment_us,
)
from tickstone.formats.text import Lines, TextFile

FORMATS = {"\t": "tsv", ";": "semicolons", ",": "csv", "|": "bars", " ": "spaces"}
UNIT_SEPARATOR = "\x1f"  # stands between cells where another separator may stand in one of them


@dataclass(frozen=True)
class _Rows:
    """Rows and nothing else: their line numbers, their text, and what stands between their cells."""

    numbers: Times
    data: bytes
    between: str

    def read(self, schema: dict[str, Any], decimal_comma: bool = False) -> pl.DataFrame:
        return pl.read_csv(
            self.data,
            has_header=False,
            separator=self.between,
            quote_char=None,
            schema=schema,
            empty_string_is_null=False,
            decimal_comma=decimal_comma,
        )


def _joined(row: list[str], between: str) -> bytes:
    cells = [cell.replace(between, " ") for cell in row] if between == UNIT_SEPARATOR else row
    return between.join(cells).encode("utf-8", "replace") + b"\n"


class TableSource:
    """A table of text that is open. ``head_lines`` is how many lines its beginning has, up to the first row.

    With ``mend`` rows with too few or too many cells are filled or cut, and cells that are no numbers are
    merely missing; otherwise such rows are lines that were not understood.
    """

    time: tuple[str, float] | None = None

    def __init__(
        self, text: TextFile, blocks: Iterator[Lines], layout: Layout, about: dict[str, Any] | None = None
    ) -> None:
        self._text, self._blocks, self.layout, self.about = text, blocks, layout, about
        self.columns = layout.columns
        self.format = "column" if len(layout.columns) == 1 else FORMATS[layout.separator]
        self.encoding = text.encoding
        self.bad = BadLines()
        self.ragged = BadLines()
        self._names = [column.name for column in layout.columns]
        self._heading: list[str] | None = None
        self.sample: Mapping[str, Array] = {}

    @property
    def taken(self) -> int:
        """Bytes read so far."""
        return self._text.taken

    def blocks(self, mend: bool = False) -> Iterator[Block]:
        """The rows, a block at a time."""
        first = True
        for lines in self._blocks:
            skip = 0
            if first:
                skip, first = self._begin(lines), False
            rows = self._rows(lines, skip, mend)
            if rows.numbers.size:
                yield (None if mend else self._all_numbers(rows)) or self._block(rows, mend)

    def _begin(self, lines: Lines) -> int:
        """Pass over what stands before the first row: lines that say nothing are not understood."""
        layout = self.layout
        for index in range(layout.first):
            line = lines.text(index)
            if index == layout.names_at:
                self._heading = split(line, layout.separator)
            elif layout.names_at is not None and layout.names_at < index:
                continue  # units
            elif line.strip() and not line.startswith(COMMENT):
                self.bad.add(lines.first + index, line, "before the table begins")
        return layout.first

    def _rows(self, lines: Lines, skip: int, mend: bool) -> _Rows:
        """The rows, with no other line between."""
        separator, width = self.layout.separator, self.layout.width
        if separator == " " or b'"' in lines.data or b"\0" in lines.data:
            return self._slow_rows(lines, skip, mend)
        data = np.frombuffer(lines.data, np.uint8)
        starts, ends = lines.starts, lines.ends
        lengths = ends - starts
        counts = np.add.reduceat((data == ord(separator)).view(np.int8), starts, dtype=np.int32)
        silent = (lengths == 0) | (data[starts] == ord(COMMENT))
        silent[:skip] = True
        good = (counts == width - 1) & ~silent
        mended: dict[int, bytes] = {}
        for index in np.flatnonzero(~good & ~silent).tolist():
            row = self._row(lines, index, mend)
            if row is not None:
                mended[index] = _joined(row, separator)
        if good.all():
            return _Rows(np.arange(len(ends)) + lines.first, lines.data, separator)
        if not mended:
            kept = data[np.repeat(good, lengths + 1)].tobytes()
            return _Rows(np.flatnonzero(good) + lines.first, kept, separator)
        places = np.array(sorted([*np.flatnonzero(good).tolist(), *mended]))
        pieces = [mended.get(at) or lines.data[int(starts[at]) : int(ends[at]) + 1] for at in places.tolist()]
        return _Rows(places + lines.first, b"".join(pieces), separator)

    def _slow_rows(self, lines: Lines, skip: int, mend: bool) -> _Rows:
        numbers, rows = [], []
        for index, line in enumerate(itertools.islice(lines.texts(), skip, None), skip):
            if not line.strip() or line.startswith(COMMENT):
                continue
            if "\0" in line:
                self.bad.add(lines.first + index, line, "bytes that no text has")
                continue
            row: list[str] | None = split(line, self.layout.separator)
            if row is not None and len(row) != self.layout.width:
                row = self._row(lines, index, mend)
            if row is not None:
                numbers.append(lines.first + index)
                rows.append(_joined(row, UNIT_SEPARATOR))
        return _Rows(np.array(numbers, np.int64), b"".join(rows), UNIT_SEPARATOR)

    def _row(self, lines: Lines, index: int, mend: bool) -> list[str] | None:
        """The cells of a line with too few or too many of them, or None when it is no row."""
        width, line = self.layout.width, lines.text(index)
        if not line.strip():
            return None
        row = split(line, self.layout.separator)
        if row == self._heading:
            return None
        if len(row) == width + 1 and row[-1] == "":
            return row[:width]  # a program that prints a separator after each number
        if len(row) == width - 1 and not self.layout.columns[-1].name.strip():
            return [*row, ""]
        why = f"{len(row)} {'cell' if len(row) == 1 else 'cells'} where the others have {width}"
        if mend:
            self.ragged.add(lines.first + index, line, why)
            return (row + [""] * width)[:width]
        self.bad.add(lines.first + index, line, why)
        return None

    def _all_numbers(self, rows: _Rows) -> Block | None:
        """The rows read at once, or None when some cell is no plain number."""
        types = {column.name: pl.Float64 if column.type == NUMBER else pl.String for column in self.columns}
        if CLOCK in (column.type for column in self.columns):
            return None
        try:
            frame = rows.read(types, self.layout.decimal_comma)
        except pl.exceptions.PolarsError:
            return None
        if frame.height != len(rows.numbers):
            return None
        results = {}
        for column in self.columns:
            if column.type == NUMBER:
                values = frame[column.name].to_numpy()  # NaN where there is none
                results[column.name] = (
                    values if np.isfinite(values).all() else np.where(np.isfinite(values), values, np.nan)
                )
        texts = {column.name: frame[column.name].to_list() for column in self.columns if column.type == TEXT}
        return Block(rows.numbers, results, texts)

    def _block(self, rows: _Rows, mend: bool) -> Block:
        numbers, cells = rows.numbers, rows.read(dict.fromkeys(self._names, pl.String))
        results: dict[str, Array] = {}
        whole: Flags = np.ones(len(numbers), bool)
        wrong: dict[int, str] = {}
        for column in self.columns:
            if column.type == TEXT:
                continue
            values, bad = self._column(cells[column.name], column.type)
            for index in bad:
                wrong.setdefault(index, column.name)
            results[column.name] = values
        texts = {column.name: cells[column.name].to_list() for column in self.columns if column.type == TEXT}
        if wrong and not mend:
            for index in sorted(wrong):
                row = list(cells.row(index))
                if [cell.strip() for cell in row] != self._heading:
                    self.bad.add(
                        int(numbers[index]), self.layout.separator.join(row), f"{wrong[index]} is no number"
                    )
            whole[list(wrong)] = False
            numbers, cells = numbers[whole], cells.filter(pl.Series(whole))
            results = {name: values[whole] for name, values in results.items()}
            texts = {
                name: [item for item, kept in zip(many, whole, strict=True) if kept]
                for name, many in texts.items()
            }
        return Block(numbers, results, texts, cells=cells)

    def _column(self, cells: pl.Series, kind: str) -> tuple[Array, list[int]]:
        """A column's numbers, NaN where there is none, and the rows whose cell says something that is
        none."""
        if kind == CLOCK:
            values = pl.Series([moment_us(cell) for cell in cells.to_list()], dtype=pl.Float64)
        else:
            plain = cells.str.replace(",", ".", literal=True) if self.layout.decimal_comma else cells
            values = plain.cast(pl.Float64, strict=False)
        bad: list[int] = []
        if values.null_count():
            numbers = values.fill_null(np.nan).to_numpy().copy()
            for at in (values.is_null() & (cells != "")).arg_true().to_list():
                cell = (cells[at] or "").strip()
                again = (
                    _float(cell.replace(",", ".") if self.layout.decimal_comma else cell)
                    if kind == NUMBER
                    else None
                )
                if again is not None:
                    numbers[at] = again
                elif not is_missing(cell):
                    bad.append(at)
        else:
            numbers = values.to_numpy()
        if not np.isfinite(numbers).all():
            numbers = np.where(np.isfinite(numbers), numbers, np.nan)
        return numbers, bad


def _float(cell: str) -> float | None:
    try:
        return float(cell) if "_" not in cell else None
    except ValueError:
        return None
