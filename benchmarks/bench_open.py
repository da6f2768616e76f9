"""A recording of 10 000 000 samples opened and zoomed, as ratios to reading the same column bare with
numpy."""

from __future__ import annotations

import time

import numpy as np

from benchmarks.common import bench_database, report
from tickstone.actions import reading
from tickstone.core.rigs.kinds import kind
from tickstone.store import recordings, rigs

ROWS = 10_000_000
STEP_US = 500


def timed(what) -> tuple[float, object]:
    """Seconds that a call took, and its result."""
    begin = time.perf_counter()
    result = what()
    return time.perf_counter() - begin, result


def main() -> None:
    """Run and report."""
    random = np.random.default_rng(2)
    echoes = (
        (4920 + np.cumsum(random.normal(0, 0.3, ROWS)) + random.normal(0, 4, ROWS)).clip(300, 20_000).round()
    )
    echoes[random.random(ROWS) < 0.001] = 0.0
    echoes[7_654_321] = 22_000.0
    with bench_database() as (database, _):
        with database.transaction() as session:
            rig = rigs.rig_named(session, "fern")
            recording_id = recordings.begin(
                session,
                rig_id=rig.id,
                revision_id=rig.revision_id,
                name="ten million",
                origin="live",
                source="benchmark",
                clock="device",
                streams=[
                    recordings.NewStream("front-ranger", "front-ranger", kind("ultrasonic-ranger").channels)
                ],
            )
            recordings.write_rows(session, recording_id, "front-ranger", np.arange(ROWS) * STEP_US, [echoes])
            recordings.close(session, recording_id)

        def trace(t0: float | None = None, t1: float | None = None) -> reading.SensorTrace:
            with database.transaction() as session:
                return reading.trace(session, recording_id, "front-ranger", t0, t1, 900)

        bare, _ = timed(lambda: (echoes.min(), echoes.max()))
        first, whole = timed(trace)
        again, _ = timed(trace)
        tenth, _ = timed(lambda: trace(1000, 1500))
        close, spike = timed(lambda: trace(7_654_321 * STEP_US / 1e6 - 1, 7_654_321 * STEP_US / 1e6 + 1))
    assert np.nanmax(whole.raw_high) == 22_000.0
    assert np.nanmax(spike.raw_high) == 22_000.0
    report(
        "open 10 million",
        open_s=first,
        again_s=again,
        zoom_tenth_s=tenth,
        zoom_2s_s=close,
        open_to_bare_minmax=first / bare,
        points=len(whole.times_s),
    )


if __name__ == "__main__":
    main()
