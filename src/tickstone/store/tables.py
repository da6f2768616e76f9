"""The tables. Revisions, constants and stones are append-only; raw samples live in compressed column
chunks."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    Computed,
    DateTime,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    Text,
    UniqueConstraint,
    false,
    func,
)
from sqlalchemy.dialects.postgresql import DOUBLE_PRECISION, JSONB, TSVECTOR
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMING = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {  # noqa: RUF012
        str: Text,
        int: BigInteger,
        float: DOUBLE_PRECISION,
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        bytes: LargeBinary,
    }


def _now() -> Mapped[datetime]:
    return mapped_column(server_default=func.now())


class RigRow(Base):
    __tablename__ = "rig"
    id: Mapped[int] = mapped_column(primary_key=True)
    slug: Mapped[str] = mapped_column(unique=True)
    current_revision_id: Mapped[int | None] = mapped_column(
        ForeignKey("rig_revision.id", use_alter=True, deferrable=True)
    )
    archived_at: Mapped[datetime | None]


class RigRevisionRow(Base):
    """Immutable. Undo makes the parent current again."""

    __tablename__ = "rig_revision"
    __table_args__ = (UniqueConstraint("rig_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    number: Mapped[int] = mapped_column(Integer)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("rig_revision.id"))
    document: Mapped[dict[str, Any]]
    schema_version: Mapped[int] = mapped_column(Integer)
    why: Mapped[str]
    at: Mapped[datetime] = _now()


class SensorRow(Base):
    """The stable identity of a mounted part: constants and marks survive rewiring."""

    __tablename__ = "sensor"
    __table_args__ = (UniqueConstraint("rig_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    key: Mapped[str]
    kind: Mapped[str]
    name: Mapped[str]
    archived_at: Mapped[datetime | None]


class RecordingRow(Base):
    __tablename__ = "recording"
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    rig_revision_id: Mapped[int] = mapped_column(ForeignKey("rig_revision.id"))
    name: Mapped[str]
    origin: Mapped[str]  # live, import, hand
    source: Mapped[str]
    status: Mapped[str]  # live, closed, cut
    ended_why: Mapped[str] = mapped_column(server_default="")
    started_at: Mapped[datetime] = _now()
    ended_at: Mapped[datetime | None]
    clock: Mapped[str]  # device, arrival, rate (rows at equal distances), hand
    made_from: Mapped[list[Any]] = mapped_column(server_default="[]")
    note: Mapped[str] = mapped_column(server_default="")
    last_batch: Mapped[int] = mapped_column(server_default="0")  # a batch sent twice is kept once
    archived_at: Mapped[datetime | None]


class StreamRow(Base):
    """Rows that share one time axis."""

    __tablename__ = "stream"
    __table_args__ = (UniqueConstraint("recording_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    recording_id: Mapped[int] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"))
    key: Mapped[str]


class StreamColumnRow(Base):
    __tablename__ = "stream_column"
    stream_id: Mapped[int] = mapped_column(ForeignKey("stream.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True)
    sensor_id: Mapped[int | None] = mapped_column(ForeignKey("sensor.id"))
    channel: Mapped[str]
    form: Mapped[str]  # level, edge, counter
    type: Mapped[str]  # numpy's name of the stored type
    unit: Mapped[str]
    label: Mapped[str]


class ChunkRow(Base):
    """Up to 8192 rows: times as compressed int64 µs since the recording's start."""

    __tablename__ = "chunk"
    stream_id: Mapped[int] = mapped_column(ForeignKey("stream.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(Integer, primary_key=True)
    segment: Mapped[int] = mapped_column(Integer)
    n: Mapped[int] = mapped_column(Integer)
    t0: Mapped[int]
    t1: Mapped[int]
    times: Mapped[bytes]


class ChunkColumnRow(Base):
    """Minimum and maximum serve an overview without unpacking; missing values are NaN inside and counted
    here."""

    __tablename__ = "chunk_column"
    stream_id: Mapped[int] = mapped_column(ForeignKey("stream.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(Integer, primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True)
    n_missing: Mapped[int] = mapped_column(Integer)
    min: Mapped[float | None]
    max: Mapped[float | None]
    data: Mapped[bytes]


class TailRow(Base):
    """What one commit added to a stream; folded into chunks at 8192 rows, at close, or at the next start."""

    __tablename__ = "tail"
    id: Mapped[int] = mapped_column(primary_key=True)
    stream_id: Mapped[int] = mapped_column(ForeignKey("stream.id", ondelete="CASCADE"), index=True)
    segment: Mapped[int] = mapped_column(Integer)
    n: Mapped[int] = mapped_column(Integer)
    rows: Mapped[bytes]


class OddLineRow(Base):
    __tablename__ = "odd_line"
    id: Mapped[int] = mapped_column(primary_key=True)
    recording_id: Mapped[int] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    t: Mapped[int]
    text: Mapped[str]
    why: Mapped[str]
    line: Mapped[int | None]  # in the file that it was imported from


class MarkRow(Base):
    """A moment (t1 null) or span, µs since the recording's start, with what was true there and under what
    conditions."""

    __tablename__ = "mark"
    id: Mapped[int] = mapped_column(primary_key=True)
    recording_id: Mapped[int] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    t0: Mapped[int]
    t1: Mapped[int | None]
    label: Mapped[str]
    sensor_id: Mapped[int | None] = mapped_column(ForeignKey("sensor.id"))
    truth: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    conditions: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    archived_at: Mapped[datetime | None]


class EarlierRow(Base):
    """Append-only. What fields of a mark, or of a recording itself (name, note, archived), were before a
    change."""

    __tablename__ = "earlier"
    id: Mapped[int] = mapped_column(primary_key=True)
    recording_id: Mapped[int] = mapped_column(ForeignKey("recording.id", ondelete="CASCADE"), index=True)
    mark_id: Mapped[int | None] = mapped_column(ForeignKey("mark.id", ondelete="CASCADE"))
    before: Mapped[dict[str, Any]]
    at: Mapped[datetime] = _now()


class CalibrationRow(Base):
    __tablename__ = "calibration"
    id: Mapped[int] = mapped_column(primary_key=True)
    sensor_id: Mapped[int] = mapped_column(ForeignKey("sensor.id"), index=True)
    procedure: Mapped[str]
    state: Mapped[str]  # draft, accepted, rejected
    steps: Mapped[list[Any]]
    result: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    made_at: Mapped[datetime] = _now()
    ended_at: Mapped[datetime | None]


class ConstantValueRow(Base):
    """Append-only. The latest of a name is the one that holds; one that is ``withdrawn`` says that none
    does."""

    __tablename__ = "constant_value"
    __table_args__ = (Index("ix_constant_value_latest", "sensor_id", "name", "id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    sensor_id: Mapped[int | None] = mapped_column(ForeignKey("sensor.id"))
    name: Mapped[str]
    condition: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    value: Mapped[Any] = mapped_column(JSONB)
    unit: Mapped[str]
    sd: Mapped[float | None]
    provenance: Mapped[str]  # assumed, measured, chosen
    source: Mapped[str]
    warning: Mapped[str] = mapped_column(server_default="")  # what spoke against a choice when it was made
    withdrawn: Mapped[bool] = mapped_column(server_default=false())
    # the same value, holding again
    restores_id: Mapped[int | None] = mapped_column(ForeignKey("constant_value.id"))
    calibration_id: Mapped[int | None] = mapped_column(ForeignKey("calibration.id"))
    made_at: Mapped[datetime] = _now()


class ValueInputRow(Base):
    """What a value rests on: another value, a recording, a mark, or a rig field with what was seen there."""

    __tablename__ = "value_input"
    id: Mapped[int] = mapped_column(primary_key=True)
    value_id: Mapped[int] = mapped_column(ForeignKey("constant_value.id"), index=True)
    input_value_id: Mapped[int | None] = mapped_column(ForeignKey("constant_value.id"))
    recording_id: Mapped[int | None] = mapped_column(ForeignKey("recording.id"))
    mark_id: Mapped[int | None] = mapped_column(ForeignKey("mark.id"))
    name: Mapped[str | None]  # of a constant that stood at its default, or the path of a rig field
    seen: Mapped[Any | None] = mapped_column(JSONB(none_as_null=True))


class StoneRow(Base):
    __tablename__ = "stone"
    __table_args__ = (UniqueConstraint("rig_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    number: Mapped[int] = mapped_column(Integer)
    why: Mapped[str]
    rig_revision_id: Mapped[int] = mapped_column(ForeignKey("rig_revision.id"))
    cut_at: Mapped[datetime] = _now()


class StoneLineRow(Base):
    """A copy, not a reference: what a stone says never changes."""

    __tablename__ = "stone_line"
    stone_id: Mapped[int] = mapped_column(ForeignKey("stone.id"), primary_key=True)
    position: Mapped[int] = mapped_column(Integer, primary_key=True)
    sensor_key: Mapped[str]
    name: Mapped[str]
    label: Mapped[str]
    value: Mapped[float]
    unit: Mapped[str]
    sd: Mapped[float | None]
    provenance: Mapped[str]
    source: Mapped[str]
    made_at: Mapped[datetime | None]
    condition: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    stale: Mapped[str] = mapped_column(server_default="")
    warning: Mapped[str] = mapped_column(server_default="")
    value_id: Mapped[int | None] = mapped_column(ForeignKey("constant_value.id"))


class ChecklistTickRow(Base):
    """A ticked step of a rig's checklist; taking the tick back keeps the line."""

    __tablename__ = "checklist_tick"
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    step: Mapped[str]
    text: Mapped[str]
    by: Mapped[str] = mapped_column(server_default="")
    at: Mapped[datetime] = _now()
    taken_back_at: Mapped[datetime | None]


class LineLabelRow(Base):
    """What a person said that a label on the rig's line means; labels without a line here are guessed."""

    __tablename__ = "line_label"
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    label: Mapped[str] = mapped_column(primary_key=True)
    meaning: Mapped[dict[str, Any]]
    at: Mapped[datetime] = _now()


class WorldRow(Base):
    """A world that was drawn or taken in; it belongs to the app, and every rig can be run in it."""

    __tablename__ = "world"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    document: Mapped[dict[str, Any]]
    changed_at: Mapped[datetime] = _now()


class TrialRow(Base):
    """A run that was kept, with all that it takes to repeat it: a copy, so that what it tells never
    changes."""

    __tablename__ = "trial"
    __table_args__ = (UniqueConstraint("rig_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    number: Mapped[int] = mapped_column(Integer)
    rig_revision_id: Mapped[int] = mapped_column(ForeignKey("rig_revision.id"))
    at: Mapped[datetime] = _now()
    note: Mapped[str] = mapped_column(server_default="")
    behaviour: Mapped[str]
    world: Mapped[dict[str, Any]]
    asked: Mapped[dict[str, Any]]  # given, seconds, seed, step_ms, real, integers
    constants: Mapped[dict[str, Any]]  # by sensor and name: value, sd, provenance
    score: Mapped[dict[str, Any]]
    verdict: Mapped[str]
    why: Mapped[str]
    archived_at: Mapped[datetime | None]


class EntryRow(Base):
    """The timeline, written in the action's own transaction."""

    __tablename__ = "entry"
    __table_args__ = (Index("ix_entry_search", "search", postgresql_using="gin"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    at: Mapped[datetime] = _now()
    kind: Mapped[str]  # wiring, recording, calibration, constant, stone, note
    reference: Mapped[dict[str, Any]] = mapped_column(server_default="{}")
    text: Mapped[str]
    search: Mapped[Any] = mapped_column(TSVECTOR, Computed("to_tsvector('simple', text)", persisted=True))
