"""The obstacle guard over HTTP."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from tickstone.actions import deciding
from tickstone.api.models import Asked, Constant, Done, Finite, Name
from tickstone.api.needs import Shop

router = APIRouter(prefix="/api/rigs/{slug}/sensors/{sensor}/obstacle", tags=["decide"])


class ObstacleModel(BaseModel):
    heading: str
    sentences: list[str]
    trip_mm: float
    clear_mm: float
    parts_mm: dict[str, float]
    sigma_mm: float
    sigma_from: str
    recording_id: int | None
    readings: int
    dropouts: int
    reach_mm: float
    common_mm: list[float]
    inputs: list[Constant]
    chosen_trip: Constant | None
    chosen_clear: Constant | None


class Chosen(Asked):
    trip_mm: Finite
    clear_mm: Finite
    recording_id: int | None = None


INPUTS = ("drive_speed", "braking", "ping_interval", "votes", "reaction", "gap", "hysteresis", "set_back")


@router.get("")
def obstacle(shop: Shop, slug: Name, sensor: Name, recording_id: int | None = None) -> ObstacleModel:
    """Where the cart must begin to stop."""
    with shop.database.transaction() as session:
        found = deciding.obstacle(session, slug, sensor, recording_id)
    return ObstacleModel(
        heading=found.heading, sentences=list(found.sentences), trip_mm=found.stop.trip_mm,
        clear_mm=found.stop.clear_mm, parts_mm=found.stop.parts_mm, sigma_mm=found.sigma_mm,
        sigma_from=found.sigma_from, recording_id=found.recording_id,
        readings=found.noise.readings if found.noise else 0, dropouts=found.noise.dropouts if found.noise else 0,
        reach_mm=found.reach_mm, common_mm=list(deciding.COMMON_MM),
        inputs=[Constant.of(found.values[name]) for name in INPUTS],
        chosen_trip=Constant.of(found.chosen_trip) if found.chosen_trip else None,
        chosen_clear=Constant.of(found.chosen_clear) if found.chosen_clear else None,
    )  # fmt: skip


@router.post("")
def choose(shop: Shop, slug: Name, sensor: Name, asked: Chosen) -> Done:
    """Choose trip and clear."""
    with shop.database.transaction() as session:
        deciding.choose(session, slug, sensor, asked.trip_mm, asked.clear_mm, asked.recording_id)
    shop.changed(slug)
    return Done()
