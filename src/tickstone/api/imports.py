"""Files of readings over HTTP: handed over, looked at, taken in as recordings."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from tickstone.actions import rigs
from tickstone.actions.bench_files import BenchFile
from tickstone.actions.importing import ColumnLook, Wish
from tickstone.actions.jobs import JobState
from tickstone.api import uploads
from tickstone.api.errors import REFUSALS
from tickstone.api.meanings import MeaningModel, TargetModel, targets_of
from tickstone.api.models import Body, Done, Finite, Name, number
from tickstone.api.needs import Shop
from tickstone.formats.mapping import AIR, AIR_CHANNEL, wants_air

router = APIRouter(prefix="/api", tags=["imports"], responses=REFUSALS)


class FileModel(BaseModel):
    """A file on the bench, with what was said of its columns so far: ``state`` is new, waiting, running,
    done, failed or stopped; while it runs ``done`` of its ``size`` bytes are read and ``rows`` taken;
    ``recording`` is what it became, ``message`` why it failed."""

    id: int
    name: str
    size: int
    by_hand: bool
    said: dict[str, MeaningModel]
    asked_rate_hz: float | None
    state: str
    done: int
    rows: int
    recording: int | None
    message: str


class FileColumn(BaseModel):
    name: str
    unit: str
    type: str
    meaning: MeaningModel | None
    guessed: bool
    cells: list[str]


class BadLineModel(BaseModel):
    line: int
    text: str
    why: str


class LookModel(BaseModel):
    """The beginning of a file as it would be taken in; ``wanting`` says what is still to be said."""

    format: str
    encoding: str
    own: bool
    name: str
    columns: list[FileColumn]
    lines: list[int]
    time: str
    rate_hz: float | None
    sensors: list[str]
    bad_count: int
    bad: list[BadLineModel]
    wanting: str
    targets: list[TargetModel]


class WishAsked(Body):
    """How to take a file in: its name, what columns mean by name (only where the guess will not do), its
    rate, Hz."""

    name: Annotated[str, Field(max_length=120)] = ""
    said: Annotated[dict[Annotated[str, Field(max_length=120)], MeaningModel], Field(max_length=1000)] = (
        Field(default_factory=dict)
    )
    rate_hz: Finite | None = None

    def wish(self, before: Wish) -> Wish:
        """The wish as the action takes it."""
        return Wish(
            self.name or before.name,
            {name: meaning.meaning() for name, meaning in self.said.items()},
            self.rate_hz,
        )


def _model(shop: Shop, file: BenchFile) -> FileModel:
    state = shop.files.state(file) or JobState("new")
    meanings = {
        name: MeaningModel.model_validate(asdict(meaning)) for name, meaning in file.wish.meanings.items()
    }
    return FileModel(
        id=file.id,
        name=file.wish.name,
        size=file.size,
        by_hand=file.wish.by_hand,
        said=meanings,
        asked_rate_hz=file.wish.rate_hz,
        state=state.state,
        done=state.done,
        rows=state.count,
        recording=state.result,
        message=state.error.message if state.error else "",
    )


@router.get("/rigs/{slug}/files")
def on_the_bench(shop: Shop, slug: Name) -> list[FileModel]:
    """The files that wait on a rig's bench, or are being taken in."""
    return [_model(shop, file) for file in shop.files.of_rig(slug)]


@router.post(
    "/rigs/{slug}/files",
    openapi_extra={"requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string"}}}}},
)
async def hand_over(
    shop: Shop,
    request: Request,
    slug: Name,
    name: Annotated[str, Query(max_length=255)] = "file",
    modified: datetime | None = None,
    by_hand: bool = False,
) -> FileModel:
    """Lay a file on a rig's bench, or a table typed from a notebook; its bytes are the body."""
    await run_in_threadpool(_check_rig, shop, slug)
    file = shop.files.room()
    try:
        await uploads.receive(request, file, "cut it into pieces first")
    except BaseException:  # too large, cut off, or no room: nothing of it stays
        file.close()
        Path(file.name).unlink(missing_ok=True)
        raise
    stem = name.rsplit(".", 1)[0].strip()[:120] or "file"
    known = modified if modified is not None and modified.tzinfo is not None else None
    return _model(shop, shop.files.put(slug, file, Wish(stem, modified=known, by_hand=by_hand)))


def _check_rig(shop: Shop, slug: str) -> None:
    with shop.database.transaction() as session:
        rigs.current(session, slug)


@router.get("/files/{file_id}")
def one_file(shop: Shop, file_id: int) -> FileModel:
    """How a file on the bench stands."""
    return _model(shop, shop.files.file(file_id))


TOLD_AIR = (TargetModel(sensor=AIR, channel=AIR_CHANNEL, title="the air around every ranger", unit="°C"),)


@router.post("/files/{file_id}/look")
def look(shop: Shop, file_id: int, body: WishAsked) -> LookModel:
    """The beginning of a file, as it would be taken in with this wish."""
    file = shop.files.file(file_id)
    result = shop.files.look(file_id, body.wish(file.wish))
    with shop.database.transaction() as session:
        rig = rigs.current(session, file.slug)
        targets = [*targets_of(rig), *(TOLD_AIR if wants_air(rig) else ())]
    return LookModel(
        format=result.format,
        encoding=result.encoding,
        own=result.own,
        name=result.name,
        columns=[_column(column) for column in result.columns],
        lines=result.lines,
        time=result.time,
        rate_hz=number(result.rate_hz),
        sensors=result.sensors,
        bad_count=result.bad_count,
        bad=[BadLineModel(line=line, text=text, why=why) for line, text, why in result.bad],
        wanting=result.wanting,
        targets=targets,
    )


def _column(column: ColumnLook) -> FileColumn:
    return FileColumn(
        name=column.name,
        unit=column.unit,
        type=column.type,
        meaning=MeaningModel.of(column.meaning),
        guessed=column.guessed,
        cells=column.cells,
    )


@router.post("/files/{file_id}/take-in")
def take_in(shop: Shop, file_id: int, body: WishAsked) -> FileModel:
    """Begin to take a file in as a recording."""
    before = shop.files.file(file_id).wish
    return _model(shop, shop.files.begin(file_id, body.wish(before)))


@router.delete("/files/{file_id}")
def take_away(shop: Shop, file_id: int) -> Done:
    """Take a file off the bench; when it is being taken in, that stops and nothing of it is kept."""
    shop.files.remove(file_id)
    return Done()
