"""The live feed: sources, connect, record, mark, and the WebSocket that windows watch."""

from __future__ import annotations

import asyncio
import time
from typing import Annotated, Any, Literal

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, Field

from tickstone.actions import calibrating
from tickstone.actions.feed import Feed
from tickstone.actions.workshop import Workshop
from tickstone.api.models import Asked, Done, Finite, Name, number, numbers
from tickstone.api.needs import Shop
from tickstone.core.noise import step_noise
from tickstone.errors import BadInput, NotFound, TickStoneError
from tickstone.link.sources import BAUDS, SerialSource, Source, TcpSource, ports

router = APIRouter(prefix="/api", tags=["live"])

STEP_S = 0.05
BEAT_S = 0.5
FIRST_ROWS = 1200
MOST_ROWS = 6000
STANDIN_TITLE = "stand-in"


class SourceAsked(Asked):
    """``stand-in`` over its pseudo-terminal, ``serial`` with a path, or ``tcp`` with host and port."""

    kind: Literal["stand-in", "serial", "tcp"]
    path: Annotated[str, Field(max_length=400)] = ""
    baud: int = 115200
    host: Annotated[str, Field(max_length=200)] = ""
    port: int = 0


class PortModel(BaseModel):
    path: str
    title: str


class SourcesModel(BaseModel):
    standin: bool
    ports: list[PortModel]
    bauds: list[int]


class NameAsked(Asked):
    name: Annotated[str, Field(max_length=120)] = ""


class LabelAsked(Asked):
    label: Annotated[str, Field(max_length=120)] = ""


class HandsAsked(Asked):
    target_mm: Finite | None = None
    temperature_c: Finite | None = None
    reflectivity: Finite | None = None
    drift_mm_s: Finite | None = None
    faults: list[str] | None = None


class HandsModel(BaseModel):
    hands: dict[str, Any]
    limits: dict[str, list[float]]
    faults: list[str]


@router.get("/sources")
def sources(shop: Shop) -> SourcesModel:
    """What a rig can be connected to."""
    running = shop.standin is not None and shop.standin.running
    found = [PortModel(path=p.path, title=p.title) for p in ports()]
    return SourcesModel(standin=running, ports=found, bauds=list(BAUDS))


def _source(shop: Workshop, asked: SourceAsked) -> Source:
    if asked.kind == "stand-in":
        return SerialSource(shop.source_for_standin(), title=STANDIN_TITLE)
    if asked.kind == "serial":
        if not asked.path:
            raise BadInput("Say which port: its path is missing.", "path")
        return SerialSource(asked.path, asked.baud)
    if not asked.host:
        raise BadInput("Say which address: the host is missing.", "host")
    return TcpSource(asked.host, asked.port)


@router.post("/rigs/{slug}/connect")
def connect(shop: Shop, slug: Name, asked: SourceAsked) -> Done:
    """Connect a rig to a source."""
    shop.connect(slug, _source(shop, asked))
    shop.changed(slug)
    return Done()


@router.post("/rigs/{slug}/disconnect")
def disconnect(shop: Shop, slug: Name) -> Done:
    """Let a rig's source go; a running recording is closed first."""
    shop.disconnect(slug)
    shop.changed(slug)
    return Done()


@router.post("/rigs/{slug}/record")
def record(shop: Shop, slug: Name, asked: NameAsked) -> Done:
    """Begin a recording."""
    return Done(id=shop.record(slug, asked.name))


@router.post("/rigs/{slug}/stop")
def stop(shop: Shop, slug: Name) -> Done:
    """End the running recording."""
    return Done(id=shop.stop(slug))


@router.post("/rigs/{slug}/marks")
def mark(shop: Shop, slug: Name, asked: LabelAsked) -> Done:
    """Mark this moment in the running recording."""
    return Done(id=shop.mark(slug, asked.label))


@router.get("/standin")
def standin(shop: Shop) -> HandsModel:
    """The stand-in's hands, their limits, and the faults there are."""
    if shop.standin is None:
        raise NotFound("The stand-in is not running.")
    return HandsModel.model_validate(shop.standin.hands())


@router.patch("/standin")
def move_standin(shop: Shop, asked: HandsAsked) -> HandsModel:
    """Move the stand-in's hands."""
    if shop.standin is None:
        raise NotFound("The stand-in is not running.")
    return HandsModel.model_validate(shop.standin.hands(**asked.model_dump(exclude_none=True)))


