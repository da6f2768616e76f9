"""How a table of text is laid out: what stands between its cells, which line names its columns, which columns are numbers."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from tickstone.formats.readings import CLOCK, MOST_COLUMNS, NUMBER, TEXT, Named
from tickstone.formats.shapes import UNITS

SEPARATORS = ("\t", ";", ",", "|", " ")
MISSING = frozenset(("", "-", "--", "nan", "null", "none", "na", "n/a", "inf", "-inf", "+inf", "ovf"))
COMMENT = "#"
MOSTLY = 0.5  # of a column's cells that must be numbers for it to be a column of numbers
RAGGED = 0.7  # what a row with too few or too many cells counts beside a whole one
_NUMBER = re.compile(r"[+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d{1,3})?\Z")
_UNIT = re.compile(rf"[(\[]?(?:{UNITS}|adc|1|)[)\]]?\Z")
_CLOCK = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?(?:Z|[+-]\d\d:?\d\d)?\Z")


@dataclass(frozen=True)
class Layout:
    """``columns`` in order; ``names_at`` is the place of the line with their names among the lines looked at (None: the
    columns are known by their place, "1" on), ``first`` that of the first row; ``share`` of the lines are rows."""

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
        found = _tried(lines, separator)
        if found is not None and (best is None or found[0] > best[0] + 1e-9):
            best = found
    return best[1] if best else None


def _tried(lines: Sequence[str], separator: str) -> tuple[float, Layout] | None:
    """How well a separator explains the lines (rows understood times columns of numbers), with the layout it gives."""
    comma = separator in ";\t| "
    rows = {
        at: split(line, separator)
        for at, line in enumerate(lines)
        if line.strip() and not line.startswith(COMMENT) and (separator != "," or not line.lstrip().startswith("{"))
    }
    numeric = {at: [is_number(cell, comma) for cell in cells] for at, cells in rows.items()}
    # a row: at least half of what is said in it is a number
    real = {
        at: cells
        for at, cells in rows.items()
        if any(numeric[at]) and sum(numeric[at]) >= MOSTLY * sum(not is_missing(cell) for cell in cells)
    }
    if not real:
        return None
    widths = Counter(len(cells) for cells in real.values())
    width = widths.most_common(1)[0][0]
    above = [cells for at, cells in rows.items() if at < min(real)][-1:]
    if above and len(above[0]) in widths and _names(above[0], 1, MOST_COLUMNS):
        width = len(above[0])  # names of columns know best how many there are
    if width > MOST_COLUMNS:
        return None
    every = real
    real = {at: cells for at, cells in real.items() if len(cells) == width}
    first = min(every)
    head = _heading(rows, real, first, width)
    if head is None and separator == " ":  # words and numbers in turn are a sentence
        real = {at: cells for at, cells in real.items() if all(numeric[at])}
        if not real or len(real) < MOSTLY * sum(at >= min(real) for at in rows):
            return None  # what stands before the first row may be prose
    names_at, names, units = head if head is not None else (None, [str(at + 1) for at in range(width)], [""] * width)
    columns = []
    numbers = 0
    for at, (name, unit) in enumerate(zip(names, units, strict=True)):
        said = [cells[at] for cells in real.values() if not is_missing(cells[at])]
        share = sum(is_number(cell, comma) for cell in said) / len(said) if said else 1.0
        dates = sum(_CLOCK.match(cell) is not None for cell in said) / len(said) if said else 0.0
        kind = NUMBER if share >= MOSTLY else CLOCK if dates >= MOSTLY else TEXT
        numbers += kind != TEXT and bool(said)
        columns.append(Named(name or f"column {at + 1}", unit, kind))
    if not numbers or (head is None and numbers < width / 2):
        return None
    if head is None and width == 1 and separator != ",":
        return None
    commas = comma and any("," in cell for cells in real.values() for cell in cells)
    first = min(real) if names_at is None else first
    whole = len(real) + RAGGED * (len(every) - len(real)) if separator != " " else len(real)
    share = min(1.0, whole / max(1, len(rows) - (0 if head is None else 1 + any(units))))
    score = share * (1 + numbers / width) + (0.5 if width > 1 else 0.0) + (0.6 if head is not None else 0.0)
    return score, Layout(separator, _apart(columns), names_at, first, commas, share)


def _heading(
    rows: dict[int, list[str]], real: dict[int, list[str]], first: int, width: int
) -> tuple[int, list[str], list[str]] | None:
    """The line before the first row that names the columns, perhaps with a line of units between."""
    before = [at for at in rows if at < first][-2:]
    least = width - 1 if all(cells[-1] == "" for cells in real.values()) else width  # rows may end with a separator
    fits = [at for at in before if _names(rows[at], least, width)]
    if not fits or (before and fits[-1] != before[-1]):
        return None
    units = [""] * width
    names_at = fits[-1]
    if len(fits) == 2 and all(_UNIT.match(cell) for cell in rows[fits[1]]):
        names_at = fits[0]
        units = [cell.strip("()[]") for cell in rows[fits[1]]] + [""] * (width - len(rows[fits[1]]))
    names = rows[names_at] + [""] * (width - len(rows[names_at]))
    return names_at, names, units


def _names(cells: list[str], least: int, most: int) -> bool:
    """Whether cells can name columns."""
    return least <= len(cells) <= most and any(cells) and not any(is_number(cell, True) for cell in cells)


def _apart(columns: list[Named]) -> tuple[Named, ...]:
    """No two columns go by one name."""
    taken: set[str] = set()
    found = []
    for column in columns:
        name, count = column.name, 2
        while name in taken:
            name, count = f"{column.name} ({count})", count + 1
        taken.add(name)
        found.append(Named(name, column.unit, column.type))
    return tuple(found)
