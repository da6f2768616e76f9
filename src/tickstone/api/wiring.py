"""What is on a rig and how it is wired: board, parts, supplies, places, wires; schedule, checklist, watch
program."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import cache
from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session
from starlette.responses import Response

from tickstone.actions import building, rigs, wiring
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.figures import RecordModel
from tickstone.api.models import Body, Done, Name, RevisionBody
from tickstone.api.needs import Shop
from tickstone.api.rig_models import OUTPUT_FAMILY, DrawnRig, KindModel, RigModel, catalogue, drawn_rig
from tickstone.api.rigs import load
from tickstone.core.rigs import boards, templates
from tickstone.core.rigs.kinds import FAMILIES
from tickstone.core.rigs.pin_list import pins_of
from tickstone.core.rigs.rig import ABILITIES, Board, Geometry, Mount, Pin, Supply
from tickstone.core.wiring.in_wires import InWire
from tickstone.core.wiring.schedule import ScheduleLine
from tickstone.formats.export import FORMS

router = APIRouter(prefix="/api/rigs", tags=["wiring"], responses=REFUSALS)
lists = APIRouter(prefix="/api", tags=["wiring"], responses=REFUSALS)

Options = dict[str, str | float]


class TemplateLine(BaseModel):
    """A rig to begin with, what it is for, and what lies on the bench for it."""

    id: str
    title: str
    board: str
    drawn: DrawnRig


class Listed(BaseModel):
    """Something by its id, and what it is called."""

    id: str
    title: str


class Lists(BaseModel):
    """What there is to choose from; ``families`` are what kinds of parts are listed under, ``forms`` those of
    exported files."""

    templates: list[TemplateLine]
    families: list[Listed]
    kinds: list[KindModel]
    forms: list[Listed]
    boards: dict[str, str]
    abilities: list[str]


class BoardAsked(RevisionBody):
    board: str


class BoardEdited(RevisionBody):
    """``renamed`` are pins by their old name that have a new one: wires go along."""

    board: Board
    renamed: Annotated[dict[str, str], Field(default_factory=dict, max_length=200)]


class PinList(Body):
    text: Annotated[str, Field(max_length=20_000)]


class PartAsked(RevisionBody):
    kind: str
    name: Annotated[str, Field(max_length=60)] = ""
    options: Annotated[Options, Field(default_factory=dict)]


class PartChanged(RevisionBody):
    name: Annotated[str, Field(max_length=60)]
    options: Options


class SuppliesAsked(RevisionBody):
    supplies: list[Supply]
    board_from: str


class GeometryAsked(RevisionBody):
    geometry: Geometry
    mounts: dict[str, Mount | None]


class FixAsked(RevisionBody):
    kind: str
    sensor: str
    pin: str


class WireAsked(RevisionBody):
    sensor: str
    pin: str
    to: str


class AssignAsked(RevisionBody):
    keep: bool = True


class ScheduleLineModel(RecordModel):
    """A wire of the schedule; ``ticked_at`` is when it was ticked as in (null: not yet)."""

    id: str
    sensor: str
    pin: str
    start: str
    end: str
    code: str
    colour: str
    length_mm: float
    part: str
    ticked_at: datetime | None = None


class PartLineModel(RecordModel):
    count: int
    title: str
    value: str
    bands: list[str]
    note: str


class WirePartAsked(RevisionBody):
    """A part in the wire of a pin."""

    sensor: Name
    pin: Name
    what: InWire


class ScheduleModel(BaseModel):
    rig: str
    board: str
    wires: list[ScheduleLineModel]
    parts: list[PartLineModel]


class StepLine(BaseModel):
    id: str
    section: str
    text: str
    expect: str
    caution: str
    second: bool
    ticked_at: datetime | None
    by: str


class TickAsked(Body):
    ticked: bool
    by: Annotated[str, Field(max_length=60)] = ""


class ProgramModel(BaseModel):
    """The watch program in one language; ``languages`` are those that the board runs."""

    language: str
    languages: list[str]
    name: str
    text: str


@lists.get("/lists")
def all_lists() -> Lists:
    """Templates, kinds of parts and their families, boards, abilities of pins, forms of files."""
    return _lists()


@lists.get("/boards/{kind}")
def one_board(kind: Name) -> Board:
    """A board of the catalogue, to be copied."""
    return boards.board(kind)


@lists.post("/pins")
def pin_list(body: PinList) -> list[Pin]:
    """The pins of a list, a line each: print, what a program calls it, what it can do, timer."""
    return list(pins_of(body.text))


@cache
def _lists() -> Lists:
    results = [
        TemplateLine(
            id=t.id,
            title=t.title,
            board=templates.template(t.id).board.title,
            drawn=drawn_rig(templates.template(t.id)),
        )
        for t in templates.TEMPLATES.values()
    ]
    titles = {board.kind: board.title for board in boards.BOARDS.values()}
    families = [
        Listed(id=name, title=title) for name, title in (*FAMILIES.items(), (OUTPUT_FAMILY, "Outputs"))
    ]
    forms = [Listed(id=name, title=form.title) for name, form in FORMS.items()]
    return Lists(
        templates=results,
        families=families,
        kinds=catalogue(),
        forms=forms,
        boards=titles,
        abilities=list(ABILITIES),
    )


def _change(shop: Workshop, slug: str, change: Callable[[Session], object]) -> RigModel:
    """Make a change in one transaction, tell everybody who looks, and hand back the rig."""
    with shop.change(slug) as session:
        change(session)
    return load(shop, slug)


@router.post("/{slug}/board")
def choose_board(shop: Shop, slug: Name, body: BoardAsked) -> RigModel:
    """Put the rig on another board."""
    return _change(shop, slug, lambda session: wiring.choose_board(session, slug, body.revision, body.board))


@router.put("/{slug}/board")
def edit_board(shop: Shop, slug: Name, body: BoardEdited) -> RigModel:
    """Take over an edited board: it becomes one's own."""
    return _change(
        shop,
        slug,
        lambda session: wiring.edit_board(session, slug, body.revision, body.board, body.renamed),
    )


