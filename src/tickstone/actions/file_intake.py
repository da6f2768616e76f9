"""Rows on their way from an open file into the streams of a recording."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import numpy as np

from tickstone.core.time_axis import DATES_FROM_US, PlacedRows, TimeAxis
from tickstone.core.wording import often
from tickstone.errors import BadInput
from tickstone.formats.about import SEGMENT_COLUMN, About, AboutLine, AboutMark
from tickstone.formats.mapping import ColumnMapping, StreamPlan
from tickstone.formats.marks import MarkColumn
from tickstone.formats.readings import CLOCK, Array, Block, FileSource, Flags
from tickstone.store.samples import ChunkWriter

MOST_SEGMENTS = 1000
MOST_ODD = 1000
LONGEST_US = 3_000_000_000_000_000  # about a century: a file's date is no help beyond


class FileIntake:
    """Places a file's rows in time and gives each stream its own. ``rows`` were taken, ``end_us`` is the time
    of the last."""

    def __init__(
        self,
        source: FileSource,
        made: ColumnMapping,
        plans: list[StreamPlan],
        rate_hz: float | None,
        about: About | None,
        writer: ChunkWriter,
    ) -> None:
        self._source, self._made, self._plans, self._about, self._writer = source, made, plans, about, writer
        self._time = made.time or ("", 1e6 / (rate_hz or 1.0))
        dates = any(column.name == self._time[0] and column.type == CLOCK for column in source.columns)
        self._axis = TimeAxis(self._time[1], wraps=not dates and about is None, shifts=about is None)
        self._first_line: int | None = None
        self._marks = MarkColumn()
        self._cannot: list[AboutLine] = []
        self._cannot_count = 0
        self.rows = self.end_us = 0

    def take(self, block: Block) -> None:
        """Take over a block. Raises BadInput when its times cannot be times."""
        stamps = self._stamps(block)
        kept: Flags = np.isfinite(stamps)
        for index in np.flatnonzero(~kept).tolist():
            self._odd(int(block.lines[index]), "", "no time in this row")
        if not kept.any():
            return
        placed = self._placed(block, stamps[kept], kept)
        if self._axis.backward > MOST_SEGMENTS:
            raise BadInput(
                f"The numbers of {self._time[0]} fall again and again, up to line {int(block.lines[-1])} "
                "already: that is no time. Say which column is, or give a rate.",
                "columns",
            )
        taken: Flags = np.zeros(len(placed.times), bool)
        for plan in self._plans:
            taken |= self._fill(plan, block, kept, placed)
        self.rows += int(taken.sum())
        self.end_us = max(self.end_us, int(placed.times[-1]))
        if self._made.mark is not None and self._about is None:
            texts = block.texts[self._made.mark]
            self._marks.take(placed.times, [text for text, good in zip(texts, kept, strict=True) if good])

    def _stamps(self, block: Block) -> Array:
        if self._made.time is not None:
            return block.numbers[self._time[0]]
        if self._first_line is None:
            self._first_line = int(block.lines[0])
        # a line that was not understood took its time too
        return (block.lines - self._first_line).astype(np.float64)

    def _placed(self, block: Block, stamps: Array, kept: Flags) -> PlacedRows:
        if self._about is None or SEGMENT_COLUMN not in block.numbers:
            return self._axis.place(stamps)
        segments = np.nan_to_num(block.numbers[SEGMENT_COLUMN][kept]).astype(np.int64)
        return PlacedRows(np.rint(stamps * self._time[1]).astype(np.int64), segments)

    def _fill(self, plan: StreamPlan, block: Block, kept: Flags, placed: PlacedRows) -> Flags:
        every = bool(kept.all())
        table = np.full((len(plan.channels), len(placed.times)), np.nan)
        present: Flags = np.zeros(len(placed.times), bool)
        for position, (name, meaning) in plan.columns.items():
            spec = plan.channels[position]
            values = block.numbers[name] if every else block.numbers[name][kept]
            is_told = block.is_present(name) if every else block.is_present(name)[kept]
            raw = (
                values
                if meaning.factor == 1.0 and not meaning.zero
                else values * meaning.factor + meaning.zero
            )
            cannot: Flags = (raw < spec.low) | (raw > spec.high)
            if cannot.any():
                for index in np.flatnonzero(cannot).tolist():
                    text = f"{name} {values[index]:g}"
                    self._odd(int(block.lines[kept][index]), text, f"{name} cannot be {values[index]:g}")
                raw, is_told = np.where(cannot, np.nan, raw), is_told & ~cannot
            table[position] = raw
            present |= is_told
        if present.all():
            self._writer.add(plan.key, placed.times, placed.segments, table)
        elif present.any():
            self._writer.add(plan.key, placed.times[present], placed.segments[present], table[:, present])
        return present

    def finish(self) -> None:
        """Write what waits."""
        self._writer.finish()

    def _odd(self, line: int, text: str, why: str) -> None:
        self._cannot_count += 1
        if len(self._cannot) < MOST_ODD:
            self._cannot.append(AboutLine(0, text, why, line))

    def marks(self, ranger: str | None) -> list[AboutMark]:
        """What was true at rows: as one of our own exports tells it, or by the file's column of marks."""
        return list(self._about.marks) if self._about is not None else self._marks.marks(ranger)

    def odd(self) -> list[AboutLine]:
        """What was not understood, by line; of our own exports what was not understood in the first place."""
        bad = [AboutLine(0, line.text, line.why, line.line) for line in self._source.bad.first]
        before = list(self._about.odd) if self._about is not None else []
        return before + sorted(bad + self._cannot, key=lambda line: line.line or 0)

    def started_at(self, modified: datetime | None) -> datetime | None:
        """When the readings began: by their dates, else so long before the file was last changed."""
        if self._about is not None:
            return self._about.started_at
        if DATES_FROM_US < self._axis.shift_us < LONGEST_US:
            return datetime.fromtimestamp(self._axis.shift_us / 1e6, UTC)
        return (
            None
            if modified is None or self.end_us > LONGEST_US
            else modified - timedelta(microseconds=self.end_us)
        )

    def sentence(self) -> str:
        """What a person should know of how the file was taken in; empty when all is plain."""
        sentences = [] if self._about is None else [self._about.ended_why]
        bad = self._source.bad.count + self._cannot_count
        if bad:
            sentences.append(
                "One line of the file was not understood."
                if bad == 1
                else f"{bad} lines of the file were not understood."
            )
        if self._axis.backward:
            sentences.append(f"The times fell back {often(self._axis.backward)}: a new segment begins there.")
        if self._axis.repeated and self._about is None:
            sentences.append(
                "One row has the time of the row before."
                if self._axis.repeated == 1
                else f"{self._axis.repeated} rows have the time of the row before."
            )
        return " ".join(filter(None, sentences))
