"""Calibrations: how often the truth lies within the stated interval (docs/calibration.md), and how fast long
spans are taken."""

from __future__ import annotations

import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from tests.simulated.calibrations import (
    COARSE_SDS,
    DRIFT_SDS,
    NOISES,
    SIMULATIONS,
    TOGETHER,
    UNEVEN,
    WHITE,
    Coverage,
    covered,
    turning_times,
    values_of,
    window,
)

from benchmarks.common import report
from tickstone.core.calibration.catalogue import PROCEDURES
from tickstone.core.calibration.gaps import counts_of
from tickstone.core.calibration.procedure import Step
from tickstone.launch.folders import ROOT

SEEDS, FEWER = range(700_000, 701_000), range(700_000, 700_300)
ROWS = 200_000


def fast(name: str, kind: str, channels: dict[str, np.ndarray], key: str, truth: dict[str, float]) -> None:  # type: ignore[type-arg]
    """Judge, take and fit one window of ROWS rows."""
    values, procedure = values_of(kind), PROCEDURES[name]
    seen = window(1000, channels)
    want = next((one for one in procedure.wants([], values) if one.key == key), None)
    begun = time.perf_counter()
    procedure.judge(seen, want, truth, [], values)
    judged = time.perf_counter()
    step = Step(key, key, truth, procedure.take(seen, key, values), ROWS)
    procedure.fit([step], values)
    report(
        f"{name}, {ROWS} × {len(channels)}",
        judge_s=judged - begun,
        take_and_fit_s=time.perf_counter() - judged,
    )


def speed() -> None:
    """The procedures that may be given long spans."""
    random = np.random.default_rng(1)
    flat = {axis: np.round(random.normal(0, 60, ROWS) + (16_384 if axis == "z" else 0)) for axis in "xyz"}
    gyro = {f"g{axis}": np.round(random.normal(20, 12, ROWS)) for axis in "xyz"}
    fast("poses", "inertial-unit", flat, "+z", {})
    fast("gyro-rest", "inertial-unit", flat | gyro, "rest 1", {})
    fast("gyro-long", "inertial-unit", flat | gyro, "rest", {"seconds": 60})
    row = {f"s{i}": np.round(random.normal(300, 4, ROWS)) for i in range(1, 6)}
    fast("line", "line-sensors", row, "ground", {})
    swept = {
        name: np.where(np.sin(np.arange(ROWS) / 900 + i) > 0, 300, 760) + random.normal(0, 4, ROWS)
        for i, name in enumerate(row)
    }
    fast("line", "line-sensors", swept, "sweep+", {})
    fast("ruler", "ultrasonic-ranger", {"echo": random.normal(2330, 5, ROWS)}, "400", {"true_mm": 400})
    fast("filter", "line-sensors", row, "still", {})
    fast(
        "steady-run",
        "hall-switch",
        {"edge": 1e6 * np.arange(ROWS) * 0.1 + random.normal(0, 50, ROWS)},
        "run",
        {},
    )
    code = np.tile([5, 4, 6, 2, 3, 1], ROWS // 6 + 1)[:ROWS]
    fast("hall-spin", "motor-halls", {f"h{n + 1}": (code >> (2 - n)) & 1 for n in range(3)}, "spin", {})


def _covered(job: tuple[str, str]) -> Coverage:
    name, noise = job
    return covered(name, SEEDS if noise == WHITE else FEWER, noise)


def _cell(seen: Coverage) -> str:
    without = f" (no ± in {100 * seen.without / (seen.stated + seen.without):.0f} %)" if seen.without else ""
    return f"{100 * seen.share:.1f} %{without}" if seen.stated else "no ± is given"


def coverage() -> str:
    """The table of how often the truth lay within ±."""
    jobs = [(name, noise) for name in SIMULATIONS for noise in NOISES]
    with ProcessPoolExecutor() as pool:
        seen = dict(zip(jobs, pool.map(_covered, jobs), strict=True))
    lines = [
        "# How often the truth lies within the stated ±",
        "",
        "`./tick-stone benchmark calibrations` writes this page. Simulated calibrations with known truth "
        "(`tests/simulated/calibrations.py`, which shares nothing with the stand-in): sensors, hands and "
        f"rounding drawn anew each time. White noise is {len(SEEDS)} calibrations a line, each other noise "
        f"{len(FEWER)}. The ± on screens is meant to hold the truth 95 times in 100; the "
        "constants of a kind are counted together.",
        "",
        f"- correlated: neighbours by {TOGETHER:g} (first-order autoregression)",
        f"- coarse: readings in steps of {COARSE_SDS:g} sd of the noise, of which no part sheet tells; a "
        "bound on the rounding stays in the ±, so that it holds more often than 95 times",
        "- heavy tails: Student’s t with three degrees of freedom",
        f"- drifting: by {DRIFT_SDS:g} sd from the first reading to the last; at which of them it is right "
        "nobody knows, so that the drift stays in the ±, which holds more often than 95 times",
        "",
        "| calibration | procedure | " + " | ".join(NOISES) + " |",
        "|---|---|" + "---|" * len(NOISES),
    ]
    for name, (procedure, _) in SIMULATIONS.items():
        cells = " | ".join(_cell(seen[name, noise]) for noise in NOISES)
        lines.append(f"| {name} | {PROCEDURES[procedure].title} | {cells} |")
        report(f"coverage {name}", **{noise: 100 * seen[name, noise].share for noise in NOISES})
    return "\n".join([*lines, "", *magnets()]) + "\n"


def _counted(job: tuple[int, float]) -> str:
    seed, stamps_s = job
    count, *likely = counts_of(turning_times(seed, stamps_s, UNEVEN))
    return "asked" if likely else "right" if count == len(UNEVEN) else "wrong"


def magnets() -> list[str]:
    """How often the magnets of a wheel are counted right."""
    lines = [
        "## Magnets",
        "",
        "Wheels of four magnets, their gaps 1.15, 1.0, 0.9 and 0.95 within a percent, thirty turns at one to "
        "six turns a second that creep by up to 2 %, edges off by 0.08 % of a turn:",
        "",
        "| stamps | runs | right | asked | wrong |",
        "|---|---:|---:|---:|---:|",
    ]
    with ProcessPoolExecutor() as pool:
        for stamps_s, runs in ((1e-3, 10_000), (250e-6, 2_000), (4e-6, 2_000)):
            jobs = [(seed, stamps_s) for seed in range(40_000, 40_000 + runs)]
            seen = Counter(pool.map(_counted, jobs, chunksize=50))
            lines.append(
                f"| {1e6 * stamps_s:g} µs | {runs} | {seen['right']} | {seen['asked']} | {seen['wrong']} |"
            )
    return lines


def main() -> None:
    """Measure, and write the table."""
    speed()
    (ROOT / "docs" / "calibration.md").write_text(coverage())


if __name__ == "__main__":
    main()
