"""Simulated runs over HTTP: what a rig can be run with, and a run worked out."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
import numpy.typing as npt
from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from tickstone.actions import driving, worlds
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Done, Finite, Name, Provenance, numbers
from tickstone.api.needs import Shop
from tickstone.core.behaviours.behaviour import ROW, Setting
from tickstone.core.drive import loop
from tickstone.core.drive.hands import HANDS
from tickstone.core.drive.request import Run
from tickstone.core.drive.scores import SCORES
from tickstone.core.drive.vehicle import VehicleSpec
from tickstone.core.drive.world import BenchWorld
from tickstone.formats.run_json import request_to_plain
from tickstone.formats.world_json import world_to_plain

Array = npt.NDArray[np.float64]
router = APIRouter(prefix="/api/rigs/{slug}/drive", tags=["drive"], responses=REFUSALS)
MOST_PLACES, MOST_LOOKS = 20_000, 2000  # of a way, and of lanes
MOST_GIVEN = 60


class SettingModel(BaseModel):
    """A number that can be set for a run: as it stands, its bounds, its choices by place; ``own`` where it
    was given for this run; else what is known of it, from where, and why that no longer holds (empty while it
    does). ``keeps``: it can be kept as a chosen constant."""

    name: str
    label: str
    unit: str
    value: float
    low: float
    high: float
    choices: list[str]
    own: bool
    provenance: Provenance
    source: str
    stale: str
    keeps: bool


class RunHandModel(BaseModel):
    """A thing that a hand does to a run: the numbers it changes; the number that is the time at which it does
    it (empty: all along); those that are a place so far before the vehicle."""

    id: str
    label: str
    changes: dict[str, float]
    moment: str
    place: list[str]
    ahead_mm: float


class ScoreModel(BaseModel):
    """A number of a score; null where the run has none."""

    name: str
    label: str
    unit: str
    digits: int
    value: float | bool | None


class AbleModel(BaseModel):
    """A behaviour, where it is at home, the sensor that it reads, and what the rig lacks for it (empty:
    nothing)."""

    id: str
    title: str
    words: str
    states: list[str]
    world: str
    sensor: str
    lacks: str


class WorldLine(BaseModel):
    """A world by its name; ``own``: it was drawn or taken in."""

    name: str
    kind: str
    own: bool


class ChoicesModel(BaseModel):
    behaviours: list[AbleModel]
    worlds: list[WorldLine]


class EventModel(BaseModel):
    t_s: float
    kind: str
    words: str


class AssumedModel(BaseModel):
    """A number that nobody has measured; the sensor and the procedure by which it is (empty: none, it is
    typed for the run)."""

    model_config = ConfigDict(from_attributes=True)

    name: str
    label: str
    sensor: str
    procedure: str


class LaneOfRun(BaseModel):
    """One number of a run over its time, s; null where there is none."""

    id: str
    title: str
    unit: str
    values: list[float | None]


class RecordedModel(BaseModel):
    """A number that a recording told, and which."""

    model_config = ConfigDict(from_attributes=True)

    name: str
    label: str
    unit: str
    value: float
    source: str


class VehicleModel(BaseModel):
    """The outline of what drives, mm from the middle of its axle; ``wheelbase_mm`` to the axle that is
    steered (null: none is)."""

    front_mm: float
    rear_mm: float
    width_mm: float
    track_mm: float
    wheelbase_mm: float | None = None


class RunModel(BaseModel):
    """A run: its verdict, why it failed (empty when it did not), its score by name, what happened, its way
    with how far beside the line it was, what it was worked out with; its states and lanes on times of their
    own, ``lanes_t_s``, with the flags of each sensor of a row. ``world`` is a world's document."""

    behaviour: str
    verdict: str
    why: str
    score: list[ScoreModel]
    events: list[EventModel]
    assumed: list[AssumedModel]
    recorded: list[RecordedModel]
    settings: list[SettingModel]
    vehicle: list[SettingModel]
    hands: list[RunHandModel]
    outline: VehicleModel
    world: dict[str, Any]
    t_s: list[float | None]
    x_mm: list[float | None]
    y_mm: list[float | None]
    heading_deg: list[float | None]
    away_mm: list[float | None]
    lanes_t_s: list[float | None]
    states: list[int]
    row: list[list[bool]]
    lanes: list[LaneOfRun]


class DriveAsked(Body):
    """What is run; ``given`` are numbers by name, for this run alone."""

    behaviour: Name
    world: Name
    given: Annotated[dict[Name, Finite], Field(max_length=MOST_GIVEN, default_factory=dict)]
    seconds: Finite = 20.0
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1
    real: bool = False
    integers: bool = False

    def asked(self) -> driving.Asked:
        """The same as the action has it."""
        return driving.Asked(**self.model_dump())


