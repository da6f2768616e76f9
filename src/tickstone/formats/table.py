"""Tables of readings in text: names in the first line, one row a line, in blocks of rows so that any size will do."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import TextIO

import numpy as np
import numpy.typing as npt

from tickstone.errors import BadInput

BLOCK_ROWS = 50_000
LONGEST_LINE = 1_000_000  # characters
MOST_NAMED = 5
DELIMITERS = (",", ";", "\t")


@dataclass(frozen=True)
class Block:
    """Rows of a table as text: ``first_line`` is the file's line of the first one."""

    first_line: int
    rows: list[list[str]]


class Table:
    """A table being read. ``names`` are its columns; ``ragged`` counts rows whose number of cells was off, and
    ``first_ragged`` holds the file's lines of the first few of them."""

    def __init__(self, stream: TextIO) -> None:
        self._lines = _lines(stream)
        first = next(self._lines, None)
        if first is None or not first.strip():
            raise BadInput("The file is empty: a table begins with a line of column names.", "file")
        if not first.rstrip("\r\n").replace("\t", "").isprintable():
            raise BadInput("Line 1 is no text: this is no table of readings.", "file")
        self.delimiter = max(DELIMITERS, key=first.count)
        self.names = [cell.strip() for cell in next(csv.reader([first], delimiter=self.delimiter))]
        if all(_number(name, self.delimiter) is not None for name in self.names):
            raise BadInput("Line 1 holds numbers, not column names (echo_us, air_c …).", "file")
        if len(set(self.names)) < len(self.names):
            twice = next(name for name in self.names if self.names.count(name) > 1)
            raise BadInput(f"Line 1 names the column {twice!r} twice.", "file")
        self.ragged = 0
        self.first_ragged: list[int] = []

    def blocks(self, size: int = BLOCK_ROWS) -> Iterator[Block]:
        """The rows, a block at a time; blank lines are passed over, short rows are filled, long ones cut."""
        reader = csv.reader(self._lines, delimiter=self.delimiter)
        line, width = 2, len(self.names)
        while True:
            rows = []
            for row in islice(reader, size):
                if not row:
                    continue
                if len(row) != width:
                    self.ragged += 1
                    if len(self.first_ragged) < MOST_NAMED:
                        self.first_ragged.append(reader.line_num + 1)
                    row = (row + [""] * width)[:width]
                rows.append(row)
            if not rows:
                return
            yield Block(line, rows)
            line += len(rows)

    def numbers(self, block: Block, column: int) -> npt.NDArray[np.float64]:
        """A column of a block as numbers, shape (rows,); NaN where a cell is no finite number."""
        cells = [row[column] for row in block.rows]
        try:
            found = np.array(cells, dtype=np.float64)
        except ValueError:
            found = np.array([_number(cell, self.delimiter) for cell in cells], dtype=np.float64)
        found[~np.isfinite(found)] = np.nan
        return found


def _lines(stream: TextIO) -> Iterator[str]:
    for number, line in enumerate(iter(lambda: stream.readline(LONGEST_LINE + 1), ""), 1):
        if len(line) > LONGEST_LINE:
            raise BadInput(
                f"Line {number} is longer than {LONGEST_LINE} characters: this is no table of readings.", "file"
            )
        if "\0" in line:
            raise BadInput(f"Line {number} holds bytes that no text has: this is no table of readings.", "file")
        yield line


def _number(cell: str, delimiter: str) -> float | None:
    text = cell.strip()
    if delimiter != ",":
        text = text.replace(",", ".")  # a decimal comma
    try:
        return float(text)
    except ValueError:
        return None
