"""Where a rig's readings come from: ports, addresses, the stand-in with its hands, a recording told again."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from tickstone.actions.replaying import replay
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.guard import at_machine
from tickstone.api.models import Body, Done, Finite, Name
from tickstone.api.needs import Shop
from tickstone.errors import BadInput, Forbidden
from tickstone.link.sources import BAUDS, SPEEDS, LineSource, SerialSource, TcpSource

router = APIRouter(prefix="/api", tags=["sources"], responses=REFUSALS)

STANDIN_TITLE = "stand-in"
Kinds = Literal["stand-in", "stand-in-tcp", "serial", "tcp", "replay"]


class SourceAsked(Body):
    """``stand-in`` over its pseudo-terminal (``stand-in-tcp``: over TCP), ``serial`` with a path, ``tcp``
    with host and port, ``replay`` of a recording at a speed."""

    kind: Kinds
    path: Annotated[str, Field(max_length=400)] = ""
    baud: int = 115200
    host: Annotated[str, Field(max_length=200)] = ""
    port: int = 0
    recording: int = 0
    speed: Finite = 1.0


class PortModel(BaseModel):
    path: str
    title: str


class PortAsked(Body):
    path: Annotated[str, Field(min_length=1, max_length=400)]


class SourcesModel(BaseModel):
    standin: bool
    ports: list[PortModel]
    bauds: list[int]
    speeds: list[float]


class HandModel(BaseModel):
    """One thing that can be set at the stand-in: whose it is, its span, and how it is set now."""

    id: str
    owner: str
    name: str
    label: str
    low: float
    high: float
    step: float
    unit: str
    choices: list[str]
    fault: bool
    value: float


class HandsAsked(Body):
    """Hands by id, as they shall be set; a fault is 0 or 1."""

    hands: dict[Name, Finite]


@router.get("/sources")
def sources(shop: Shop) -> SourcesModel:
    """What a rig can be connected to."""
    results = [PortModel(path=p.path, title=p.title) for p in shop.ports.all()]
    return SourcesModel(
        standin=shop.standins is not None, ports=results, bauds=list(BAUDS), speeds=list(SPEEDS)
    )


def _source(shop: Workshop, slug: str, body: SourceAsked) -> LineSource:
    if body.kind == "stand-in":
        return SerialSource(shop.standin(slug).serial_path, title=STANDIN_TITLE, standin=True)
    if body.kind == "stand-in-tcp":
        return TcpSource(*shop.standin(slug).tcp_address, title=STANDIN_TITLE, standin=True)
    if body.kind == "replay":
        return replay(shop.database, slug, body.recording, body.speed)
    if body.kind == "serial":
        if not body.path:
            raise BadInput("Say which port: its path is missing.", "path")
        source = SerialSource(body.path, body.baud)
        shop.ports.check(body.path)
        return source
    if not body.host:
        raise BadInput("Say which address: the host is missing.", "host")
    return TcpSource(body.host, body.port, anywhere=shop.any_address)


@router.post("/sources/ports")
def add_port(shop: Shop, request: Request, body: PortAsked) -> Done:
    """Let a serial port be opened that this machine does not list; only who sits at it may say so."""
    if not at_machine(request):
        raise Forbidden("A port is added at the machine that it belongs to.", "path")
    shop.ports.add(body.path)
    return Done()


@router.post("/rigs/{slug}/connect")
def connect(shop: Shop, slug: Name, body: SourceAsked) -> Done:
    """Connect a rig to a source."""
    shop.connect(slug, _source(shop, slug, body))
    return Done()


@router.post("/rigs/{slug}/disconnect")
def disconnect(shop: Shop, slug: Name) -> Done:
    """Let a rig's source go; a running recording is closed first."""
    shop.disconnect(slug)
    return Done()


@router.get("/rigs/{slug}/standin")
def hands(shop: Shop, slug: Name) -> list[HandModel]:
    """The hands at a rig's stand-in."""
    return [HandModel.model_validate(hand) for hand in shop.hands(slug)]


@router.patch("/rigs/{slug}/standin")
def move_hands(shop: Shop, slug: Name, body: HandsAsked) -> list[HandModel]:
    """Move hands at a rig's stand-in."""
    return [HandModel.model_validate(hand) for hand in shop.standin(slug).hands(dict(body.hands))]
