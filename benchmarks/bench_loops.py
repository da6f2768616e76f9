"""Filters whose every sample needs the one before, against the plain Python loop of the same arithmetic."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from benchmarks.common import reference_loop_s
from tickstone.core import filters, inertial

N = 1_000_000


def took(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def plain_kalman(z: list[float], q: float, r: float) -> list[float]:
    x, p, out = z[0], r, []
    for reading in z:
        p += q
        gain = p / (p + r)
        x += gain * (reading - x)
        p *= 1 - gain
        out.append(x)
    return out


def plain_angle_and_bias(
    rate: list[float], ref: list[float], dt: float, qa: float, qb: float, r: float
) -> list[float]:
    angle, bias, p00, p01, p11, out = ref[0], 0.0, r, 0.0, qb, []
    for i, reference in enumerate(ref):
        if i:
            angle += (rate[i] - bias) * dt
            p00 += dt * (dt * p11 - 2 * p01) + qa
            p01 -= dt * p11
            p11 += qb
        off = (reference - angle + 180) % 360 - 180
        spread = p00 + r
        k0, k1 = p00 / spread, p01 / spread
        angle = (angle + k0 * off + 180) % 360 - 180
        bias += k1 * off
        p11 -= k1 * p01
        p01 *= 1 - k0
        p00 *= 1 - k0
        out.append(angle)
    return out


def main() -> None:
    rng = np.random.default_rng(2)
    z = rng.normal(300, 2, N)
    rate, ref = rng.normal(0, 1, N), rng.normal(5, 1, N)
    settings = {"q_angle": 1e-3, "q_bias": 1e-6, "r_angle": 1.0}
    print(f"{N} samples; reference loop {reference_loop_s():.2f} s")
    for name, ours, plain in (
        ("scalar Kalman", lambda: filters.kalman(z, 0.01, 4.0), lambda: plain_kalman(z.tolist(), 0.01, 4.0)),
        (
            "two-state fusion",
            lambda: inertial.angle_and_bias(rate, ref, 100.0, **settings),
            lambda: plain_angle_and_bias(rate.tolist(), ref.tolist(), 0.01, 1e-3, 1e-6, 1.0),
        ),
        ("complementary", lambda: inertial.complementary(rate, ref, 0.98, 100.0), None),
    ):
        first = took(ours)  # compiles, or loads what an earlier run compiled
        fast = min(took(ours) for _ in range(5))
        line = f"{name:17} first {first:5.2f} s, then {1000 * fast:5.1f} ms"
        if plain is not None:
            slow = min(took(plain) for _ in range(2))
            line += f", {slow / fast:4.0f} × faster than the plain loop's {slow:.2f} s (wanted: at least 50)"
        print(line)


if __name__ == "__main__":
    main()
