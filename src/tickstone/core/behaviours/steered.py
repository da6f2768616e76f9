"""A vehicle that is steered by a servo: what the commands of two driven wheels mean to it."""

from __future__ import annotations

import math

from tickstone.core.loops import part_of_loops


@part_of_loops
def as_steered(
    left: float, right: float, track_mm: float, wheelbase_mm: float, end_rad: float
) -> tuple[float, float]:
    """The motor's command, %, and the steering angle, rad to the left, that turn as tightly as two wheels
    with those commands would (Ackermann: tan δ = wheelbase / radius). What is tighter than the end stops
    allow, as turning on the spot, is driven at the stop, forward.

    >>> as_steered(40.0, 40.0, 150.0, 160.0, 0.5)
    (40.0, 0.0)
    >>> as_steered(-30.0, 30.0, 150.0, 160.0, 0.5)
    (30.0, 0.5)
    """
    mean, half = (left + right) / 2.0, (right - left) / 2.0
    if mean == 0.0:
        return abs(half), math.copysign(end_rad, half) if half != 0.0 else 0.0
    angle = math.atan(wheelbase_mm * 2.0 * half / (track_mm * mean))
    if abs(angle) <= end_rad:
        return mean, angle
    return math.copysign(max(abs(mean), abs(half)), mean), math.copysign(end_rad, angle)
