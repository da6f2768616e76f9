"""Vectorised conversions against the bare numpy expression of the same formula, over 1 000 000 samples in one
run."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

import numpy as np

from benchmarks.common import reference_loop_s
from tickstone.core import adc, inertial, motor_halls, pulses, ranging, surface, triangulation

N = 1_000_000
ROUNDS = 7


def best(work: Callable[[], object]) -> float:
    """The shortest of several runs, s: what the machine can do when nobody else wants it."""
    took = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        work()
        took.append(time.perf_counter() - begun)
    return min(took)


def pairs() -> dict[str, tuple[Callable[[], object], Callable[[], object]]]:
    """Ours and the bare expression, by name."""
    rng = np.random.default_rng(1)
    echo = rng.uniform(200, 20_000, N)
    counts = rng.integers(1, 1022, N).astype(float)
    signed = rng.integers(-30_000, 30_000, N).astype(float)
    x, y, z = rng.normal(0, 0.3, N), rng.normal(0, 0.3, N), rng.normal(1, 0.05, N)
    volts = rng.uniform(0.4, 2.4, N)
    edges = np.cumsum(rng.uniform(900, 1100, N))
    dark = rng.random((N // 5, 5))
    places = (np.arange(5) - 2) * 10.0
    codes = np.array(motor_halls.SEQUENCES["120"])[np.arange(N) % 6]
    place = np.zeros(8, np.int64)
    place[list(motor_halls.SEQUENCES["120"])] = np.arange(6)

    def bare_tilt() -> tuple[np.ndarray, ...]:
        norm = np.sqrt(x * x + y * y + z * z)
        across = np.sqrt(y * y + z * z)
        return (
            np.degrees(np.arctan2(y, z)),
            np.degrees(np.arctan2(-x, across)),
            np.degrees(np.arctan2(np.sqrt(x * x + y * y), z)),
            norm,
        )

    def bare_line() -> np.ndarray:
        weights = np.where(dark < 0.2, 0.0, dark)
        with np.errstate(invalid="ignore"):
            return np.asarray((weights @ places) / weights.sum(axis=1))

    def bare_halls() -> int:
        sectors = place[codes]
        steps = (np.diff(sectors) + 2) % 6 - 2
        return int(steps[np.abs(steps) == 1].sum())

    def bare_echo() -> np.ndarray:
        distance = 343.0 * echo / 2000.0
        return np.where((distance >= 20) & (distance <= 4000), distance, np.nan)

    def bare_ranger() -> np.ndarray:
        distance = 260.0 / (volts - 0.05) - 9.0
        return np.where((distance >= 100) & (distance <= 800), distance, np.nan)

    return {
        "echo to distance": (lambda: ranging.distances_from_echoes(echo, 343.0), bare_echo),
        "counts to volts": (lambda: adc.volts(counts), lambda: counts * (5 / 1024)),
        "counts to g": (
            lambda: inertial.acceleration_g(counts, 10, 3.3, 1.65, 0.33),
            lambda: (counts * (3.3 / 1024) - 1.65) / 0.33,
        ),
        "counts to °/s": (lambda: adc.units(signed, 250.0), lambda: signed * (250 / 32768)),
        "counts to a fraction": (
            lambda: surface.reflectance(counts, 100, 900),
            lambda: np.clip((counts - 100) * (1 / 800), 0, 1),
        ),
        "volts to distance": (lambda: triangulation.distances(volts, 260, 9, 0.05), bare_ranger),
        "edges to rpm": (lambda: pulses.rpm_at_edges(edges), lambda: 60e6 / np.diff(edges)),
        "rpm to speed": (lambda: pulses.speed_m_s(edges, 1200.0), lambda: edges * (1200 / 60_000)),
        "tilt": (lambda: inertial.tilt(x, y, z), bare_tilt),
        "line position": (lambda: surface.line_positions(dark, 10.0), bare_line),
        "motor-Hall codes": (lambda: motor_halls.decode(codes), bare_halls),
    }


def main() -> None:
    print(f"{N} samples, best of {ROUNDS}; reference loop {reference_loop_s():.2f} s")
    worst = 0.0
    for name, (ours, bare) in pairs().items():
        took, least = best(ours), best(bare)
        worst = max(worst, took / least)
        print(
            f"{name:22} {1000 * took:7.1f} ms, {took / least:5.2f} × the bare expression's "
            f"{1000 * least:.1f} ms"
        )
    print(f"worst ratio {worst:.2f} (wanted: at most 3)")
    assert math.isfinite(worst)


if __name__ == "__main__":
    main()
