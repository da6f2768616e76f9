"""Where a vehicle goes, and when it tips."""

from __future__ import annotations

from tickstone.calculations.registry import Finite, Inputs, Result, calculation, step
from tickstone.core import motion
from tickstone.core.checks import check_given


class TipOverInputs(Inputs):
    track_mm: Finite
    cog_height_mm: Finite


class TipOverResult(Result):
    angle_deg: float
    grade_pct: float


@calculation("tip-over")
def tip_over(given: TipOverInputs) -> TipOverResult:
    """Sideways angle at which a vehicle tips."""
    angle = motion.tip_over_deg(given.track_mm, given.cog_height_mm)
    grade = 100.0 * given.track_mm / 2 / given.cog_height_mm
    expression = f"atan({given.track_mm:g} mm ÷ 2 ÷ {given.cog_height_mm:g} mm)"
    return TipOverResult(
        angle_deg=angle,
        grade_pct=grade,
        steps=[step("tips at", expression, angle, "°")],
        assumptions=["standing still, on a firm slope; moving, it tips sooner"],
    )


class GradeInputs(Inputs):
    """Give exactly one of angle_deg and grade_pct."""

    angle_deg: Finite | None = None
    grade_pct: Finite | None = None


class GradeResult(Result):
    angle_deg: float
    grade_pct: float


@calculation("grade")
def grade(given: GradeInputs) -> GradeResult:
    """A slope as an angle and in percent."""
    check_given({"angle_deg": given.angle_deg, "grade_pct": given.grade_pct})
    if given.angle_deg is not None:
        percent = motion.grade_pct(given.angle_deg)
        made = step("grade", f"100 × tan({given.angle_deg:g}°)", percent, "%")
        return GradeResult(angle_deg=given.angle_deg, grade_pct=percent, steps=[made])
    percent = given.grade_pct or 0.0
    angle = motion.grade_angle_deg(percent)
    return GradeResult(
        angle_deg=angle, grade_pct=percent, steps=[step("angle", f"atan({percent:g} ÷ 100)", angle, "°")]
    )


class ArcStepInputs(Inputs):
    left_mm: Finite
    right_mm: Finite
    track_mm: Finite
    x_mm: Finite = 0.0
    y_mm: Finite = 0.0
    heading_deg: Finite = 0.0


class ArcStepResult(Result):
    x_mm: float
    y_mm: float
    heading_deg: float


@calculation("arc-step")
def arc_step(given: ArcStepInputs) -> ArcStepResult:
    """Where a vehicle is after both wheels rolled along an arc."""
    x, y, heading = motion.arc_step(**given.model_dump())
    turn = f"({given.right_mm:g} mm − {given.left_mm:g} mm) ÷ {given.track_mm:g} mm"
    return ArcStepResult(
        x_mm=x,
        y_mm=y,
        heading_deg=heading,
        assumptions=["no slip; headings count counter-clockwise and are not wrapped"],
        steps=[
            step(
                "distance",
                f"({given.left_mm:g} mm + {given.right_mm:g} mm) ÷ 2",
                (given.left_mm + given.right_mm) / 2,
                "mm",
            ),
            step("turn", turn, heading - given.heading_deg, "°"),
        ],
    )
