"""The infrared triangulation ranger: its curve fitted and turned round."""

from __future__ import annotations

from tickstone.calculations.registry import Finite, Inputs, Pairs, Result, calculation, step
from tickstone.core import triangulation
from tickstone.core.checks import check_positive


class RangerFitInputs(Inputs):
    """Pairs of true distance, mm, and voltage, V."""

    pairs: Pairs
    min_mm: Finite = 100.0
    max_mm: Finite = 800.0


class RangerFitResult(Result):
    a: float
    b: float
    c: float
    residual_sd_mm: float | None
    monotonic_from_mm: float | None


@calculation("ranger-fit")
def ranger_fit(given: RangerFitInputs) -> RangerFitResult:
    """Fit V = a/(d + b) + c to ruler readings of a triangulation ranger, on its far branch."""
    fit = triangulation.fit(
        [p[0] for p in given.pairs], [p[1] for p in given.pairs], given.min_mm, given.max_mm
    )
    warnings = []
    if fit.monotonic_from_mm is None or fit.monotonic_from_mm > given.min_mm:
        warnings.append(
            "The voltage does not fall all the way out: one voltage belongs to two "
            "distances, or a pair is off."
        )
    if fit.residual_sd_mm is None:
        warnings.append("Three pairs fit any such curve: how good it is, is unknown.")
    return RangerFitResult(
        a=fit.a,
        b=fit.b,
        c=fit.c,
        residual_sd_mm=fit.residual_sd_mm,
        monotonic_from_mm=fit.monotonic_from_mm,
        steps=[
            step("a", "least squares in volts", fit.a, "V·mm"),
            step("b", "least squares in volts", fit.b, "mm"),
            step("c", "least squares in volts", fit.c, "V"),
        ],
        assumptions=[f"only pairs from {given.min_mm:g} to {given.max_mm:g} mm count"],
        warnings=warnings,
    )


class RangerDistanceInputs(Inputs):
    volts: Finite
    a: Finite
    b: Finite
    c: Finite
    min_mm: Finite = 100.0
    max_mm: Finite = 800.0
    lsb_mv: Finite | None = None


class RangerDistanceResult(Result):
    distance_mm: float | None
    mm_per_count: float | None
    valid: bool
    reason: str


@calculation("ranger-distance")
def ranger_distance(given: RangerDistanceInputs) -> RangerDistanceResult:
    """Distance from the voltage of a triangulation ranger, on its far branch."""
    distances = triangulation.distances(given.volts, given.a, given.b, given.c, given.min_mm, given.max_mm)
    reason = triangulation.REASONS[int(distances.reason)]
    distance = None if int(distances.reason) == triangulation.NO_ECHO else float(distances.distance_mm)
    per_count = None
    steps = []
    if distance is not None:
        expression = f"{given.a:g} ÷ ({given.volts:g} V − {given.c:g} V) − {given.b:g} mm"
        steps.append(step("distance", expression, distance, "mm"))
        if given.lsb_mv is not None:
            lsb_v = check_positive(given.lsb_mv, "lsb_mv") / 1000
            per_count = float(triangulation.mm_per_volt(distance, given.a, given.b)) * lsb_v
            steps.append(
                step(
                    "one count",
                    f"({distance:.1f} mm + {given.b:g} mm)² ÷ {given.a:g} × {lsb_v:g} V",
                    per_count,
                    "mm",
                )
            )
    return RangerDistanceResult(
        distance_mm=distance,
        mm_per_count=per_count,
        valid=not reason,
        reason=reason,
        steps=steps,
        assumptions=["the target is not nearer than the peak of the curve"],
    )
