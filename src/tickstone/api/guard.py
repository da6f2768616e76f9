"""Who and what comes in: only this app's own pages may talk to it (requests and WebSockets whose Host or
Origin is another's are refused), no body is larger than it may be, and every answer says what a browser may
do with it."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from fastapi.responses import JSONResponse
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tickstone.api.errors import MOST_BODY, STATUS, Refusal, too_large
from tickstone.errors import TooLarge

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


class OwnOriginOnly:
    """ASGI middleware. ``hosts`` are the names this app answers to besides loopback."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str] = frozenset()) -> None:
        self._app, self._hosts = app, LOOPBACK | hosts

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
        if name not in self._hosts:
            return False
        origin = headers.get(b"origin")
        return origin is None or origin == f"http://{host}"


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
