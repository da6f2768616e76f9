"""Only this app's own pages may talk to it: requests and WebSockets whose Host or Origin is another's are
refused."""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.types import ASGIApp, Receive, Scope, Send

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
            body = b'{"code":"forbidden","path":"","message":"This address does not belong to Tick Stone."}'
            head = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
            await send({"type": "http.response.start", "status": 403, "headers": head})
            await send({"type": "http.response.body", "body": body})
            return
        await self._app(scope, receive, send)

    def _own(self, scope: Scope) -> bool:
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}
        host = headers.get(b"host", "")
        if urlsplit(f"//{host}").hostname not in self._hosts:
            return False
        origin = headers.get(b"origin")
        return origin is None or origin == f"http://{host}"
