"""A CSV of 1 000 000 rows and 7 columns taken into PostgreSQL, opened, given out and converted, beside the
fastest bare CSV reader, in one run."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import polars as pl

from benchmarks.common import bench_database, peak_mb, report
from tickstone.actions import exporting, importing, lanes
from tickstone.launch.folders import ROOT
from tickstone.store.database import Database

ROWS = 1_000_000
ROUNDS = 3
AXES = ("ax", "ay", "az", "gx", "gy", "gz")


def written(folder: Path) -> Path:
    """A file as a program would have written it: a time, and six axes in counts."""
    random = np.random.default_rng(6)
    columns: dict[str, np.ndarray] = {"t_us": np.arange(ROWS) * 1000 + random.integers(0, 5, ROWS)}
    for axis in AXES:
        columns[axis] = random.normal(0, 4000, ROWS).round().clip(-32_768, 32_767).astype(int)
    path = folder / "six-axes.csv"
    pl.DataFrame(columns).write_csv(path)
    return path


def best(work: Callable[[], object]) -> float:
    """The shortest of several runs, s."""
    took = []
    for _ in range(ROUNDS):
        begin = time.perf_counter()
        work()
        took.append(time.perf_counter() - begin)
    return min(took)


def given_out(database: Database, recording_id: int, asked: exporting.ExportRequest) -> int:
    """Bytes of a recording given out."""
    return sum(len(piece) for piece in exporting.export(database, recording_id, asked).pieces)


def opened(database: Database, recording_id: int, show: str) -> None:
    """What the server does when a recording is opened."""
    with database.transaction() as session:
        lanes.lanes(session, recording_id, [show], None, None, 900)


def first_opened(database: Database, path: Path) -> float:
    """Seconds of the first look at a recording that was just taken in."""
    recording_id = importing.take_in(database, "fern", path, importing.Wish("bench"))
    begin = time.perf_counter()
    opened(database, recording_id, "tilt")
    return time.perf_counter() - begin


def converted(path: Path) -> tuple[float, float]:
    """Seconds and peak MB of the command line converting the file, 7 columns in and 18 out."""
    begin = time.perf_counter()
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    watched = (
        "import sys; from tickstone.cli import main; main(['convert', sys.argv[1]]); "
        "told = dict(line.split(':', 1) for line in open('/proc/self/status')); "
        "print(int(told['VmHWM'].split()[0]) / 1024, file=sys.stderr)"
    )
    done = subprocess.run(
        [sys.executable, "-c", watched, str(path)],
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        text=True,
        check=True,
    )
    return time.perf_counter() - begin, float(done.stderr.split()[-1])


def main() -> None:
    """Run and report."""
    with tempfile.TemporaryDirectory() as name, bench_database() as (database, _):
        path = written(Path(name))
        recording_id = importing.take_in(database, "fern", path, importing.Wish("bench"))
        peak = peak_mb()
        ours = best(lambda: importing.take_in(database, "fern", path, importing.Wish("bench")))
        bare = best(lambda: pl.read_csv(path))
        report("import", bare_reader_s=bare, import_s=ours, import_to_bare=ours / bare, import_peak_mb=peak)
        raw = best(lambda: given_out(database, recording_id, exporting.ExportRequest(converted=False)))
        both = best(lambda: given_out(database, recording_id, exporting.ExportRequest()))
        forms = {
            form.replace("-", "_") + "_s": best(
                lambda form=form: given_out(database, recording_id, exporting.ExportRequest(form))
            )
            for form in ("json-lines", "parquet", "value-change-dump")
        }
        report(
            "export",
            csv_raw_s=raw,
            csv_converted_s=both,
            raw_to_import=raw / ours,
            converted_to_import=both / ours,
            **forms,
        )
        first = (
            best(
                lambda: opened(
                    database, importing.take_in(database, "fern", path, importing.Wish("bench")), "tilt"
                )
            )
            - ours
        )
        report(
            "overview of 1 million",
            tilt_first_s=first,
            tilt_again_s=best(lambda: opened(database, recording_id, "tilt")),
            one_axis_raw_s=best(lambda: opened(database, recording_id, "tilt.x")),
        )
        seconds, megabytes = converted(path)
        tenfold = Path(name) / "tenfold.csv"
        text = path.read_text().split("\n", 1)
        with tenfold.open("w") as file:
            file.write(text[0] + "\n")
            for _ in range(10):
                file.write(text[1])
        ten_s, ten_mb = converted(tenfold)
        report("convert", million_s=seconds, million_mb=megabytes, ten_million_s=ten_s, ten_million_mb=ten_mb)


if __name__ == "__main__":
    main()
