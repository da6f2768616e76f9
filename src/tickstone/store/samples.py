"""Raw samples of a recording: appended as tails, folded into chunks, read back as arrays or as an
overview."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from tickstone.core.rows import Batch, Rows
from tickstone.store import codec
from tickstone.store.database import Database
from tickstone.store.tables import (
    ChunkColumnRow,
    ChunkRow,
    OddLineRow,
    RecordingRow,
    SensorRow,
    StreamColumnRow,
    StreamRow,
    TailRow,
)

Array = npt.NDArray[np.float64]
Times = npt.NDArray[np.int64]

CHUNKS_AT_ONCE = 64
CHUNKS_TOGETHER = 32
PACKERS = 2


@dataclass(frozen=True)
class StoredColumn:
    """One column of a stream; ``sensor`` is the sensor's key, None for a column of no sensor."""

    position: int
    sensor: str | None
    channel: str
    form: str
    unit: str
    label: str


@dataclass(frozen=True)
class StreamInfo:
    """A stream of a recording: rows that share one time axis, µs since the recording's start."""

    id: int
    key: str
    columns: tuple[StoredColumn, ...]
    n: int
    t0: int | None
    t1: int | None
    segments: int


@dataclass(frozen=True)
class Overview:
    """Minimum and maximum per chunk of one column: ``t0``, ``t1``, ``low``, ``high`` all of shape
    (chunks,)."""

    t0: Times
    t1: Times
    low: Array
    high: Array


