"""The promises of docs/trust.md, counted: a few times with the tests, and as often as the page says by hand:

    TICK_STONE_COUNTED=figures.txt ./tick-stone test tests/trust

The figures of each are appended to that file."""

from __future__ import annotations

import itertools
import os
import signal
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import until
from tests.served import Served
from tests.watching import RIG, message_when, window
from tickstone.launch.cluster import Cluster

pytestmark = [pytest.mark.server, pytest.mark.slow]

FIGURES = os.environ.get("TICK_STONE_COUNTED", "")
KILLS, STOPS, STALLS, SOAK_S = (100, 20, 30, 1800.0) if FIGURES else (4, 2, 3, 12.0)
LONGEST_STALL_S = 8.0 if FIGURES else 3.0


def figure(sentence: str) -> None:
    if FIGURES:
        with Path(FIGURES).open("a") as file:
            file.write(f"{sentence}\n")


class Board:
    """A board on the network that sends a line every ``step_us``, stamped with its own clock, without ever
    leaving one out."""

    def __init__(self, rate_hz: int) -> None:
        self.step_us = 1_000_000 // rate_hz
        self._stop = threading.Event()
        self._server = socket.create_server(("127.0.0.1", 0))
        self._thread = threading.Thread(target=self._send, daemon=True)
        self.late_s = 0.0  # how long after its stamp the last line went out

    @property
    def source(self) -> dict[str, Any]:
        """What a rig is connected to."""
        return {"kind": "tcp", "host": "127.0.0.1", "port": self._server.getsockname()[1]}

    def __enter__(self) -> Board:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._server.close()

    def _send(self) -> None:
        count = itertools.count()
        began = time.monotonic()
        while not self._stop.is_set():
            try:
                line, _ = self._server.accept()
            except OSError:
                return
            with line:
                try:
                    self._lines(line, began, count)
                except OSError:
                    continue

    def _lines(self, line: socket.socket, began: float, count: Iterator[int]) -> None:
        number = next(count)
        while not self._stop.is_set():
            lines = []
            while number * self.step_us / 1e6 <= time.monotonic() - began and len(lines) < 400:
                lines.append(f"t_us:{number * self.step_us} echo_us:{1700 + number % 100}\n")
                number = next(count)
            line.sendall("".join(lines).encode())
            self.late_s = time.monotonic() - began - (number - 1) * self.step_us / 1e6
            self._stop.wait(0.005)


@contextmanager
def recorded(served: Served, board: Board) -> Iterator[Callable[[], dict[str, Any]]]:
    """A recording of a board that runs; its one stream once it is stopped."""
    served.client.post(f"{RIG}/connect", json=board.source).raise_for_status()
    recording_id = served.client.post(f"{RIG}/record", json={}).raise_for_status().json()["id"]

    def stream() -> dict[str, Any]:
        served.client.post(f"{RIG}/stop").raise_for_status()

        def closed() -> Any:
            state = served.client.get(f"/api/recordings/{recording_id}").json()["recording"]
            return state if state["status"] == "closed" else None

        kept: Any = until(closed, 120)
        return next(each for each in kept["streams"] if each["key"] == "front-ranger")

    yield stream


def is_whole(stream: dict[str, Any], board: Board) -> None:
    """Every line between the first and the last is there, once, and in one segment."""
    span_us = round((stream["t1_s"] - stream["t0_s"]) * 1e6)
    assert stream["segments"] == 1
    assert stream["n"] == span_us // board.step_us + 1


def rows(served: Served) -> int:
    """Rows of the running recording that are in the database."""
    state = served.client.get(f"{RIG}/now").json()["recording"]
    return int(state["committed"]) if state else 0


def begun_recording(served: Served) -> int:
    """Begin a recording, as soon as the board is there."""

    def begun() -> int | None:
        answer = served.client.post(f"{RIG}/record", json={})
        return int(answer.json()["id"]) if answer.is_success else None

    recording_id: Any = until(begun)
    return int(recording_id)


