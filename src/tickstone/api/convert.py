"""The worked line over HTTP."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from tickstone.actions import converting
from tickstone.api.models import Finite, Name
from tickstone.api.needs import Shop

router = APIRouter(prefix="/api/rigs/{slug}/sensors/{sensor}/worked", tags=["convert"])


class TermModel(BaseModel):
    name: str
    label: str
    value: float
    unit: str
    plus_minus: float | None
    provenance: str


class ShareModel(BaseModel):
    label: str
    share: float


class RuleModel(BaseModel):
    name: str
    distance_mm: float
    error_mm: float
    exact_at_c: float | None


class WorkedModel(BaseModel):
    terms: list[TermModel]
    distance_mm: float | None
    plus_minus_mm: float | None
    valid: bool
    reason: str
    shares: list[ShareModel]
    rules: list[RuleModel]
    moves: list[str]
    warnings: list[str]
    speed_m_s: float


class InverseModel(BaseModel):
    distance_mm: float
    echo_us: float


@router.get("")
def worked(
    shop: Shop, slug: Name, sensor: Name, raw: Finite, air_c: Finite | None = None, live_air: bool = False
) -> WorkedModel:
    """One raw number worked into what it means."""
    with shop.database.transaction() as session:
        found = converting.worked_echo(session, slug, sensor, raw, air_c, live_air)
    return WorkedModel.model_validate(found, from_attributes=True)


@router.get("/inverse")
def inverse(shop: Shop, slug: Name, sensor: Name, distance_mm: Finite, air_c: Finite | None = None) -> InverseModel:
    """What the sensor would read at a distance."""
    with shop.database.transaction() as session:
        echo = converting.echo_for(session, slug, sensor, distance_mm, air_c)
    return InverseModel(distance_mm=distance_mm, echo_us=echo)
