"""Rigs, their wiring, their constants, their standing."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field
from starlette.responses import Response

from tickstone.actions import constants, rigs
from tickstone.actions.constants import all_settled, live_air, settled
from tickstone.actions.standing import standing_of
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Constant, Done, Finite, Name, Purpose, RevisionBody, Titled
from tickstone.api.needs import Shop
from tickstone.api.rig_models import RigModel, rig_model
from tickstone.core.calibration.surroundings import as_it_is_now
from tickstone.core.rigs.kinds import kind
from tickstone.core.wiring import checks
from tickstone.core.wiring.assign import complete
from tickstone.formats.rig_json import rig_to_json
from tickstone.store import constants as stored_constants
from tickstone.store import rigs as stored

router = APIRouter(prefix="/api/rigs", tags=["rigs"], responses=REFUSALS)


class RigLine(BaseModel):
    slug: str
    title: str
    purpose: str
    board: str
    parts: list[str]
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
    value: Finite
    plus_minus: Annotated[Finite, Field(ge=0)] | None = None
    note: Annotated[str, Field(max_length=200)] = ""


def load(shop: Workshop, slug: str) -> RigModel:
    """A rig at its current revision, as it travels."""
    with shop.database.transaction() as session:
        result = stored.rig_named(session, slug)
        values = all_settled(session, result)
        report = checks.check(result.rig, values)
    plain = {sensor: {name: value.value for name, value in mine.items()} for sensor, mine in values.items()}
    return rig_model(result, report, plain, shop.rigs.version(slug))


@router.get("")
def all_rigs(shop: Shop, archived: bool = False) -> list[RigLine]:
    """Every rig on the bench, or every archived one."""
    with shop.database.transaction() as session:
        lines = []
        for result in stored.all_rigs(session, archived):
            report = checks.check(result.rig, all_settled(session, result))
            parts = [part.name for part in result.rig.fitted]
            lines.append(
                RigLine(
                    slug=result.slug,
                    title=result.rig.title,
                    purpose=result.rig.purpose,
                    board=result.rig.board.title,
                    parts=parts,
                    verdict=checks.verdict(report),
                    faults=len(report.faults),
                    revision=result.revision,
                )
            )
        return lines


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
        text = rig_to_json(complete(stored.rig_named(session, slug).rig))
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
        result = stored.rig_named(session, slug)
        specs = {spec.name: spec for spec in kind(result.rig.sensor(sensor).kind).constants}
        models = []
        live = shop.live(slug)
        air, connected = live.intake.air_c, live.connection.open
        seen = (
            live_air(session, result, air, live.intake.air_readings)
            if connected and air is not None
            else None
        )
        now = (air, live.intake.supply_v) if connected else (None, None)
        for value in as_it_is_now(settled(session, result, sensor, seen), *now).values():
            model = Constant.of(value)
            if value.name in specs:
                model.typed_as = specs[value.name].typed_as.value if value.typed else None
                model.counts = specs[value.name].counts
            models.append(model)
        return models


@router.put("/{slug}/sensors/{sensor}/constants/{name}")
def type_constant(shop: Shop, slug: Name, sensor: Name, name: Name, body: TypedConstant) -> Done:
    """A person types a constant."""
    sd = None if body.plus_minus is None else body.plus_minus / 2
    with shop.change(slug) as session:
        constants.type_value(session, slug, sensor, name, body.value, sd, body.note)
    return Done()


@router.get("/{slug}/sensors/{sensor}/constants/{name}/history")
def history(shop: Shop, slug: Name, sensor: Name, name: Name) -> list[OldConstant]:
    """Every value that a constant ever had, newest first."""
    with shop.database.transaction() as session:
        result = stored.rig_named(session, slug)
        sensor_id = stored.sensor_ids(session, result.id)[result.rig.sensor(sensor).id]
        return [
            OldConstant(
                value=v.value,
                unit=v.unit,
                plus_minus=None if v.sd is None else 2 * v.sd,
                provenance=v.provenance,
                source=v.source,
                made_at=v.made_at,
            )
            for v in stored_constants.history(session, sensor_id, name)
        ]
