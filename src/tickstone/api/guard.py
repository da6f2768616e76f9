"""Who and what comes in: only this app's own pages may talk to it (requests and WebSockets whose Host or
Origin is another's are refused), from the network only devices that were let in, no body is larger than it
may be, and every answer says what a browser may do with it."""

from __future__ import annotations

import re
from collections.abc import Callable
from urllib.parse import urlsplit

from fastapi.responses import JSONResponse
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from starlette.websockets import WebSocketDisconnect

from tickstone.actions.guests import Guests
from tickstone.api.errors import MOST_BODY, STATUS, Refusal, answer, too_large
from tickstone.errors import NoKey, TooLarge

# The page needs its own files, pictures made in it, and its own API: nothing else may be loaded or run.
POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "font-src 'self'",
        "connect-src 'self'",
        "img-src 'self' data: blob:",
        "base-uri 'none'",
        "form-action 'none'",
        "frame-ancestors 'none'",
    )
)
REFUSED = ("camera", "display-capture", "geolocation", "gyroscope", "microphone", "payment", "serial", "usb")
SAFE = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Permissions-Policy": ", ".join(f"{feature}=()" for feature in REFUSED),
}
UPLOADS = re.compile(r"/api/(convert-file(/preview)?|rigs/[^/]+/files)")
LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})
COOKIE = "tick-stone"
WITHOUT_KEY = frozenset({"/api/access/enter"})
SHUT_OUT = 4401  # the code with which a window is closed


def from_network(scope: Scope) -> bool:
    """Whether this came in by the entrance for other devices, which alone is served over TLS."""
    return scope["scheme"] in ("https", "wss")


def at_machine(connection: HTTPConnection) -> bool:
    """Whether this was asked by somebody who sits at the machine."""
    client = connection.client
    return not from_network(connection.scope) and client is not None and client.host in LOOPBACK


class OwnOriginOnly:
    """ASGI middleware. ``hosts`` are the names this app answers to besides loopback; ``own_hosts`` tells
    those by which the network knows this machine, as they are now."""

    def __init__(
        self,
        app: ASGIApp,
        hosts: frozenset[str] = frozenset(),
        own_hosts: Callable[[], frozenset[str]] = frozenset,
    ) -> None:
        self._app, self._hosts, self._own_hosts = app, LOOPBACK | hosts, own_hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] in ("http", "websocket") and not self._own(scope):
            if scope["type"] == "websocket":
                await receive()
                await send({"type": "websocket.close", "code": 4403})
                return
            refusal = Refusal(
                code="forbidden", path="", message="This address does not belong to Tick Stone."
            )
            await JSONResponse(refusal.model_dump(), 403)(scope, receive, send)
            return
        await self._app(scope, receive, send)

    def _own(self, scope: Scope) -> bool:
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}
        host = headers.get(b"host", "")
        try:
            name = urlsplit(f"//{host}").hostname
        except ValueError:  # no address at all
            return False
        if name not in self._hosts and not (from_network(scope) and name in self._own_hosts()):
            return False
        origin = headers.get(b"origin")
        scheme = "https" if from_network(scope) else "http"
        return origin is None or origin == f"{scheme}://{host}"


class GuestsOnly:
    """ASGI middleware. What comes from the network touches the API only with the cookie of a guest; pages and
    their files, which hold nothing of anybody's, are everybody's. A window of one who is shut out is closed
    with the next message."""

    def __init__(self, app: ASGIApp, guests: Guests) -> None:
        self._app, self._guests = app, guests

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket") or not from_network(scope):
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await self._window(scope, receive, send)
        elif scope["path"].startswith("/api") and scope["path"] not in WITHOUT_KEY and not self._knows(scope):
            refusal = NoKey("This device has not been let in: it needs the access key.", "key")
            await answer(refusal)(scope, receive, send)
        else:
            await self._app(scope, receive, send)

    async def _window(self, scope: Scope, receive: Receive, send: Send) -> None:
        if not self._knows(scope):
            await receive()
            await send({"type": "websocket.close", "code": SHUT_OUT})
            return

        async def checked(message: Message) -> None:
            if message["type"] == "websocket.send" and not self._knows(scope):
                await send({"type": "websocket.close", "code": SHUT_OUT})
                raise WebSocketDisconnect(SHUT_OUT)
            await send(message)

        await self._app(scope, receive, checked)

    def _knows(self, scope: Scope) -> bool:
        return self._guests.find(HTTPConnection(scope).cookies.get(COOKIE, "")) is not None


class SmallBodies:
    """ASGI middleware. A body that is too large is refused: before a byte of it is read where it says so
    itself, and else as soon as it is. Files that are handed over have a bound of their own."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or UPLOADS.fullmatch(scope["path"]):
            await self._app(scope, receive, send)
            return
        length = Headers(scope=scope).get("content-length", "")
        if length.isdecimal() and int(length) > MOST_BODY:
            await too_large()(scope, receive, send)
            return
        size = 0

        async def counted() -> Message:
            nonlocal size
            message = await receive()
            size += len(message.get("body", b""))
            if size > MOST_BODY:
                raise HTTPException(STATUS[TooLarge.code])
            return message

        await self._app(scope, counted, send)


class SafeHeaders:
    """ASGI middleware. Every answer says what a browser may do with it."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def headed(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update(SAFE)
            await send(message)

        await self._app(scope, receive, headed)
