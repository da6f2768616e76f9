"""How the app is, over HTTP: for the line above the work, and for whoever watches over it."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel

from tickstone.api.errors import REFUSALS
from tickstone.api.needs import Shop

router = APIRouter(prefix="/api/health", responses=REFUSALS)


class UnwellModel(BaseModel):
    """Something that lives long and has crashed: its name, how often, the last crash."""

    name: str
    crashes: int
    trouble: str


class Health(BaseModel):
    """Whether the parts are up; ``unwell`` are threads and tasks that have crashed and are not well again;
    ``waiting`` rows are kept in a file until the database takes them; ``disk`` is enough, low, very-low or
    full, with ``disk_free`` bytes; ``demo`` tells which database is served."""

    ok: bool
    database: bool
    standin: bool
    demo: bool
    unwell: list[UnwellModel]
    waiting: int
    disk: str
    disk_free: int


@router.get("")
def health(shop: Shop, request: Request) -> Health:
    """Whether database, stand-in and everything that lives long are up."""
    database, space = shop.database.ping(), shop.space()
    unwell = [
        UnwellModel(name=living.name, crashes=living.crashes, trouble=living.trouble)
        for living in shop.supervisor.unwell
    ]
    return Health(
        ok=database and not unwell and not space.full,
        database=database,
        standin=shop.standins is not None,
        demo=request.app.state.demo,
        unwell=unwell,
        waiting=shop.recordings.waiting,
        disk=space.state,
        disk_free=space.free,
    )