@router.get("")
def choices(shop: Shop, slug: Name) -> ChoicesModel:
    """What a rig can be run with, and where."""
    with shop.database.transaction() as session:
        every = driving.able(session, slug)
        places = worlds.every(session)
    shop.compile_runs()
    return ChoicesModel(
        behaviours=[
            AbleModel(
                id=each.behaviour.id,
                title=each.behaviour.title,
                words=each.behaviour.words,
                states=list(each.behaviour.states),
                world=each.world,
                sensor=each.sensor,
                lacks=each.lacks,
            )
            for each in every
        ],
        worlds=[WorldLine(name=world.name, kind=world.kind, own=own) for world, own in places],
    )


@router.post("")
def drive(shop: Shop, slug: Name, body: DriveAsked) -> RunModel:
    """Work a run out, with the rig's constants as they stand."""
    with shop.database.transaction() as session:
        request = driving.requested(session, slug, body.asked())
    with shop.run_of(slug) as progress:
        return run_model(driving.drive(request, progress))


class RunningModel(BaseModel):
    """How much of a run is worked out, 0 to 1."""

    share: float


class WayModel(BaseModel):
    """A way to drive a course: the behaviour, what is set for it, in words and numbers, and how it went."""

    behaviour: str
    title: str
    words: str
    given: dict[str, float]
    verdict: str
    score: list[ScoreModel]


@router.post("/ways")
def ways(shop: Shop, slug: Name, body: DriveAsked) -> list[WayModel]:
    """Every way in which the rig can drive that course, beside each other."""
    with shop.database.transaction() as session:
        request = driving.requested(session, slug, body.asked())
    return [
        WayModel(
            behaviour=way.behaviour.id,
            title=way.behaviour.title,
            words=way.words,
            given=dict(way.given),
            verdict=way.run.judged.verdict,
            score=_score(way.run),
        )
        for way in driving.ways(request)
    ]


@router.post("/document")
def document(shop: Shop, slug: Name, body: DriveAsked) -> dict[str, Any]:
    """The RUN document of a run, with the constants as they stand: by it the command line gives the same
    numbers."""
    with shop.database.transaction() as session:
        return request_to_plain(driving.requested(session, slug, body.asked()))


@router.get("/running")
def running(shop: Shop, slug: Name) -> list[RunningModel]:
    """The runs of a rig that are being worked out just now."""
    return [RunningModel(share=progress.share) for progress in shop.runs(slug)]


@router.delete("/running")
def stop(shop: Shop, slug: Name) -> Done:
    """Stop the runs of a rig that are being worked out: nothing of them is kept."""
    for progress in shop.runs(slug):
        progress.stop()
    return Done()


@router.post("/choose")
def choose(shop: Shop, slug: Name, body: DriveAsked) -> Done:
    """Keep the behaviour's settings of a run as chosen constants; by the answer's id the choice can be
    taken back."""
    with shop.database.transaction() as session:
        request = driving.requested(session, slug, body.asked())
    verdict = driving.drive(request).run.judged.verdict
    with shop.change(slug) as session:
        return Done(id=driving.choose(session, slug, body.asked(), verdict))


class TakeSettingsBack(Body):
    """``upto`` is what choosing answered."""

    behaviour: Name
    upto: int


@router.post("/take-back")
def take_back(shop: Shop, slug: Name, body: TakeSettingsBack) -> Done:
    """Take the last choice of a behaviour's settings back: what held before holds again."""
    with shop.change(slug) as session:
        driving.take_back(session, slug, body.behaviour, body.upto)
    return Done()


class TrackModel(BaseModel):
    """A stand-in on the track: what it does there, for how long, and where it really is. ``world`` is the
    world's document."""

    behaviour: str
    world: dict[str, Any]
    t_s: float
    state: int
    x_mm: float
    y_mm: float
    heading_deg: float
    hits: float = 0.0
    fell: float = 0.0
    offset_mm: float | None = None


@router.get("/track")
def track(shop: Shop, slug: Name) -> TrackModel | None:
    """How the rig's stand-in stands on the track; null while it is on the bench."""
    stands = shop.track(slug)
    return None if stands is None else TrackModel.model_validate(stands)


@router.put("/track")
def put_on_track(shop: Shop, slug: Name, body: DriveAsked) -> Done:
    """Let the rig's stand-in drive, from the world's start, with the constants as they stand."""
    with shop.database.transaction() as session:
        request = driving.requested(session, slug, body.asked())
    shop.standin(slug).drive(driving.on_track(request))
    return Done()


@router.delete("/track")
def take_off_track(shop: Shop, slug: Name) -> Done:
    """Take the rig's stand-in back to the bench."""
    shop.standin(slug).drive(None)
    return Done()


