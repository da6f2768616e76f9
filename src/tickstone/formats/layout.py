"""How a table of text is laid out: what stands between its cells, which line names its columns, which columns
are numbers."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from tickstone.formats.readings import CLOCK, MOST_COLUMNS, NUMBER, TEXT, Named
from tickstone.formats.shapes import UNITS

SEPARATORS = ("\t", ";", ",", "|", " ")
MISSING = frozenset(("", "-", "--", "nan", "null", "none", "na", "n/a", "inf", "-inf", "+inf", "ovf"))
COMMENT = "#"
MOSTLY = 0.5  # of a column's cells that must be numbers for it to be a column of numbers
LATE_NAMES = 2  # lines after the first row that may name the columns all the same
RAGGED = 0.7  # what a row with too few or too many cells counts beside a whole one
_NUMBER = re.compile(r"[+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d{1,3})?\Z")
_UNIT = re.compile(rf"[(\[]?(?:{UNITS}|adc|1|)[)\]]?\Z")
_CLOCK = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?(?:Z|[+-]\d\d:?\d\d)?\Z")


@dataclass(frozen=True)
class Layout:
    """``columns`` in order; ``names_at`` is the place of the line with their names among the lines looked at
    (None: the columns are known by their place, "1" on), ``first`` that of the first row; ``share`` of the
    lines are rows."""

    separator: str
    columns: tuple[Named, ...]
    names_at: int | None
    first: int
    decimal_comma: bool
    share: float

    @property
    def width(self) -> int:
        """Number of cells in a row."""
        return len(self.columns)


def split(line: str, separator: str) -> list[str]:
    """The cells of a line; quotes hold a separator in. Runs of spaces are one separator."""
    if separator == " ":
        return line.split()
    if '"' not in line:
        return [cell.strip() for cell in line.split(separator)]
    return [cell.strip() for cell in next(csv.reader([line], delimiter=separator, skipinitialspace=True), [])]


def is_number(cell: str, decimal_comma: bool) -> bool:
    """Whether a cell is a number."""
    match = _NUMBER.match(cell)
    return match is not None and (decimal_comma or "," not in cell)


def is_missing(cell: str) -> bool:
    """Whether a cell says that there is nothing."""
    return cell.lower() in MISSING


def layout_of(lines: Sequence[str]) -> Layout | None:
    """The layout of a table whose first lines are given, or None when they are no table.

    >>> [column.name for column in layout_of(["t_ms;air (°C)", "0;21,5", "500;21,6"]).columns]
    ['t_ms', 'air (°C)']
    """
    best: tuple[float, Layout] | None = None
    for separator in SEPARATORS:
        result = _tried(lines, separator)
        if result is not None and (best is None or result[0] > best[0] + 1e-9):
            best = result
    return best[1] if best else None


Rows = dict[int, list[str]]  # cells of lines, by the number of the line
Heading = tuple[int, list[str], list[str]]  # the number of its line, names, units


@dataclass(frozen=True)
class _Cells:
    """Lines taken apart at a separator: all of them, which of their cells are numbers, and the rows among
    them, in which at least half of what stands there is a number."""

    lines: Rows
    numeric: dict[int, list[bool]]
    rows: Rows

    @property
    def width(self) -> int:
        """How many columns there are: names of columns know it best."""
        widths = Counter(len(cells) for cells in self.rows.values())
        above = [cells for index, cells in self.lines.items() if index < min(self.rows)][-1:]
        if above and len(above[0]) in widths and _names(above[0], 1, MOST_COLUMNS):
            return len(above[0])
        return widths.most_common(1)[0][0]


def _taken_apart(lines: Sequence[str], separator: str, comma: bool) -> _Cells:
    cells_of = {
        index: split(line, separator)
        for index, line in enumerate(lines)
        if line.strip()
        and not line.startswith(COMMENT)
        and (separator != "," or not line.lstrip().startswith("{"))
    }
    numeric = {index: [is_number(cell, comma) for cell in cells] for index, cells in cells_of.items()}
    rows = {
        index: cells
        for index, cells in cells_of.items()
        if any(numeric[index]) and sum(numeric[index]) >= MOSTLY * sum(not is_missing(cell) for cell in cells)
    }
    return _Cells(cells_of, numeric, rows)


def _tried(lines: Sequence[str], separator: str) -> tuple[float, Layout] | None:
    """How well a separator explains the lines (rows understood times columns of numbers), with the layout it
    gives."""
    comma = separator in ";\t| "
    taken = _taken_apart(lines, separator, comma)
    if not taken.rows or (width := taken.width) > MOST_COLUMNS:
        return None
    rows, first, head = _headed(taken, width)
    if head is None and separator == " ":
        rows = _of_numbers_alone(taken, rows)
    if not rows:
        return None
    names_at, names, units = head or (None, [str(index + 1) for index in range(width)], [""] * width)
    columns = [_column(index, rows, names[index], units[index], comma) for index in range(width)]
    numbers = sum(column.type != TEXT and present for column, present in columns)
    bare = head is None  # a table without names must consist of numbers, and of more than one column
    if not numbers or (bare and (numbers < width / 2 or (width == 1 and separator != ","))):
        return None
    understood = len(rows) + (RAGGED * (len(taken.rows) - len(rows)) if separator != " " else 0)
    share = min(1.0, understood / max(1, len(taken.lines) - (0 if bare else 1 + any(units))))
    score = share * (1 + numbers / width) + (0.5 if width > 1 else 0.0) + (0.0 if bare else 0.6)
    commas = comma and any("," in cell for cells in rows.values() for cell in cells)
    begin = min(rows) if bare else first
    return score, Layout(separator, _apart([column for column, _ in columns]), names_at, begin, commas, share)


def _headed(taken: _Cells, width: int) -> tuple[Rows, int, Heading | None]:
    """The whole rows, where they begin, and what names their columns: the line before them, or one that comes
    after the end of a line whose beginning was not caught."""
    rows = {index: cells for index, cells in taken.rows.items() if len(cells) == width}
    first = min(taken.rows)
    head = _heading(taken.lines, rows, first, width)
    late = _late_names(taken, rows, first) if head is None else None
    if late is None:
        return rows, first, head
    rows = {index: cells for index, cells in rows.items() if index > late}
    return rows, min(rows, default=late + 1), (late, taken.lines[late], [""] * width)


def _of_numbers_alone(taken: _Cells, rows: Rows) -> Rows:
    """The rows of nothing but numbers: words and numbers in turn are a sentence. None are left where most of
    what follows the first is prose."""
    plain = {index: cells for index, cells in rows.items() if all(taken.numeric[index])}
    if plain and len(plain) < MOSTLY * sum(index >= min(plain) for index in taken.lines):
        return {}
    return plain


def _column(index: int, rows: Rows, name: str, unit: str, comma: bool) -> tuple[Named, bool]:
    """A column by what most of its cells are, and whether anything stands in it."""
    cells = [row[index] for row in rows.values() if not is_missing(row[index])]
    if not cells or sum(is_number(cell, comma) for cell in cells) / len(cells) >= MOSTLY:
        kind = NUMBER
    else:
        dates = sum(_CLOCK.match(cell) is not None for cell in cells) / len(cells)
        kind = CLOCK if dates >= MOSTLY else TEXT
    return Named(name or f"column {index + 1}", unit, kind), bool(cells)


def _heading(
    rows: dict[int, list[str]], real: dict[int, list[str]], first: int, width: int
) -> Heading | None:
    """The line before the first row that names the columns, perhaps with a line of units between."""
    before = [index for index in rows if index < first][-2:]
    # rows may end with a separator
    least = width - 1 if all(cells[-1] == "" for cells in real.values()) else width
    fits = [index for index in before if _names(rows[index], least, width)]
    if not fits or (before and fits[-1] != before[-1]):
        return None
    units = [""] * width
    names_at = fits[-1]
    if len(fits) == 2 and all(_UNIT.match(cell) for cell in rows[fits[1]]):
        names_at = fits[0]
        units = [cell.strip("()[]") for cell in rows[fits[1]]] + [""] * (width - len(rows[fits[1]]))
    names = rows[names_at] + [""] * (width - len(rows[names_at]))
    return names_at, names, units


def _late_names(taken: _Cells, rows: Rows, first: int) -> int | None:
    """The line soon after the first row that names the columns, with a row right below it; None where there
    is none. A single word is sooner a number that was garbled."""
    after = [index for index in taken.lines if first < index][: LATE_NAMES + 1]
    for index, below in pairwise(after):
        names = taken.lines[index]
        if (
            below in rows
            and 1 < len(names) == len(rows[below])
            and _names(names, len(names), len(names))
            and all(cell[:1].isalpha() and not is_missing(cell) for cell in names)
        ):
            return index
    return None


def _names(cells: list[str], least: int, most: int) -> bool:
    """Whether cells can name columns."""
    return least <= len(cells) <= most and any(cells) and not any(is_number(cell, True) for cell in cells)


def _apart(columns: list[Named]) -> tuple[Named, ...]:
    """No two columns go by one name."""
    taken: set[str] = set()
    results = []
    for column in columns:
        name, count = column.name, 2
        while name in taken:
            name, count = f"{column.name} ({count})", count + 1
        taken.add(name)
        results.append(Named(name, column.unit, column.type))
    return tuple(results)
