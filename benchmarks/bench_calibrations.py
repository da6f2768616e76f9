"""Calibrations: how often the truth lies within the stated interval (docs/calibration.md), and how fast long
spans are taken."""

from __future__ import annotations

import time

import numpy as np
from tests.simulated.calibrations import SIMULATIONS, covered, values_of, window

from benchmarks.common import report
from tickstone.core.calibration.catalogue import PROCEDURES
from tickstone.core.calibration.procedure import Step
from tickstone.launch.folders import ROOT

SEEDS = range(1000)
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


def coverage() -> str:
    """The table of how often the truth lay within ±."""
    lines = [
        "# How often the truth lies within the stated ±",
        "",
        "`./tick-stone benchmark calibrations` writes this page. Each line is 1 000 simulated calibrations "
        "with known truth (`tests/simulated/calibrations.py`, which shares nothing with the stand-in), "
        "seeds 0 to 999: sensors, noise, hands and rounding drawn anew each time. The ± on screens is "
        "meant to hold the truth 95 times in 100; the constants of a kind are counted together.",
        "",
        "| calibration | procedure | constants | within ± |",
        "|---|---|---|---|",
    ]
    for name, (procedure, _) in SIMULATIONS.items():
        begun = time.perf_counter()
        inside, total = covered(name, SEEDS)
        took = (time.perf_counter() - begun) / len(SEEDS)
        report(f"coverage {name}", within_pct=100 * inside / total, one_ms=1000 * took)
        lines.append(f"| {name} | {PROCEDURES[procedure].title} | {total} | {100 * inside / total:.1f} % |")
    return "\n".join(lines) + "\n"


def main() -> None:
    """Measure, and write the table."""
    speed()
    (ROOT / "docs" / "calibration.md").write_text(coverage())


if __name__ == "__main__":
    main()
