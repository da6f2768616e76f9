"""Decisions: where an obstacle or an edge must be seen to stop in time."""

from __future__ import annotations

import math
from dataclasses import dataclass

from tickstone.core.checks import check_not_negative, check_positive
from tickstone.errors import BadInput


@dataclass(frozen=True)
class StopDistance:
    """Distances in mm in front of the bumper; the parts sum to ``trip_mm``."""

    trip_mm: float
    clear_mm: float
    parts_mm: dict[str, float]


def stop_distance(
    *,
    speed_m_s: float,
    sample_s: float,
    reaction_s: float,
    deceleration_m_s2: float,
    filter_lag_s: float = 0.0,
    gap_mm: float = 50.0,
    sigma_mm: float = 0.0,
    sigmas: float = 3.0,
    hysteresis_mm: float = 50.0,
    blind_mm: float = 0.0,
    votes: int = 1,
) -> StopDistance:
    """The reading at which a vehicle must begin to stop.

    Parameters: speed_m_s, m/s; sample_s, time between readings, s; filter_lag_s, s; reaction_s, s;
    deceleration_m_s2, braking, above zero; gap_mm, left over when stopped; sigma_mm, noise of a reading (k =
    1); sigmas, how many of them to allow; hysteresis_mm, between trip and clear; blind_mm, what the beam
    cannot see; votes, consecutive readings needed, a whole number from 1.
    Returns: StopDistance: ``v·(sample·votes + lag + reaction) + v²/(2a) + gap + k·σ + blind``; clear = trip +
    hysteresis. Source: uniform deceleration, any mechanics textbook; the sum of latencies is common practice.

    >>> stop_distance(speed_m_s=1, sample_s=0.05, reaction_s=0.05, deceleration_m_s2=1, gap_mm=0).trip_mm
    600.0
    """
    for name, value in {
        "speed_m_s": speed_m_s,
        "filter_lag_s": filter_lag_s,
        "reaction_s": reaction_s,
        "gap_mm": gap_mm,
        "sigma_mm": sigma_mm,
        "sigmas": sigmas,
        "hysteresis_mm": hysteresis_mm,
        "blind_mm": blind_mm,
        "sample_s": sample_s,
    }.items():
        check_not_negative(value, name)
    check_positive(deceleration_m_s2, "deceleration_m_s2")
    if votes < 1:
        raise BadInput(f"votes must be at least 1, not {votes}.", "votes")
    parts = {
        "reaction": 1000.0 * speed_m_s * (sample_s * votes + filter_lag_s + reaction_s),
        "braking": 1000.0 * speed_m_s**2 / (2.0 * deceleration_m_s2),
        "gap": gap_mm,
        "noise": sigmas * sigma_mm,
        "blind": blind_mm,
    }
    trip = sum(parts.values())
    return StopDistance(trip, trip + hysteresis_mm, parts)


def overrun_mm(speed_m_s: float, delay_s: float, deceleration_m_s2: float) -> float:
    """The way from what is sensed to standing still, mm: ``v·delay + v²/(2a)``.

    Parameters: speed_m_s, m/s; delay_s, from the reading to the brakes, s; deceleration_m_s2, above zero.
    Raises: BadInput naming the parameter. Source: uniform deceleration, any mechanics textbook.

    >>> overrun_mm(1.0, 0.1, 1.0)
    600.0
    """
    check_not_negative(speed_m_s, "speed_m_s")
    check_not_negative(delay_s, "delay_s")
    check_positive(deceleration_m_s2, "deceleration_m_s2")
    return 1000.0 * (speed_m_s * delay_s + speed_m_s**2 / (2.0 * deceleration_m_s2))


def fastest_stop_m_s(way_mm: float, delay_s: float, deceleration_m_s2: float) -> float:
    """The speed at which a vehicle just stands after ``way_mm``, m/s: the inverse of ``overrun_mm``; 0
    without a way.

    >>> fastest_stop_m_s(600.0, 0.1, 1.0)
    1.0
    """
    check_not_negative(delay_s, "delay_s")
    check_positive(deceleration_m_s2, "deceleration_m_s2")
    lost = deceleration_m_s2 * delay_s
    return math.sqrt(lost**2 + 2.0 * deceleration_m_s2 * max(way_mm, 0.0) / 1000.0) - lost
