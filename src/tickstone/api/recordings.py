"""Recordings: listed, opened, read back, renamed, archived."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Query
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from tickstone.actions import cutting, diagnosing, exporting, lanes, marking, reading, recordings
from tickstone.api.errors import REFUSALS
from tickstone.api.models import (
    Body,
    Conditions,
    Done,
    FaultModel,
    MarkAsked,
    MarkModel,
    Name,
    RecordingModel,
    Seconds,
    TruthModel,
    numbers,
    seconds,
)
from tickstone.api.needs import Shop
from tickstone.errors import BadInput

router = APIRouter(prefix="/api", tags=["recordings"], responses=REFUSALS)

WIDEST = 4000
MOST_LANES = 12


class OddLineModel(BaseModel):
    """A line that was not understood; ``line`` is its place in the file, for one that was imported."""

    t_s: float
    text: str
    why: str
    line: int | None


class ShownModel(BaseModel):
    """Something that can be a lane: ``channel`` is empty for converted readings; ``form`` is numbers, levels
    or edges."""

    id: str
    sensor: str
    channel: str
    title: str
    unit: str
    form: str
    digits: int


class EarlierModel(BaseModel):
    """What a mark (null: the recording itself) was until ``at``, by field; times in s."""

    id: int
    mark_id: int | None
    before: dict[str, Any]
    at: datetime

    @staticmethod
    def of(change: recordings.Earlier) -> EarlierModel:
        """An earlier state as the screen shows it."""
        before = dict(change.before)
        for name in ("t0", "t1"):
            if name in before:
                before[f"{name}_s"] = seconds(before.pop(name))
        return EarlierModel(id=change.id, mark_id=change.mark_id, before=before, at=change.at)


class OpenedRecordingModel(BaseModel):
    recording: RecordingModel
    shown: list[ShownModel]
    marks: list[MarkModel]
    odd: list[OddLineModel]
    earlier: list[EarlierModel]


class TraceModel(BaseModel):
    t: list[float | None]
    raw_low: list[float | None]
    raw_high: list[float | None]
    low: list[float | None]
    high: list[float | None]
    n: int
    exact: bool


class CursorModel(BaseModel):
    t_s: float
    raw: float | None
    asked: dict[str, float]
    value: float | None
    reason: str
    air_c: float | None


class LaneModel(BaseModel):
    id: str
    t: list[float | None]
    low: list[float | None]
    high: list[float | None]
    n: int
    exact: bool


class WidthsModel(BaseModel):
    mean: float
    least: float
    most: float


class PulsesModel(BaseModel):
    """Pulses of a span, s."""

    rises: int
    period_s: float | None
    high_s: WidthsModel | None
    low_s: WidthsModel | None
    high_share: float | None


class ReadOutModel(BaseModel):
    """A lane over a span; ``whole`` is false where only the first part of it was counted."""

    id: str
    n: int
    missing: int
    mean: float | None
    sd: float | None
    low: float | None
    high: float | None
    rate_hz: float | None
    pulses: PulsesModel | None
    whole: bool

    @staticmethod
    def of(read_out: lanes.ReadOut) -> ReadOutModel:
        """A read-out as the screen shows it."""
        pulses = read_out.pulses
        said = None if pulses is None else PulsesModel.model_validate(asdict(pulses))
        return ReadOutModel(
            id=read_out.shown.id, pulses=said, whole=read_out.whole, **asdict(read_out.statistics)
        )


class MomentModel(BaseModel):
    """A lane at a moment; of levels how long this one holds, and from rise to rise, s."""

    id: str
    t_s: float
    value: float | None
    width_s: float | None
    period_s: float | None


class DiagnosisModel(BaseModel):
    """What looks wrong in a recording; ``looked_at`` is the share of it that was looked at."""

    findings: list[FaultModel]
    looked_at: float


class RecordingChange(Body):
    """``seen`` is the last change of the recording that was known: one of the same since is a conflict."""

    seen: int | None = None
    name: Name | None = None
    note: Annotated[str, Field(max_length=4000)] | None = None
    archived: bool | None = None


class SpanAsked(Body):
    """A span, s from the recording's start."""

    t0_s: Seconds
    t1_s: Seconds


class MomentAsked(Body):
    t_s: Seconds


class JoinAsked(Body):
    recordings: Annotated[list[int], Field(max_length=100)]


class CutDone(BaseModel):
    """What was made, and what was archived for it."""

    made: list[int]
    put_away: list[int]


class NewMark(MarkAsked):
    """A moment, or a span where ``t1_s`` is given, s from the recording's start."""

    t0_s: Seconds
    t1_s: Seconds | None = None


