"""Recordings: listed, opened, read back, renamed, put away."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from tickstone.actions import marking, reading
from tickstone.api.models import (
    Asked,
    Conditions,
    Done,
    Finite,
    MarkAsked,
    MarkModel,
    Name,
    RecordingModel,
    TruthModel,
    numbers,
)
from tickstone.api.needs import Shop
from tickstone.errors import BadInput
from tickstone.store import recordings, rigs

router = APIRouter(prefix="/api", tags=["recordings"])

WIDEST = 4000


class OddLineModel(BaseModel):
    t_s: float
    text: str
    why: str


class OpenedRecording(BaseModel):
    recording: RecordingModel
    marks: list[MarkModel]
    odd: list[OddLineModel]


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


class RecordingChange(Asked):
    name: Name | None = None
    archived: bool | None = None


class NewMark(MarkAsked):
    """A moment, or a span where ``t1_s`` is given, s from the recording's start."""

    t0_s: Finite
    t1_s: Finite | None = None


class MarkChange(Asked):
    label: Annotated[str, Field(min_length=1, max_length=120)] | None = None
    archived: bool | None = None
    t0_s: Finite | None = None
    t1_s: Finite | None = None
    sensor: Name | None = None
    truth: TruthModel | None = None
    conditions: Conditions | None = None


@router.get("/rigs/{slug}/recordings")
def all_recordings(shop: Shop, slug: Name) -> list[RecordingModel]:
    """A rig's recordings, newest first."""
    with shop.database.transaction() as session:
        rig_id = rigs.rig_named(session, slug).id
        return [RecordingModel.of(r) for r in recordings.recordings_of(session, rig_id)]


@router.get("/recordings/{recording_id}")
def opened(shop: Shop, recording_id: int) -> OpenedRecording:
    """One recording with its marks and what was not understood."""
    with shop.database.transaction() as session:
        found = recordings.recording(session, recording_id)
        odd = [OddLineModel(t_s=t / 1e6, text=x, why=w) for t, x, w in recordings.odd_lines(session, recording_id)]
        return OpenedRecording(recording=RecordingModel.of(found), odd=odd,
                               marks=MarkModel.all_of(recordings.marks_of(session, recording_id)))  # fmt: skip


@router.patch("/recordings/{recording_id}")
def change(shop: Shop, recording_id: int, asked: RecordingChange) -> Done:
    """Rename a recording, put it away, or bring it back."""
    with shop.database.transaction() as session:
        if asked.name is not None:
            recordings.rename(session, recording_id, asked.name)
        if asked.archived is not None:
            recordings.set_archived(session, recording_id, asked.archived)
        slug = rigs.rig_with_id(session, recordings.recording(session, recording_id).rig_id).slug
    shop.changed(slug)
    return Done(id=recording_id)


@router.get("/recordings/{recording_id}/trace")
def trace(
    shop: Shop, recording_id: int, sensor: Name, t0: Finite | None = None, t1: Finite | None = None,
    width: Annotated[int, Query(ge=2, le=WIDEST)] = 1000,
) -> TraceModel:  # fmt: skip
    """A sensor's readings between two times, s, at most about ``width`` points: minimum and maximum per bin."""
    if t0 is not None and t1 is not None and t0 >= t1:
        raise BadInput(f"t0 ({t0:g} s) must be before t1 ({t1:g} s).", "t0")
    with shop.database.transaction() as session:
        found = reading.trace(session, recording_id, sensor, t0, t1, width)
    return TraceModel(
        t=numbers(found.times_s, 6), raw_low=numbers(found.raw_low), raw_high=numbers(found.raw_high),
        low=numbers(found.low), high=numbers(found.high), n=found.n, exact=found.exact,
    )  # fmt: skip


@router.get("/recordings/{recording_id}/at")
def at_cursor(shop: Shop, recording_id: int, sensor: Name, t: Finite) -> CursorModel:
    """The reading nearest to a time, s."""
    with shop.database.transaction() as session:
        found = reading.at_cursor(session, recording_id, sensor, t)
    return CursorModel(
        t_s=found.t_s, raw=found.raw, asked=found.asked, value=found.value, reason=found.reason, air_c=found.air_c
    )


@router.post("/recordings/{recording_id}/marks")
def add_mark(shop: Shop, recording_id: int, asked: NewMark) -> Done:
    """Mark a moment or a span of a recording afterwards."""
    with shop.database.transaction() as session:
        t1 = None if asked.t1_s is None else round(asked.t1_s * 1e6)
        mark_id = marking.add(session, recording_id, round(asked.t0_s * 1e6), t1, asked.text())
        slug = _slug(session, recording_id)
    shop.changed(slug)
    return Done(id=mark_id)


@router.patch("/marks/{mark_id}")
def change_mark(shop: Shop, mark_id: int, asked: MarkChange) -> Done:
    """Change what is given of a mark (null takes it away), put the mark away, or bring it back."""
    given = asked.model_dump(exclude_unset=True)
    archived = given.pop("archived", None)
    changes = {name: value for name, value in given.items() if name not in ("t0_s", "t1_s")}
    changes |= {
        name[:2]: None if given[name] is None else round(given[name] * 1e6)
        for name in ("t0_s", "t1_s")
        if name in given
    }
    for name in ("label", "t0", "conditions"):
        if name in changes and changes[name] is None:
            raise BadInput(f"{name} cannot be nothing.", name)
    with shop.database.transaction() as session:
        if changes:
            marking.change(session, mark_id, changes)
        if archived is not None:
            recordings.set_mark_archived(session, mark_id, archived)
        slug = _slug(session, recordings.mark(session, mark_id).recording_id)
    shop.changed(slug)
    return Done(id=mark_id)


def _slug(session: Session, recording_id: int) -> str:
    return rigs.rig_with_id(session, recordings.recording(session, recording_id).rig_id).slug
