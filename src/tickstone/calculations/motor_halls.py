"""Three motor Halls on a brushless motor."""

from __future__ import annotations

from typing import Literal

from tickstone.calculations.registry import (
    Finite,
    Inputs,
    Numbers,
    Result,
    ResultPart,
    Triple,
    Whole,
    calculation,
    step,
)
from tickstone.core import motor_halls
from tickstone.core.checks import check_not_negative, check_whole


class MotorHallSpacingsInputs(Inputs):
    """``radius_mm`` is where the sensors sit."""

    pole_pairs: Whole
    radius_mm: Finite = 0.0


class SpacingPart(ResultPart):
    mechanical_deg: float
    electrical_deg: float
    scheme: str
    arc_mm: float


class MotorHallSpacingsResult(Result):
    spacings: list[SpacingPart]


@calculation("motor-hall-spacings")
def motor_hall_spacings(given: MotorHallSpacingsInputs) -> MotorHallSpacingsResult:
    """All spacings of three motor Halls that work, up to 180°."""
    spacings = motor_halls.valid_spacings(given.pole_pairs, given.radius_mm)
    return MotorHallSpacingsResult(
        spacings=[
            SpacingPart(
                mechanical_deg=s.mechanical_deg,
                electrical_deg=s.electrical_deg,
                scheme=s.scheme,
                arc_mm=s.arc_mm,
            )
            for s in spacings
        ],
        steps=[step("the closest", f"60° ÷ {given.pole_pairs}", spacings[0].mechanical_deg, "°")],
        assumptions=[
            "electrical angle = pole pairs × mechanical angle; ±120° or ±60° electrical is right",
            "the circulating rule 360 ÷ (3·N) × P is not right for every whole N: check the spacing",
        ],
    )


class MotorHallCheckInputs(Inputs):
    pole_pairs: Whole
    spacing_deg: Finite
    placement_error_deg: Finite = 1.0


class MotorHallCheckResult(Result):
    electrical_deg: float
    scheme: str
    valid: bool
    nearest_valid_deg: float
    electrical_error_deg: float


@calculation("motor-hall-check")
def motor_hall_check(given: MotorHallCheckInputs) -> MotorHallCheckResult:
    """Whether a spacing of three motor Halls works, and what a placement error is worth."""
    check = motor_halls.check_spacing(given.pole_pairs, given.spacing_deg, given.placement_error_deg)
    warnings = []
    if check.scheme == "60":
        warnings.append(
            "This is the 60° scheme: the controller must be set for it, or the middle sensor inverted."
        )
    if not check.valid:
        warnings.append(f"Neither scheme: the nearest spacing that works is {check.nearest_valid_deg:.2f}°.")
    return MotorHallCheckResult(
        electrical_deg=check.electrical_deg,
        scheme=check.scheme,
        valid=check.valid,
        nearest_valid_deg=check.nearest_valid_deg,
        electrical_error_deg=check.electrical_error_deg,
        warnings=warnings,
        steps=[
            step(
                "electrical",
                f"{given.pole_pairs} × {given.spacing_deg:g}° modulo 360°",
                check.electrical_deg,
                "°",
            ),
            step(
                "error",
                f"{given.pole_pairs} × {given.placement_error_deg:g}°",
                check.electrical_error_deg,
                "°",
            ),
        ],
    )


class MotorHallLayoutInputs(Inputs):
    """Mechanical angles of the three sensors; the tolerance is electrical."""

    pole_pairs: Whole
    angles_deg: Triple
    tolerance_deg: Finite = 1.0


class MotorHallLayoutResult(Result):
    scheme: str
    electrical_deg: list[float]


@calculation("motor-hall-layout")
def motor_hall_layout(given: MotorHallLayoutInputs) -> MotorHallLayoutResult:
    """Which scheme three sensors at given angles make."""
    scheme, electrical = motor_halls.layout(given.pole_pairs, given.angles_deg, given.tolerance_deg)
    return MotorHallLayoutResult(
        scheme=scheme,
        electrical_deg=list(electrical),
        steps=[
            step(
                f"sensor {n}",
                f"{given.pole_pairs} × ({angle:g}° − {given.angles_deg[0]:g}°) modulo 360°",
                item,
                "°",
            )
            for n, (angle, item) in enumerate(zip(given.angles_deg, electrical, strict=True), 1)
        ],
        assumptions=["electrical angles are relative to the first sensor"],
    )


class MotorHallRpmInputs(Inputs):
    edges_per_s: Finite
    pole_pairs: Whole


class MotorHallRpmResult(Result):
    rpm: float


@calculation("motor-hall-rpm")
def motor_hall_rpm(given: MotorHallRpmInputs) -> MotorHallRpmResult:
    """RPM from the edges of all three motor Halls."""
    check_not_negative(given.edges_per_s, "edges_per_s")
    rpm = float(motor_halls.rpm_from_edges(given.edges_per_s, check_whole(given.pole_pairs, 1, "pole_pairs")))
    return MotorHallRpmResult(
        rpm=rpm,
        steps=[step("rpm", f"60 × {given.edges_per_s:g} ÷ (6 × {given.pole_pairs})", rpm, "rpm")],
        assumptions=["edges of all three sensors, rising and falling"],
    )


class MotorHallDecodeInputs(Inputs):
    """Codes are 4·H1 + 2·H2 + H3."""

    codes: Numbers
    scheme: Literal["120", "60"] | Literal[120, 60] = "120"


class MotorHallDecodeResult(Result):
    net_steps: int
    invalid_codes: int
    skipped: int
    direction: str


@calculation("motor-hall-decode")
def motor_hall_decode(given: MotorHallDecodeInputs) -> MotorHallDecodeResult:
    """Follow a run of motor Hall codes."""
    scheme = str(given.scheme)
    decoded = motor_halls.decode(given.codes, scheme)
    warnings = []
    if decoded.invalid_codes:
        warnings.append(
            f"{decoded.invalid_codes} of {len(given.codes)} codes do not occur in the {scheme}° scheme: a "
            "wire, or the other scheme."
        )
    return MotorHallDecodeResult(
        net_steps=decoded.net_steps,
        invalid_codes=decoded.invalid_codes,
        skipped=decoded.skipped,
        direction=decoded.direction,
        warnings=warnings,
        steps=[step("turned", f"{decoded.net_steps} × 60°", 60.0 * decoded.net_steps, "° electrical")],
        assumptions=[f"forward is {' '.join(map(str, motor_halls.SEQUENCES[scheme]))}"],
    )
