"""Where a vehicle goes and when it tips: odometry of two wheels, tip-over, grades."""

from __future__ import annotations

import math

from tickstone.core.checks import check_positive
from tickstone.errors import BadInput


def tip_over_deg(track_mm: float, cog_height_mm: float) -> float:
    """Sideways angle, °, at which a vehicle tips: its centre of gravity stands over the wheel.

    >>> round(tip_over_deg(200, 100), 1)
    45.0
    """
    check_positive(track_mm, "track_mm")
    return math.degrees(math.atan2(track_mm / 2, check_positive(cog_height_mm, "cog_height_mm")))


def grade_pct(angle_deg: float) -> float:
    """Grade of a slope, percent. Raises BadInput for ``angle_deg`` at ±90° and beyond.

    >>> round(grade_pct(45))
    100
    """
    if not -90 < angle_deg < 90:
        raise BadInput(f"angle_deg must lie between -90 and 90, but is {angle_deg:g}.", "angle_deg")
    return 100.0 * math.tan(math.radians(angle_deg))


def grade_angle_deg(percent: float) -> float:
    """Angle of a slope, °, from its grade in percent: the inverse of ``grade_pct``."""
    return math.degrees(math.atan(percent / 100.0))


def _sinc(x: float) -> float:
    """sin(x)/x, with its series near 0."""
    return 1.0 - x * x / 6.0 if abs(x) < 1e-4 else math.sin(x) / x


def arc_step(
    left_mm: float,
    right_mm: float,
    track_mm: float,
    x_mm: float = 0.0,
    y_mm: float = 0.0,
    heading_deg: float = 0.0,
) -> tuple[float, float, float]:
    """Position and heading after both wheels rolled along an arc: exact, for any length of step.

    Parameters: left_mm, right_mm, rolled distances; track_mm, between the wheels; x_mm, y_mm, heading_deg,
    before (counter-clockwise, not wrapped). Returns: x, y, mm, and heading, °.
    Source: Siegwart, Nourbakhsh & Scaramuzza, Introduction to Autonomous Mobile Robots; the chord of the arc.

    >>> arc_step(100, 100, 150)
    (100.0, 0.0, 0.0)
    """
    turn = (right_mm - left_mm) / check_positive(track_mm, "track_mm")
    way = (left_mm + right_mm) / 2
    chord = way * _sinc(turn / 2)
    along = math.radians(heading_deg) + turn / 2
    return x_mm + chord * math.cos(along), y_mm + chord * math.sin(along), heading_deg + math.degrees(turn)
