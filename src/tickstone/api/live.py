"""What is live: record, mark, and the WebSocket that windows watch."""

from __future__ import annotations

import asyncio
import time
from typing import Annotated, Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import Field

from tickstone.actions.live.rig import LiveRig
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.live_models import HoldNow, LiveMessage, SensorNow
from tickstone.api.models import Body, Done, Finite, MarkAsked, Name
from tickstone.api.needs import Shop
from tickstone.errors import TickStoneError

router = APIRouter(prefix="/api", tags=["live"], responses=REFUSALS)

STEP_S = 0.05
BEAT_S = 0.5
FIRST_ROWS = 1200
MOST_ROWS = 6000
MOST_BEHIND = 40  # messages that may wait for a slow window


class NameAsked(Body):
    name: Annotated[str, Field(max_length=120)] = ""


class LiveMark(MarkAsked):
    """A mark at this moment, or the span of the last ``lasted_s``."""

    lasted_s: Annotated[Finite, Field(ge=0, le=86_400)] = 0.0


@router.get("/rigs/{slug}/now")
def now(shop: Shop, slug: Name) -> LiveMessage:
    """How a rig stands this moment: the first message that a window would get."""
    live = shop.live(slug)
    with live.held():
        message = WatchWindow(shop, live).message()
    assert message is not None  # a new window always has something to hear
    return message


@router.post("/rigs/{slug}/record")
def record(shop: Shop, slug: Name, body: NameAsked) -> Done:
    """Begin a recording."""
    return Done(id=shop.recordings.begin(slug, body.name))


@router.post("/rigs/{slug}/stop")
def stop(shop: Shop, slug: Name) -> Done:
    """End the running recording."""
    return Done(id=shop.recordings.stop(slug))


@router.post("/rigs/{slug}/marks")
def mark(shop: Shop, slug: Name, body: LiveMark) -> Done:
    """Mark this moment, or the span that ends now, in the running recording."""
    return Done(id=shop.recordings.mark(slug, body.text(), body.lasted_s))


class WatchWindow:
    """One watching window: what it has seen, and the next message for it."""

    def __init__(self, shop: Workshop, live: LiveRig) -> None:
        self._shop, self._live = shop, live
        self._seen: dict[str, int] = {}
        self._before: dict[str, Any] = {}
        self._before_at = 0.0

    def message(self) -> LiveMessage | None:
        """What is new since the last message, or None when nothing is and it is not yet time for a beat."""
        sensors = {key: self._sensor(key) for key in self._live.intake.watched}
        message = self._standing()
        settled = {name: value for name, value in message if name != "now_s"}
        now = time.monotonic()
        quiet = not any(sensor.t for sensor in sensors.values()) and settled == self._before
        if quiet and now - self._before_at < BEAT_S:
            return None
        self._before, self._before_at = settled, now
        message.sensors = sensors
        return message

    def _sensor(self, key: str) -> SensorNow:
        watched, view = self._live.intake.watched[key], self._live.view
        count, before = watched.ring.count, self._seen.get(key)
        fresh = before is None or count < before
        since = before if before is not None and not fresh else max(0, count - FIRST_ROWS)
        stretch, now = view.stretch(key, since, MOST_ROWS), view.now(key)
        self._seen[key] = stretch.last_seq
        return SensorNow.of(now, watched.kind.reasons[now.code], stretch, fresh=fresh)

    def _standing(self) -> LiveMessage:
        live, held = self._live, self._shop.holds.look(self._live.slug)
        hold = None if held is None else HoldNow.of(*held)
        return LiveMessage.of(
            live.view.state(), live.view.now_s(), live.intake.air_c, live.finder.findings, hold, live.version
        )


class Broadcast:
    """A rig's messages to all its windows: worked out once each STEP_S, sent to every one. A window that
    joins, or that has fallen too far behind, begins with everything anew."""

    def __init__(self, shop: Workshop, live: LiveRig) -> None:
        self._shop, self._live = shop, live
        self._shared = self._new_window()
        self._joining: set[asyncio.Queue[str]] = set()
        self._joined: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None

    def _new_window(self) -> WatchWindow:
        return WatchWindow(self._shop, self._live)

    def join(self) -> asyncio.Queue[str]:
        """A queue of messages for one more window."""
        queue: asyncio.Queue[str] = asyncio.Queue(MOST_BEHIND)
        self._joining.add(queue)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(
                self._shop.supervisor.keep(f"windows of {self._live.slug}", self._run)
            )
        return queue

    def leave(self, queue: asyncio.Queue[str]) -> None:
        """A window has gone."""
        self._joining.discard(queue)
        self._joined.discard(queue)

    async def _run(self) -> None:
        self._shared = self._new_window()
        self._joining |= self._joined  # after a crash they begin anew
        self._joined.clear()
        while self._joining or self._joined:
            self._step()
            await asyncio.sleep(STEP_S)

    def _step(self) -> None:
        with self._live.held():
            message = self._shared.message()
            fresh = self._new_window().message() if self._joining else None
        if message is not None:
            text = message.model_dump_json()
            for queue in list(self._joined):
                if queue.full():
                    self._joined.discard(queue)
                    self._joining.add(queue)
                else:
                    queue.put_nowait(text)
        if fresh is not None:
            text = fresh.model_dump_json()
            for queue in [item for item in self._joining if not item.full()]:
                queue.put_nowait(text)
                self._joining.discard(queue)
                self._joined.add(queue)


@router.websocket("/rigs/{slug}/live")
async def watch(socket: WebSocket, slug: str) -> None:
    """Stream a rig's readings to a window: at most one message each STEP_S, a beat each BEAT_S when nothing
    is new."""
    shop: Workshop = socket.app.state.workshop
    try:
        live = await asyncio.to_thread(shop.live, slug)
    except TickStoneError as error:
        await socket.accept()
        await socket.close(4404 if error.code == "not-found" else 4503, error.message[:120])
        return
    await socket.accept()
    broadcasts: dict[str, Broadcast] = socket.app.state.broadcasts
    broadcast = broadcasts.setdefault(slug, Broadcast(shop, live))
    queue = broadcast.join()
    gone = asyncio.create_task(_until_gone(socket))
    try:
        while not gone.done():
            coming = asyncio.ensure_future(queue.get())
            await asyncio.wait([gone, coming], return_when=asyncio.FIRST_COMPLETED)
            if coming.done():
                await socket.send_text(coming.result())
            else:
                coming.cancel()
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        broadcast.leave(queue)
        gone.cancel()


async def _until_gone(socket: WebSocket) -> None:
    try:
        while True:
            await socket.receive_text()
    except (WebSocketDisconnect, RuntimeError):
        return
