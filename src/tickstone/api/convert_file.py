"""Files of raw readings over HTTP: a look at what each column is, and the whole with converted columns."""

from __future__ import annotations

import itertools
import tempfile
from collections.abc import Iterator
from typing import Annotated, BinaryIO, cast

from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from tickstone.actions import converting
from tickstone.api import uploads
from tickstone.api.errors import REFUSALS
from tickstone.api.needs import Shop
from tickstone.errors import BadInput
from tickstone.formats import converted

router = APIRouter(prefix="/api/convert-file", tags=["convert"], responses=REFUSALS)

IN_MEMORY = 8_000_000  # bytes; a larger file waits on disk

Said = Annotated[
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
async def preview(shop: Shop, request: Request, rig: str = "", column: Said = []) -> PreviewModel:  # noqa: B006
    """What each column of a file (or of its beginning) is taken for, and its first rows converted."""
    with await _received(request) as file:
        return await run_in_threadpool(_preview, shop, file, rig, column)


@router.post(
    "",
    openapi_extra={"requestBody": {"content": {"text/csv": {"schema": {"type": "string"}}}}},
)
async def convert(shop: Shop, request: Request, rig: str = "", column: Said = []) -> StreamingResponse:  # noqa: B006
    """The file with its converted columns, as CSV."""
    file = await _received(request)
    try:
        begun, rest = await run_in_threadpool(_begin, shop, file, rig, column)
    except BaseException:
        file.close()
        raise

    def body() -> Iterator[str]:
        try:
            yield from begun
            yield from rest
        finally:
            file.close()

    return StreamingResponse(body(), media_type="text/csv; charset=utf-8")


async def _received(request: Request) -> BinaryIO:
    file = cast(BinaryIO, tempfile.SpooledTemporaryFile(max_size=IN_MEMORY))  # noqa: SIM115
    try:
        await uploads.receive(request, file, "convert it on the command line")
    except BaseException:
        file.close()
        raise
    file.seek(0)
    return file


def _open(shop: Shop, file: BinaryIO, rig: str, column: list[str]) -> tuple[converted.Converting, list[str]]:
    said = {}
    for item in column:
        name, equals, target = item.rpartition("=")
        if not equals:
            raise BadInput(f"{item!r} is not column=sensor.channel.", "column")
        said[name] = target
    return converting.tabled(shop.database, file, rig, said)


def _begin(shop: Shop, file: BinaryIO, rig: str, column: list[str]) -> tuple[list[str], Iterator[str]]:
    """The header and the first block at once, so that what cannot be is refused before anything is sent."""
    making, _ = _open(shop, file, rig, column)
    blocks = converted.csv_blocks(making)
    return list(itertools.islice(blocks, 2)), blocks


def _preview(shop: Shop, file: BinaryIO, rig: str, column: list[str]) -> PreviewModel:
    making, targets = _open(shop, file, rig, column)
    first = next(converted.frames(making))
    plan, names = making.plan, making.names
    plain = {position for columns in plan.plain for position in columns.columns}
    time = None if plan.time is None else plan.time[0]
    columns = []
    for index, name in enumerate(names):
        target = plan.target.get(name, "")
        role = "time" if index == time else "channel" if target else "plain" if index in plain else ""
        columns.append(ColumnModel(name=name, target=target, role=role))
    workable = [
        WorkableModel(
            sensor=mapped.candidate.name,
            kind=mapped.candidate.kind.id,
            rows=making.first_asked[mapped.candidate.name],
        )
        for mapped in plan.mapped
    ]
    return PreviewModel(
        columns=columns,
        targets=targets,
        header=first.columns,
        rows=[list(row) for row in first.head(converted.FIRST_ROWS).rows()],
        workable=workable,
        ragged=making.table.ragged.count,
    )