def run_model(driven: driving.DrivenRun) -> RunModel:
    """A run as the screen has it."""
    run = driven.run
    loops = run.trace.shape[0]
    way = run.trace[_evenly(loops, MOST_PLACES)]
    happened = [min(round(event.t_s / run.loop_s), loops - 1) for event in run.judged.events]
    looked = np.unique([*_evenly(loops, MOST_LOOKS), *happened])  # what is jumped to is there
    some, flags = run.trace[looked], run.flags[looked] if run.flags.size else run.flags
    return RunModel(
        behaviour=run.behaviour.id,
        verdict=run.judged.verdict,
        why=run.judged.why,
        score=_score(run),
        events=[EventModel(t_s=round(e.t_s, 3), kind=e.kind, words=e.words) for e in run.judged.events],
        assumed=[AssumedModel.model_validate(each) for each in driven.assumed],
        recorded=[RecordedModel.model_validate(each) for each in driven.request.recorded],
        settings=[
            _setting(driven, setting)
            for setting in run.behaviour.settings
            if setting.name not in run.vehicle.values  # those stand there
        ],
        vehicle=[_vehicle_number(driven, spec) for spec in driven.vehicle],
        hands=[
            RunHandModel.model_validate(hand, from_attributes=True)
            for hand in HANDS
            if run.world.kind in hand.worlds and (run.behaviour.reads == ROW or not hand.row)
        ],
        outline=VehicleModel.model_validate(dict(run.vehicle.values)),
        world=world_to_plain(run.world),
        t_s=numbers(way[:, loop.T_S], 4),
        x_mm=numbers(way[:, loop.X], 1),
        y_mm=numbers(way[:, loop.Y], 1),
        heading_deg=numbers(np.degrees(way[:, loop.HEADING]), 1),
        away_mm=numbers(way[:, loop.OFFSET], 1),
        lanes_t_s=numbers(some[:, loop.T_S], 4),
        states=[int(state) for state in some[:, loop.STATE]],
        row=flags.T.tolist(),
        lanes=_lanes(driven, some),
    )


def _score(run: Run) -> list[ScoreModel]:
    score = run.judged.score
    return [
        ScoreModel(name=name, label=spec.label, unit=spec.unit, digits=spec.digits, value=score[name])
        for name, spec in SCORES.items()
        if name in score
    ]


def _evenly(count: int, most: int) -> npt.NDArray[np.int64]:
    """At most so many of ``count`` places, evenly."""
    return np.unique(np.linspace(0, count - 1, min(most, count)).astype(np.int64))


def _setting(driven: driving.DrivenRun, setting: Setting) -> SettingModel:
    own, known = setting.name in driven.request.given, driven.value_of(setting)
    return SettingModel(
        name=setting.name,
        label=setting.label,
        unit=setting.unit,
        value=driven.run.settings[setting.name],
        low=setting.low,
        high=setting.high,
        choices=list(setting.choices),
        own=own,
        provenance="assumed" if known is None else known.provenance.value,
        source="usual" if known is None else known.source,
        stale="" if known is None else known.stale,
        keeps=driven.keeps(setting),
    )


def _vehicle_number(driven: driving.DrivenRun, spec: VehicleSpec) -> SettingModel:
    vehicle = driven.run.vehicle
    measured = vehicle.measured.get(spec.name)
    return SettingModel(
        name=spec.name,
        label=spec.label,
        unit=spec.unit,
        value=vehicle.values[spec.name],
        low=spec.low,
        high=spec.high,
        choices=[],
        own=spec.name in driven.request.given,
        provenance="assumed" if measured is None else "measured" if measured else "chosen",
        source="usual"
        if measured is None
        else f"by the {measured}"
        if measured
        else "from the rig's own record",
        stale="",
        keeps=False,
    )


def _lanes(driven: driving.DrivenRun, rows: Array) -> list[LaneOfRun]:
    """What is shown of a run over its time: on the bench what is sensed, then the lamps that are ever lit;
    else the offset, what is commanded, what is sensed."""
    run = driven.run
    readings = [
        LaneOfRun(id=c.name, title=c.label, unit=c.unit, values=numbers(rows[:, loop.READINGS + i], 3))
        for i, c in enumerate(run.columns)
        if not c.hidden
    ]
    outputs = [
        LaneOfRun(id=o.name, title=o.label, unit=o.unit, values=numbers(rows[:, loop.OUTPUTS + i], 3))
        for i, o in enumerate(run.behaviour.outputs[: loop.MOST_OUTPUTS])
    ]
    if isinstance(run.world, BenchWorld):
        return [*readings, *(lane for lane in outputs if any(lane.values))]
    offset = LaneOfRun(
        id="offset", title="beside the line", unit="mm", values=numbers(rows[:, loop.OFFSET], 2)
    )
    steers = np.degrees(rows[:, loop.STEERS])
    steering = LaneOfRun(id="steers", title="steered to the left", unit="°", values=numbers(steers, 2))
    return [offset, *outputs, *([steering] if steers.any() else []), *readings]
