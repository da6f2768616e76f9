"""The timeline and the stones over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from tickstone.actions import stones, timeline
from tickstone.api.errors import REFUSALS
from tickstone.api.figures import RecordModel
from tickstone.api.models import Body, Done, Name
from tickstone.api.needs import Shop
from tickstone.core.stones import StoneConstant
from tickstone.core.uncertainty import plus_minus

router = APIRouter(prefix="/api/rigs/{slug}", tags=["log"], responses=REFUSALS)


class EntryModel(RecordModel):
    id: int
    at: datetime
    kind: str
    text: str
    reference: dict[str, Any]


class LineModel(BaseModel):
    sensor: str
    name: str
    label: str
    value: float
    unit: str
    plus_minus: float | None
    provenance: str
    source: str
    made_at: datetime | None
    stale: str
    warning: str


class ChangeModel(BaseModel):
    sensor: str
    label: str
    changed: bool
    before: LineModel | None
    after: LineModel | None


class StoneModel(BaseModel):
    number: int
    why: str
    cut_at: datetime
    measured: int
    chosen: int
    assumed: int
    derived: int


class StonesModel(BaseModel):
    """``next`` is the number of the stone to be cut, ``waiting`` how many settled constants the last one
    lacks."""

    stones: list[StoneModel]
    next: int
    waiting: int


class NoteAsked(Body):
    text: Annotated[str, Field(min_length=1, max_length=4000)]


class CutAsked(Body):
    why: Annotated[str, Field(max_length=400)] = ""


def _line(line: StoneConstant | None) -> LineModel | None:
    if line is None:
        return None
    return LineModel(
        sensor=line.sensor,
        name=line.name,
        label=line.label,
        value=line.value,
        unit=line.unit,
        plus_minus=plus_minus(line.sd),
        provenance=line.provenance,
        source=line.source,
        made_at=line.made_at,
        stale=line.stale,
        warning=line.warning,
    )


@router.get("/entries")
def all_entries(
    shop: Shop, slug: Name, search: Annotated[str, Field(max_length=200)] = ""
) -> list[EntryModel]:
    """What was done, newest first; ``search`` finds words and beginnings of words."""
    with shop.database.transaction() as session:
        entries = timeline.entries(session, slug, search)
    return [EntryModel.model_validate(entry) for entry in entries]


@router.post("/notes")
def note(shop: Shop, slug: Name, body: NoteAsked) -> Done:
    """Write a note into the timeline."""
    with shop.change(slug) as session:
        timeline.note(session, slug, body.text)
    return Done()


@router.get("/stones")
def all_stones(shop: Shop, slug: Name) -> StonesModel:
    """The stones of a rig, newest first."""
    with shop.database.transaction() as session:
        mine = stones.all_of(session, slug)
    models = [
        StoneModel(
            number=stone.number,
            why=stone.why,
            cut_at=stone.cut_at,
            measured=stone.count("measured"),
            chosen=stone.count("chosen"),
            assumed=stone.count("assumed"),
            derived=stone.count("derived"),
        )
        for stone in mine.stones
    ]
    return StonesModel(stones=models, next=mine.next, waiting=mine.waiting)


@router.post("/stones")
def cut(shop: Shop, slug: Name, body: CutAsked) -> Done:
    """Cut the rig's next stone."""
    with shop.change(slug) as session:
        number = stones.cut(session, slug, body.why)
    return Done(id=number)


@router.get("/stones/{number}/compare")
def side_by_side(shop: Shop, slug: Name, number: int, before: int | None = None) -> list[ChangeModel]:
    """A stone beside another (or beside nothing), changed lines first; stone 0 is the rig as it stands."""
    with shop.database.transaction() as session:
        changes = stones.side_by_side(session, slug, number, before)
    return [
        ChangeModel(
            sensor=c.sensor, label=c.label, changed=c.changed, before=_line(c.before), after=_line(c.after)
        )
        for c in changes
    ]


@router.get("/stones/{number}/export/{form}")
def export(shop: Shop, slug: Name, number: int, form: str) -> Response:
    """A stone as a file: ``c``, ``python`` or ``json``."""
    with shop.database.transaction() as session:
        name, media, text = stones.export(session, slug, number, form)
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(text, media_type=f"{media}; charset=utf-8", headers=headers)
