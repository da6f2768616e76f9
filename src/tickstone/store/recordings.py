"""Recordings: begun, closed, found; their marks and odd lines."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy import func, insert, select, update
from sqlalchemy.orm import Session

from tickstone.core.rigs.kinds.base import ChannelSpec
from tickstone.errors import Conflict, NotFound
from tickstone.store import samples, tables
from tickstone.store.rigs import sensor_ids

STOPPED = "Tick Stone was stopped while it recorded."


@dataclass(frozen=True)
class NewStream:
    """A stream to be: the key of the sensor whose channels share its time axis (or of no sensor), and its
    columns."""

    key: str
    sensor: str | None
    channels: tuple[ChannelSpec, ...]


@dataclass(frozen=True)
class StoredRecording:
    """A recording with its streams; times of streams and marks are µs since ``started_at``."""

    id: int
    rig_id: int
    rig_revision_id: int
    name: str
    origin: str
    source: str
    status: str
    ended_why: str
    started_at: datetime
    ended_at: datetime | None
    clock: str
    streams: tuple[samples.StreamInfo, ...]
    odd_lines: int
    archived_at: datetime | None
    note: str = ""
    made_from: tuple[Any, ...] = ()

    def stream_of(self, sensor: str) -> samples.StreamInfo:
        """The stream of a sensor. Raises NotFound."""
        for stream in self.streams:
            if stream.key == sensor:
                return stream
        raise NotFound(f"This recording holds nothing of the sensor {sensor!r}.")

    @property
    def duration_s(self) -> float:
        """From the recording's start to its last row."""
        return max((stream.t1 or 0 for stream in self.streams), default=0) / 1e6


@dataclass(frozen=True)
class StoredMark:
    """A labelled moment or span."""

    id: int
    recording_id: int
    t0: int
    t1: int | None
    label: str
    sensor: str | None
    truth: dict[str, Any] | None
    conditions: dict[str, Any] = field(default_factory=dict)
    archived: bool = False


def begin(
    session: Session,
    *,
    rig_id: int,
    revision_id: int,
    name: str,
    origin: str,
    source: str,
    clock: str,
    streams: Iterable[NewStream],
    started_at: datetime | None = None,
    note: str = "",
    made_from: Iterable[Any] = (),
) -> int:
    """Store a new recording with its streams; live until it is closed. Returns its id."""
    row = tables.RecordingRow(
        rig_id=rig_id,
        rig_revision_id=revision_id,
        name=name,
        origin=origin,
        source=source,
        status="live",
        clock=clock,
        started_at=started_at or datetime.now(UTC),
        note=note,
        made_from=list(made_from),
    )
    session.add(row)
    session.flush()
    ids = sensor_ids(session, rig_id)
    for new in streams:
        stream = tables.StreamRow(recording_id=row.id, key=new.key)
        session.add(stream)
        session.flush()
        for position, channel in enumerate(new.channels):
            session.add(
                tables.StreamColumnRow(
                    stream_id=stream.id,
                    position=position,
                    sensor_id=ids[new.sensor] if new.sensor else None,
                    channel=channel.name,
                    form=channel.form,
                    type="<f8",
                    unit=channel.unit,
                    label=channel.labels[0] if channel.labels else channel.label,
                )
            )
    return row.id


def close(
    session: Session,
    recording_id: int,
    *,
    status: str = "closed",
    why: str = "",
    ended_at: datetime | None = None,
) -> None:
    """Fold what is in the tail and close a recording (``cut`` when its source or the app went away)."""
    for stream in session.scalars(
        select(tables.StreamRow.id).where(tables.StreamRow.recording_id == recording_id)
    ):
        samples.fold(session, stream)
    session.execute(
        update(tables.RecordingRow)
        .where(tables.RecordingRow.id == recording_id)
        .values(status=status, ended_why=why, ended_at=ended_at or datetime.now(UTC))
    )


def set_times(
    session: Session, recording_id: int, started_at: datetime | None, ended_at: datetime | None
) -> None:
    """When a recording began and ended, where that is known (None: as it stands)."""
    said = {"started_at": started_at, "ended_at": ended_at}
    known = {name: time for name, time in said.items() if time is not None}
    if known:
        session.execute(
            update(tables.RecordingRow).where(tables.RecordingRow.id == recording_id).values(**known)
        )


