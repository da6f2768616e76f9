"""The worked line over HTTP: for a sensor of a rig, and for a loose part of any kind."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter
from pydantic import BaseModel, Field, TypeAdapter

from tickstone.actions import converting
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Constant, Finite, Name, Provenance, number
from tickstone.api.needs import Shop
from tickstone.core import worked
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import Ask, Chain, Series, Term
from tickstone.core.uncertainty import plus_minus

router = APIRouter(prefix="/api/rigs/{slug}/sensors/{sensor}/worked", tags=["convert"], responses=REFUSALS)
loose = APIRouter(prefix="/api/kinds", tags=["convert"], responses=REFUSALS)

PROVENANCE: TypeAdapter[Provenance] = TypeAdapter(Provenance)
Numbers = Annotated[dict[Name, Finite], Field(max_length=64)]


class KindLine(BaseModel):
    id: str
    title: str


class AskModel(BaseModel):
    """A raw number that is asked for, and what it is just now; ``volts`` is what one count is worth, where it
    is one."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    value: float
    digits: int
    logarithmic: bool
    choices: list[str]
    slide_low: float
    slide_high: float
    volts: float | None


class TermModel(BaseModel):
    name: str
    label: str
    value: float | None
    unit: str
    plus_minus: float | None
    provenance: Provenance
    sign: str


class ChainModel(BaseModel):
    terms: list[TermModel]
    result: TermModel


class ShareModel(BaseModel):
    label: str
    share: float


class RuleModel(BaseModel):
    name: str
    value: float | None
    exact: str


class SeriesModel(BaseModel):
    name: str
    label: str
    unit: str
    value: float | None
    digits: int


class InverseSpan(BaseModel):
    typical: float
    low: float
    high: float


class WorkedModel(BaseModel):
    """One reading, step by step; ``plus_minus`` is 95 %, and ``low`` to ``high`` where that is another
    interval than the value ± it. ``constants`` are what it was worked with."""

    kind: str
    title: str
    quantity: str
    unit: str
    digits: int
    asks: list[AskModel]
    chains: list[ChainModel]
    terms: list[TermModel]
    value: float | None
    plus_minus: float | None
    low: float | None
    high: float | None
    valid: bool
    reason: str
    shares: list[ShareModel]
    rules: list[RuleModel]
    more: list[SeriesModel]
    moves: list[str]
    said: str
    warnings: list[str]
    cautions: list[str]
    constants: list[Constant]
    inverse: InverseSpan | None


class SolvedModel(BaseModel):
    wanted: float
    asks: list[AskModel]


class MountedAsked(Body):
    """Raw numbers by name (typical ones where none is given), and the air at that moment."""

    asked: Numbers = Field(default_factory=dict)
    air_c: Finite | None = None
    live_air: bool = False


class MountedWanted(Body):
    wanted: Finite
    air_c: Finite | None = None


class LooseAsked(Body):
    """Raw numbers by name, and the constants that differ from the usual ones."""

    asked: Numbers = Field(default_factory=dict)
    constants: Numbers = Field(default_factory=dict)


class LooseWanted(Body):
    wanted: Finite
    constants: Numbers = Field(default_factory=dict)


@router.post("")
def work_mounted(shop: Shop, slug: Name, sensor: Name, body: MountedAsked) -> WorkedModel:
    """Raw numbers of a rig's sensor worked into what they mean."""
    with shop.database.transaction() as session:
        part = converting.mounted(session, slug, sensor, body.air_c, body.live_air)
    return _worked(part, body.asked)


@router.post("/inverse")
def solve_mounted(shop: Shop, slug: Name, sensor: Name, body: MountedWanted) -> SolvedModel:
    """What a rig's sensor would read."""
    with shop.database.transaction() as session:
        part = converting.mounted(session, slug, sensor, body.air_c, False)
    return _solved(part, body.wanted)


