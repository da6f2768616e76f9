"""What every opened file of readings gives: named columns, blocks of rows, and the lines that were not
understood."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
import numpy.typing as npt

if TYPE_CHECKING:
    import polars as pl

Array = npt.NDArray[np.float64]
Times = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]

MOST_KEPT = 1000  # lines that were not understood, kept as text; the rest are counted
LONGEST_KEPT = 200  # characters of such a line
MOST_COLUMNS = 1000
TOO_MUCH = "This file unpacks to more memory than its reader has: cut it into pieces first."
NUMBER, TEXT, CLOCK = "number", "text", "clock"


@dataclass(frozen=True)
class Named:
    """A column of a file: its name, the unit beside it in the file, and what its cells are: numbers, text, or
    dates with a time of day (which become µs since 1970)."""

    name: str
    unit: str = ""
    type: str = NUMBER


@dataclass(frozen=True)
class BadLine:
    """A line that was not understood, counted from 1, cut to LONGEST_KEPT, and why."""

    line: int
    text: str
    why: str


@dataclass
class BadLines:
    """How many lines were not understood, and the first MOST_KEPT of them."""

    count: int = 0
    first: list[BadLine] = field(default_factory=list)

    def add(self, line: int, text: str, why: str) -> None:
        """Count a line, and keep it while there are few."""
        self.count += 1
        if len(self.first) < MOST_KEPT:
            self.first.append(BadLine(line, text[:LONGEST_KEPT].replace("\0", "\ufffd"), why))


@dataclass
class Block:
    """Rows of a file. ``lines`` holds the file's line of each row, shape (n,); ``numbers`` the columns of
    numbers, each of shape (n,) with NaN for a missing one; ``texts`` the columns of text. Where a format
    tells changes and not rows, ``present`` says which cells the file told, and the others hold what was told
    before. ``cells`` are the row's cells as they stand, for tables of text."""

    lines: Times
    numbers: dict[str, Array]
    texts: dict[str, list[str]] = field(default_factory=dict)
    present: dict[str, Flags] | None = None
    cells: pl.DataFrame | None = None

    def is_present(self, name: str) -> Flags:
        """Which rows told this column, shape (n,)."""
        return np.isfinite(self.numbers[name]) if self.present is None else self.present[name]


class FileSource(Protocol):
    """A file of readings that is open. ``format`` names its kind, ``time_name`` the column that is surely the
    time (its unit in µs beside it), ``sample`` the numbers of its first rows, ``about`` what one of our own
    exports says of itself, ``taken`` how many bytes have been read."""

    format: str
    encoding: str
    columns: tuple[Named, ...]
    time: tuple[str, float] | None
    sample: Mapping[str, Array]
    about: dict[str, Any] | None

    @property
    def bad(self) -> BadLines: ...

    @property
    def taken(self) -> int: ...

    def blocks(self) -> Iterator[Block]:
        """The rows, a block at a time. Raises BadInput with the line number for what cannot be read at
        all."""
        ...


def moment_us(text: str | None) -> float | None:
    """A date with a time of day as µs since 1970, UTC unless it says otherwise; None for anything else."""
    try:
        moment = datetime.fromisoformat((text or "").strip().replace(",", "."))
    except ValueError:
        return None
    known = moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)
    return float((known - _EPOCH) // timedelta(microseconds=1))


_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
