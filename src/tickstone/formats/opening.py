"""Opening a file of readings, whatever its format: told from its beginning, never from its name."""

from __future__ import annotations

import itertools
import json
import shutil
import tempfile
from collections.abc import Iterator
from typing import Any, BinaryIO, cast

from tickstone.errors import BadInput
from tickstone.formats import parquet
from tickstone.formats.arrivals import Arrivals, StampedSource, are_stamped
from tickstone.formats.labelled import LabelledSource, labels_of
from tickstone.formats.layout import COMMENT, layout_of
from tickstone.formats.parquet import ParquetSource
from tickstone.formats.readings import FileSource
from tickstone.formats.summary import time_column
from tickstone.formats.tables import TableSource
from tickstone.formats.text import HEAD_BYTES, Lines, TextFile
from tickstone.formats.vcd import DumpSource

LOOKED_AT = 400  # lines of which the kind of a text is told
ABOUT = "# tick-stone: "
ABOUT_KEY = "tick_stone"
IN_MEMORY = 8_000_000


def open_readings(file: BinaryIO) -> FileSource:
    """Open a file of readings: a table of text, labelled lines, sentences, JSON Lines, Parquet, a value
    change dump.

    Raises BadInput with a sentence for a file that holds no reading.
    """
    head = _head(file)
    if not head:
        raise BadInput("The file is empty.", "file")
    if head.startswith(parquet.MARK):
        return ParquetSource(_seekable(head, file))
    if head.lstrip()[:1] == b"$" and (b"$var" in head or b"$enddefinitions" in head or b"$timescale" in head):
        return DumpSource(cast(BinaryIO, _Chained(head, file)))
    text = TextFile(head, file)
    blocks = text.blocks()
    first = next(blocks, None)
    lines = first.texts()[:LOOKED_AT] if first is not None else []
    if not any(line.strip() for line in lines):
        raise BadInput("The file is empty.", "file")
    every = itertools.chain([first] if first is not None else [], blocks)
    return _stamped(text, every) if _is_log(text, every, lines) else _opened(text, every, lines)


def open_table(file: BinaryIO) -> TableSource:
    """Open a table of text. Raises BadInput when the file is none."""
    head = _head(file)
    source = (
        open_readings(cast(BinaryIO, _Chained(head, file))) if not head.startswith(parquet.MARK) else None
    )
    if isinstance(source, StampedSource):
        source = source.plain
    if source is None or not isinstance(source, TableSource):
        raise BadInput(f"This is no table of text but {source.format if source else 'Parquet'}.", "file")
    if source.layout.names_at is None:
        raise BadInput(
            f"Line {source.layout.first + 1} holds numbers, and no column names (echo_us, "
            "air_c …) stand before it.",
            "file",
        )
    return source


def _is_log(text: TextFile, blocks: Iterator[Lines], lines: list[str]) -> bool:
    """Whether lines begin with when they arrived. A table whose first column is its time is none."""
    if not are_stamped(lines):
        return False
    try:
        return time_column(_opened(text, blocks, lines)) is None
    except BadInput:
        return True


def _stamped(text: TextFile, blocks: Iterator[Lines]) -> FileSource:
    """A log of a terminal: what stands behind its stamps."""
    arrivals = Arrivals()
    off = arrivals.off(blocks)
    first = next(off)
    plain = _opened(text, itertools.chain([first], off), first.texts()[:LOOKED_AT])
    return StampedSource(plain, arrivals, timed=time_column(plain) is not None)


def _opened(text: TextFile, blocks: Iterator[Lines], lines: list[str]) -> FileSource:
    about = _about(lines)
    names = lines[1:] if about is not None and lines[0].startswith("{") else lines
    layout, labels = layout_of(lines), labels_of(names)

    def of(blocks: Iterator[Lines]) -> TableSource | LabelledSource | None:
        if layout is not None and (labels is None or layout.share >= labels.share):
            return TableSource(text, blocks, layout, about)
        return None if labels is None else LabelledSource(text, blocks, labels, about)

    source, beginning = of(blocks), of(iter([Lines.of(lines)]))
    if source is not None and beginning is not None:
        source.sample = next((block.numbers for block in beginning.blocks()), {})
        return source
    index, line = next((position, line) for position, line in enumerate(lines, 1) if line.strip())
    raise BadInput(
        f"There is no reading in this file. Line {index} is {line.strip()[:60]!r}: a table, labels with "
        "numbers, sentences, JSON objects, Parquet and value change dumps are understood.",
        "file",
    )


def _about(lines: list[str]) -> dict[str, Any] | None:
    """What one of our own exports says of itself, in a comment or in the first object."""
    for line in lines[:20]:
        try:
            if line.startswith(ABOUT):
                result = json.loads(line.removeprefix(ABOUT))
            elif line.startswith("{") and f'"{ABOUT_KEY}"' in line[:20]:
                result = json.loads(line).get(ABOUT_KEY)
            else:
                if not line.startswith(COMMENT):
                    return None
                continue
        except (ValueError, RecursionError):
            return None
        return result if isinstance(result, dict) else None
    return None


def _head(file: BinaryIO) -> bytes:
    parts, size = [], 0
    while size < HEAD_BYTES and (part := file.read(HEAD_BYTES - size)):
        parts.append(part)
        size += len(part)
    return b"".join(parts)


def _seekable(head: bytes, file: BinaryIO) -> BinaryIO:
    if file.seekable():
        file.seek(0)
        return file
    copy = cast(BinaryIO, tempfile.SpooledTemporaryFile(max_size=IN_MEMORY))  # noqa: SIM115
    copy.write(head)
    shutil.copyfileobj(file, copy)
    copy.seek(0)
    return copy


class _Chained:
    """A file whose beginning was read already."""

    def __init__(self, head: bytes, file: BinaryIO) -> None:
        self._head, self._file = head, file

    def read(self, size: int) -> bytes:
        if self._head:
            part, self._head = self._head[:size], self._head[size:]
            return part
        return self._file.read(size)
