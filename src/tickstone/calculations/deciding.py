"""Deciding: where an obstacle must be seen to stop in time."""

from __future__ import annotations

from tickstone.calculations.registry import ArithmeticStep, Finite, Inputs, Result, Whole, calculation
from tickstone.core import deciding
from tickstone.core.checks import check_positive


class StopDistanceInputs(Inputs):
    speed_m_s: Finite
    sample_s: Finite
    reaction_s: Finite
    deceleration_m_s2: Finite
    filter_lag_s: Finite = 0.0
    gap_mm: Finite = 50.0
    sigma_mm: Finite = 0.0
    sigmas: Finite = 3.0
    hysteresis_mm: Finite = 50.0
    blind_mm: Finite = 0.0
    votes: Whole = 1
    reach_mm: Finite = 4000.0


class StopDistanceResult(Result):
    trip_mm: float
    clear_mm: float
    parts_mm: dict[str, float]


@calculation("stop-distance")
def stop_distance(given: StopDistanceInputs) -> StopDistanceResult:
    """Trip and clear distance of an obstacle guard, with its parts."""
    reach = check_positive(given.reach_mm, "reach_mm")
    stop = deciding.stop_distance(**given.model_dump(exclude={"reach_mm"}))
    parts = stop.parts_mm
    wait = f"({given.sample_s:g} s × {given.votes} + {given.filter_lag_s:g} s + {given.reaction_s:g} s)"
    steps = [
        ArithmeticStep(
            name="reaction",
            value=parts["reaction"],
            unit="mm",
            expression=f"{given.speed_m_s:g} m/s × {wait}",
        ),
        ArithmeticStep(
            name="braking",
            value=parts["braking"],
            unit="mm",
            expression=f"({given.speed_m_s:g} m/s)² ÷ (2 × {given.deceleration_m_s2:g} m/s²)",
        ),
        ArithmeticStep(
            name="noise",
            value=parts["noise"],
            unit="mm",
            expression=f"{given.sigmas:g} × {given.sigma_mm:.3g} mm",
        ),
        ArithmeticStep(
            name="trip", value=stop.trip_mm, unit="mm", expression="reaction + braking + gap + noise + blind"
        ),
        ArithmeticStep(
            name="clear", value=stop.clear_mm, unit="mm", expression=f"trip + {given.hysteresis_mm:g} mm"
        ),
    ]
    warnings = []
    if stop.trip_mm > reach:
        warnings.append(
            f"The trip distance of {stop.trip_mm:.0f} mm is beyond the ranger's reach of {reach:g} mm: "
            "drive slower or brake harder."
        )
    return StopDistanceResult(
        trip_mm=stop.trip_mm,
        clear_mm=stop.clear_mm,
        parts_mm=parts,
        steps=steps,
        warnings=warnings,
        assumptions=["even braking on level ground"],
    )
