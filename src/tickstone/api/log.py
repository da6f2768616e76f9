"""The timeline and the stones over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from tickstone.actions import stones
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Done, Name
from tickstone.api.needs import Shop
from tickstone.core.stones import StoneConstant, compare
from tickstone.store import log, rigs

router = APIRouter(prefix="/api/rigs/{slug}", tags=["log"], responses=REFUSALS)


class EntryModel(BaseModel):
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
        plus_minus=None if line.sd is None else 2 * line.sd,
        provenance=line.provenance,
        source=line.source,
        made_at=line.made_at,
        stale=line.stale,
        warning=line.warning,
    )


@router.get("/entries")
def entries(shop: Shop, slug: Name, search: Annotated[str, Field(max_length=200)] = "") -> list[EntryModel]:
    """What was done, newest first; ``search`` finds words and beginnings of words."""
    with shop.database.transaction() as session:
        results = log.entries(session, rigs.rig_named(session, slug).id, search)
        return [
            EntryModel(id=e.id, at=e.at, kind=e.kind, text=e.text, reference=e.reference) for e in results
        ]


@router.post("/notes")
def note(shop: Shop, slug: Name, body: NoteAsked) -> Done:
    """Write a note into the timeline."""
    with shop.change(slug) as session:
        log.write_entry(session, rigs.rig_named(session, slug).id, "note", body.text.strip())
    return Done()


@router.get("/stones")
def all_stones(shop: Shop, slug: Name) -> StonesModel:
    """The stones of a rig, newest first."""
    with shop.database.transaction() as session:
        stored = rigs.rig_named(session, slug)
        results = log.stones_of(session, stored.id)
        number, waiting = stones.changed_since_last(session, stored)

    def count(stone: log.StoredStone, provenance: str) -> int:
        return sum(line.provenance == provenance for line in stone.lines)

    models = [
        StoneModel(
            number=s.number,
            why=s.why,
            cut_at=s.cut_at,
            measured=count(s, "measured"),
            chosen=count(s, "chosen"),
            assumed=count(s, "assumed"),
            derived=count(s, "derived"),
        )
        for s in results
    ]
    return StonesModel(stones=models, next=number + 1, waiting=waiting)


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
        stored = rigs.rig_named(session, slug)
        after = (
            stones.lines_now(session, stored)
            if number == 0
            else list(log.stone(session, stored.id, number).lines)
        )
        old = list(log.stone(session, stored.id, before).lines) if before else []
    return [
        ChangeModel(
            sensor=c.sensor, label=c.label, changed=c.changed, before=_line(c.before), after=_line(c.after)
        )
        for c in compare(old, after)
    ]


@router.get("/stones/{number}/export/{form}")
def export(shop: Shop, slug: Name, number: int, form: str) -> Response:
    """A stone as a file: ``c``, ``python`` or ``json``."""
    with shop.database.transaction() as session:
        name, media, text = stones.export(session, slug, number, form)
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(text, media_type=f"{media}; charset=utf-8", headers=headers)