def test_killed_while_it_records(served: Served) -> None:
    called = kept = 0
    for _ in range(KILLS):
        served.client.post(f"{RIG}/connect", json={"kind": "stand-in"}).raise_for_status()
        recording_id = begun_recording(served)
        with window(served.address) as line:
            last = message_when(line, lambda m: m["recording"] and m["recording"]["committed"] >= 20)
            served.kill()
        served.start()

        def closed(recording_id: int = recording_id) -> Any:
            state = served.client.get(f"/api/recordings/{recording_id}").json()["recording"]
            return state if state["status"] != "live" else None

        state: Any = until(closed)
        stored = sum(stream["n"] for stream in state["streams"])
        assert stored >= last["recording"]["committed"]
        called, kept = called + last["recording"]["committed"], kept + stored
    figure(f"killed {KILLS} times: {called} rows were called recorded, {kept} are there")


def test_the_database_is_stopped_while_it_records(served_on_own_cluster: tuple[Served, Cluster]) -> None:
    served, cluster = served_on_own_cluster
    with Board(200) as board, recorded(served, board) as stream:
        for _ in range(STOPS):
            until(lambda before=rows(served): rows(served) > before)  # type: ignore[misc]
            cluster.stop()
            until(lambda: served.client.get(f"{RIG}/now").json()["recording"]["store_away"])
            cluster.start(cluster.port)
            until(lambda: not served.client.get(f"{RIG}/now").json()["recording"]["store_away"])
        kept = stream()
        is_whole(kept, board)
    figure(f"database stopped {STOPS} times: {kept['n']} rows of as many lines, one segment")


def test_the_app_stands_still_while_it_records(served: Served) -> None:
    with Board(200) as board, recorded(served, board) as stream:
        assert served.process.pid is not None
        for number in range(STALLS):
            until(lambda before=rows(served): rows(served) > before)  # type: ignore[misc]
            os.kill(served.process.pid, signal.SIGSTOP)
            time.sleep(0.5 + (LONGEST_STALL_S - 0.5) * number / (STALLS - 1))  # the stall itself
            os.kill(served.process.pid, signal.SIGCONT)
        until(lambda before=rows(served): rows(served) > before + 200)  # type: ignore[misc]
        kept = stream()
        is_whole(kept, board)
    figure(
        f"stalled {STALLS} times, 0.5 to {LONGEST_STALL_S:g} s: {kept['n']} rows of as many lines, "
        f"{kept['t1_s'] - kept['t0_s']:.3f} s, one segment"
    )


def used(served: Served) -> tuple[float, int, int]:
    """Memory of the app's process, MB; its threads; its open files."""
    process = Path(f"/proc/{served.process.pid}")
    return served.memory_mb, len(list((process / "task").iterdir())), len(list((process / "fd").iterdir()))


def test_a_long_recording_of_2000_lines_a_second_with_two_windows(served: Served) -> None:
    stop = threading.Event()

    def look() -> None:
        with window(served.address) as line:
            while not stop.is_set():
                line.recv(timeout=60)

    windows = [threading.Thread(target=look, daemon=True) for _ in range(2)]
    with Board(2000) as board, recorded(served, board) as stream:
        late = board.late_s
        for each in windows:
            each.start()
        time.sleep(SOAK_S / 3)  # everything that has a bound has reached it
        before = used(served)
        time.sleep(SOAK_S * 2 / 3)
        after = used(served)
        kept = stream()
        stop.set()
        is_whole(kept, board)
    for each in windows:
        each.join(60)
    assert after[1] <= before[1] + 2
    assert after[2] <= before[2] + 4
    assert after[0] - before[0] < 60
    figure(
        f"{SOAK_S:g} s at 2 000 lines/s, two windows: {kept['n']} rows of as many lines, "
        f"{kept['t1_s'] - kept['t0_s']:.4f} s recorded; "
        f"memory {before[0]:.0f} → {after[0]:.0f} MB, threads {before[1]} → {after[1]}, "
        f"files {before[2]} → {after[2]}; a line left the board at most "
        f"{max(late, board.late_s) * 1e3:.1f} ms after its stamp, and recorded time is the stamps'"
    )