def began(session: Session, recording_id: int) -> datetime | None:
    """When a recording began; None where there is none of that id."""
    return session.scalar(
        select(tables.RecordingRow.started_at).where(tables.RecordingRow.id == recording_id)
    )


def close_orphans(session: Session, own: Collection[int] = ()) -> int:
    """Close the recordings that were live when the app went away without closing them, and not our ``own``;
    returns how many."""
    live = select(tables.RecordingRow.id).where(tables.RecordingRow.status == "live")
    orphans = session.scalars(live.where(tables.RecordingRow.id.not_in(own))).all()
    for recording_id in orphans:
        close(session, recording_id, status="cut", why=STOPPED)
    return len(orphans)


def write_rows(session: Session, recording_id: int, key: str, times: Any, values: Any) -> None:
    """Write a whole stream at once (typed, imported or made): times, shape (n,), µs; values, shape (columns,
    n)."""
    whole = np.asarray(times, np.int64)
    writer = samples.ChunkWriter(session, recording_id)
    writer.add(key, whole, np.zeros(len(whole), np.int64), np.asarray(values, np.float64))
    writer.finish()


def _stored(session: Session, rows: Sequence[tables.RecordingRow]) -> list[StoredRecording]:
    ids = [row.id for row in rows]
    counted = session.execute(
        select(tables.OddLineRow.recording_id, func.count())
        .where(tables.OddLineRow.recording_id.in_(ids))
        .group_by(tables.OddLineRow.recording_id)
    )
    odd = {recording: int(count) for recording, count in counted}
    streams = samples.streams_of(session, ids)
    return [
        StoredRecording(
            row.id,
            row.rig_id,
            row.rig_revision_id,
            row.name,
            row.origin,
            row.source,
            row.status,
            row.ended_why,
            row.started_at,
            row.ended_at,
            row.clock,
            streams[row.id],
            odd.get(row.id, 0),
            row.archived_at,
            row.note,
            tuple(row.made_from),
        )
        for row in rows
    ]


def hold(session: Session, recording_ids: Iterable[int]) -> None:
    """Nobody else changes these recordings until the transaction ends; what is read from now on stands so."""
    wanted = select(tables.RecordingRow).where(tables.RecordingRow.id.in_(list(recording_ids)))
    ordered = wanted.order_by(tables.RecordingRow.id).with_for_update()
    session.scalars(ordered).all()
    session.flush()
    session.expire_all()


def recording(session: Session, recording_id: int) -> StoredRecording:
    """The recording of that id. Raises NotFound."""
    row = session.get(tables.RecordingRow, recording_id)
    if row is None:
        raise NotFound(f"There is no recording {recording_id}.")
    return _stored(session, [row])[0]


def recordings_of(session: Session, rig_id: int, archived: bool = False) -> list[StoredRecording]:
    """A rig's recordings that are not archived (or those that are), newest first."""
    put_away = tables.RecordingRow.archived_at
    where = (tables.RecordingRow.rig_id == rig_id, put_away.is_not(None) if archived else put_away.is_(None))
    rows = session.scalars(
        select(tables.RecordingRow).where(*where).order_by(tables.RecordingRow.started_at.desc())
    )
    return _stored(session, rows.all())


def rename(session: Session, recording_id: int, name: str) -> None:
    """Give a recording another name."""
    recording(session, recording_id)
    session.execute(
        update(tables.RecordingRow).where(tables.RecordingRow.id == recording_id).values(name=name)
    )


def set_note(session: Session, recording_id: int, note: str) -> None:
    """Say something about a recording."""
    recording(session, recording_id)
    session.execute(
        update(tables.RecordingRow).where(tables.RecordingRow.id == recording_id).values(note=note)
    )


def specs_of(stream: samples.StreamInfo) -> tuple[ChannelSpec, ...]:
    """The channels of a stream as a new stream takes them."""
    return tuple(
        ChannelSpec(column.channel, column.label, column.form, column.unit, (column.label,), -np.inf, np.inf)
        for column in stream.columns
    )


def set_archived(session: Session, recording_id: int, archived: bool) -> None:
    """Put a recording away, or bring it back. Nothing is deleted, so what rests on it stays traceable."""
    if recording(session, recording_id).status == "live":
        raise Conflict("This recording is still running: stop it first.", "recording")
    when = datetime.now(UTC) if archived else None
    session.execute(
        update(tables.RecordingRow).where(tables.RecordingRow.id == recording_id).values(archived_at=when)
    )


