"""12 hours at 200 lines/s, run fast: 8 640 000 rows through recorder and store in commits of 50 rows' worth
of time.

Reports how much faster than life it went, the disk it took, and that every row is there.
"""

from __future__ import annotations

import time

import numpy as np
from sqlalchemy import text

from benchmarks.common import bench_database, report
from tickstone.core.rigs.kinds import kind
from tickstone.link.recorder import Recorder
from tickstone.store import recordings, rigs, samples

RATE_HZ = 200
HOURS = 12
ROWS_A_COMMIT = 2000  # ten seconds' worth: commits run about forty times faster than life


def main() -> None:
    """Run and report."""
    random = np.random.default_rng(1)
    total = RATE_HZ * 3600 * HOURS
    echoes = (4920 + random.normal(0, 4, 100_000)).round()
    with bench_database() as (database, _):
        with database.transaction() as session:
            rig = rigs.rig_named(session, "fern")
            recording_id = recordings.begin(
                session,
                rig_id=rig.id,
                revision_id=rig.revision_id,
                name="half a day",
                origin="live",
                source="benchmark",
                clock="device",
                streams=[
                    recordings.NewStream("front-ranger", "front-ranger", kind("ultrasonic-ranger").channels)
                ],
            )
        recorder = Recorder(recording_id, samples.SampleSink(database))
        begin = time.perf_counter()
        for row in range(total):
            recorder.take("front-ranger", 0, row * 5000, (float(echoes[row % 100_000]),))
            if row % ROWS_A_COMMIT == ROWS_A_COMMIT - 1:
                recorder.flush()
        recorder.flush()
        with database.transaction() as session:
            recordings.close(session, recording_id)
            took = time.perf_counter() - begin
            stream = recordings.recording(session, recording_id).stream_of("front-ranger")
            size = session.scalar(text("SELECT pg_database_size(current_database())"))
    report(
        "half a day",
        rows=stream.n,
        missing=total - stream.n,
        seconds=took,
        times_life=HOURS * 3600 / took,
        disk_mb=float(size or 0) / 1e6,
    )


if __name__ == "__main__":
    main()