@router.post("/{slug}/parts")
def fit_part(shop: Shop, slug: Name, body: PartAsked) -> RigModel:
    """Fit a sensor or an output, wired where the board can take it."""
    shop.still(slug, "fitting a part")
    return _change(
        shop,
        slug,
        lambda session: wiring.fit_part(
            session, slug, body.revision, body.kind, body.name, dict(body.options)
        ),
    )


@router.put("/{slug}/parts/{part}")
def change_part(shop: Shop, slug: Name, part: Name, body: PartChanged) -> RigModel:
    """Rename a part, or change the answers about it."""
    return _change(
        shop,
        slug,
        lambda session: wiring.change_part(session, slug, body.revision, part, body.name, dict(body.options)),
    )


@router.post("/{slug}/parts/{part}/take-off")
def take_off(shop: Shop, slug: Name, part: Name, body: RevisionBody) -> RigModel:
    """Take a part off; undo brings it back."""
    shop.still(slug, "taking a part off")
    return _change(shop, slug, lambda session: wiring.take_off(session, slug, body.revision, part))


@router.put("/{slug}/supplies")
def set_supplies(shop: Shop, slug: Name, body: SuppliesAsked) -> RigModel:
    """Supplies beside the board, and what powers it."""
    return _change(
        shop,
        slug,
        lambda session: wiring.set_supplies(
            session, slug, body.revision, tuple(body.supplies), body.board_from
        ),
    )


@router.put("/{slug}/geometry")
def set_geometry(shop: Shop, slug: Name, body: GeometryAsked) -> RigModel:
    """Sizes of the vehicle, and where its parts sit."""
    return _change(
        shop,
        slug,
        lambda session: wiring.set_geometry(session, slug, body.revision, body.geometry, body.mounts),
    )


