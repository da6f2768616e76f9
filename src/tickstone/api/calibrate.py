"""The ruler procedure over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from tickstone.actions import calibrating
from tickstone.api.models import Asked, Done, Finite, Name
from tickstone.api.needs import Shop
from tickstone.core import ranging, ruler
from tickstone.store import calibrations

router = APIRouter(prefix="/api/rigs/{slug}/sensors/{sensor}/ruler", tags=["calibrate"])


class StepModel(BaseModel):
    true_mm: float
    echo_us: float
    echo_plus_minus: float | None
    sd_us: float
    n: int
    held_s: float
    air_c: float | None
    at: datetime
    by: str
    recording_id: int
    residual_mm: float | None
    residual_plus_minus: float | None
    sigmas: float | None


class LinePoint(BaseModel):
    true_mm: float
    echo_us: float
    plus_minus: float


class FitModel(BaseModel):
    speed_m_s: float
    speed_plus_minus: float | None
    offset_mm: float
    offset_plus_minus: float | None
    covariance: float | None
    residual_plus_minus: float | None
    line: list[LinePoint]


class RulerModel(BaseModel):
    """The procedure as it stands; ``line`` of the fit runs along the ruler."""

    id: int
    places_mm: list[float]
    steps: list[StepModel]
    fit: FitModel | None
    heading: str
    verdict: str
    agreement: str
    repeat: list[float]
    can_accept: bool
    air_c: float | None
    last: dict[str, Any] | None
    last_at: datetime | None


class HoldAsked(Asked):
    true_mm: Finite


class PairsAsked(Asked):
    pairs: Annotated[list[tuple[Finite, Finite]], Field(max_length=200)]


def _model(session: Session, slug: str, sensor: str) -> RulerModel:
    mine = calibrating.draft(session, slug, sensor)
    found = calibrating.outcome(session, slug, mine)
    speed = found.fit.speed_m_s if found.fit else 343.0
    steps = []
    for i, step in enumerate(mine.steps):
        place = calibrating.place_of(step)
        mean_sd = place.sd_us / place.n**0.5 if place.n > 1 else None
        ruler_pm = 2 * (place.ruler_sd_mm**2 + (speed / 2000 * (mean_sd or 0.0)) ** 2) ** 0.5
        steps.append(StepModel(
            true_mm=place.true_mm, echo_us=place.echo_us, echo_plus_minus=None if mean_sd is None else 2 * mean_sd,
            sd_us=place.sd_us, n=place.n, held_s=step["held_s"], air_c=place.air_c, at=step["at"], by=step["by"],
            recording_id=step["recording_id"], residual_mm=found.fit.residuals_mm[i] if found.fit else None,
            residual_plus_minus=ruler_pm if found.fit else None, sigmas=found.sigmas[i] if found.sigmas else None))  # fmt: skip
    last = calibrations.newest_accepted(session, mine.sensor_id, calibrating.PROCEDURE)
    return RulerModel(
        id=mine.id, places_mm=list(ruler.PLACES_MM), steps=steps, fit=_fit(found.fit), heading=found.heading,
        verdict=found.verdict, agreement=found.agreement, repeat=list(found.repeat), can_accept=found.can_accept,
        air_c=found.air_c, last=last.result if last else None, last_at=last.ended_at if last else None,
    )  # fmt: skip


def _fit(fit: ranging.RulerFit | None) -> FitModel | None:
    if fit is None:
        return None
    band = ranging.fit_band(fit, [0.0, 250.0, 500.0, 750.0, 1000.0, 1500.0, 2000.0, 3000.0, 4000.0])
    return FitModel(
        speed_m_s=fit.speed_m_s, speed_plus_minus=_two(fit.speed_sd), offset_mm=fit.offset_mm,
        offset_plus_minus=_two(fit.offset_sd), covariance=fit.covariance, residual_plus_minus=_two(fit.residual_sd_mm),
        line=[LinePoint(true_mm=at, echo_us=echo, plus_minus=spread) for at, echo, spread in band],
    )  # fmt: skip


def _two(sd: float | None) -> float | None:
    return None if sd is None else 2 * sd


@router.get("")
def procedure(shop: Shop, slug: Name, sensor: Name) -> RulerModel:
    """The open draft: what is held, what it says."""
    with shop.database.transaction() as session:
        return _model(session, slug, sensor)


@router.post("/hold")
def hold(shop: Shop, slug: Name, sensor: Name, asked: HoldAsked) -> Done:
    """Watch for the target to stand still at this ruler reading; it is taken by itself."""
    with shop.database.transaction() as session:
        ready = calibrating.prepare(session, slug, sensor, asked.true_mm)
    shop.hold(slug, ready)
    return Done()


@router.post("/take")
def take(shop: Shop, slug: Name, sensor: Name) -> Done:
    """Take the place now, still or not."""
    del sensor
    shop.take(slug, forced=True)
    return Done()


@router.post("/let-go")
def let_go(shop: Shop, slug: Name, sensor: Name) -> Done:
    """Watch no longer."""
    del sensor
    shop.let_go(slug)
    return Done()


@router.delete("/places/{true_mm}")
def drop(shop: Shop, slug: Name, sensor: Name, true_mm: Finite) -> RulerModel:
    """Take a held place out of the draft."""
    with shop.database.transaction() as session:
        calibrating.drop(session, calibrating.draft(session, slug, sensor).id, true_mm)
    shop.changed(slug)
    return procedure(shop, slug, sensor)


@router.post("/pairs")
def pairs(shop: Shop, slug: Name, sensor: Name, asked: PairsAsked) -> RulerModel:
    """Pairs (true mm, echo µs) from a notebook."""
    with shop.database.transaction() as session:
        calibrating.type_pairs(session, slug, sensor, asked.pairs)
    shop.changed(slug)
    return procedure(shop, slug, sensor)


@router.post("/accept")
def accept(shop: Shop, slug: Name, sensor: Name) -> Done:
    """Make the fitted constants the rig's own."""
    with shop.database.transaction() as session:
        mine = calibrating.draft(session, slug, sensor)
        calibrating.accept(session, slug, mine.id)
    shop.end_places(slug)
    shop.changed(slug)
    return Done(id=mine.id)


@router.post("/reject")
def reject(shop: Shop, slug: Name, sensor: Name) -> Done:
    """Put the draft away and begin anew."""
    with shop.database.transaction() as session:
        mine = calibrating.draft(session, slug, sensor)
        calibrating.reject(session, slug, mine.id)
    shop.changed(slug)
    return Done(id=mine.id)
