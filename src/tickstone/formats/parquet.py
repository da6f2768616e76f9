"""Parquet files, read a batch at a time."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any, BinaryIO, TypeVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from tickstone.errors import BadInput
from tickstone.formats.readings import (
    CLOCK,
    MOST_COLUMNS,
    NUMBER,
    TEXT,
    TOO_MUCH,
    Array,
    BadLines,
    Block,
    Named,
)

BLOCK_ROWS, SAMPLE_ROWS = 200_000, 400
LARGEST_GROUP = 4_000_000_000  # bytes that a group of rows says it unpacks to
MOST_TEXT = 100_000_000  # bytes of words that a block of rows unpacks to
MARK = b"PAR1"
ABOUT_KEY = b"tick-stone"
UNREADABLE = "This Parquet file is damaged or cut short: nothing can be read from it."

_T = TypeVar("_T")


class ParquetSource:
    """A Parquet file that is open; its "lines" are its rows, counted from 1."""

    format = "parquet"
    encoding = ""
    time: tuple[str, float] | None = None

    def __init__(self, file: BinaryIO) -> None:
        self.bad = BadLines()
        schema = _guarded(lambda: pq.read_schema(file))
        words = [field.name for field in schema if _is_words(field.type)]
        self._file = _guarded(lambda: pq.ParquetFile(file, read_dictionary=words))  # each word once
        schema, present = _guarded(lambda: (self._file.schema_arrow, self._file.metadata))
        if len(schema.names) > MOST_COLUMNS:
            raise BadInput(f"The file has {len(schema.names)} columns; {MOST_COLUMNS} are the most.", "file")
        if len(set(schema.names)) < len(schema.names):
            raise BadInput("Two columns of this file go by the same name.", "file")
        groups = [present.row_group(index).total_byte_size for index in range(present.num_row_groups)]
        if any(not 0 <= size <= LARGEST_GROUP for size in groups):
            raise BadInput(UNREADABLE, "file")
        self.columns = tuple(Named(field.name, "", _type(field.type)) for field in schema)
        if not any(column.type != TEXT for column in self.columns):
            raise BadInput("No column of this file holds numbers.", "file")
        self.about = _about(schema.metadata)
        self._rows = int(present.num_rows)
        file.seek(0, 2)
        self._size = file.tell()
        self._done = 0
        self.sample: Mapping[str, Array] = self._first_rows()

    def _first_rows(self) -> dict[str, Array]:
        """The numbers of the first rows."""
        names = [column.name for column in self.columns if column.type == NUMBER]
        batch = _guarded(lambda: next(self._file.iter_batches(SAMPLE_ROWS, columns=names), None))
        if batch is None:
            return {}
        return {name: _guarded(partial(_numbers, batch.column(name))) for name in names}

    @property
    def taken(self) -> int:
        """About how many bytes have been read."""
        return round(self._size * self._done / max(1, self._rows))

    def blocks(self) -> Iterator[Block]:
        """The rows, a block at a time."""
        batches = _guarded(lambda: self._file.iter_batches(BLOCK_ROWS))
        while (batch := _guarded(lambda: next(batches, None))) is not None:
            start, self._done = self._done, self._done + batch.num_rows
            numbers: dict[str, Array] = {}
            texts: dict[str, list[str]] = {}
            for index, column in enumerate(self.columns):
                if column.type == TEXT:
                    texts[column.name] = _guarded(partial(_texts, batch.column(index), column.name))
                else:
                    numbers[column.name] = _guarded(partial(_numbers, batch.column(index)))
            if batch.num_rows:
                yield Block(np.arange(start + 1, self._done + 1), numbers, texts)


def _numbers(column: pa.Array) -> Array:
    """A column as numbers, NaN where there is none; dates are µs since 1970, lengths of time µs."""
    kind = column.type
    if pa.types.is_timestamp(kind) or pa.types.is_date(kind):
        column = pc.cast(column, pa.timestamp("us", getattr(kind, "tz", None)), safe=False).cast(pa.int64())
    elif pa.types.is_duration(kind):
        column = pc.cast(column, pa.duration("us"), safe=False).cast(pa.int64())
    values = np.asarray(pc.cast(column, pa.float64(), safe=False).to_numpy(zero_copy_only=False), np.float64)
    return np.where(np.isfinite(values), values, np.nan)


def _texts(column: pa.Array, name: str) -> list[str]:
    size = _unpacked(column)
    if size > MOST_TEXT:
        raise BadInput(
            f"Column {name!r} unpacks to {size / 1e6:.0f} MB of words within {len(column)} rows: "
            "this is no file of readings.",
            "file",
        )
    return ["" if item is None else str(item) for item in column.to_pylist()]


def _is_words(kind: pa.DataType) -> bool:
    types = pa.types
    return any(is_so(kind) for is_so in (types.is_string, types.is_large_string, types.is_binary))


def _unpacked(column: pa.Array) -> int:
    """Bytes of a column's words once each stands for itself."""
    if not (pa.types.is_dictionary(column.type) and _is_words(column.type.value_type)):
        return int(column.nbytes)
    lengths = pc.binary_length(column.dictionary)
    return int(pc.sum(pc.take(lengths, column.indices)).as_py() or 0)


def _type(kind: pa.DataType) -> str:
    types = pa.types
    if types.is_timestamp(kind) or types.is_date(kind):
        return CLOCK
    plain = types.is_integer(kind) or types.is_floating(kind) or types.is_boolean(kind)
    return NUMBER if plain or types.is_decimal(kind) or types.is_duration(kind) else TEXT


def _about(metadata: dict[bytes, bytes] | None) -> dict[str, Any] | None:
    try:
        result = json.loads((metadata or {})[ABOUT_KEY])
    except (KeyError, ValueError, RecursionError):
        return None
    return result if isinstance(result, dict) else None


def _guarded(read: Callable[[], _T]) -> _T:
    """What is read, or one sentence."""
    try:
        return read()
    except MemoryError:
        raise BadInput(TOO_MUCH, "file") from None
    except (pa.ArrowException, OSError, ValueError, KeyError, OverflowError) as error:
        raise BadInput(UNREADABLE, "file") from error
