"""Decisions over HTTP: one set of addresses for all of them."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field, TypeAdapter

from tickstone.actions import deciding
from tickstone.api.errors import REFUSALS
from tickstone.api.figures import PlotModel, RecordModel, TableModel
from tickstone.api.models import Body, Constant, Done, Finite, Name
from tickstone.api.needs import Shop
from tickstone.core.constants import Provenance
from tickstone.errors import BadInput

router = APIRouter(prefix="/api/rigs/{slug}/sensors/{sensor}/decisions", tags=["decide"], responses=REFUSALS)
MOST_PICKED = 60
MOST_RECORDINGS = 8


class DecisionLine(BaseModel):
    """A decision in the list: open, chosen or stale."""

    decision: str
    title: str
    state: str


class CandidateModel(RecordModel):
    label: str
    value: float
    provenance: Provenance


class ChoiceModel(BaseModel):
    name: str
    label: str
    unit: str
    value: float
    suggested: float
    why: str
    low: float
    high: float
    step: float
    candidates: list[CandidateModel]
    options: list[str]
    warning: str
    chosen: Constant | None


class HeapModel(RecordModel):
    condition: str
    place: str
    filled: bool
    mean: float
    sd: float
    n: int
    outline: list[tuple[float, float]]


class OddsModel(RecordModel):
    first: float
    step: float
    counted: list[int]
    of: int
    fitted: list[float]
    margin: list[float]
    margin_sds: list[float]
    worst: list[int]
    tested: list[int]
    tested_of: int
    proved_per_1000: float


class HeapRowModel(RecordModel):
    title: str
    threshold: str
    band: str
    heaps: list[HeapModel]
    odds: OddsModel
    state: str
    said: str
    high_place: str
    channel: str


class HeapsModel(RecordModel):
    low: float
    high: float
    unit: str
    conditions: list[str]
    rows: list[HeapRowModel]
    ladder: list[float]
    shared: float | None
    least_sds: float
    draws: Literal["heaps"]


class GripModel(RecordModel):
    constant: str
    zero_mm: float
    per_mm: float
    step: float


class FloorModel(RecordModel):
    trip_mm: float
    clear_mm: float
    parts_mm: dict[str, float]
    reach_mm: float
    common_mm: list[float]
    nearest_mm: float
    bar_mm: list[float]
    grips: list[GripModel]
    draws: Literal["floor"]


class FlagModel(RecordModel):
    text: str
    wrong: bool


class StateModel(RecordModel):
    pattern: str
    words: str
    choice: str
    flags: list[FlagModel]
    seen: int
    lamps: list[bool]
    reachable: bool


class StatesModel(RecordModel):
    rows: list[StateModel]
    draws: Literal["states"]


DrawingModel = Annotated[HeapsModel | FloorModel | StatesModel, Field(discriminator="draws")]
DRAWING: TypeAdapter[DrawingModel] = TypeAdapter(DrawingModel)


class SourceModel(RecordModel):
    id: int
    name: str
    used: bool


class DecisionModel(BaseModel):
    """A decision as it stands: the verdict, what can be chosen, from what, with which odds."""

    decision: str
    title: str
    heading: str
    next: str
    good: bool
    why_not: str
    choices: list[ChoiceModel]
    inputs: list[Constant]
    notes: list[str]
    cautions: list[str]
    marked: bool
    most: int
    sources: list[SourceModel]
    test_id: int | None
    plots: list[PlotModel]
    tables: list[TableModel]
    drawing: DrawingModel | None


class ChooseAsked(Body):
    values: Annotated[dict[Name, Finite], Field(max_length=MOST_PICKED)]
    recordings: Annotated[list[int], Field(max_length=MOST_RECORDINGS)] | None = None


@router.get("")
def decisions(shop: Shop, slug: Name, sensor: Name) -> list[DecisionLine]:
    """The decisions of a sensor."""
    with shop.database.transaction() as session:
        standing = deciding.standing(session, slug, sensor)
    return [
        DecisionLine(decision=decision.id, title=decision.title, state=state) for decision, state in standing
    ]


def _picked(pairs: list[str]) -> dict[str, float]:
    results = {}
    for pair in pairs:
        name, _, value = pair.partition(":")
        try:
            results[name] = float(value)
        except ValueError:
            raise BadInput(f"{pair!r} is no pick: a name and a number, as trip:300.", "pick") from None
        if not abs(results[name]) < float("inf"):
            raise BadInput(f"{name} must be a finite number.", "pick")
    return results


@router.get("/{name}")
def decision_now(
    shop: Shop,
    slug: Name,
    sensor: Name,
    name: Name,
    recordings: Annotated[list[int] | None, Query(alias="from", max_length=MOST_RECORDINGS)] = None,
    none: bool = False,
    test: int | None = None,
    pick: Annotated[list[Annotated[str, Field(max_length=80)]], Query(max_length=MOST_PICKED)] = [],  # noqa: B006
) -> DecisionModel:
    """A decision worked out on the recordings named (``from``, or ``none`` of them), with what is picked
    (name:value): of its choices, or of what it is worked from."""
    with shop.database.transaction() as session:
        worked = deciding.work(session, slug, sensor, name, [] if none else recordings, test, _picked(pick))
    return _model(worked)


def _model(worked: deciding.WorkedDecision) -> DecisionModel:
    decision, made, specs = worked.decision, worked.decided, worked.specs
    return DecisionModel(
        decision=decision.id,
        title=decision.title,
        heading=worked.heading,
        next=worked.next,
        good=made.good,
        why_not=made.why_not,
        choices=[
            ChoiceModel(
                name=c.name,
                label=specs[c.name].label,
                unit=specs[c.name].unit,
                value=c.value,
                suggested=c.suggested,
                why=c.why,
                low=specs[c.name].low,
                high=specs[c.name].high,
                step=c.step,
                options=list(c.options),
                warning=worked.warning(c.name),
                candidates=[CandidateModel.model_validate(x) for x in c.candidates],
                chosen=Constant.of(worked.values[c.name]) if c.name in worked.values else None,
            )
            for c in made.choices
        ],
        inputs=[Constant.of(worked.values[n]) for n in decision.inputs if n in worked.values],
        notes=list(made.notes),
        cautions=list(decision.cautions),
        marked=decision.marked,
        most=decision.most,
        sources=[SourceModel.model_validate(x) for x in worked.sources],
        test_id=worked.test_id,
        plots=[PlotModel.model_validate(x) for x in made.plots],
        tables=[TableModel.model_validate(x) for x in made.tables],
        drawing=None if made.drawing is None else DRAWING.validate_python(made.drawing),
    )


@router.post("/{name}")
def choose(shop: Shop, slug: Name, sensor: Name, name: Name, body: ChooseAsked) -> Done:
    """Choose; the answer's id is by what the choice can be taken back."""
    with shop.change(slug) as session:
        last = deciding.choose(session, slug, sensor, name, body.values, body.recordings)
    return Done(id=last)


class TakeBackAsked(Body):
    """``upto`` is what choosing answered."""

    upto: int


@router.post("/{name}/take-back")
def take_back(shop: Shop, slug: Name, sensor: Name, name: Name, body: TakeBackAsked) -> Done:
    """Take the last choice back: what held before holds again."""
    with shop.change(slug) as session:
        deciding.take_back(session, slug, sensor, name, body.upto)
    return Done()