class Window:
    """One watching window: what it has seen, and the next message for it."""

    def __init__(self, shop: Workshop, slug: str, feed: Feed) -> None:
        self._shop, self._slug, self._feed = shop, slug, feed
        self._seen: dict[str, int] = {}
        self._told: Any = None
        self._told_at = 0.0

    def message(self) -> dict[str, Any] | None:
        """What is new since the last message, or None when nothing is and it is not yet time for a beat."""
        feed = self._feed
        sensors = {}
        fresh = False
        for key in feed.watched:
            shown, has_new = self._sensor(key)
            sensors[key] = shown
            fresh = fresh or has_new
        state = self._state()
        now = time.monotonic()
        if not fresh and state == self._told and now - self._told_at < BEAT_S:
            return None
        self._told, self._told_at = state, now
        return {**state, "sensors": sensors}

    def _sensor(self, key: str) -> tuple[dict[str, Any], bool]:
        feed = self._feed
        watched = feed.watched[key]
        count = watched.ring.count
        before = self._seen.get(key)
        restarted = before is not None and count < before
        since = max(0, count - FIRST_ROWS) if before is None or restarted else before
        rows = feed.stretch(key, since, MOST_ROWS)
        self._seen[key] = rows.last_seq
        last = feed.stretch(key, 0, 1)
        recent = feed.stretch(key, 0, 40)
        noise = step_noise(recent.values) if recent.values.size >= 8 else None
        code = int(last.codes[-1]) if last.codes.size else 0
        shown = {
            "raw": number(float(last.raw[-1])) if last.raw.size else None,
            "value": number(round(float(last.values[-1]), 3)) if last.values.size and code == 0 else None,
            "reason": watched.kind.reasons[code],
            "sentence": feed.sentence(key),
            "noise": None if noise is None else round(noise, 4),
            "readings": watched.readings,
            "dropouts": watched.dropouts,
            "fresh": before is None or restarted,
            "t": numbers(rows.times_s, 6),
            "r": numbers(rows.raw),
            "v": numbers(rows.values),
        }
        return shown, rows.times_s.size > 0

    def _state(self) -> dict[str, Any]:
        state = self._feed.state()
        recording = None
        if state.recording is not None:
            progress, start = state.recording.progress, state.recording.start_us
            recording = {
                "id": state.recording.id,
                "name": state.recording.name,
                "start_s": None if start is None else start / 1e6,
                "committed": progress.committed,
                "lost": progress.lost,
                "store_away": progress.store_away,
            }
        air = self._feed.air_c
        return {
            "status": state.status, "source": state.source, "why": state.why, "rate_hz": state.rhythm.rate_hz,
            "jitter_ms": state.rhythm.jitter_ms, "gaps": state.rhythm.gaps, "garbled": state.garbled,
            "lines": state.lines, "air_c": None if air is None else round(air, 2), "recording": recording,
            "hold": self._hold(), "version": self._shop.version(self._slug),
        }  # fmt: skip

    def _hold(self) -> dict[str, Any] | None:
        hold = self._shop.holding(self._slug)
        if hold is None:
            return None
        judged = calibrating.look(self._feed, hold)
        return {
            "true_mm": hold.true_mm, "ready": judged.ready, "why_not": judged.why_not,
            "spread_us": number(judged.spread_us), "wanted_us": judged.wanted_us,
            "held_s": round(judged.held_s, 1), "echo_us": number(judged.echo_us), "n": judged.n,
        }  # fmt: skip


@router.websocket("/rigs/{slug}/live")
async def watch(socket: WebSocket, slug: str) -> None:
    """Stream a rig's readings to a window: at most one message each STEP_S, a beat each BEAT_S when nothing is new."""
    shop: Workshop = socket.app.state.workshop
    try:
        feed = await asyncio.to_thread(shop.feed, slug)
    except TickStoneError as error:
        await socket.accept()
        await socket.close(4404 if error.code == "not-found" else 4503, error.message[:120])
        return
    await socket.accept()
    window = Window(shop, slug, feed)
    gone = asyncio.create_task(_until_gone(socket))
    try:
        while not gone.done():
            message = window.message()
            if message is not None:
                await socket.send_json(message)
            await asyncio.wait([gone], timeout=STEP_S)
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        gone.cancel()


async def _until_gone(socket: WebSocket) -> None:
    try:
        while True:
            await socket.receive_text()
    except (WebSocketDisconnect, RuntimeError):
        return