class MarkChange(Body):
    """``seen`` is the last change of the recording that was known: one of the same since is a conflict."""

    seen: int | None = None
    label: Annotated[str, Field(min_length=1, max_length=120)] | None = None
    archived: bool | None = None
    t0_s: Seconds | None = None
    t1_s: Seconds | None = None
    sensor: Name | None = None
    truth: TruthModel | None = None
    conditions: Conditions | None = None


@router.get("/rigs/{slug}/recordings")
def all_recordings(shop: Shop, slug: Name, archived: bool = False) -> list[RecordingModel]:
    """A rig's recordings, or archived ones, newest first."""
    with shop.database.transaction() as session:
        listed = recordings.listed(session, slug, archived)
    shop.warm(listed.slow)
    return [RecordingModel.of(recording) for recording in listed.newest_first]


@router.get("/recordings/{recording_id}")
def opened(shop: Shop, recording_id: int) -> OpenedRecordingModel:
    """One recording with its marks and what was not understood."""
    with shop.database.transaction() as session:
        mine = recordings.opened(session, recording_id)
    return OpenedRecordingModel(
        recording=RecordingModel.of(mine.recording),
        odd=[
            OddLineModel(t_s=line.t / 1e6, text=line.text, why=line.why, line=line.line) for line in mine.odd
        ],
        shown=[ShownModel(**asdict(shown)) for shown in mine.shown],
        marks=MarkModel.all_of(mine.marks),
        earlier=[EarlierModel.of(change) for change in mine.earlier],
    )


@router.patch("/recordings/{recording_id}")
def change(shop: Shop, recording_id: int, body: RecordingChange) -> Done:
    """Rename a recording, note something about it, put it away, or bring it back."""
    with shop.change_recording(recording_id) as session:
        recordings.change(session, recording_id, body.name, body.note, body.archived, body.seen)
    return Done(id=recording_id)


@router.get("/recordings/{recording_id}/findings")
def findings(shop: Shop, recording_id: int) -> DiagnosisModel:
    """What looks wrong in a recording, the surest first; nothing in a healthy one."""
    with shop.database.transaction() as session:
        diagnosis = diagnosing.of_recording(session, recording_id)
    return DiagnosisModel(
        findings=[FaultModel.of(finding) for finding in diagnosis.findings], looked_at=diagnosis.looked_at
    )


@router.get("/recordings/{recording_id}/trace")
def trace(
    shop: Shop,
    recording_id: int,
    sensor: Name,
    t0: Seconds | None = None,
    t1: Seconds | None = None,
    width: Annotated[int, Query(ge=2, le=WIDEST)] = 1000,
) -> TraceModel:
    """A sensor's readings between two times, s, at most about ``width`` points: minimum and maximum per
    bin."""
    if t0 is not None and t1 is not None and t0 >= t1:
        raise BadInput(f"t0 ({t0:g} s) must be before t1 ({t1:g} s).", "t0")
    with shop.database.transaction() as session:
        result = reading.trace(session, recording_id, sensor, t0, t1, width)
    return TraceModel(
        t=numbers(result.times_s, 6),
        raw_low=numbers(result.raw_low),
        raw_high=numbers(result.raw_high),
        low=numbers(result.low),
        high=numbers(result.high),
        n=result.n,
        exact=result.exact,
    )


@router.get("/recordings/{recording_id}/at")
def at_cursor(shop: Shop, recording_id: int, sensor: Name, t: Seconds) -> CursorModel:
    """The reading nearest to a time, s."""
    with shop.database.transaction() as session:
        reading_at_cursor = reading.at_cursor(session, recording_id, sensor, t)
    return CursorModel(
        t_s=reading_at_cursor.t_s,
        raw=reading_at_cursor.raw,
        asked=reading_at_cursor.asked,
        value=reading_at_cursor.value,
        reason=reading_at_cursor.reason,
        air_c=reading_at_cursor.air_c,
    )


@router.post("/recordings/{recording_id}/trim")
def trim(shop: Shop, recording_id: int, body: SpanAsked) -> CutDone:
    """Keep only a span of a recording: a new one takes its place."""
    with shop.change_recording(recording_id) as session:
        done = cutting.trim(session, recording_id, round(body.t0_s * 1e6), round(body.t1_s * 1e6))
    return CutDone(made=done.made, put_away=done.put_away)


@router.post("/recordings/{recording_id}/split")
def split(shop: Shop, recording_id: int, body: MomentAsked) -> CutDone:
    """Cut a recording in two: two new ones take its place."""
    with shop.change_recording(recording_id) as session:
        done = cutting.split(session, recording_id, round(body.t_s * 1e6))
    return CutDone(made=done.made, put_away=done.put_away)


