"""2 000 lines/s of a whole rig for a minute through the real chain: stand-in, pseudo-terminal, interpreter,
recorder, PostgreSQL, windows; watched by one window, then by ten.

Counted at both ends: what the stand-in printed (each sensor's own cadence in its own time stamps) against
what is on disk. Windows are a process of their own; a delay is counted from the quickest message, so it holds
what the chain adds.
"""

from __future__ import annotations

import json
import multiprocessing
import statistics
import threading
import time
from multiprocessing.connection import Connection

import numpy as np
import uvicorn
from websockets.sync.client import connect

from benchmarks.common import bench_database, report
from tickstone.actions.workshop import Workshop
from tickstone.api.app import make_app
from tickstone.core.rigs.templates import fern
from tickstone.launch.cluster import free_port
from tickstone.link.sources import SerialSource
from tickstone.standin.board import SimBoard
from tickstone.standin.client import StandInProcesses
from tickstone.store import recordings, samples
from tickstone.store.database import Database

RATE_HZ = 2000
SECONDS = 60
REGULAR = ("front-ranger", "line-row", "tilt", "battery-gauge")
WATCHED = "line-row"


def watch(port: int, count: int, seconds: float, talk: Connection) -> None:
    """So many windows in one process: says when they are open, then sends back all delays, s, and the cores
    they took."""
    delays: list[float] = []
    open_ones = threading.Barrier(count + 1)

    def window() -> None:
        with connect(f"ws://127.0.0.1:{port}/api/rigs/fern/live", origin=f"http://127.0.0.1:{port}") as line:
            line.recv(timeout=10)
            open_ones.wait()
            begin = time.monotonic()
            while time.monotonic() - begin < seconds:
                seen = json.loads(line.recv(timeout=10))["sensors"][WATCHED]
                if seen["t"] and not seen["fresh"]:
                    delays.append(time.monotonic() - seen["t"][-1])

    threads = [threading.Thread(target=window) for _ in range(count)]
    for thread in threads:
        thread.start()
    open_ones.wait()
    cpu = time.process_time()
    talk.send("open")
    for thread in threads:
        thread.join()
    talk.send((delays, (time.process_time() - cpu) / seconds))


def run(database: Database, count: int) -> None:
    """Record a minute with so many windows watching, and report."""
    standins = StandInProcesses(lines_per_s=RATE_HZ)
    own = SimBoard(fern())
    pace = RATE_HZ / own.lines_per_s
    every_us = {one.part.key: one.every_s / pace * 1e6 for one in own.sampled}
    port = free_port()
    workshop = Workshop(database, standins)
    server = uvicorn.Server(uvicorn.Config(make_app(workshop), port=port, log_level="warning"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    workshop.connect("fern", SerialSource(workshop.standin("fern").serial_path))
    spawn = multiprocessing.get_context("spawn")
    here, there = spawn.Pipe()
    watching = spawn.Process(target=watch, args=(port, count, SECONDS, there))
    watching.start()
    here.recv()
    recording_id = workshop.recordings.begin("fern", "benchmark")
    cpu, begin = time.process_time(), time.perf_counter()
    delays, window_cores = here.recv()
    late = [1000 * (delay - min(delays)) for delay in delays]
    busy = (time.process_time() - cpu) / (time.perf_counter() - begin)
    workshop.recordings.stop("fern")
    watching.join()
    rows = lost = 0
    with database.transaction() as session:
        found = recordings.recording(session, recording_id)
        for key in REGULAR:
            times, _ = samples.rows_between(session, found.stream_of(key))
            steps = np.diff(times)
            rows += len(times)
            lost += int((steps / every_us[key]).round().sum()) - len(steps)
        total = sum(stream.n for stream in found.streams)
    server.should_exit = True
    thread.join(timeout=10)
    standins.stop()
    report(
        f"live, {count} window{'s' if count > 1 else ''}",
        rows=total,
        counted=rows,
        lost=lost,
        odd=found.odd_lines,
        server_cores=busy,
        windows_cores=window_cores,
        delay_median_ms=statistics.median(late),
        delay_95_ms=float(np.percentile(late, 95)),
    )


def main() -> None:
    """Run both and report."""
    with bench_database() as (database, _):
        for count in (1, 10):
            run(database, count)


if __name__ == "__main__":
    main()