@router.post("/{slug}/assign")
def assign(shop: Shop, slug: Name, body: AssignAsked) -> RigModel:
    """Assign every pin anew."""
    return _change(shop, slug, lambda session: wiring.assign_anew(session, slug, body.revision, body.keep))


@router.post("/{slug}/wire")
def move_wire(shop: Shop, slug: Name, body: WireAsked) -> RigModel:
    """Put one wire elsewhere."""
    return _change(
        shop,
        slug,
        lambda session: wiring.move_wire(session, slug, body.revision, body.sensor, body.pin, body.to),
    )


@router.post("/{slug}/wire/remove-part")
def remove_part(shop: Shop, slug: Name, body: WirePartAsked) -> RigModel:
    """Take a part out of a wire: the wire on the bench has none."""
    return _change(
        shop,
        slug,
        lambda session: wiring.remove_part(session, slug, body.revision, body.sensor, body.pin, body.what),
    )


@router.post("/{slug}/fix")
def fix(shop: Shop, slug: Name, body: FixAsked) -> RigModel:
    """Apply the fix of one finding."""
    return _change(
        shop,
        slug,
        lambda session: wiring.mend(session, slug, body.revision, body.kind, body.sensor, body.pin),
    )


@router.post("/{slug}/undo")
def undo(shop: Shop, slug: Name, body: RevisionBody) -> RigModel:
    """Take the last change of the rig back."""
    shop.still(slug, "undoing a change")
    return _change(shop, slug, lambda session: rigs.undo(session, slug, body.revision))


@router.get("/{slug}/schedule")
def schedule(shop: Shop, slug: Name) -> ScheduleModel:
    """The wiring schedule and the parts list."""
    with shop.database.transaction() as session:
        tables = building.tables_of(session, slug)
    return ScheduleModel(
        rig=tables.rig.title,
        board=tables.rig.board.title,
        wires=[_schedule_line(line, tables.ticked.get(line.id)) for line in tables.wires],
        parts=[PartLineModel.model_validate(line) for line in tables.parts],
    )


def _schedule_line(line: ScheduleLine, ticked_at: datetime | None) -> ScheduleLineModel:
    model = ScheduleLineModel.model_validate(line)
    model.ticked_at = ticked_at
    return model


@router.put("/{slug}/schedule/{wire}")
def tick_wire(shop: Shop, slug: Name, wire: Name, body: TickAsked) -> Done:
    """Tick a wire as in, or take its tick back."""
    with shop.change(slug) as session:
        building.tick_wire(session, slug, wire, body.ticked)
    return Done()


@router.get("/{slug}/{table}.csv")
def table(shop: Shop, slug: Name, table: Literal["schedule", "parts"]) -> Response:
    """The wiring schedule, or the parts list, as CSV."""
    with shop.database.transaction() as session:
        text = building.table(session, slug, table)
    name = f'attachment; filename="{slug}-{table}.csv"'
    return Response(text, media_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})


@router.get("/{slug}/checklist")
def checklist(shop: Shop, slug: Name) -> list[StepLine]:
    """The build and before-power checklist of the rig as it is wired now."""
    with shop.database.transaction() as session:
        return [
            StepLine(
                **vars(step.step),
                ticked_at=step.tick.at if step.tick else None,
                by=step.tick.by if step.tick else "",
            )
            for step in building.checklist_of(session, slug)
        ]


@router.put("/{slug}/checklist/{step}")
def tick(shop: Shop, slug: Name, step: Name, body: TickAsked) -> Done:
    """Tick a step, or take its tick back."""
    with shop.change(slug) as session:
        building.tick(session, slug, step, body.ticked, body.by)
    return Done()


@router.get("/{slug}/program")
def program(shop: Shop, slug: Name, language: str = "") -> ProgramModel:
    """The watch program; without a language, in the first that the board runs."""
    with shop.database.transaction() as session:
        result = building.watch_program(session, slug, language)
    return ProgramModel(
        language=result.language, languages=list(result.languages), name=result.name, text=result.text
    )
