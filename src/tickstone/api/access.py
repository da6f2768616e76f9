"""Who may come in from the network, over HTTP: entering with the key; at the machine itself the key, its QR
code, and the list of those who were let in."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from urllib.parse import quote

import segno
from fastapi import APIRouter, Depends, Request, Response
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, Field

from tickstone.actions.guests import Entrance
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.guard import COOKIE, at_machine
from tickstone.api.models import Body, Done
from tickstone.api.needs import Shop
from tickstone.errors import Conflict, Forbidden

router = APIRouter(prefix="/api/access", tags=["access"], responses=REFUSALS)

YEAR_S = 365 * 86_400
QUIET = 4  # modules around the code, as the standard wants them


def _at_machine(request: Request) -> None:
    if not at_machine(request):
        raise Forbidden("Who is let in is seen and changed at the machine itself.", "")


Here = Depends(_at_machine)


class KeyAsked(Body):
    key: Annotated[str, Field(max_length=80)]


class GuestModel(BaseModel):
    """A device that was let in; ``phone`` is what it calls itself."""

    id: int
    address: str
    phone: bool
    let_in_at: datetime
    seen_at: datetime


class AccessModel(BaseModel):
    """Whether other devices can come in (``on``), under which addresses, with which key; the SHA-256
    fingerprint of the certificate that they are shown; the first address with the key in it as a QR code
    (ISO/IEC 18004), rows of 0 and 1 with the quiet zone."""

    on: bool
    addresses: list[str]
    key: str
    fingerprint: str
    qr: list[str]
    guests: list[GuestModel]


def _entrance(shop: Workshop) -> Entrance:
    if shop.entrance is None:
        raise Conflict("Other devices cannot come in: start Tick Stone with --lan.", "")
    return shop.entrance


@router.get("", dependencies=[Here])
def access(shop: Shop) -> AccessModel:
    """How other devices come in, and who has."""
    entrance = shop.entrance
    if entrance is None:
        return AccessModel(on=False, addresses=[], key="", fingerprint="", qr=[], guests=[])
    code = segno.make(link(entrance, shop.guests.key), error="m", micro=False)
    return AccessModel(
        on=True,
        addresses=list(entrance.addresses()),
        key=shop.guests.key,
        fingerprint=entrance.fingerprint,
        qr=["".join(map(str, row)) for row in code.matrix_iter(border=QUIET)],
        guests=[GuestModel.model_validate(guest, from_attributes=True) for guest in shop.guests.all()],
    )


@router.post("/key", dependencies=[Here])
def renew_key(shop: Shop) -> Done:
    """Make another key."""
    _entrance(shop)
    shop.guests.renew_key()
    return Done()


@router.delete("/guests/{guest_id}", dependencies=[Here])
def shut_out(shop: Shop, guest_id: int) -> Done:
    """Let a device in no more."""
    shop.guests.shut_out(guest_id)
    return Done()


@router.post("/enter")
def enter(shop: Shop, request: Request, response: Response, body: KeyAsked) -> Done:
    """Come in with the key."""
    _let_in(shop, request, response, body.key)
    return Done()


def enter_by_link(shop: Shop, request: Request, key: str = "") -> Response:
    """Come in by the address of the QR code."""
    response = RedirectResponse("/", 303)
    _let_in(shop, request, response, key[:80])
    return response


def _let_in(shop: Workshop, request: Request, response: Response, key: str) -> None:
    _entrance(shop)
    address = request.client.host.removeprefix("::ffff:") if request.client else ""
    phone = "Mobi" in request.headers.get("user-agent", "")  # common practice of browsers on phones
    token = shop.guests.let_in(key, address, phone)
    response.set_cookie(COOKIE, token, max_age=YEAR_S, secure=True, httponly=True, samesite="lax")


def link(entrance: Entrance, key: str) -> str:
    """The first address, with the key in it."""
    return f"{entrance.addresses()[0]}/enter?key={quote(key)}"
