"""A column that says at a row what was true there: ground, line, 50 cm."""

from __future__ import annotations

import re
from collections.abc import Sequence

from tickstone.core.units import LENGTHS_MM
from tickstone.formats.about import AboutMark
from tickstone.formats.readings import Times

MOST_MARKS = 10_000
LONGEST = 120
_LENGTH = re.compile(r"(\d+(?:[.,]\d+)?)\s*(mm|cm|m|in)\Z")


class MarkColumn:
    """Collects marks: the same word in rows that follow each other is one span, in a single row a moment."""

    def __init__(self) -> None:
        self._open: tuple[str, int, int] | None = None
        self._found: list[tuple[str, int, int]] = []

    def take(self, times: Times, texts: Sequence[str]) -> None:
        """Take over rows: times, µs, shape (n,), and what each row says."""
        for t, text in zip(times.tolist(), texts, strict=True):
            sentence = text.strip()[:LONGEST]
            if self._open is not None and sentence == self._open[0]:
                self._open = (sentence, self._open[1], t)
                continue
            self._close()
            self._open = (sentence, t, t) if sentence else None

    def _close(self) -> None:
        if self._open is not None and len(self._found) < MOST_MARKS:
            self._found.append(self._open)
        self._open = None

    def marks(self, ranger: str | None) -> list[AboutMark]:
        """The marks; a length is the truth of ``ranger``, the only sensor that measures one."""
        self._close()
        return [
            AboutMark(t0, t1 if t1 > t0 else None, text, ranger if length else None, length)
            for text, t0, t1 in self._found
            for length in (_length(text) if ranger else None,)
        ]


def _length(text: str) -> dict[str, object] | None:
    match = _LENGTH.match(text)
    if match is None:
        return None
    value = float(match[1].replace(",", ".")) * LENGTHS_MM[match[2]]
    return {"quantity": "distance", "value": round(value, 6), "unit": "mm", "sd": None}
