"""Rows of raw readings on their way from a source to the store."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Rows:
    """Rows of one stream, in order: segment and time, µs, with one value a column (NaN = missing)."""

    segments: list[int] = field(default_factory=list)
    times: list[int] = field(default_factory=list)
    values: list[tuple[float, ...]] = field(default_factory=list)

    def __len__(self) -> int:
        return len(self.times)


@dataclass
class Batch:
    """What one commit adds: rows by stream key, and odd lines as (t_us, text, why). Batches of a recording
    are numbered from 1, so that one sent again after a broken connection is known."""

    number: int = 1
    rows: dict[str, Rows] = field(default_factory=dict)
    odd_lines: list[tuple[int, str, str]] = field(default_factory=list)

    @property
    def count(self) -> int:
        """Number of rows in all streams."""
        return sum(len(rows) for rows in self.rows.values())
