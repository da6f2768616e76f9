"""What benchmarks share: a cluster of their own, a reference loop to measure beside, plain printing."""

from __future__ import annotations

import resource
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tickstone.launch.cluster import Cluster
from tickstone.launch.seed import seed
from tickstone.store.database import Database


@contextmanager
def bench_database() -> Iterator[tuple[Database, str]]:
    """A durable private cluster (commits reach the disk) with the demo rig, and its address."""
    with tempfile.TemporaryDirectory(prefix="tick-stone-bench-") as name:
        Path(name).chmod(0o711)
        with Cluster(Path(name)) as cluster:
            url = cluster.ensure_database("bench")
            database = Database(url)
            database.migrate()
            seed(database)
            yield database, url
            database.close()


def reference_loop_s() -> float:
    """Seconds that a fixed amount of plain Python takes on this machine just now: 3 000 000 additions."""
    begin = time.perf_counter()
    total = 0
    for i in range(3_000_000):
        total += i
    return time.perf_counter() - begin


def peak_mb() -> float:
    """Peak resident memory of this process so far, MB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def report(name: str, **figures: float | int | str) -> None:
    """One line of results, with the reference loop measured in the same run."""
    said = ", ".join(
        f"{key} {value:.4g}" if isinstance(value, float) else f"{key} {value}"
        for key, value in figures.items()
    )
    print(f"{name}: {said}; reference loop {reference_loop_s():.3f} s, peak {peak_mb():.0f} MB", flush=True)
