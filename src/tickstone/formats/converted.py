"""A table of raw readings in, the same table with converted columns out, block by block."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
import polars as pl

from tickstone.core.rigs.kinds import is_thermometer
from tickstone.core.rigs.kinds.base import VALUE, Ambient
from tickstone.errors import BadInput
from tickstone.formats.cells import guarded, guarded_name, nine_digits
from tickstone.formats.columns import ColumnPlan, MappedSensor, result_name, wanted_results
from tickstone.formats.readings import TEXT, Array, Block
from tickstone.formats.tables import TableSource

FIRST_ROWS = 8  # of which the raw numbers are kept, to be worked one by one


@dataclass(frozen=True)
class ConvertedColumn:
    """A converted column of a block: its name, and its cells as text."""

    name: str
    cells: pl.Series


class Converting:
    """Converts a table by a plan; what one block leaves behind (the last edge, the last air) the next one
    finds."""

    def __init__(self, table: TableSource, plan: ColumnPlan) -> None:
        self.table, self.plan = table, plan
        self.names = [column.name for column in table.columns]
        self.rows = 0
        self.first_asked: dict[
            str, list[dict[str, float]]
        ] = {}  # by sensor: the raw numbers of the first rows
        self._last_air = np.nan

    def blocks(self) -> Iterator[tuple[Block, list[ConvertedColumn]]]:
        """Each block of rows with its converted columns."""
        for block in self.table.blocks(mend=True):
            self.rows += len(block.lines)
            yield block, self._convert(block)

    def _numbers(self, block: Block, index: int) -> Array:
        """A column's numbers, shape (rows,); NaN where there is none."""
        result = block.numbers.get(self.names[index])
        return np.full(len(block.lines), np.nan) if result is None else result

    def _convert(self, block: Block) -> list[ConvertedColumn]:
        columns: list[ConvertedColumn] = []
        times = None
        if self.plan.time is not None:
            index, us = self.plan.time
            times = self._numbers(block, index) * us
        air = self._air(block)
        for mapped in self.plan.mapped:
            columns += self._sensor(block, mapped, times, air)
        for plain in self.plan.plain:
            result = plain.formula(*(self._numbers(block, position) for position in plain.columns))
            columns += [
                ConvertedColumn(name, nine_digits(values))
                for name, values in zip(plain.results, result, strict=True)
            ]
        return _named_apart(columns, {name.lower() for name in self.names})

    def _sensor(
        self, block: Block, mapped: MappedSensor, times: Array | None, air: Array | None
    ) -> list[ConvertedColumn]:
        kind, values = mapped.candidate.kind, mapped.candidate.values
        missing = np.full(len(block.lines), np.nan)
        channels = {
            c.name: self._numbers(block, mapped.channels[c.name]) if c.name in mapped.channels else missing
            for c in kind.channels
        }
        inputs = dict(kind.working.inputs(channels, times, values, mapped.notebook))
        if not self.first_asked.get(mapped.candidate.name):
            self.first_asked[mapped.candidate.name] = _numbers_of(inputs, FIRST_ROWS)
        for ask in kind.working.asks(values):
            inputs.setdefault(ask.name, missing)
        ambient = Ambient(air)
        converted = kind.working.read(inputs, values, ambient)
        series = [
            each
            for each in kind.working.more(inputs, values, ambient)
            if not each.needs or each.needs in mapped.channels
        ]
        prefix = mapped.candidate.prefix
        absent = np.all([np.isnan(channels[name]) for name in mapped.channels], axis=0)
        columns = []
        for name in wanted_results(mapped, [each.name for each in series]):
            if name == VALUE:
                columns.append(
                    ConvertedColumn(
                        result_name(prefix, kind.quantity.name, kind.quantity.unit),
                        nine_digits(np.where(converted.valid, converted.values, np.nan)),
                    )
                )
                if any(kind.reasons):
                    codes = np.where(absent, 0, converted.codes)
                    said = pl.Series(np.array(kind.reasons, dtype=object)[codes].tolist(), dtype=pl.String)
                    columns.append(
                        ConvertedColumn(result_name(prefix, f"{kind.quantity.name} reason", ""), said)
                    )
            else:
                each = next(each for each in series if each.name == name)
                columns.append(
                    ConvertedColumn(result_name(prefix, each.name, each.unit), nine_digits(each.values))
                )
        return columns

    def _air(self, block: Block) -> Array | None:
        """The air of each row: the last one read so far, NaN before the first; None without such a column."""
        for mapped in self.plan.mapped:
            if not is_thermometer(mapped.candidate.kind):
                continue
            raw = self._numbers(block, mapped.channels["air"])
            converted = mapped.candidate.kind.convert({"air": raw}, mapped.candidate.values, Ambient())
            air = np.concatenate([[self._last_air], np.where(converted.valid, converted.values, np.nan)])
            last = np.maximum.accumulate(np.where(np.isfinite(air), np.arange(air.size), 0))
            filled: Array = air[last][1:]
            self._last_air = float(filled[-1])
            return filled
        return None


def _numbers_of(inputs: Mapping[str, Array], rows: int) -> list[dict[str, float]]:
    """The raw numbers of the first rows, without those that are missing."""
    results: list[dict[str, float]] = [{} for _ in range(rows)]
    for name, numbers in inputs.items():
        for row, number in zip(results, numbers[:rows].tolist(), strict=False):
            if number == number:
                row[name] = number
    return results


def _named_apart(columns: list[ConvertedColumn], taken: set[str]) -> list[ConvertedColumn]:
    """No converted column goes by the name of another one, or of a raw one."""
    named = []
    for column in columns:
        name, count = column.name, 2
        while name in taken:
            name, count = f"{column.name}_{count}", count + 1
        taken.add(name)
        named.append(ConvertedColumn(name, column.cells))
    return named


def frames(converting: Converting) -> Iterator[pl.DataFrame]:
    """The rows with raw and converted cells as text, a block at a time. Raises BadInput when there is no
    row."""
    begun = False
    for block, columns in converting.blocks():
        begun = True
        cells = block.cells if block.cells is not None else pl.DataFrame()
        yield cells.with_columns([column.cells.alias(column.name) for column in columns])
    if not begun:
        raise BadInput("The file holds column names but no row of readings.", "file")


def csv_blocks(converting: Converting) -> Iterator[str]:
    """The same as CSV, the names of the columns first. Words that a spreadsheet would take for a formula are
    not."""
    words = [column.name for column in converting.table.columns if column.type == TEXT]
    for count, frame in enumerate(frames(converting)):
        if count == 0:
            yield pl.DataFrame([[guarded_name(name) for name in frame.columns]], orient="row").write_csv(
                include_header=False
            )
        nothing = pl.when(pl.all() != "").then(pl.all())  # an empty cell, and not two quotes
        yield guarded(frame, words).select(nothing).write_csv(include_header=False)
