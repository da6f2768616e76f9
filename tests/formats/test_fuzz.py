"""Each parser under coverage-guided fuzzing for some hundred inputs; ``python -m tests.formats.fuzz`` goes on
as long as one likes."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from tickstone.launch.folders import ROOT

RUNS = 400


@pytest.mark.slow
@pytest.mark.parametrize("parser", ["file", "dump", "parquet", "line", "about"])
def test_whatever_the_bytes_there_are_readings_or_one_sentence(parser: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "tests.formats.fuzz", parser, f"-runs={RUNS}", "-print_final_stats=1"],
        cwd=ROOT,
        env={**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr[-3000:]
    ran = next(line for line in done.stderr.splitlines() if "number_of_executed_units" in line)
    assert int(ran.split()[-1]) >= RUNS
