"""Worlds over HTTP: one's own and those to begin with, taken in and given out."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Response
from pydantic import Field

from tickstone.actions import worlds
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Body, Done, Finite, Name
from tickstone.api.needs import Shop
from tickstone.formats.world_json import world_from_json, world_of, world_to_json, world_to_plain
from tickstone.formats.world_svg import floor_from_svg, line_from_csv, world_to_svg

router = APIRouter(prefix="/api/worlds", tags=["worlds"], responses=REFUSALS)
MOST_TEXT = 2_000_000


class WorldAsked(Body):
    """A world's document."""

    world: dict[str, Any]


class WorldFile(Body):
    """A file that holds a world: its document, a drawing, or the points of a line ``width_mm`` wide."""

    name: Name
    form: Literal["json", "svg", "csv"]
    text: Annotated[str, Field(max_length=MOST_TEXT)]
    width_mm: Finite = 19.0


@router.get("/{name}")
def world(shop: Shop, name: Name) -> dict[str, Any]:
    """A world's document."""
    with shop.database.transaction() as session:
        return world_to_plain(worlds.find(session, name))


@router.get("/{name}/file/{form}")
def file(shop: Shop, name: Name, form: Literal["json", "svg"]) -> Response:
    """A world as a file: its document, or a drawing at true scale."""
    with shop.database.transaction() as session:
        found = worlds.find(session, name)
    text = world_to_svg(found) if form == "svg" else world_to_json(found)
    media = "image/svg+xml" if form == "svg" else "application/json"
    headers = {"content-disposition": f'attachment; filename="{worlds.file_name(name)}.{form}"'}
    return Response(text, media_type=media, headers=headers)


@router.put("")
def keep(shop: Shop, body: WorldAsked) -> Done:
    """Keep a world under its name."""
    with shop.database.transaction() as session:
        worlds.keep(session, world_of(body.world))
    return Done()


@router.post("/file")
def take_in(body: WorldFile) -> dict[str, Any]:
    """The world that a file holds, not kept yet: it is looked at first."""
    if body.form == "svg":
        return world_to_plain(floor_from_svg(body.text, body.name))
    if body.form == "csv":
        return world_to_plain(line_from_csv(body.text, body.name, body.width_mm))
    return world_to_plain(world_from_json(body.text)) | {"name": body.name}


@router.delete("/{name}")
def drop(shop: Shop, name: Name) -> Done:
    """Take a world of one's own away; runs that were kept of it stay."""
    with shop.database.transaction() as session:
        worlds.drop(session, name)
    return Done()
