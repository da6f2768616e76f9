"""Simulated runs over HTTP: what a rig can be run with, and a run worked out."""

from __future__ import annotations

import json
from typing import Annotated, Any

import numpy as np
import numpy.typing as npt
from fastapi import APIRouter
from pydantic import BaseModel, Field

from tickstone.actions import driving
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Finite, Name, numbers
from tickstone.api.needs import Shop
from tickstone.core.drive import loop
from tickstone.core.drive.world import BenchWorld
from tickstone.core.drive.worlds import WORLDS
from tickstone.formats.world_json import world_to_json

Array = npt.NDArray[np.float64]
router = APIRouter(prefix="/api/rigs/{slug}/drive", tags=["drive"], responses=REFUSALS)
MOST_PLACES = 2000
MOST_GIVEN = 60


class SettingModel(BaseModel):
    """A number that can be set for a run: as it stands, its bounds, its choices by place; ``own`` where it
    was given for this run."""

    name: str
    label: str
    unit: str
    value: float
    low: float
    high: float
    choices: list[str]
    own: bool


class AbleModel(BaseModel):
    """A behaviour, where it is at home, and what the rig lacks for it (empty: nothing)."""

    id: str
    title: str
    words: str
    states: list[str]
    world: str
    lacks: str


class WorldLine(BaseModel):
    name: str
    kind: str


class ChoicesModel(BaseModel):
    behaviours: list[AbleModel]
    worlds: list[WorldLine]


class EventModel(BaseModel):
    t_s: float
    kind: str
    words: str


class AssumedModel(BaseModel):
    """A number that nobody has measured, and the sensor whose it is (empty: the vehicle's)."""

    name: str
    label: str
    sensor: str


class LaneOfRun(BaseModel):
    """One number of a run over its time, s; null where there is none."""

    id: str
    title: str
    unit: str
    values: list[float | None]


class VehicleModel(BaseModel):
    """The outline of what drives, mm from the middle of its axle, and where its sensors look from."""

    front_mm: float
    rear_mm: float
    width_mm: float
    track_mm: float


class RunModel(BaseModel):
    """A run: its verdict, why it failed (empty when it did not), its score by name, what happened, its way
    and its lanes on the same times, what it was worked out with. ``world`` is a world's document."""

    behaviour: str
    verdict: str
    why: str
    score: dict[str, float | int | bool | None]
    events: list[EventModel]
    assumed: list[AssumedModel]
    settings: list[SettingModel]
    vehicle: list[SettingModel]
    outline: VehicleModel
    world: dict[str, Any]
    t_s: list[float | None]
    x_mm: list[float | None]
    y_mm: list[float | None]
    heading_deg: list[float | None]
    states: list[int]
    lanes: list[LaneOfRun]


class DriveAsked(Body):
    """What is run; ``given`` are numbers by name, for this run alone."""

    behaviour: Name
    world: Name
    given: Annotated[dict[Name, Finite], Field(max_length=MOST_GIVEN, default_factory=dict)]
    seconds: Finite = 20.0
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1
    real: bool = False


@router.get("")
def choices(shop: Shop, slug: Name) -> ChoicesModel:
    """What a rig can be run with, and where."""
    with shop.database.transaction() as session:
        every = driving.able(session, slug)
    shop.compile_runs()
    return ChoicesModel(
        behaviours=[
            AbleModel(
                id=each.behaviour.id,
                title=each.behaviour.title,
                words=each.behaviour.words,
                states=list(each.behaviour.states),
                world=each.world,
                lacks=each.lacks,
            )
            for each in every
        ],
        worlds=[WorldLine(name=world.name, kind=world.kind) for world in WORLDS.values()],
    )


@router.post("")
def drive(shop: Shop, slug: Name, body: DriveAsked) -> RunModel:
    """Work a run out, with the rig's constants as they stand."""
    with shop.database.transaction() as session:
        driven = driving.drive(
            session, slug, body.behaviour, body.world, body.given, body.seconds, body.seed, body.real
        )
    return _model(driven, body.given)


def _model(driven: driving.DrivenRun, given: dict[str, float]) -> RunModel:
    run = driven.run
    trace = run.trace
    rows = np.unique(np.linspace(0, trace.shape[0] - 1, min(MOST_PLACES, trace.shape[0])).astype(int))
    some = trace[rows]
    vehicle = run.vehicle.values
    return RunModel(
        behaviour=run.behaviour.id,
        verdict=run.judged.verdict,
        why=run.judged.why,
        score=dict(run.judged.score),
        events=[EventModel(t_s=round(e.t_s, 3), kind=e.kind, words=e.words) for e in run.judged.events],
        assumed=[
            AssumedModel(name=name, label=driven.label_of(name), sensor=driven.sensor_of(name))
            for name in run.assumed
        ],
        settings=[
            SettingModel(
                name=setting.name,
                label=setting.label,
                unit=setting.unit,
                value=run.settings[setting.name],
                low=setting.low,
                high=setting.high,
                choices=list(setting.choices),
                own=setting.name in given,
            )
            for setting in run.behaviour.settings
        ],
        vehicle=[
            SettingModel(
                name=spec.name,
                label=spec.label,
                unit=spec.unit,
                value=vehicle[spec.name],
                low=spec.low,
                high=spec.high,
                choices=[],
                own=spec.name in given,
            )
            for spec in driven.vehicle
        ],
        outline=VehicleModel(**{name: vehicle[name] for name in VehicleModel.model_fields}),
        world=json.loads(world_to_json(driven.request.world)),
        t_s=numbers(some[:, loop.T_S], 4),
        x_mm=numbers(some[:, loop.X], 2),
        y_mm=numbers(some[:, loop.Y], 2),
        heading_deg=numbers(np.degrees(some[:, loop.HEADING]), 2),
        states=[int(state) for state in some[:, loop.STATE]],
        lanes=_lanes(driven, some),
    )


def _lanes(driven: driving.DrivenRun, rows: Array) -> list[LaneOfRun]:
    """What is shown of a run over its time: on the bench what is sensed, then the lamps that are ever lit;
    else the offset, what is commanded, what is sensed."""
    run = driven.run
    readings = [
        LaneOfRun(id=name, title=_column_title(name), unit="", values=numbers(rows[:, loop.READINGS + i], 3))
        for i, name in enumerate(run.columns)
        if not name.endswith("_new")
    ]
    outputs = [
        LaneOfRun(
            id=name,
            title=name.removesuffix("_pct").removesuffix("_deg").replace("_", " "),
            unit="%" if name.endswith("_pct") else "°" if name.endswith("_deg") else "",
            values=numbers(rows[:, loop.OUTPUTS + i], 3),
        )
        for i, name in enumerate(run.behaviour.outputs[: loop.MOST_OUTPUTS])
    ]
    if isinstance(driven.request.world, BenchWorld):
        return [*readings, *(lane for lane in outputs if any(lane.values))]
    offset = LaneOfRun(id="offset", title="offset", unit="mm", values=numbers(rows[:, loop.OFFSET], 2))
    return [offset, *outputs, *readings]


def _column_title(name: str) -> str:
    """``front-ranger_mm`` is the mm of the front ranger."""
    sensor, _, what = name.rpartition("_")
    return f"{sensor.replace('-', ' ')}: {what}" if sensor else name
