"""Decisions: a robust choice over a whole row, and every other decision on a long recording."""

from __future__ import annotations

import time

import numpy as np
from tests.core.decisions.seen import plain_seen, values_of

from benchmarks.common import report
from tickstone.core.decisions.catalogue import decision
from tickstone.core.decisions.decision import Question
from tickstone.core.decisions.line import Light, candidates, one_for_all, robust_row

SENSORS, CONDITIONS, SAMPLES = 8, 6, 50_000
ROWS = 200_000
TOP = 1023


def robust() -> None:
    """Misreads of every count, for every sensor and condition, and the safest threshold."""
    random = np.random.default_rng(1)

    def heap(middle: float) -> tuple[np.ndarray, ...]:  # type: ignore[type-arg]
        return tuple(np.round(random.normal(middle + 3 * i, 12, SAMPLES)) for i in range(SENSORS))

    lights = [Light(f"light {k}", k, heap(700 + 5 * k), heap(180 + 5 * k)) for k in range(CONDITIONS)]
    begun = time.perf_counter()
    row = robust_row(lights, TOP)
    one_for_all(row)
    chosen = time.perf_counter()
    for one in row:
        candidates(one, TOP)
    report(
        f"{SENSORS} sensors × {CONDITIONS} conditions × {SAMPLES} samples, both heaps",
        robust_s=chosen - begun,
        candidates_s=time.perf_counter() - chosen,
    )
    begun = time.perf_counter()
    for light in lights:
        for low, high in zip(light.ground, light.line, strict=True):
            np.sort(low), np.sort(high)
    report("sorting each heap once, beside it", sort_s=time.perf_counter() - begun)


def others() -> None:
    """The other decisions on a recording of ROWS readings."""
    random = np.random.default_rng(2)
    way = 500 + 350 * np.sin(np.arange(ROWS) / 80.0) + random.normal(0, 2, ROWS)
    way[random.random(ROWS) < 0.01] = np.nan
    seen = plain_seen(way)
    for name in ("obstacle", "filter", "dropouts"):
        begun = time.perf_counter()
        decision(name).work(Question([seen]), values_of("ultrasonic-ranger"))
        report(f"{name}, {ROWS} readings", work_s=time.perf_counter() - begun)
    periods = 60e6 / (200 + 100 * np.sin(np.arange(ROWS) / 300.0))
    begun = time.perf_counter()
    decision("turning").work(
        Question([plain_seen(periods, asked={"period": periods})]), values_of("hall-switch")
    )
    report(f"turning, {ROWS} pulses", work_s=time.perf_counter() - begun)


if __name__ == "__main__":
    robust()
    others()
