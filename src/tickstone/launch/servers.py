"""Servers of the app: one for this machine alone, and where other devices are let in a second one beside it,
over TLS."""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import uvicorn
from fastapi import FastAPI

from tickstone.errors import SetUp

PORTS_TO_TRY = 40


def bound(stack: ExitStack, listen: str, port: int | None, first: int) -> socket.socket:
    """A socket at ``port``, or at the first free one from ``first`` on; an empty ``listen`` is every address.
    Raises SetUp when none is free."""
    wanted = [port] if port is not None else range(first, first + PORTS_TO_TRY)
    everywhere = not listen and socket.has_dualstack_ipv6()
    family = socket.AF_INET6 if everywhere or ":" in listen else socket.AF_INET
    for candidate in wanted:
        with contextlib.suppress(OSError):
            own = socket.create_server((listen, candidate), family=family, dualstack_ipv6=everywhere)
            stack.callback(own.close)
            return own
    where = listen or "this machine"
    if port is not None:
        raise SetUp(f"Port {port} of {where} is taken: choose another, or leave it out.")
    raise SetUp(f"No free port from {wanted[0]} to {wanted[-1]} on {where}.")


def _config(app: FastAPI, **more: Any) -> uvicorn.Config:
    return uvicorn.Config(
        app,
        log_level="warning",
        timeout_graceful_shutdown=2,
        ws_max_size=65536,
        proxy_headers=False,  # nobody stands between: who asks is who is there
        **more,
    )


class Beside(uvicorn.Server):
    """Serves the same app at another socket over TLS: it hears no signals, and what lives with the app is not
    its own."""

    def __init__(self, app: FastAPI, own: socket.socket, certificate: Path, key: Path) -> None:
        super().__init__(_config(app, lifespan="off", ssl_certfile=certificate, ssl_keyfile=key))
        self._own = own

    async def serve(self, sockets: list[socket.socket] | None = None) -> None:
        """Serve until it is told to exit."""
        await super().serve(sockets or [self._own])

    @contextlib.contextmanager
    def capture_signals(self) -> Iterator[None]:
        """None: the other server hears them."""
        yield


class Server(uvicorn.Server):
    """Serves the app at its socket, and by another server beside it where there is one."""

    def __init__(self, app: FastAPI, own: socket.socket, beside: Beside | None) -> None:
        super().__init__(_config(app))
        self._own, self._beside = own, beside
        self._task: asyncio.Task[None] | None = None

    def run(self, sockets: list[socket.socket] | None = None) -> None:
        """Serve until a signal comes."""
        super().run(sockets or [self._own])

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """Begin, and let the other one begin."""
        await super().startup(sockets)
        if self._beside is not None and not self.should_exit:
            self._task = asyncio.create_task(self._beside.serve())

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """End the other one, then this one and what lives with the app."""
        if self._beside is not None and self._task is not None:
            self._beside.should_exit = True
            await self._task
        await super().shutdown(sockets)
