"""The live feed: record, mark, and the WebSocket that windows watch."""

from __future__ import annotations

import asyncio
import json
import time
from typing import Annotated, Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import Field

from tickstone.actions.feed import Feed
from tickstone.actions.workshop import Workshop
from tickstone.api.errors import REFUSALS
from tickstone.api.models import Asked, Done, FaultModel, Finite, MarkAsked, Name, number, numbers
from tickstone.api.needs import Shop
from tickstone.core.instruments import Shown
from tickstone.errors import TickStoneError

router = APIRouter(prefix="/api", tags=["live"], responses=REFUSALS)

STEP_S = 0.05
BEAT_S = 0.5
FIRST_ROWS = 1200
MOST_ROWS = 6000
MOST_BEHIND = 40  # messages that may wait for a slow window


class NameAsked(Asked):
    name: Annotated[str, Field(max_length=120)] = ""


class LiveMark(MarkAsked):
    """A mark at this moment, or the span of the last ``lasted_s``."""

    lasted_s: Annotated[Finite, Field(ge=0, le=86_400)] = 0.0


@router.post("/rigs/{slug}/record")
def record(shop: Shop, slug: Name, asked: NameAsked) -> Done:
    """Begin a recording."""
    return Done(id=shop.record(slug, asked.name))


@router.post("/rigs/{slug}/stop")
def stop(shop: Shop, slug: Name) -> Done:
    """End the running recording."""
    return Done(id=shop.stop(slug))


@router.post("/rigs/{slug}/marks")
def mark(shop: Shop, slug: Name, asked: LiveMark) -> Done:
    """Mark this moment, or the span that ends now, in the running recording."""
    return Done(id=shop.mark(slug, asked.text(), asked.lasted_s))


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
        settled = {name: value for name, value in state.items() if name != "now_s"}
        if not fresh and settled == self._told and now - self._told_at < BEAT_S:
            return None
        self._told, self._told_at = settled, now
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
        now = feed.now(key)
        shown = {
            "raw": number(now.raw),
            "value": None if now.value is None else number(round(now.value, 3)),
            "reason": watched.kind.reasons[now.code],
            "sentence": now.sentence,
            "noise": None if now.noise is None else round(now.noise, 4),
            "readings": now.readings,
            "dropouts": now.dropouts,
            "asked": {name: number(value) for name, value in now.asked.items()},
            "instruments": {name: rounded(one) for name, one in now.instruments.items()},
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
            "status": state.status, "source": state.source, "why": state.why, "advice": state.advice, "now_s": round(self._feed.now_s(), 3),
            "rate_hz": state.rhythm.rate_hz,
            "jitter_ms": state.rhythm.jitter_ms, "gaps": state.rhythm.gaps, "garbled": state.garbled,
            "lines": state.lines, "air_c": None if air is None else round(air, 2), "recording": recording,
            "findings": [FaultModel.of(one).model_dump() for one in self._shop.findings(self._slug)],
            "hold": self._hold(), "version": self._shop.version(self._slug),
        }  # fmt: skip

    def _hold(self) -> dict[str, Any] | None:
        found = self._shop.look(self._slug)
        if found is None:
            return None
        hold, judged = found
        want = hold.want
        return {
            "sensor": hold.sensor, "procedure": hold.procedure.id, "key": want.key if want else judged.key,
            "label": hold.procedure.label_of(want, hold.truth) if want else "", "any": want is None,
            "ready": judged.ready, "why_not": judged.why_not, "held_s": round(judged.held_s, 1),
            "of_s": hold.procedure.window_s(want), "figure": judged.figure,
        }  # fmt: skip


def rounded(shown: Shown) -> dict[str, Any]:
    """What stands on an instrument, as JSON can carry it."""
    return {name: number(round(v, 4)) if isinstance(v, float) else v for name, v in shown.items()}


class Broadcast:
    """A rig's messages to all its windows: worked out once each STEP_S, sent to every one. A window that joins, or that has
    fallen too far behind, begins with everything anew."""

    def __init__(self, shop: Workshop, slug: str, feed: Feed) -> None:
        self._shop, self._slug, self._feed = shop, slug, feed
        self._shared = self._new_window()
        self._joining: set[asyncio.Queue[str]] = set()
        self._joined: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None

    def _new_window(self) -> Window:
        return Window(self._shop, self._slug, self._feed)

    def join(self) -> asyncio.Queue[str]:
        """A queue of messages for one more window."""
        queue: asyncio.Queue[str] = asyncio.Queue(MOST_BEHIND)
        self._joining.add(queue)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._shop.supervisor.keep(f"windows of {self._slug}", self._run))
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
        with self._feed.held():
            message = self._shared.message()
            fresh = self._new_window().message() if self._joining else None
        if message is not None:
            text = json.dumps(message)
            for queue in list(self._joined):
                if queue.full():
                    self._joined.discard(queue)
                    self._joining.add(queue)
                else:
                    queue.put_nowait(text)
        if fresh is not None:
            text = json.dumps(fresh)
            for queue in [one for one in self._joining if not one.full()]:
                queue.put_nowait(text)
                self._joining.discard(queue)
                self._joined.add(queue)


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
    broadcasts: dict[str, Broadcast] = socket.app.state.broadcasts
    broadcast = broadcasts.setdefault(slug, Broadcast(shop, slug, feed))
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
