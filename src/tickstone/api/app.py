"""The app put together."""

from __future__ import annotations

import contextlib
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse
from starlette.staticfiles import StaticFiles

from tickstone.actions.workshop import Workshop
from tickstone.api import (
    access,
    calculations,
    calibrate,
    convert,
    convert_file,
    decide,
    drive,
    health,
    imports,
    live,
    log,
    recordings,
    rigs,
    sources,
    trials,
    watching,
    wiring,
    worlds,
)
from tickstone.api.errors import REFUSALS, add_handlers
from tickstone.api.guard import GuestsOnly, OwnOriginOnly, SafeHeaders, SmallBodies
from tickstone.errors import NotFound


def make_app(
    workshop: Workshop,
    built: Path | None = None,
    *,
    demo: bool = False,
    hosts: frozenset[str] = frozenset(),
    own_hosts: Callable[[], frozenset[str]] = frozenset,
) -> FastAPI:
    """The app over a workshop, serving the built front end when there is one. ``hosts`` and ``own_hosts`` as
    in OwnOriginOnly."""

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        workshop.open()
        yield
        workshop.close()

    app = FastAPI(
        title="Tick Stone",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        lifespan=lifespan,
        responses=REFUSALS,
    )
    app.state.workshop = workshop
    app.state.demo = demo
    app.state.broadcasts = {}  # by rig: one message for all its windows
    app.add_middleware(GZipMiddleware, minimum_size=2000)
    app.add_middleware(SmallBodies)
    app.add_middleware(GuestsOnly, guests=workshop.guests)
    app.add_middleware(OwnOriginOnly, hosts=hosts, own_hosts=own_hosts)
    app.add_middleware(SafeHeaders)
    add_handlers(app)
    # Taken over as they stand: including a router would build all its routes anew at the first request.
    for router in (
        calculations.router,
        rigs.router,
        wiring.router,
        sources.router,
        live.router,
        watching.router,
        recordings.router,
        imports.router,
        convert.router,
        convert_file.router,
        calibrate.router,
        decide.router,
        drive.router,
        trials.router,
        worlds.router,
        log.router,
        access.router,
        health.router,
        convert.loose,
        wiring.lists,
    ):
        app.router.routes.extend(router.routes)

    app.get("/enter", include_in_schema=False)(access.enter_by_link)

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_address(rest: str) -> None:
        raise NotFound(f"There is nothing at /api/{rest}.")

    if built is not None:
        serve_front_end(app, built)
    return app


def serve_front_end(app: FastAPI, built: Path) -> None:
    """Files of the built front end; every other address is a page of it, so that addresses can be shared."""
    app.mount("/assets", StaticFiles(directory=built / "assets"), name="assets")

    @app.get("/{rest:path}", include_in_schema=False)
    def page(rest: str) -> FileResponse:
        with contextlib.suppress(ValueError, OSError):  # of an address that no file can have
            wanted = (built / rest).resolve()
            if rest and wanted.is_file() and built.resolve() in wanted.parents:
                return FileResponse(wanted)
        return FileResponse(built / "index.html", headers={"Cache-Control": "no-cache"})
