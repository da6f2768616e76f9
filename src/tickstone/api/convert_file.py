"""Files of raw readings over HTTP: a look at what each column is, and the whole with converted columns."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from tickstone.api import uploads
from tickstone.api.errors import REFUSALS
from tickstone.api.needs import Shop
from tickstone.errors import BadInput

router = APIRouter(prefix="/api/convert-file", tags=["convert"], responses=REFUSALS)

Meanings = Annotated[
    list[str], Query(max_length=500, description="column=sensor.channel, or column= to leave it alone")
]


class ColumnModel(BaseModel):
    """A column of the file: ``role`` is time, a sensor's channel, a plain conversion, or nothing."""

    name: str
    target: str
    role: str


class WorkableModel(BaseModel):
    """A sensor of the file whose rows can be worked one by one: the raw numbers of each row shown."""

    sensor: str
    kind: str
    rows: list[dict[str, float]]


class PreviewModel(BaseModel):
    columns: list[ColumnModel]
    targets: list[str]
    header: list[str]
    rows: list[list[str]]
    workable: list[WorkableModel]
    ragged: int


@router.post(
    "/preview",
    openapi_extra={"requestBody": {"content": {"text/csv": {"schema": {"type": "string"}}}}},
)
async def preview(shop: Shop, request: Request, rig: str = "", column: Meanings = []) -> PreviewModel:  # noqa: B006
    """What each column of a file (or of its beginning) is taken for, and its first rows converted."""
    path = await _received(shop, request)
    try:
        result = await run_in_threadpool(shop.tables.preview, path, rig, _meanings(column))
    finally:
        path.unlink()
    return PreviewModel(**asdict(result))


@router.post(
    "",
    openapi_extra={"requestBody": {"content": {"text/csv": {"schema": {"type": "string"}}}}},
)
async def convert(
    shop: Shop,
    request: Request,
    rig: str = "",
    column: Meanings = [],  # noqa: B006
) -> StreamingResponse:
    """The file with its converted columns, as CSV."""
    path = await _received(shop, request)
    try:
        sent = await run_in_threadpool(shop.tables.converted, path, rig, _meanings(column))
    except BaseException:
        path.unlink()
        raise

    def body() -> Iterator[bytes]:
        try:
            yield from sent
        finally:
            path.unlink()

    return StreamingResponse(body(), media_type="text/csv; charset=utf-8")


async def _received(shop: Shop, request: Request) -> Path:
    with await run_in_threadpool(shop.tables.room) as file:
        try:
            await uploads.receive(request, file, "convert it on the command line")
        except BaseException:
            Path(file.name).unlink()
            raise
    return Path(file.name)


def _meanings(column: list[str]) -> dict[str, str]:
    meanings = {}
    for item in column:
        name, equals, target = item.rpartition("=")
        if not equals:
            raise BadInput(f"{item!r} is not column=sensor.channel.", "column")
        meanings[name] = target
    return meanings
