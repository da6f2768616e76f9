"""Raw samples of a recording: appended as tails, folded into chunks, read back as arrays or as an overview."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from tickstone.core.rows import Batch, Rows
from tickstone.store import codec
from tickstone.store.database import Database
from tickstone.store.tables import Chunk, ChunkColumn, OddLine, Recording, Sensor, Stream, StreamColumn, Tail

Array = npt.NDArray[np.float64]
Times = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Column:
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
    columns: tuple[Column, ...]
    n: int
    t0: int | None
    t1: int | None
    segments: int


@dataclass(frozen=True)
class Overview:
    """Minimum and maximum per chunk of one column: ``t0``, ``t1``, ``low``, ``high`` all of shape (chunks,)."""

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
                update(Recording)
                .where(Recording.id == recording_id, Recording.last_batch < batch.number)
                .values(last_batch=batch.number)
                .returning(Recording.id)
            ).one_or_none()
            if fresh is None:
                return  # the connection broke after the commit: it is there already
            for key, rows in batch.rows.items():
                stream_id = self._stream_id(session, recording_id, key)
                for segment, times, values in _by_segment(rows):
                    session.execute(insert(Tail).values(
                        stream_id=stream_id, segment=segment, n=len(times), rows=codec.pack_rows(times, values)))  # fmt: skip
                counts[stream_id] = self._unfolded.get(stream_id, 0) + len(rows)
                if counts[stream_id] >= codec.CHUNK_ROWS:
                    counts[stream_id] = fold(session, stream_id, whole_chunks_only=True)
            if batch.odd_lines:
                session.execute(insert(OddLine), [
                    {"recording_id": recording_id, "t": t, "text": text, "why": why}
                    for t, text, why in batch.odd_lines])  # fmt: skip
        self._unfolded.update(counts)

    def _stream_id(self, session: Session, recording_id: int, key: str) -> int:
        known = self._streams.get((recording_id, key))
        if known is None:
            where = (Stream.recording_id == recording_id, Stream.key == key)
            known = session.scalars(select(Stream.id).where(*where)).one()
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
        select(Tail.id, Tail.segment, Tail.n, Tail.rows).where(Tail.stream_id == stream_id).order_by(Tail.id)
    ).all()
    if not tails:
        return 0
    session.execute(delete(Tail).where(Tail.id.in_([tail.id for tail in tails])))
    seq = session.scalar(select(func.max(Chunk.seq)).where(Chunk.stream_id == stream_id))
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
                session.execute(insert(Tail).values(stream_id=stream_id, segment=segment, n=waiting, rows=rest))
            else:
                write_chunk(session, stream_id, seq, segment, times[piece], values[:, piece])
                seq += 1
    return waiting


def write_chunk(session: Session, stream_id: int, seq: int, segment: int, times: Times, values: Array) -> None:
    """Write one chunk: times, shape (n,), and values, shape (columns, n)."""
    session.execute(insert(Chunk).values(
        stream_id=stream_id, seq=seq, segment=segment, n=len(times), t0=int(times[0]), t1=int(times[-1]),
        times=codec.pack(times.astype("<i8"))))  # fmt: skip
    rows = []
    for position, column in enumerate(values):
        known = column[np.isfinite(column)]
        rows.append({
            "stream_id": stream_id, "seq": seq, "position": position, "n_missing": len(column) - len(known),
            "min": float(known.min()) if known.size else None, "max": float(known.max()) if known.size else None,
            "data": codec.pack(column.astype("<f8")),
        })  # fmt: skip
    session.execute(insert(ChunkColumn), rows)


def streams_of(session: Session, recording_id: int) -> list[StreamInfo]:
    """The streams of a recording with their columns and extent, folded and unfolded rows alike."""
    infos = []
    for stream in session.scalars(select(Stream).where(Stream.recording_id == recording_id).order_by(Stream.id)):
        columns = session.execute(
            select(StreamColumn, Sensor.key)
            .outerjoin(Sensor, Sensor.id == StreamColumn.sensor_id)
            .where(StreamColumn.stream_id == stream.id)
            .order_by(StreamColumn.position)
        ).all()
        folded = session.execute(
            select(func.sum(Chunk.n), func.min(Chunk.t0), func.max(Chunk.t1), func.max(Chunk.segment)).where(
                Chunk.stream_id == stream.id
            )
        ).one()
        n, t0, t1, segment = int(folded[0] or 0), folded[1], folded[2], folded[3] or 0
        for tail in session.execute(
            select(Tail.n, Tail.rows, Tail.segment).where(Tail.stream_id == stream.id).order_by(Tail.id)
        ):
            times, _ = codec.unpack_rows(tail.rows, tail.n)
            n, t0, t1 = n + tail.n, int(times[0]) if t0 is None else t0, int(times[-1])
            segment = max(segment, tail.segment)
        infos.append(StreamInfo(
            stream.id, stream.key,
            tuple(Column(c.position, key, c.channel, c.form, c.unit, c.label) for c, key in columns),
            n, t0, t1, segment + 1))  # fmt: skip
    return infos


def rows_between(
    session: Session, stream: StreamInfo, t0: int | None = None, t1: int | None = None, positions: Iterable[int] = ()
) -> tuple[Times, Array]:
    """All rows of a stream with t0 ≤ time ≤ t1 (None = no bound), in order.

    Returns times, shape (n,), µs since the recording's start, and values, shape (columns asked for, n).
    """
    wanted = list(positions) or [column.position for column in stream.columns]
    where = [Chunk.stream_id == stream.id]
    if t0 is not None:
        where.append(Chunk.t1 >= t0)
    if t1 is not None:
        where.append(Chunk.t0 <= t1)
    chunks = session.execute(select(Chunk.seq, Chunk.times).where(*where).order_by(Chunk.seq)).all()
    times: list[Times] = [np.asarray(codec.unpack(chunk.times, "<i8"), np.int64) for chunk in chunks]
    columns: list[list[Array]] = [[] for _ in wanted]
    if chunks:
        data = session.execute(
            select(ChunkColumn.position, ChunkColumn.data)
            .where(ChunkColumn.stream_id == stream.id, ChunkColumn.seq.between(chunks[0].seq, chunks[-1].seq),
                   ChunkColumn.position.in_(wanted))
            .order_by(ChunkColumn.seq)
        )  # fmt: skip
        for position, packed in data:
            columns[wanted.index(position)].append(np.asarray(codec.unpack(packed, "<f8"), np.float64))
    for tail in session.execute(select(Tail.n, Tail.rows).where(Tail.stream_id == stream.id).order_by(Tail.id)):
        tail_times, tail_values = codec.unpack_rows(tail.rows, tail.n)
        times.append(tail_times)
        for column, position in zip(columns, wanted, strict=True):
            column.append(tail_values[position])
    if not times:
        return np.zeros(0, np.int64), np.zeros((len(wanted), 0))
    all_times = np.concatenate(times)
    values = np.array([np.concatenate(column) for column in columns])
    first = 0 if t0 is None else int(np.searchsorted(all_times, t0, "left"))
    last = len(all_times) if t1 is None else int(np.searchsorted(all_times, t1, "right"))
    return all_times[first:last], values[:, first:last]


def chunk_overview(session: Session, stream: StreamInfo, position: int, t0: int, t1: int) -> Overview:
    """Minimum and maximum of one column for each chunk that touches t0…t1, without unpacking anything."""
    found = session.execute(
        select(Chunk.t0, Chunk.t1, ChunkColumn.min, ChunkColumn.max)
        .join(ChunkColumn, (ChunkColumn.stream_id == Chunk.stream_id) & (ChunkColumn.seq == Chunk.seq))
        .where(Chunk.stream_id == stream.id, ChunkColumn.position == position, Chunk.t1 >= t0, Chunk.t0 <= t1)
        .order_by(Chunk.seq)
    ).all()
    times = np.array([(row[0], row[1]) for row in found], np.int64).reshape(-1, 2)
    extremes = np.array([(row[2], row[3]) for row in found], np.float64).reshape(-1, 2)
    return Overview(times[:, 0], times[:, 1], extremes[:, 0], extremes[:, 1])


def chunks_between(session: Session, stream: StreamInfo, t0: int, t1: int) -> int:
    """How many folded chunks touch t0…t1."""
    where = (Chunk.stream_id == stream.id, Chunk.t1 >= t0, Chunk.t0 <= t1)
    return int(session.scalar(select(func.count()).select_from(Chunk).where(*where)) or 0)


@dataclass(frozen=True)
class WholeChunk:
    """One chunk: times, shape (n,), µs, and values, shape (columns, n)."""

    times: Times
    values: Array


def whole_chunks(session: Session, stream: StreamInfo) -> Iterator[WholeChunk]:
    """Every folded chunk of a stream in order, a few at a time, so that memory stays bounded."""
    last = session.scalar(select(func.max(Chunk.seq)).where(Chunk.stream_id == stream.id))
    for first in range(0, (-1 if last is None else last) + 1, CHUNKS_AT_ONCE):
        span = (first, first + CHUNKS_AT_ONCE - 1)
        times = session.execute(
            select(Chunk.seq, Chunk.times)
            .where(Chunk.stream_id == stream.id, Chunk.seq.between(*span))
            .order_by(Chunk.seq)
        ).all()
        columns = session.execute(
            select(ChunkColumn.seq, ChunkColumn.data)
            .where(ChunkColumn.stream_id == stream.id, ChunkColumn.seq.between(*span))
            .order_by(ChunkColumn.seq, ChunkColumn.position)
        ).all()
        by_seq: dict[int, list[Array]] = {}
        for seq, data in columns:
            by_seq.setdefault(seq, []).append(np.asarray(codec.unpack(data, "<f8"), np.float64))
        for seq, packed in times:
            yield WholeChunk(np.asarray(codec.unpack(packed, "<i8"), np.int64), np.array(by_seq[seq]))


CHUNKS_AT_ONCE = 64
