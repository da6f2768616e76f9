"""Rigs, their wiring, their constants, their standing."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from tickstone.actions import constants, rigs
from tickstone.actions.constants import live_air, settled
from tickstone.actions.standing import standing_of
from tickstone.api.models import Asked, Constant, Done, Finite, Name
from tickstone.api.needs import Shop
from tickstone.core.rigs import boards
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.wiring import checks
from tickstone.store import constants as stored_constants
from tickstone.store import rigs as stored

router = APIRouter(prefix="/api/rigs", tags=["rigs"])


class RigLine(BaseModel):
    slug: str
    title: str
    purpose: str
    board: str


class SensorModel(BaseModel):
    id: str
    name: str
    kind: str
    kind_title: str
    quantity: str
    unit: str
    low: float
    high: float
    digits: int
    raw_label: str
    raw_unit: str
    raw_digits: int
    supply_v: float
    procedures: list[str]
    decisions: list[str]
    cautions: list[str]
    pins: dict[str, list[str]]


class FixModel(BaseModel):
    label: str
    sentence: str


class FindingModel(BaseModel):
    kind: str
    severity: str
    sensor: str
    pin: str
    sentence: str
    short: str
    numbers: dict[str, float]
    fix: FixModel | None


class AssuranceModel(BaseModel):
    kind: str
    sensor: str
    sentence: str


class BoardLine(BaseModel):
    kind: str
    title: str


class RigModel(BaseModel):
    slug: str
    revision: int
    parent: int | None
    why: str
    rig: Rig
    sensors: list[SensorModel]
    verdict: str
    findings: list[FindingModel]
    assurances: list[AssuranceModel]
    boards: list[BoardLine]
    version: int


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


class NewRig(Asked):
    title: Annotated[str, Field(min_length=1, max_length=60)]
    purpose: Annotated[str, Field(max_length=120)] = ""
    board: str = "small-5v"


class Seen(Asked):
    """The revision that the person saw: a change to an older one is refused, never merged silently."""

    revision: int


class BoardAsked(Seen):
    board: str


class FixAsked(Seen):
    kind: str
    sensor: str
    pin: str


class WireAsked(Seen):
    sensor: str
    pin: str
    to: str


class TypedConstant(Asked):
    value: Finite
    plus_minus: Annotated[Finite, Field(ge=0)] | None = None
    note: Annotated[str, Field(max_length=200)] = ""


def _sensor(rig: Rig, sensor_id: str) -> SensorModel:
    sensor = rig.sensor(sensor_id)
    what = kind(sensor.kind)
    return SensorModel(
        id=sensor.id, name=sensor.name, kind=sensor.kind, kind_title=what.title, quantity=what.quantity.name,
        unit=what.quantity.unit, low=what.quantity.low, high=what.quantity.high, digits=what.quantity.digits, raw_label=what.raw.label,
        raw_unit=what.raw.unit, raw_digits=what.raw.digits, supply_v=what.supply_v,
        procedures=list(what.procedures), decisions=list(what.decisions),
        cautions=list(what.cautions), pins={pin.name: list(pin.needs) for pin in what.pins},
    )  # fmt: skip


def _model(found: stored.StoredRig, version: int) -> RigModel:
    report = checks.check(found.rig)
    findings = [
        FindingModel(kind=f.kind, severity=f.severity, sensor=f.sensor, pin=f.pin, sentence=f.sentence, short=f.short,
                     numbers=f.numbers, fix=FixModel(label=f.fix.label, sentence=f.fix.sentence) if f.fix else None)
        for f in report.findings
    ]  # fmt: skip
    return RigModel(
        slug=found.slug, revision=found.revision, parent=found.parent, why=found.why, rig=found.rig,
        sensors=[_sensor(found.rig, s.id) for s in found.rig.sensors], verdict=checks.verdict(report),
        findings=findings,
        assurances=[AssuranceModel(kind=a.kind, sensor=a.sensor, sentence=a.sentence) for a in report.assurances],
        boards=[BoardLine(kind=b.kind, title=b.title) for b in boards.BOARDS.values()], version=version,
    )  # fmt: skip


@router.get("")
def all_rigs(shop: Shop) -> list[RigLine]:
    """Every rig."""
    with shop.database.transaction() as session:
        return [
            RigLine(slug=r.slug, title=r.rig.title, purpose=r.rig.purpose, board=r.rig.board.title)
            for r in stored.all_rigs(session)
        ]


@router.post("")
def new_rig(shop: Shop, asked: NewRig) -> RigModel:
    """A new rig: one ranger and an air temperature sensor on a board, wired."""
    with shop.database.transaction() as session:
        slug = rigs.begin(session, asked.title, asked.purpose, asked.board)
    return one_rig(shop, slug)


@router.get("/{slug}")
def one_rig(shop: Shop, slug: Name) -> RigModel:
    """A rig at its current revision, with what its wiring checks say."""
    with shop.database.transaction() as session:
        return _model(stored.rig_named(session, slug), shop.version(slug))


@router.post("/{slug}/board")
def choose_board(shop: Shop, slug: Name, asked: BoardAsked) -> RigModel:
    """Put the rig on another board."""
    with shop.database.transaction() as session:
        rigs.choose_board(session, slug, asked.revision, asked.board)
    shop.changed(slug)
    return one_rig(shop, slug)


@router.post("/{slug}/wire")
def move_wire(shop: Shop, slug: Name, asked: WireAsked) -> RigModel:
    """Put one wire elsewhere."""
    with shop.database.transaction() as session:
        rigs.move_wire(session, slug, asked.revision, asked.sensor, asked.pin, asked.to)
    shop.changed(slug)
    return one_rig(shop, slug)


@router.post("/{slug}/fix")
def fix(shop: Shop, slug: Name, asked: FixAsked) -> RigModel:
    """Apply the fix of one finding."""
    with shop.database.transaction() as session:
        rigs.mend(session, slug, asked.revision, asked.kind, asked.sensor, asked.pin)
    shop.changed(slug)
    return one_rig(shop, slug)


@router.post("/{slug}/undo")
def undo(shop: Shop, slug: Name, asked: Seen) -> RigModel:
    """Take the last change of the rig back."""
    with shop.database.transaction() as session:
        rigs.undo(session, slug, asked.revision)
    shop.changed(slug)
    return one_rig(shop, slug)


@router.get("/{slug}/standing")
def standing(shop: Shop, slug: Name, sensor: Name) -> list[StandingModel]:
    """How much is settled at each station, and the next thing worth doing."""
    feed = shop.feed(slug)
    with shop.database.transaction() as session:
        return [
            StandingModel(station=s.station, settled=s.settled, total=s.total, notch=s.notch,
                          next=StepModel(station=s.next.station, sentence=s.next.sentence, action=s.next.action,
                                         label=s.next.label, details=dict(s.next.details)))
            for s in standing_of(session, slug, sensor, feed)
        ]  # fmt: skip


@router.get("/{slug}/sensors/{sensor}/constants")
def sensor_constants(shop: Shop, slug: Name, sensor: Name) -> list[Constant]:
    """The constants of a sensor as they stand."""
    with shop.database.transaction() as session:
        found = stored.rig_named(session, slug)
        specs = {spec.name: spec for spec in kind(found.rig.sensor(sensor).kind).constants}
        models = []
        feed = shop.feed(slug)
        air = feed.air_c
        seen = live_air(session, found, air, feed.air_readings) if feed.connected and air is not None else None
        for value in settled(session, found, sensor, seen).values():
            model = Constant.of(value)
            if value.name in specs:
                model.typed_as = specs[value.name].typed_as.value if value.typed else None
                model.counts = specs[value.name].counts
            models.append(model)
        return models


@router.put("/{slug}/sensors/{sensor}/constants/{name}")
def type_constant(shop: Shop, slug: Name, sensor: Name, name: Name, asked: TypedConstant) -> Done:
    """A person types a constant."""
    sd = None if asked.plus_minus is None else asked.plus_minus / 2
    with shop.database.transaction() as session:
        constants.type_value(session, slug, sensor, name, asked.value, sd, asked.note)
    shop.changed(slug)
    return Done()


@router.get("/{slug}/sensors/{sensor}/constants/{name}/history")
def history(shop: Shop, slug: Name, sensor: Name, name: Name) -> list[OldConstant]:
    """Every value that a constant ever had, newest first."""
    with shop.database.transaction() as session:
        found = stored.rig_named(session, slug)
        sensor_id = stored.sensor_ids(session, found.id)[found.rig.sensor(sensor).id]
        return [
            OldConstant(value=v.value, unit=v.unit, plus_minus=None if v.sd is None else 2 * v.sd,
                        provenance=v.provenance, source=v.source, made_at=v.made_at)
            for v in stored_constants.history(session, sensor_id, name)
        ]  # fmt: skip