@router.post("/rigs/{slug}/recordings/join")
def join(shop: Shop, slug: Name, body: JoinAsked) -> CutDone:
    """Join recordings of a rig: a new one takes their place."""
    with shop.change(slug) as session:
        done = cutting.join(session, slug, body.recordings)
    return CutDone(made=done.made, put_away=done.put_away)


Show = Annotated[list[Name], Query(min_length=1, max_length=MOST_LANES)]


@router.get("/recordings/{recording_id}/lanes")
def all_lanes(
    shop: Shop,
    recording_id: int,
    show: Show,
    t0: Seconds | None = None,
    t1: Seconds | None = None,
    width: Annotated[int, Query(ge=2, le=WIDEST)] = 1000,
    stone: int | None = None,
) -> list[LaneModel]:
    """Channels of a recording on one time ruler, s, each at most about ``width`` points: lowest and highest
    per bin."""
    if t0 is not None and t1 is not None and t0 >= t1:
        raise BadInput(f"t0 ({t0:g} s) must be before t1 ({t1:g} s).", "t0")
    with shop.database.transaction() as session:
        results = lanes.lanes(session, recording_id, show, t0, t1, width, stone)
    return [
        LaneModel(
            id=lane.shown.id,
            t=numbers(lane.times_s, 6),
            low=numbers(lane.low, 6),
            high=numbers(lane.high, 6),
            n=lane.n,
            exact=lane.exact,
        )
        for lane in results
    ]


@router.get("/recordings/{recording_id}/read-outs")
def read_outs(
    shop: Shop, recording_id: int, show: Show, t0: Seconds, t1: Seconds, stone: int | None = None
) -> list[ReadOutModel]:
    """What lanes say over a span, s."""
    if t0 > t1:
        raise BadInput("A span must end after it begins.", "t1")
    with shop.database.transaction() as session:
        results = lanes.read_outs(session, recording_id, show, t0, t1, stone)
    return [ReadOutModel.of(read_out) for read_out in results]


@router.get("/recordings/{recording_id}/moment")
def moment(
    shop: Shop, recording_id: int, show: Show, t: Seconds, stone: int | None = None
) -> list[MomentModel]:
    """What lanes say at a time, s."""
    with shop.database.transaction() as session:
        results = lanes.at_cursor(session, recording_id, show, t, stone)
    return [
        MomentModel(
            id=lane.shown.id, t_s=lane.t_s, value=lane.value, width_s=lane.width_s, period_s=lane.period_s
        )
        for lane in results
    ]


@router.get("/recordings/{recording_id}/export")
def export(
    shop: Shop,
    recording_id: int,
    form: Name = "csv",
    t0: Seconds | None = None,
    t1: Seconds | None = None,
    converted: bool = True,
    stone: int | None = None,
) -> StreamingResponse:
    """A recording, or the span between two times, s, as a file."""
    span = [None if t is None else round(t * 1e6) for t in (t0, t1)]
    file = exporting.export(
        shop.database, recording_id, exporting.ExportRequest(form, span[0], span[1], converted, stone)
    )
    named = {"Content-Disposition": f'attachment; filename="{file.name}"'}
    return StreamingResponse(file.pieces, media_type=file.media, headers=named)


@router.post("/recordings/{recording_id}/marks")
def add_mark(shop: Shop, recording_id: int, body: NewMark) -> Done:
    """Mark a moment or a span of a recording afterwards."""
    with shop.change_recording(recording_id) as session:
        t1 = None if body.t1_s is None else round(body.t1_s * 1e6)
        mark_id = marking.add(session, recording_id, round(body.t0_s * 1e6), t1, body.text())
    return Done(id=mark_id)


@router.patch("/marks/{mark_id}")
def change_mark(shop: Shop, mark_id: int, body: MarkChange) -> Done:
    """Change what is given of a mark (null takes it away), put the mark away, or bring it back."""
    given = body.model_dump(exclude_unset=True)
    changes = {name: value for name, value in given.items() if name not in ("t0_s", "t1_s", "seen")}
    changes |= {
        name[:2]: None if given[name] is None else round(given[name] * 1e6)
        for name in ("t0_s", "t1_s")
        if name in given
    }
    for name in ("label", "t0", "conditions", "archived"):
        if name in changes and changes[name] is None:
            raise BadInput(f"{name} cannot be nothing.", name)
    with shop.database.transaction() as session:
        recording_id = marking.recording_of(session, mark_id)
    with shop.change_recording(recording_id) as session:
        marking.change(session, mark_id, changes, body.seen)
    return Done(id=mark_id)
