"""Lines that name what they tell: labels and numbers, sentences, JSON Lines. A line is read whole or not at
all."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tickstone.formats.layout import COMMENT
from tickstone.formats.readings import MOST_COLUMNS, Array, BadLines, Block, Named
from tickstone.formats.shapes import LabelledNumber, Pieces, Unread, take_apart
from tickstone.formats.text import Lines, TextFile

REAL_AFTER = (
    3  # times that a label must come among the first lines before it is taken for one and not for garbling,
)
REAL_SHARE = 0.005  # and of those lines
LABELLED, SENTENCES, JSON_LINES = "labelled", "sentences", "json-lines"


@dataclass(frozen=True)
class Labels:
    """The labels of a file's first lines with their units, the shape of its lines, and the share of them
    understood."""

    columns: tuple[Named, ...]
    format: str
    share: float


def labels_of(lines: Sequence[str]) -> Labels | None:
    """The labels that lines tell, or None when they tell none.

    >>> labels_of(["Distance: 23.4 cm", "Distance: 23.9 cm"]).columns
    (Named(name='Distance', unit='cm', type='number'),)
    """
    counts: Counter[str] = Counter()
    units: dict[str, Counter[str]] = {}
    shapes: Counter[str] = Counter()
    value = 0
    for line in lines:
        if not line.strip() or line.startswith(COMMENT):
            continue
        value += 1
        pieces = _pieces(line)
        if isinstance(pieces, str):
            continue
        shapes[_shape(line, pieces)] += 1
        for piece in pieces:
            counts[piece.label] += 1
            units.setdefault(piece.label, Counter())[piece.unit] += 1
    understood = sum(shapes.values())
    least = max(min(REAL_AFTER, math.ceil(understood / 3)), REAL_SHARE * understood)
    columns = tuple(
        Named(name, units[name].most_common(1)[0][0]) for name, count in counts.items() if count >= least
    )
    if not columns or len(columns) > MOST_COLUMNS:
        return None
    return Labels(columns, shapes.most_common(1)[0][0], understood / value)


def _shape(line: str, pieces: Sequence[LabelledNumber]) -> str:
    if line.lstrip().startswith("{"):
        return JSON_LINES
    return SENTENCES if any(" " in piece.label for piece in pieces) or ": " in line else LABELLED


def _pieces(line: str) -> tuple[LabelledNumber, ...] | str:
    """The pieces of a line, or why it has none."""
    apart = take_apart(line)
    if isinstance(apart, Unread):
        return apart.why
    if not isinstance(apart, Pieces):
        return "names of columns"
    if apart.bare:
        return f"{len(apart.pieces)} numbers without their labels"
    return apart.pieces


class LabelledSource:
    """A file of lines that name what they tell, open."""

    time: tuple[str, float] | None = None

    def __init__(
        self, text: TextFile, blocks: Iterator[Lines], labels: Labels, about: dict[str, Any] | None = None
    ) -> None:
        self._text, self._blocks, self.about = text, blocks, about
        self.columns, self.format, self.encoding = labels.columns, labels.format, text.encoding
        self.bad = BadLines()
        self.sample: Mapping[str, Array] = {}

    @property
    def taken(self) -> int:
        """Bytes read so far."""
        return self._text.taken

    def blocks(self) -> Iterator[Block]:
        """The rows, a block at a time."""
        places = {column.name: index for index, column in enumerate(self.columns)}
        units = {column.name: column.unit for column in self.columns}
        for lines in self._blocks:
            numbers: list[int] = []
            rows: list[list[float]] = []
            for number, line in enumerate(lines.texts(), lines.first):
                if not line.strip() or line.startswith(COMMENT):
                    continue
                if number == 1 and self.about is not None:
                    continue  # what the file says of itself
                row = self._row(line, places, units)
                if isinstance(row, str):
                    self.bad.add(number, line, row)
                    continue
                numbers.append(number)
                rows.append(row)
            if rows:
                table = np.array(rows).T
                yield Block(
                    np.array(numbers, np.int64), {name: table[index] for name, index in places.items()}
                )

    def _row(self, line: str, places: dict[str, int], units: dict[str, str]) -> list[float] | str:
        pieces = _pieces(line)
        if isinstance(pieces, str):
            return pieces
        row = [math.nan] * len(places)
        known = set()
        for label, number, unit in pieces:
            index = places.get(label)
            if index is None and number is None:
                continue  # a word that is missing here is no number either
            if index is None:
                return f"{label[:40]!r} is no label of this file's beginning"
            if label in known:
                return f"{label} stands twice"
            if unit != units[label]:
                return f"{label} in {unit or 'no unit'}, elsewhere in {units[label] or 'no unit'}"
            known.add(label)
            if number is not None and math.isfinite(number):
                row[index] = number
        return row