@dataclass(frozen=True)
class StoredOddLine:
    """A line that was not understood: when it came (µs), or where it stood in the file (from 1); its text,
    and why."""

    t: int
    text: str
    why: str
    line: int | None = None


def odd_lines(session: Session, recording_id: int, most: int = 50) -> list[StoredOddLine]:
    """The first lines that were not understood."""
    rows = session.scalars(
        select(tables.OddLineRow)
        .where(tables.OddLineRow.recording_id == recording_id)
        .order_by(tables.OddLineRow.id)
        .limit(most)
    )
    return [StoredOddLine(row.t, row.text, row.why, row.line) for row in rows]


def add_odd_lines(session: Session, recording_id: int, lines: Iterable[StoredOddLine]) -> None:
    """Keep lines that were not understood."""
    rows = [
        {"recording_id": recording_id, "t": o.t, "text": o.text, "why": o.why, "line": o.line} for o in lines
    ]
    if rows:
        session.execute(insert(tables.OddLineRow), rows)


def add_mark(
    session: Session,
    recording_id: int,
    t0: int,
    t1: int | None,
    label: str,
    *,
    sensor_id: int | None = None,
    truth: dict[str, Any] | None = None,
    conditions: dict[str, Any] | None = None,
) -> int:
    """Store a mark; returns its id."""
    row = tables.MarkRow(
        recording_id=recording_id,
        t0=t0,
        t1=t1,
        label=label,
        sensor_id=sensor_id,
        truth=truth,
        conditions=conditions or {},
    )
    session.add(row)
    session.flush()
    return row.id


def mark(session: Session, mark_id: int) -> StoredMark:
    """The mark of that id. Raises NotFound."""
    row = session.get(tables.MarkRow, mark_id)
    if row is None:
        raise NotFound(f"There is no mark {mark_id}.")
    key = session.scalar(select(tables.SensorRow.key).where(tables.SensorRow.id == row.sensor_id))
    archived = row.archived_at is not None
    return StoredMark(
        row.id, row.recording_id, row.t0, row.t1, row.label, key, row.truth, row.conditions, archived
    )


def change_mark(session: Session, mark_id: int, **changes: Any) -> None:
    """Change fields of a mark: t0, t1, label, sensor_id, truth, conditions. Raises NotFound."""
    mark(session, mark_id)
    session.execute(update(tables.MarkRow).where(tables.MarkRow.id == mark_id).values(**changes))


def rests_on_mark(session: Session, mark_id: int) -> bool:
    """Whether a stored constant rests on a mark."""
    result = select(tables.ValueInputRow.id).where(tables.ValueInputRow.mark_id == mark_id).limit(1)
    return session.scalar(result) is not None


def set_mark_archived(session: Session, mark_id: int, archived: bool) -> None:
    """Put a mark away, or bring it back. Raises NotFound."""
    row = session.get(tables.MarkRow, mark_id)
    if row is None:
        raise NotFound(f"There is no mark {mark_id}.")
    row.archived_at = datetime.now(UTC) if archived else None


def marks_of(session: Session, recording_id: int) -> list[StoredMark]:
    """The marks of a recording that are not archived, in time order."""
    return marks_of_all(session, [recording_id])[recording_id]


def marks_of_all(session: Session, recording_ids: Sequence[int]) -> dict[int, list[StoredMark]]:
    """The marks of each recording that are not archived, in time order."""
    rows = session.execute(
        select(tables.MarkRow, tables.SensorRow.key)
        .outerjoin(tables.SensorRow, tables.SensorRow.id == tables.MarkRow.sensor_id)
        .where(tables.MarkRow.recording_id.in_(recording_ids), tables.MarkRow.archived_at.is_(None))
        .order_by(tables.MarkRow.t0, tables.MarkRow.id)
    )
    results: dict[int, list[StoredMark]] = {item: [] for item in recording_ids}
    for m, key in rows:
        results[m.recording_id].append(
            StoredMark(m.id, m.recording_id, m.t0, m.t1, m.label, key, m.truth, m.conditions)
        )
    return results


def count_of(session: Session, rig_id: int, *, live: bool = False) -> int:
    """How many recordings a rig has that are not archived, or only those that came from its board."""
    where = [tables.RecordingRow.rig_id == rig_id, tables.RecordingRow.archived_at.is_(None)]
    where += [tables.RecordingRow.origin == "live"] if live else []
    return session.scalar(select(func.count()).select_from(tables.RecordingRow).where(*where)) or 0
