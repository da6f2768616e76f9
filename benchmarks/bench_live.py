"""2 000 lines/s for a minute through the real chain: stand-in, pseudo-terminal, parser, recorder, PostgreSQL, window.

Counted at both ends: what the stand-in printed (its own time stamps) against what is on disk.
"""

from __future__ import annotations

import json
import statistics
import time

import numpy as np
import uvicorn
from websockets.sync.client import connect

from benchmarks.common import bench_database, report
from tickstone.actions.workshop import Workshop
from tickstone.api.app import make_app
from tickstone.launch.cluster import free_port
from tickstone.standin.client import StandInProcess
from tickstone.store import recordings, samples

RATE_HZ = 2000
SECONDS = 60


def main() -> None:
    """Run and report."""
    import threading

    with bench_database() as (database, _):
        standin = StandInProcess(rate_hz=RATE_HZ)
        port = free_port()
        workshop = Workshop(database, standin)
        server = uvicorn.Server(uvicorn.Config(make_app(workshop), port=port, log_level="warning"))
        thread = threading.Thread(target=server.run, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.05)
        from tickstone.link.sources import SerialSource

        workshop.connect("fern", SerialSource(standin.serial_path))
        time.sleep(1)
        recording_id = workshop.record("fern", "benchmark")
        cpu, begin = time.process_time(), time.perf_counter()
        delays: list[float] = []
        with connect(f"ws://127.0.0.1:{port}/api/rigs/fern/live", origin=f"http://127.0.0.1:{port}") as line:
            first: float | None = None
            while time.perf_counter() - begin < SECONDS:
                message = json.loads(line.recv(timeout=10))
                times = message["sensors"]["front-ranger"]["t"]
                if times and not message["sensors"]["front-ranger"]["fresh"]:
                    offset = time.perf_counter() - times[-1]
                    first = offset if first is None else min(first, offset)
                    delays.append(offset)
        busy = (time.process_time() - cpu) / (time.perf_counter() - begin)
        workshop.stop("fern")
        with database.transaction() as session:
            stream = recordings.recording(session, recording_id).stream_of("front-ranger")
            times, _ = samples.rows_between(session, stream)
        steps = np.diff(times)
        lost = int((steps / (1e6 / RATE_HZ)).round().sum()) - len(steps)
        server.should_exit = True
        thread.join(timeout=10)
        standin.stop()
    late = [1000 * (delay - (first or 0.0)) for delay in delays]
    report("live 2000 lines/s", rows=len(times), lost=lost, segments=stream.segments, cores=busy,
           delay_median_ms=statistics.median(late), delay_95_ms=float(np.percentile(late, 95)))  # fmt: skip


if __name__ == "__main__":
    main()
