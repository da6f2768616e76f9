"""Guided procedures over HTTP: one set of addresses for all of them."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field

from tickstone.actions import calibrating, comparing, procedures
from tickstone.actions.live import holding
from tickstone.api.errors import REFUSALS
from tickstone.api.figures import PlotModel, RecordModel, TableModel
from tickstone.api.models import Body, Done, Finite, Name, numbers
from tickstone.api.needs import Shop

router = APIRouter(
    prefix="/api/rigs/{slug}/sensors/{sensor}/procedures", tags=["calibrate"], responses=REFUSALS
)
MOST_FIELDS = 20
KEPT = ("key", "label", "truth", "n", "held_s", "air_c", "supply_v", "at", "by", "recording_id")


class AskField(RecordModel):
    name: str
    label: str
    unit: str
    typical: float | None
    low: float
    high: float
    choices: list[str]
    needed: bool
    counted_by: str


class WantModel(RecordModel):
    key: str
    label: str
    do: str
    fields: list[AskField]
    watched: bool
    more: bool


class HeldModel(RecordModel):
    key: str
    label: str
    truth: dict[str, float]
    n: int
    held_s: float
    air_c: float | None
    supply_v: float | None
    at: datetime
    by: str
    recording_id: int | None
    left: float | None
    sigmas: float | None


class FittedModel(RecordModel):
    name: str
    label: str
    unit: str
    value: float
    plus_minus: float | None
    before: float | None
    before_provenance: str | None


class ExtraModel(RecordModel):
    name: str
    label: str


class PastModel(RecordModel):
    id: int
    at: datetime
    verdict: str


class DriftModel(RecordModel):
    """How a constant moved from one accepted calibration to the next: times as ISO dates, values, ± (95
    %)."""

    name: str
    label: str
    unit: str
    at: list[datetime]
    values: list[float]
    plus_minus: list[float | None]


class UsableModel(RecordModel):
    """A recording that has readings of this sensor; ``marks`` of them speak of this procedure."""

    id: int
    name: str
    marks: int


class ProcedureModel(BaseModel):
    """A procedure as it stands: what is wanted, what is held, what that says."""

    id: int
    procedure: str
    title: str
    prepare: list[str]
    cautions: list[str]
    seconds: float
    hands_free: bool
    notebook: list[AskField]
    wants: list[WantModel]
    steps: list[HeldModel]
    heading: str
    verdict: str
    notes: list[str]
    why_not: str
    can_accept: bool
    left_unit: str
    repeat: list[str]
    constants: list[FittedModel]
    extras: list[ExtraModel]
    plots: list[PlotModel]
    tables: list[TableModel]
    past: list[PastModel]
    drifts: list[DriftModel]
    recordings: list[UsableModel]


class ProcedureLine(RecordModel):
    """A procedure in the list: how many steps are held in its draft, and when it was accepted last."""

    procedure: str
    title: str
    held: int
    last_at: datetime | None


class HoldAsked(Body):
    key: Annotated[str, Field(max_length=80)] = ""
    truth: Annotated[dict[str, Finite], Field(max_length=MOST_FIELDS, default_factory=dict)]


class NotebookAsked(Body):
    rows: Annotated[list[Annotated[dict[str, Finite], Field(max_length=MOST_FIELDS)]], Field(max_length=200)]


class RecordingAsked(Body):
    recording_id: int


class AcceptAsked(Body):
    extras: Annotated[list[Name], Field(max_length=10, default_factory=list)]


class TakenModel(BaseModel):
    taken: int
    refused: list[str]


class BeforeAfterModel(BaseModel):
    times_s: list[float | None]
    before: list[float | None]
    after: list[float | None]
    quantity: str
    unit: str
    said: str


@router.get("")
def all_procedures(shop: Shop, slug: Name, sensor: Name) -> list[ProcedureLine]:
    """The procedures of a sensor."""
    with shop.database.transaction() as session:
        lines = procedures.listed(session, slug, sensor)
    return [ProcedureLine.model_validate(line) for line in lines]


def _model(opened: procedures.OpenProcedure) -> ProcedureModel:
    what, outcome = opened.procedure, opened.outcome
    return ProcedureModel(
        id=opened.id,
        procedure=what.id,
        title=what.title,
        prepare=list(what.prepare),
        cautions=list(what.cautions),
        seconds=what.seconds,
        hands_free=what.hands_free,
        notebook=[AskField.model_validate(form_field) for form_field in what.notebook],
        wants=[WantModel.model_validate(want) for want in opened.wants],
        steps=[
            HeldModel(
                **{name: step[name] for name in KEPT},
                left=outcome.left.get(step["key"]),
                sigmas=outcome.sigmas.get(step["key"]),
            )
            for step in opened.steps
        ],
        heading=outcome.heading,
        verdict=outcome.verdict,
        notes=list(outcome.notes),
        why_not=outcome.why_not,
        can_accept=outcome.can_accept,
        left_unit=outcome.left_unit,
        repeat=list(outcome.repeat),
        constants=[FittedModel.model_validate(constant) for constant in opened.constants],
        extras=[ExtraModel.model_validate(extra) for extra in outcome.extras],
        plots=[PlotModel.model_validate(plot) for plot in outcome.plots],
        tables=[TableModel.model_validate(table) for table in outcome.tables],
        past=[PastModel.model_validate(past) for past in opened.past],
        drifts=[DriftModel.model_validate(drift) for drift in opened.drifts],
        recordings=[UsableModel.model_validate(recording) for recording in opened.recordings],
    )


@router.get("/{name}")
def procedure_now(shop: Shop, slug: Name, sensor: Name, name: Name) -> ProcedureModel:
    """The open draft: what is wanted, what is held, what it says."""
    with shop.database.transaction() as session:
        return _model(procedures.opened(session, slug, sensor, name))


@router.post("/{name}/hold")
def hold(shop: Shop, slug: Name, sensor: Name, name: Name, body: HoldAsked) -> Done:
    """Watch for a want; it is taken by itself when it is still. Without a key, whichever the readings
    show."""
    with shop.database.transaction() as session:
        ready = holding.prepare(
            session, slug, sensor, name, body.key, body.truth, shop.live(slug).view.last_line_s
        )
    shop.holds.begin(slug, ready)
    return Done()


@router.post("/{name}/take")
def take(shop: Shop, slug: Name, sensor: Name, name: Name) -> Done:
    """Take it now, still or not."""
    del sensor, name
    shop.holds.take(slug, forced=True)
    return Done()


@router.post("/{name}/let-go")
def let_go(shop: Shop, slug: Name, sensor: Name, name: Name) -> Done:
    """Watch no longer."""
    del sensor, name
    shop.holds.let_go(slug)
    return Done()


@router.post("/{name}/typed")
def typed(shop: Shop, slug: Name, sensor: Name, name: Name, body: HoldAsked) -> ProcedureModel:
    """A step that is only read off and typed."""
    with shop.change(slug) as session:
        calibrating.type_step(session, slug, sensor, name, body.key, body.truth)
    return procedure_now(shop, slug, sensor, name)


@router.delete("/{name}/steps/{key}")
def drop(shop: Shop, slug: Name, sensor: Name, name: Name, key: str) -> ProcedureModel:
    """Take a held step out of the draft."""
    with shop.change(slug) as session:
        calibrating.drop(session, calibrating.draft(session, slug, sensor, name).id, key)
    return procedure_now(shop, slug, sensor, name)


@router.post("/{name}/notebook")
def notebook(shop: Shop, slug: Name, sensor: Name, name: Name, body: NotebookAsked) -> TakenModel:
    """Lines from a notebook, by the names of its fields."""
    with shop.change(slug) as session:
        count = calibrating.notebook(session, slug, sensor, name, body.rows)
    return TakenModel(taken=count, refused=[])


@router.post("/{name}/from-recording")
def from_recording(shop: Shop, slug: Name, sensor: Name, name: Name, body: RecordingAsked) -> TakenModel:
    """Steps from the marks of a recording."""
    with shop.change(slug) as session:
        taken, refused = calibrating.from_recording(session, slug, sensor, name, body.recording_id)
    return TakenModel(taken=taken, refused=refused)


@router.get("/{name}/before-after/{recording_id}")
def before_after(shop: Shop, slug: Name, sensor: Name, name: Name, recording_id: int) -> BeforeAfterModel:
    """An old recording by today's constants and by the fitted ones."""
    with shop.database.transaction() as session:
        result = comparing.before_after(session, slug, sensor, name, recording_id)
    return BeforeAfterModel(
        times_s=numbers(result.times_s, 3),
        before=numbers(result.before),
        after=numbers(result.after),
        quantity=result.quantity,
        unit=result.unit,
        said=result.said,
    )


@router.post("/{name}/accept")
def accept(shop: Shop, slug: Name, sensor: Name, name: Name, body: AcceptAsked) -> Done:
    """Make the fitted constants the rig's own."""
    with shop.change(slug) as session:
        mine = calibrating.draft(session, slug, sensor, name)
        calibrating.accept(session, slug, mine.id, body.extras)
    shop.holds.end(slug)
    return Done(id=mine.id)


@router.post("/{name}/reject")
def reject(shop: Shop, slug: Name, sensor: Name, name: Name) -> Done:
    """Put the draft away and begin anew."""
    with shop.change(slug) as session:
        mine = calibrating.draft(session, slug, sensor, name)
        calibrating.reject(session, slug, mine.id)
    shop.holds.end(slug)
    return Done(id=mine.id)


@router.post("/{name}/bring-back/{calibration_id}")
def bring_back(shop: Shop, slug: Name, sensor: Name, name: Name, calibration_id: int) -> Done:
    """Make an archived draft the open one again."""
    with shop.change(slug) as session:
        calibrating.bring_back(session, slug, sensor, name, calibration_id)
    return Done(id=calibration_id)
