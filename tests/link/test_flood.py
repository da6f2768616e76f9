"""Sources that send more than can be read, or no line at all: memory stays flat, what is left out is said."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from tests.conftest import until
from tests.served import Served
from tests.watching import RIG, message_when, window
from tickstone.link import reader as reader_module
from tickstone.link.lines import LONGEST_LINE
from tickstone.link.reader import Reader
from tickstone.link.sources import TcpSource

ENDLESS = b"x" * 65_536
LINES = b"t_us:1000 echo_us:1748\n" * 2_800


@contextmanager
def flood(what: bytes) -> Iterator[int]:
    """A board on the network that sends as fast as it can; its port."""
    stop = threading.Event()
    with socket.create_server(("127.0.0.1", 0)) as server:

        def send() -> None:
            while not stop.is_set():
                line, _ = server.accept()
                with line:
                    try:
                        while not stop.is_set():
                            line.sendall(what)
                    except OSError:
                        continue

        thread = threading.Thread(target=send, daemon=True)
        thread.start()
        try:
            yield server.getsockname()[1]
        finally:
            stop.set()


@pytest.mark.parametrize("what", [ENDLESS, LINES])
def test_what_cannot_be_told_in_time_is_counted_and_not_kept(
    monkeypatch: pytest.MonkeyPatch, what: bytes
) -> None:
    monkeypatch.setattr(reader_module, "MOST_WAITING", 300_000)
    told: list[str] = []

    def slow(lines: list[str], _: float) -> None:
        told.extend(lines)
        time.sleep(0.05)

    with flood(what) as port:
        source = TcpSource("127.0.0.1", port)
        source.open()
        reader = Reader(source, slow, lambda _: None)
        reader.start()
        until(lambda: reader.left_out > 20_000_000 and len(told) > 20)
        assert sum(len(line) for kind, line, _ in list(reader._happened) if kind == "bytes") <= 300_000
        reader.stop()
    assert max(map(len, told)) <= LONGEST_LINE
    if what is LINES:
        assert set(told) == {LINES.split(b"\n")[0].decode()}  # of a line that was cut no half is told


@pytest.mark.server
@pytest.mark.parametrize("what", [ENDLESS, LINES])
def test_a_flood_neither_fills_memory_nor_stops_the_app(served: Served, what: bytes) -> None:
    with flood(what) as port:
        before = served.memory_mb
        source = {"kind": "tcp", "host": "127.0.0.1", "port": port}
        served.client.post(f"{RIG}/connect", json=source).raise_for_status()
        with window(served.address) as line:
            first = message_when(line, lambda m: m["left_out"] > 50_000_000)
            served.client.post(f"{RIG}/record", json={}).raise_for_status()
            message_when(line, lambda m: m["left_out"] > first["left_out"] + 50_000_000)
        stopped = served.client.post(f"{RIG}/stop").raise_for_status().json()
        recordings = served.client.get(f"{RIG}/recordings").raise_for_status().json()
        kept = next(kept for kept in recordings if kept["id"] == stopped["id"])
        assert any(stream["n"] for stream in kept["streams"]) == (what is LINES)
        assert served.memory_mb - before < 200
        assert served.client.get("/api/health").json()["ok"]
        served.client.post(f"{RIG}/disconnect").raise_for_status()
