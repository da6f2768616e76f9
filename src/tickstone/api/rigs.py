"""Rigs, their wiring, their constants, their standing."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field
from starlette.responses import Response

from tickstone.actions import constants, rigs, wiring
from tickstone.actions.standing import standing_of
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Constant, Done, Finite, Name, Purpose, RevisionBody, Titled
from tickstone.api.needs import Shop
from tickstone.api.rig_models import DrawnRig, RigModel, drawn_rig, rig_model
from tickstone.core.uncertainty import plus_minus

router = APIRouter(prefix="/api/rigs", tags=["rigs"], responses=REFUSALS)


class RigLine(BaseModel):
    """A rig in the list of all; ``sensor`` is its first one (empty: it has none)."""

    slug: str
    title: str
    purpose: str
    board: str
    drawn: DrawnRig
    sensor: str
    verdict: str
    faults: int
    revision: int


class StepModel(BaseModel):
    station: str
    sentence: str
    action: str
    label: str
    details: dict[str, str]


class StandingModel(BaseModel):
    station: str
    settled: int
    total: int
    notch: str
    next: StepModel


class OldConstant(BaseModel):
    value: float
    unit: str
    plus_minus: float | None
    provenance: str
    source: str
    made_at: datetime


class NewRig(Titled):
    """From a template, or from scratch with its first sensor."""

    purpose: Purpose = ""
    template: str = ""
    board: str = "small-5v"
    first: str = "ultrasonic-ranger"


class RigFile(Body):
    text: str
    title: Annotated[str, Field(max_length=60)] = ""


class RenameAsked(Titled, RevisionBody):
    purpose: Purpose = ""


class TypedConstant(Body):
    """``seen`` is the id of the value that stood there when it was typed: another one since is a conflict."""

    seen: int | None = None
    value: Finite
    plus_minus: Annotated[Finite, Field(ge=0)] | None = None
    note: Annotated[str, Field(max_length=200)] = ""


def load(shop: Workshop, slug: str) -> RigModel:
    """A rig at its current revision, as it travels."""
    with shop.database.transaction() as session:
        checked = wiring.checked_rig(session, slug)
    return rig_model(checked, shop.rigs.version(slug))


@router.get("")
def all_rigs(shop: Shop, archived: bool = False) -> list[RigLine]:
    """Every rig on the bench, or every archived one."""
    with shop.database.transaction() as session:
        every = wiring.checked_rigs(session, archived)
    return [
        RigLine(
            slug=checked.stored.slug,
            title=checked.stored.rig.title,
            purpose=checked.stored.rig.purpose,
            board=checked.stored.rig.board.title,
            drawn=drawn_rig(checked.stored.rig),
            sensor=next((sensor.id for sensor in checked.stored.rig.sensors), ""),
            verdict=checked.verdict,
            faults=len(checked.report.faults),
            revision=checked.stored.revision,
        )
        for checked in every
    ]


@router.post("")
def new_rig(shop: Shop, body: NewRig) -> RigModel:
    """A new rig: from a template, or from scratch with its first sensor on a board, wired."""
    with shop.database.transaction() as session:
        if body.template:
            slug = rigs.from_template(session, body.title, body.purpose, body.template)
        else:
            slug = rigs.begin(session, body.title, body.purpose, body.board, body.first)
    return load(shop, slug)


@router.post("/from-file")
def from_file(shop: Shop, body: RigFile) -> RigModel:
    """A new rig of a rig file."""
    with shop.database.transaction() as session:
        slug = rigs.from_file(session, body.text, body.title)
    return load(shop, slug)


@router.get("/{slug}")
def one_rig(shop: Shop, slug: Name) -> RigModel:
    """A rig at its current revision, with what its wiring checks say."""
    return load(shop, slug)


@router.get("/{slug}/document")
def document(shop: Shop, slug: Name) -> Response:
    """The rig file."""
    with shop.database.transaction() as session:
        text = rigs.document(session, slug)
    name = f'attachment; filename="{slug}.rig.json"'
    return Response(text + "\n", media_type="application/json", headers={"Content-Disposition": name})


@router.post("/{slug}/duplicate")
def duplicate(shop: Shop, slug: Name, body: Titled) -> RigModel:
    """A new rig of the same parts and wires."""
    with shop.database.transaction() as session:
        fresh = rigs.duplicate(session, slug, body.title)
    return load(shop, fresh)


@router.post("/{slug}/rename")
def rename(shop: Shop, slug: Name, body: RenameAsked) -> RigModel:
    """Another title and purpose."""
    with shop.change(slug) as session:
        rigs.rename(session, slug, body.revision, body.title, body.purpose)
    return load(shop, slug)


@router.post("/{slug}/archive")
def archive(shop: Shop, slug: Name) -> Done:
    """Take a rig off the bench; everything of it is kept."""
    shop.still(slug, "archiving the rig")
    with shop.change(slug) as session:
        rigs.archive(session, slug)
    shop.disconnect(slug)
    return Done()


@router.post("/{slug}/bring-back")
def bring_back(shop: Shop, slug: Name) -> Done:
    """Put an archived rig back on the bench."""
    with shop.change(slug) as session:
        rigs.bring_back(session, slug)
    return Done()


@router.get("/{slug}/standing")
def standing(shop: Shop, slug: Name, sensor: Name) -> list[StandingModel]:
    """How much is settled at each station, and the next thing worth doing."""
    live = shop.live(slug)
    with shop.database.transaction() as session:
        return [
            StandingModel(
                station=s.station,
                settled=s.settled,
                total=s.total,
                notch=s.notch,
                next=StepModel(
                    station=s.next.station,
                    sentence=s.next.sentence,
                    action=s.next.action,
                    label=s.next.label,
                    details=dict(s.next.details),
                ),
            )
            for s in standing_of(session, slug, sensor, live)
        ]


@router.get("/{slug}/sensors/{sensor}/constants")
def sensor_constants(shop: Shop, slug: Name, sensor: Name) -> list[Constant]:
    """The constants of a sensor as they stand."""
    with shop.database.transaction() as session:
        standing = constants.standing(session, slug, sensor, shop.live(slug))
    models = []
    for value, spec in standing:
        model = Constant.of(value)
        if spec is not None:
            model.typed_as = spec.typed_as.value if value.typed else None
            model.counts = spec.counts
        models.append(model)
    return models


@router.put("/{slug}/sensors/{sensor}/constants/{name}")
def type_constant(shop: Shop, slug: Name, sensor: Name, name: Name, body: TypedConstant) -> Done:
    """A person types a constant."""
    sd = None if body.plus_minus is None else body.plus_minus / 2
    with shop.change(slug) as session:
        constants.type_value(session, slug, sensor, name, body.value, sd, body.note, body.seen)
    return Done()


@router.get("/{slug}/sensors/{sensor}/constants/{name}/history")
def history(shop: Shop, slug: Name, sensor: Name, name: Name) -> list[OldConstant]:
    """Every value that a constant ever had, newest first."""
    with shop.database.transaction() as session:
        every = constants.history(session, slug, sensor, name)
    return [
        OldConstant(
            value=value.value,
            unit=value.unit,
            plus_minus=plus_minus(value.sd),
            provenance=value.provenance,
            source=value.source,
            made_at=value.made_at,
        )
        for value in every
    ]
