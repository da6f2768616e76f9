"""Runs: how much faster than life a row of five is followed at 1 kHz, what the first call costs, and the
whole way from a request to its score."""

from __future__ import annotations

import statistics
import time
from unittest.mock import patch

from benchmarks.common import report
from tickstone.core import loops
from tickstone.core.drive import rolling
from tickstone.core.drive.request import RunRequest
from tickstone.core.drive.run import run
from tickstone.core.drive.worlds import world
from tickstone.core.rigs.templates import template

SECONDS = 20.0


def main() -> None:
    """Measure and print."""
    inner: list[float] = []
    loop_run = loops.run

    def timed(*arguments: object) -> object:
        begun = time.perf_counter()
        result = loop_run(*arguments)  # type: ignore[arg-type]
        inner.append(time.perf_counter() - begun)
        return result

    def once(seconds: float = SECONDS, **given: float) -> float:
        begun = time.perf_counter()
        run(RunRequest(template("T15"), world("path"), "follow-pid", given, seconds))
        return time.perf_counter() - begun

    plain = once(2.0) / 2.0
    with patch.object(rolling, "COMPILED_FROM", 0), patch.object(rolling.loops, "run", timed):
        first = once(1.0)
        whole = [once(loop_ms=1.0) for _ in range(5)]
        at_1_khz = statistics.median(inner[-5:])
        inner.clear()
        usual = [once() for _ in range(5)]
        at_100_hz = statistics.median(inner[-5:])
    report(
        "drive",
        first_call_s=first,
        times_life_at_1_khz=SECONDS / at_1_khz,
        times_life_at_100_hz=SECONDS / at_100_hz,
        whole_20_s_at_1_khz_s=statistics.median(whole),
        whole_20_s_s=statistics.median(usual),
        plain_s_per_s=plain,
    )


if __name__ == "__main__":
    main()