class SampleSink:
    """Appends batches of a live recording, and folds each stream's tail into chunks as it grows."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._streams: dict[tuple[int, str], int] = {}
        self._unfolded: dict[int, int] = {}

    def append(self, recording_id: int, batch: Batch) -> None:
        """Add a batch in one transaction; when this returns, it is on disk."""
        with self._database.transaction() as session:
            counts: dict[int, int] = {}
            fresh = session.execute(
                update(RecordingRow)
                .where(RecordingRow.id == recording_id, RecordingRow.last_batch < batch.number)
                .values(last_batch=batch.number)
                .returning(RecordingRow.id)
            ).one_or_none()
            if fresh is None:
                return  # the connection broke after the commit: it is there already
            for key, rows in batch.rows.items():
                stream_id = self._stream_id(session, recording_id, key)
                for segment, times, values in _by_segment(rows):
                    session.execute(
                        insert(TailRow).values(
                            stream_id=stream_id,
                            segment=segment,
                            n=len(times),
                            rows=codec.pack_rows(times, values),
                        )
                    )
                counts[stream_id] = self._unfolded.get(stream_id, 0) + len(rows)
                if counts[stream_id] >= codec.CHUNK_ROWS:
                    counts[stream_id] = fold(session, stream_id, whole_chunks_only=True)
            if batch.odd_lines:
                session.execute(
                    insert(OddLineRow),
                    [
                        {"recording_id": recording_id, "t": t, "text": text, "why": why}
                        for t, text, why in batch.odd_lines
                    ],
                )
        self._unfolded.update(counts)

    def _stream_id(self, session: Session, recording_id: int, key: str) -> int:
        known = self._streams.get((recording_id, key))
        if known is None:
            where = (StreamRow.recording_id == recording_id, StreamRow.key == key)
            known = session.scalars(select(StreamRow.id).where(*where)).one()
            self._streams[recording_id, key] = known
        return known


def _by_segment(rows: Rows) -> Iterable[tuple[int, Times, Array]]:
    segments = np.asarray(rows.segments)
    times = np.asarray(rows.times, np.int64)
    values = np.asarray(rows.values, np.float64)
    cuts = np.flatnonzero(np.diff(segments)) + 1
    for part in np.split(np.arange(len(segments)), cuts):
        yield int(segments[part[0]]), times[part], values[part]


def fold(session: Session, stream_id: int, *, whole_chunks_only: bool = False) -> int:
    """Fold a stream's tail rows into chunks; returns how many rows stay in the tail.

    With ``whole_chunks_only`` a remainder below a chunk's size waits in the tail; otherwise nothing waits.
    """
    tails = session.execute(
        select(TailRow.id, TailRow.segment, TailRow.n, TailRow.rows)
        .where(TailRow.stream_id == stream_id)
        .order_by(TailRow.id)
    ).all()
    if not tails:
        return 0
    session.execute(delete(TailRow).where(TailRow.id.in_([tail.id for tail in tails])))
    seq = session.scalar(select(func.max(ChunkRow.seq)).where(ChunkRow.stream_id == stream_id))
    seq = 0 if seq is None else seq + 1
    waiting = 0
    last_segment = tails[-1].segment
    for segment in dict.fromkeys(tail.segment for tail in tails):
        parts = [codec.unpack_rows(tail.rows, tail.n) for tail in tails if tail.segment == segment]
        times = np.concatenate([part[0] for part in parts])
        values = np.concatenate([part[1] for part in parts], axis=1)
        for start in range(0, len(times), codec.CHUNK_ROWS):
            piece = slice(start, start + codec.CHUNK_ROWS)
            few = len(times) - start < codec.CHUNK_ROWS
            if whole_chunks_only and few and segment == last_segment:
                rest = codec.pack_rows(times[piece], values[:, piece].T)
                waiting = len(times) - start
                session.execute(
                    insert(TailRow).values(stream_id=stream_id, segment=segment, n=waiting, rows=rest)
                )
            else:
                write_chunk(session, stream_id, seq, segment, times[piece], values[:, piece])
                seq += 1
    return waiting


def write_chunk(
    session: Session, stream_id: int, seq: int, segment: int, times: Times, values: Array
) -> None:
    """Write one chunk: times, shape (n,), and values, shape (columns, n)."""
    chunk, columns = _packed(stream_id, seq, segment, times, values)
    session.execute(insert(ChunkRow).values(dict(zip(_CHUNK, chunk, strict=True))))
    session.execute(insert(ChunkColumnRow), [dict(zip(_COLUMN, column, strict=True)) for column in columns])


_CHUNK = ("stream_id", "seq", "segment", "n", "t0", "t1", "times")
_CHUNK_TYPES = ("int8", "int4", "int4", "int4", "int8", "int8", "bytea")
_COLUMN = ("stream_id", "seq", "position", "n_missing", "min", "max", "data")
_COLUMN_TYPES = ("int8", "int4", "int4", "int4", "float8", "float8", "bytea")


def _packed(
    stream_id: int, seq: int, segment: int, times: Times, values: Array
) -> tuple[tuple[Any, ...], list[tuple[Any, ...]]]:
    """A chunk as rows of its two tables."""
    columns: list[tuple[Any, ...]] = []
    for position, column in enumerate(values):
        low, high, missing = float(column.min()), float(column.max()), 0
        if low != low:  # NaN: something is missing
            known = column[np.isfinite(column)]
            missing = len(column) - len(known)
            low, high = (float(known.min()), float(known.max())) if known.size else (None, None)  # type: ignore[assignment]
        columns.append((stream_id, seq, position, missing, low, high, codec.pack(column)))
    chunk = (stream_id, seq, segment, len(times), int(times[0]), int(times[-1]), codec.pack_times(times))
    return chunk, columns


class ChunkWriter:
    """Writes whole streams of a new recording as chunks, by COPY, within the session's transaction.

    Rows may come in pieces of any size; ``finish`` writes what is left.
    """

    def __init__(self, session: Session, recording_id: int) -> None:
        self._session = session
        rows = session.execute(
            select(StreamRow.key, StreamRow.id).where(StreamRow.recording_id == recording_id)
        )
        self._ids: dict[str, int] = {row.key: row.id for row in rows}
        self._seq = dict.fromkeys(self._ids, 0)
        self._waiting: dict[str, list[tuple[Times, Times, Array]]] = {key: [] for key in self._ids}
        self._packers = ThreadPoolExecutor(PACKERS)  # compressing goes on while the next rows are read
        self._packed: list[Future[tuple[tuple[Any, ...], list[tuple[Any, ...]]]]] = []

    def add(self, key: str, times: Times, segments: Times, values: Array) -> None:
        """Add rows of a stream: times, µs, never falling, and segments, shape (n,); values, shape (columns,
        n)."""
        if not len(times):
            return
        waiting = self._waiting[key]
        waiting.append((times, segments, values))
        if sum(len(part[0]) for part in waiting) >= codec.CHUNK_ROWS:
            self._cut(key, codec.CHUNK_ROWS)
        if len(self._packed) >= CHUNKS_AT_ONCE:
            self._copy()

    def finish(self) -> None:
        """Write what is left."""
        for key in self._ids:
            self._cut(key, 1)
        self._copy()
        self._packers.shutdown()

    def _cut(self, key: str, least: int) -> None:
        """Make chunks of what waits; fewer than ``least`` rows of the last segment go on waiting."""
        waiting = self._waiting[key]
        if not waiting:
            return
        times = np.concatenate([part[0] for part in waiting])
        segments = np.concatenate([part[1] for part in waiting])
        values = np.concatenate([part[2] for part in waiting], axis=1)
        bounds = [0, *(np.flatnonzero(np.diff(segments)) + 1).tolist(), len(times)]
        rest = len(times)
        for begin, end in itertools.pairwise(bounds):
            for start in range(begin, end, codec.CHUNK_ROWS):
                piece = slice(start, min(start + codec.CHUNK_ROWS, end))
                if end == len(times) and piece.stop - start < min(least, codec.CHUNK_ROWS):
                    rest = start
                    break
                self._packed.append(
                    self._packers.submit(
                        _packed,
                        self._ids[key],
                        self._seq[key],
                        int(segments[start]),
                        times[piece],
                        values[:, piece],
                    )
                )
                self._seq[key] += 1
        self._waiting[key] = [(times[rest:], segments[rest:], values[:, rest:])] if rest < len(times) else []

    def _copy(self) -> None:
        packed = [item.result() for item in self._packed]
        connection: Any = self._session.connection().connection.driver_connection
        for table, names, types, rows in (
            ("chunk", _CHUNK, _CHUNK_TYPES, [chunk for chunk, _ in packed]),
            ("chunk_column", _COLUMN, _COLUMN_TYPES, [row for _, many in packed for row in many]),
        ):
            with (
                connection.cursor() as cursor,
                cursor.copy(f"COPY {table} ({', '.join(names)}) FROM STDIN (FORMAT BINARY)") as copy,
            ):
                copy.set_types(types)
                for row in rows:
                    copy.write_row(row)
        self._packed = []


def streams_of(session: Session, recording_ids: Sequence[int]) -> dict[int, tuple[StreamInfo, ...]]:
    """The streams of each recording with their columns and extent, folded and unfolded rows alike."""
    streams = session.scalars(
        select(StreamRow).where(StreamRow.recording_id.in_(recording_ids)).order_by(StreamRow.id)
    ).all()
    ids = [stream.id for stream in streams]
    columns: dict[int, list[StoredColumn]] = {item: [] for item in ids}
    for c, key in session.execute(
        select(StreamColumnRow, SensorRow.key)
        .outerjoin(SensorRow, SensorRow.id == StreamColumnRow.sensor_id)
        .where(StreamColumnRow.stream_id.in_(ids))
        .order_by(StreamColumnRow.position)
    ):
        columns[c.stream_id].append(StoredColumn(c.position, key, c.channel, c.form, c.unit, c.label))
    extents: dict[int, tuple[int, int | None, int | None, int]] = dict.fromkeys(ids, (0, None, None, 0))
    for stream_id, n, t0, t1, segment in session.execute(
        select(
            ChunkRow.stream_id,
            func.sum(ChunkRow.n),
            func.min(ChunkRow.t0),
            func.max(ChunkRow.t1),
            func.max(ChunkRow.segment),
        )
        .where(ChunkRow.stream_id.in_(ids))
        .group_by(ChunkRow.stream_id)
    ):
        extents[stream_id] = (int(n), t0, t1, segment)
    for tail in session.execute(
        select(TailRow.stream_id, TailRow.n, TailRow.rows, TailRow.segment)
        .where(TailRow.stream_id.in_(ids))
        .order_by(TailRow.id)
    ):
        times, _ = codec.unpack_rows(tail.rows, tail.n)
        before, first, _, last = extents[tail.stream_id]
        begun = int(times[0]) if first is None else first
        extents[tail.stream_id] = (before + tail.n, begun, int(times[-1]), max(last, tail.segment))
    results: dict[int, tuple[StreamInfo, ...]] = dict.fromkeys(recording_ids, ())
    for stream in streams:
        rows, begins, ends, last = extents[stream.id]
        info = StreamInfo(stream.id, stream.key, tuple(columns[stream.id]), rows, begins, ends, last + 1)
        results[stream.recording_id] += (info,)
    return results


def rows_between(
    session: Session,
    stream: StreamInfo,
    t0: int | None = None,
    t1: int | None = None,
    positions: Iterable[int] = (),
) -> tuple[Times, Array]:
    """All rows of a stream with t0 ≤ time ≤ t1 (None = no bound), in order.

    Returns times, shape (n,), µs since the recording's start, and values, shape (columns asked for, n).
    """
    times, values, _ = rows_with_segments(session, stream, t0, t1, positions)
    return times, values


def rows_with_segments(
    session: Session,
    stream: StreamInfo,
    t0: int | None = None,
    t1: int | None = None,
    positions: Iterable[int] = (),
) -> tuple[Times, Array, Times]:
    """The same, with the segment of each row, shape (n,)."""
    wanted = list(positions) or [column.position for column in stream.columns]
    where = [ChunkRow.stream_id == stream.id]
    if t0 is not None:
        where.append(ChunkRow.t1 >= t0)
    if t1 is not None:
        where.append(ChunkRow.t0 <= t1)
    chunks = session.execute(
        select(ChunkRow.seq, ChunkRow.times, ChunkRow.segment, ChunkRow.n)
        .where(*where)
        .order_by(ChunkRow.seq)
    ).all()
    times: list[Times] = [codec.unpack_times(chunk.times) for chunk in chunks]
    segments = [(chunk.segment, chunk.n) for chunk in chunks]
    columns: list[list[Array]] = [[] for _ in wanted]
    if chunks:
        data = session.execute(
            select(ChunkColumnRow.position, ChunkColumnRow.data)
            .where(
                ChunkColumnRow.stream_id == stream.id,
                ChunkColumnRow.seq.between(chunks[0].seq, chunks[-1].seq),
                ChunkColumnRow.position.in_(wanted),
            )
            .order_by(ChunkColumnRow.seq)
        )
        for position, packed in data:
            columns[wanted.index(position)].append(codec.unpack(packed))
    tails = (
        select(TailRow.n, TailRow.rows, TailRow.segment)
        .where(TailRow.stream_id == stream.id)
        .order_by(TailRow.id)
    )
    for tail in session.execute(tails):
        tail_times, tail_values = codec.unpack_rows(tail.rows, tail.n)
        times.append(tail_times)
        segments.append((tail.segment, tail.n))
        for column, position in zip(columns, wanted, strict=True):
            column.append(tail_values[position])
    if not times:
        return np.zeros(0, np.int64), np.zeros((len(wanted), 0)), np.zeros(0, np.int64)
    all_times = np.concatenate(times)
    values = np.array([np.concatenate(column) for column in columns])
    first = 0 if t0 is None else int(np.searchsorted(all_times, t0, "left"))
    last = len(all_times) if t1 is None else int(np.searchsorted(all_times, t1, "right"))
    numbers, counts = np.array(segments, np.int64).T
    return all_times[first:last], values[:, first:last], np.repeat(numbers, counts)[first:last]


def blocks_between(
    session: Session, stream: StreamInfo, t0: int, t1: int
) -> Iterator[tuple[Times, Array, Times]]:
    """The rows of a stream with t0 ≤ time ≤ t1 in blocks: times, values and segments, as
    ``rows_with_segments`` gives them."""
    where = (ChunkRow.stream_id == stream.id, ChunkRow.t1 >= t0, ChunkRow.t0 <= t1)
    bounds = session.execute(select(ChunkRow.t0).where(*where).order_by(ChunkRow.seq)).scalars().all()
    starts = sorted({t0, *[bound for bound in bounds[CHUNKS_AT_ONCE::CHUNKS_AT_ONCE] if bound > t0]})
    for start, end in zip(starts, [*[start - 1 for start in starts[1:]], t1], strict=True):
        times, values, segments = rows_with_segments(session, stream, start, end)
        if len(times):
            yield times, values, segments


def chunk_overview(session: Session, stream: StreamInfo, position: int, t0: int, t1: int) -> Overview:
    """Minimum and maximum of one column for each chunk that touches t0…t1, without unpacking anything."""
    results = session.execute(
        select(ChunkRow.t0, ChunkRow.t1, ChunkColumnRow.min, ChunkColumnRow.max)
        .join(
            ChunkColumnRow,
            (ChunkColumnRow.stream_id == ChunkRow.stream_id) & (ChunkColumnRow.seq == ChunkRow.seq),
        )
        .where(
            ChunkRow.stream_id == stream.id,
            ChunkColumnRow.position == position,
            ChunkRow.t1 >= t0,
            ChunkRow.t0 <= t1,
        )
        .order_by(ChunkRow.seq)
    ).all()
    times = np.array([(row[0], row[1]) for row in results], np.int64).reshape(-1, 2)
    extremes = np.array([(row[2], row[3]) for row in results], np.float64).reshape(-1, 2)
    return Overview(times[:, 0], times[:, 1], extremes[:, 0], extremes[:, 1])


def chunks_between(session: Session, stream: StreamInfo, t0: int, t1: int) -> int:
    """How many folded chunks touch t0…t1."""
    where = (ChunkRow.stream_id == stream.id, ChunkRow.t1 >= t0, ChunkRow.t0 <= t1)
    return int(session.scalar(select(func.count()).select_from(ChunkRow).where(*where)) or 0)


@dataclass(frozen=True)
class Packed:
    """A few chunks that follow each other, still packed; ``missing`` values in their columns, ``sizes`` rows
    of each."""

    times: list[bytes]
    columns: list[list[bytes]]
    sizes: list[int]
    missing: int

    def unpack(self) -> tuple[Times, Array]:
        """Their times, shape (n,), µs, and values, shape (columns, n)."""
        times = np.concatenate([codec.unpack_times(time) for time in self.times])
        return times, np.array(
            [np.concatenate([codec.unpack(item) for item in column]) for column in self.columns]
        )


def packed_chunks(session: Session, stream: StreamInfo, positions: list[int]) -> Iterator[Packed]:
    """Every folded chunk of a stream in order, the columns at these positions, CHUNKS_TOGETHER at a time, so
    that memory stays bounded."""
    last = session.scalar(select(func.max(ChunkRow.seq)).where(ChunkRow.stream_id == stream.id))
    for first in range(0, (-1 if last is None else last) + 1, CHUNKS_TOGETHER):
        span = (first, first + CHUNKS_TOGETHER - 1)
        chunks = session.execute(
            select(ChunkRow.times, ChunkRow.n)
            .where(ChunkRow.stream_id == stream.id, ChunkRow.seq.between(*span))
            .order_by(ChunkRow.seq)
        ).all()
        columns: list[list[bytes]] = [[] for _ in positions]
        missing = 0
        for position, data, n_missing in session.execute(
            select(ChunkColumnRow.position, ChunkColumnRow.data, ChunkColumnRow.n_missing)
            .where(
                ChunkColumnRow.stream_id == stream.id,
                ChunkColumnRow.seq.between(*span),
                ChunkColumnRow.position.in_(positions),
            )
            .order_by(ChunkColumnRow.seq)
        ):
            columns[positions.index(position)].append(data)
            missing += n_missing
        yield Packed([chunk.times for chunk in chunks], columns, [chunk.n for chunk in chunks], missing)
