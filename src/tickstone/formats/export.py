"""Readings out: CSV, TSV, JSON Lines, Parquet, value change dump. Each says in its head where it comes from,
and opens again as the same readings."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace

import numpy as np
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq

from tickstone.formats import opening, parquet, vcd
from tickstone.formats.about import SEGMENT_COLUMN, TIME_COLUMN, About
from tickstone.formats.cells import guarded, guarded_name
from tickstone.formats.readings import Array, Times

PIECE = 1 << 20
OTHER = "other"  # scope of the columns of no sensor


@dataclass(frozen=True)
class ExportedRows:
    """Rows of one stream within a stretch of time: times, µs, and segments, shape (n,); columns by name,
    shape (n,), NaN where nothing is; words by name, likewise."""

    key: str
    times: Times
    segments: Times
    numbers: dict[str, Array]
    words: dict[str, list[str]] = field(default_factory=dict)


@dataclass(frozen=True)
class Sheet:
    """What is given out: what it says of itself, its columns in order (with those of words apart), and its
    parts, one list a stretch of time, each time in one stretch only. ``segmented`` says that some stream has
    several segments."""

    about: About
    columns: tuple[str, ...]
    words: tuple[str, ...]
    stretches: Callable[[], Iterable[list[ExportedRows]]]
    segmented: bool = False


@dataclass(frozen=True)
class Form:
    """A format: what it is called, ending and media type of its files, and what writes it."""

    title: str
    suffix: str
    media: str
    write: Callable[[Sheet], Iterator[bytes]]


def rows(sheet: Sheet) -> Iterator[pl.DataFrame]:
    """The parts of all streams side by side: a row a time, empty where a stream has none. What comes twice at
    one time in one stream is two rows."""
    for parts in sheet.stretches():
        parts = [part for part in parts if len(part.times)]
        if not parts:
            continue
        keys = np.concatenate(
            [np.column_stack([part.times, part.segments, _occurrence(part)]) for part in parts]
        )
        if len(parts) == 1:
            every, places = keys, np.arange(len(keys))
        else:
            order = np.lexsort((keys[:, 2], keys[:, 1], keys[:, 0]))
            fresh = np.any(np.diff(keys[order], axis=0, prepend=keys[order][:1] - 1) != 0, axis=1)
            places = np.empty(len(keys), np.int64)
            places[order] = np.cumsum(fresh) - 1
            every = keys[order][fresh]
        columns: dict[str, pl.Series] = {TIME_COLUMN: pl.Series(every[:, 0])}
        if sheet.segmented:
            columns[SEGMENT_COLUMN] = pl.Series(every[:, 1])
        begun = 0
        filled: dict[str, pl.Series] = {}
        for part in parts:
            indices = places[begun : begun + len(part.times)]
            begun += len(part.times)
            for name, values in part.numbers.items():
                filled[name] = _numbers(_spread(values, indices, len(every)))
            for name, sentences in part.words.items():
                texts = np.full(len(every), None, dtype=object)
                texts[indices] = [word or None for word in sentences]
                filled[name] = pl.Series(texts.tolist(), dtype=pl.String)
        nothing = {
            name: pl.Series([None] * len(every), dtype=pl.String if name in sheet.words else pl.Float64)
            for name in sheet.columns
            if name not in filled
        }
        columns |= {name: filled.get(name, nothing.get(name, pl.Series())) for name in sheet.columns}
        yield pl.DataFrame(columns)


def _occurrence(part: ExportedRows) -> Times:
    """How many rows of the stream have come before at the same time, shape (n,)."""
    return np.arange(len(part.times)) - np.searchsorted(part.times, part.times, "left")


def _spread(values: Array, indices: Times, n: int) -> Array:
    if len(values) == n:
        return values
    result = np.full(n, np.nan)
    result[indices] = values
    return result


def _numbers(values: Array) -> pl.Series:
    """Whole numbers as such, others as they are, nothing for NaN."""
    known = values[np.isfinite(values)]
    series = pl.Series(values, nan_to_null=True)
    whole = known.size > 0 and bool((np.abs(known) < 2**53).all()) and bool((known == np.rint(known)).all())
    return series.cast(pl.Int64) if whole else series


def _table(separator: str) -> Callable[[Sheet], Iterator[bytes]]:
    def write(sheet: Sheet) -> Iterator[bytes]:
        head = [
            "# Tick Stone",
            *(f"# {line}" for line in sheet.about.sentences()),
            opening.ABOUT + sheet.about.to_json(),
        ]
        yield "".join(f"{line}\n" for line in head).encode()
        fixed = [TIME_COLUMN, SEGMENT_COLUMN] if sheet.segmented else [TIME_COLUMN]
        names = [[guarded_name(name) for name in (*fixed, *sheet.columns)]]
        yield pl.DataFrame(names, orient="row").write_csv(include_header=False, separator=separator).encode()
        for frame in rows(sheet):
            yield guarded(frame, sheet.words).write_csv(include_header=False, separator=separator).encode()

    return write


def _json_lines(sheet: Sheet) -> Iterator[bytes]:
    yield f'{{"{opening.ABOUT_KEY}":{sheet.about.to_json()}}}\n'.encode()
    for frame in rows(sheet):
        yield frame.write_ndjson().encode()


def _parquet(sheet: Sheet) -> Iterator[bytes]:
    fixed = [TIME_COLUMN, SEGMENT_COLUMN] if sheet.segmented else [TIME_COLUMN]
    kinds = [(name, pa.int64()) for name in fixed]
    kinds += [(name, pa.string() if name in sheet.words else pa.float64()) for name in sheet.columns]
    schema = pa.schema(kinds, metadata={parquet.ABOUT_KEY: sheet.about.to_json().encode()})
    with tempfile.TemporaryFile() as file:
        with pq.ParquetWriter(file, schema, compression="zstd") as writer:
            for frame in rows(sheet):
                writer.write_table(frame.to_arrow().cast(schema))
        file.seek(0)
        while piece := file.read(PIECE):
            yield piece


def _dump(sheet: Sheet) -> Iterator[bytes]:
    """A scope for each stream with an event that says where a row is; a value that is missing is not told
    there."""
    words: dict[str, str] = {}
    for column in sheet.about.columns:
        word = _word(column.name)
        words[column.name] = word if word not in words.values() else f"{word}_{len(words)}"
    renamed = tuple(replace(column, name=words[column.name]) for column in sheet.about.columns)
    about = replace(sheet.about, columns=renamed, converted=())
    codes = {SEGMENT_COLUMN: _code(0)}
    head = [
        f"$comment {vcd.ABOUT}{_without_end(about.to_json(ascii_only=True))} $end",
        "$timescale 1 us $end",
    ]
    if sheet.segmented:
        head.append(f"$var integer 32 {codes[SEGMENT_COLUMN]} {SEGMENT_COLUMN} $end")
    owner = {column.name: column.sensor or OTHER for column in sheet.about.columns}
    for scope in dict.fromkeys(owner.values()):
        codes[scope] = _code(len(codes))
        head += [f"$scope module {_word(scope)} $end", f"$var event 1 {codes[scope]} {vcd.ROW} $end"]
        for name in [column for column, its in owner.items() if its == scope]:
            codes[f"{scope}.{name}"] = _code(len(codes))
            head.append(f"$var real 64 {codes[f'{scope}.{name}']} {words[name]} $end")
        head.append("$upscope $end")
    yield ("\n".join([*head, "$enddefinitions $end"]) + "\n").encode()
    for parts in sheet.stretches():
        texts = [_changes(part, owner, codes, sheet.segmented) for part in parts if len(part.times)]
        if not texts:
            continue
        times = np.concatenate([part.times for part in parts if len(part.times)])
        order = np.argsort(times, kind="stable")
        together = pl.concat(texts).gather(order)
        stamps = pl.Series(times[order]).cast(pl.String)
        yield ("\n".join((("#" + stamps + "\n") + together).to_list()) + "\n").encode()


def _changes(part: ExportedRows, owner: dict[str, str], codes: dict[str, str], segmented: bool) -> pl.Series:
    """What changes in each row, as text."""
    scope = owner[next(iter(part.numbers))]
    series = [
        (_numbers(values).cast(pl.String) + f" {codes[f'{scope}.{name}']}\n")
        .fill_null("")
        .str.replace("^(.)", "r$1")
        for name, values in part.numbers.items()
        if f"{scope}.{name}" in codes
    ]
    if segmented:
        series.append(
            pl.Series([f"b{segment:b} {codes[SEGMENT_COLUMN]}\n" for segment in part.segments.tolist()])
        )
    rows = pl.select(pl.concat_str(series)).to_series() if series else pl.Series([""] * len(part.times))
    return rows + f"1{codes[scope]}"


def _without_end(text: str) -> str:
    return text.replace("$", "\\u0024")


def _word(name: str) -> str:
    """A name as a dump can hold it: printable, without a space."""
    return "".join(item if "!" <= item <= "~" else "_" for item in name) or "_"


def _code(number: int) -> str:
    """The short name of a signal: printable characters but # and $."""
    digits = "!%&'()*+,-./:;<=>?@ABCDEFGHIJKLMNOPQRSTUVWXYZ[]^_`abcdefghijklmnopqrstuvwxyz{|}~"
    code = ""
    while True:
        number, rest = divmod(number, len(digits))
        code += digits[rest]
        if not number:
            return code
        number -= 1


FORMS: dict[str, Form] = {
    "csv": Form("CSV", ".csv", "text/csv; charset=utf-8", _table(",")),
    "tsv": Form("TSV", ".tsv", "text/tab-separated-values; charset=utf-8", _table("\t")),
    "json-lines": Form("JSON Lines", ".jsonl", "application/x-ndjson", _json_lines),
    "parquet": Form("Parquet", ".parquet", "application/vnd.apache.parquet", _parquet),
    "value-change-dump": Form("value change dump", ".vcd", "text/plain; charset=us-ascii", _dump),
}