@loose.get("")
def all_kinds() -> list[KindLine]:
    """Every kind of sensor."""
    return [KindLine(id=kind.id, title=kind.title) for kind in KINDS.values()]


@loose.post("/{kind}/worked")
def work_loose(kind: Name, body: LooseAsked) -> WorkedModel:
    """Raw numbers of a part that is on no rig, worked into what they mean."""
    return _worked(converting.loose(kind, body.constants), body.asked)


@loose.post("/{kind}/worked/inverse")
def solve_loose(kind: Name, body: LooseWanted) -> SolvedModel:
    """What a part that is on no rig would read."""
    return _solved(converting.loose(kind, body.constants), body.wanted)


def _worked(part: converting.ConvertedPart, inputs: dict[str, float]) -> WorkedModel:
    result = part.work(inputs)
    numbers = worked.check_asked(part.kind, part.values, inputs)
    low, high = result.interval or (None, None)
    quantity, inverse = part.kind.quantity, part.kind.working.inverse
    return WorkedModel(
        kind=part.kind.id,
        title=part.kind.title,
        quantity=quantity.name,
        unit=quantity.unit,
        digits=quantity.digits,
        asks=_asks(part, numbers),
        chains=[_chain(chain) for chain in result.chains],
        terms=[_term(term) for term in result.terms],
        value=result.value,
        plus_minus=plus_minus(result.sd),
        low=low,
        high=high,
        valid=result.valid,
        reason=result.reason,
        shares=[ShareModel(label=cause, share=share) for cause, share in result.shares],
        rules=[
            RuleModel(name=rule.name, value=number(rule.value), exact=rule.exact) for rule in result.rules
        ],
        more=[_series(series) for series in result.more],
        moves=list(result.moves),
        said=result.sentence,
        warnings=list(result.warnings),
        cautions=list(part.kind.cautions),
        constants=[_constant(part, name) for name in part.values],
        inverse=None
        if inverse is None
        else InverseSpan(typical=inverse.typical, low=inverse.low, high=inverse.high),
    )


def _solved(part: converting.ConvertedPart, wanted: float) -> SolvedModel:
    return SolvedModel(wanted=wanted, asks=_asks(part, part.solve(wanted)))


def _asks(part: converting.ConvertedPart, numbers: dict[str, float]) -> list[AskModel]:
    return [
        _ask(ask, numbers[ask.name], part)
        for ask in part.kind.working.asks(part.values)
        if ask.name in numbers
    ]


def _ask(ask: Ask, value: float, part: converting.ConvertedPart) -> AskModel:
    values = part.values
    slide, volts = ask.slide or (ask.low, ask.high), None
    if ask.unit == "counts" and "reference" in values:
        volts = values["reference"].value / 2 ** values["bits"].value
    return AskModel(
        name=ask.name,
        label=ask.label,
        unit=ask.unit,
        low=ask.low,
        high=ask.high,
        value=value,
        digits=ask.digits,
        logarithmic=ask.logarithmic,
        choices=list(ask.choices),
        slide_low=slide[0],
        slide_high=slide[1],
        volts=volts,
    )


def _term(term: Term) -> TermModel:
    return TermModel(
        name=term.name,
        label=term.label,
        value=number(term.value),
        unit=term.unit,
        plus_minus=plus_minus(term.sd),
        provenance=PROVENANCE.validate_python(term.provenance),
        sign=term.sign,
    )


def _chain(chain: Chain) -> ChainModel:
    return ChainModel(terms=[_term(term) for term in chain.terms], result=_term(chain.result))


def _series(series: Series) -> SeriesModel:
    value = number(float(np.ravel(series.values)[0]))
    return SeriesModel(
        name=series.name, label=series.label, unit=series.unit, value=value, digits=series.digits
    )


def _constant(part: converting.ConvertedPart, name: str) -> Constant:
    model = Constant.of(part.values[name])
    specs = part.kind.specs
    model.counts = specs[name].counts if name in specs else True
    return model
