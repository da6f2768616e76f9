"""Accelerometers and gyros."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from tickstone.calculations.registry import (
    LONGEST_LIST,
    Finite,
    Inputs,
    Numbers,
    Result,
    Triple,
    Triples,
    Whole,
    calculation,
    step,
)
from tickstone.core import adc, inertial
from tickstone.core.checks import check_same_length
from tickstone.errors import BadInput


class AnalogueAccelerationInputs(Inputs):
    counts: Finite
    zero_g_v: Finite
    v_per_g: Finite
    bits: Whole = 10
    reference_v: Finite = 5.0


class AnalogueAccelerationResult(Result):
    accel_g: float
    step_g: float
    clipped: bool


@calculation("analogue-acceleration")
def analogue_acceleration(given: AnalogueAccelerationInputs) -> AnalogueAccelerationResult:
    """Acceleration from the counts of an analogue accelerometer."""
    accel = float(
        inertial.acceleration_g(given.counts, given.bits, given.reference_v, given.zero_g_v, given.v_per_g)
    )
    level = float(adc.volts(given.counts, given.bits, given.reference_v))
    pinned = bool(adc.clipped(given.counts, 0, 2**given.bits - 1))
    return AnalogueAccelerationResult(
        accel_g=accel,
        step_g=adc.lsb_v(given.bits, given.reference_v) / abs(given.v_per_g),
        clipped=pinned,
        steps=[
            step("volts", f"{given.counts:g} × {given.reference_v:g} V ÷ 2^{given.bits}", level, "V"),
            step(
                "acceleration", f"({level:.4g} V − {given.zero_g_v:g} V) ÷ {given.v_per_g:g} V/g", accel, "g"
            ),
        ],
        assumptions=["the sensor's supply is steady: its output follows it in proportion"],
        warnings=["The code is pinned at an end."] if pinned else [],
    )


class SixPoseInputs(Inputs):
    """Each pose ("+x" = x arrow up) with that axis's own mean, counts."""

    poses: dict[str, Finite]


class SixPoseResult(Result):
    offset: list[float]
    counts_per_g: list[float]


@calculation("six-pose")
def six_pose(given: SixPoseInputs) -> SixPoseResult:
    """Offset and sensitivity of three axes from six poses."""
    pose = inertial.six_pose(given.poses)
    steps, warnings = [], []
    for axis, offset, scale in zip(inertial.AXES, pose.offset, pose.counts_per_g, strict=True):
        up, down = given.poses[f"+{axis}"], given.poses[f"-{axis}"]
        steps.append(step(f"offset {axis}", f"({up:g} + {down:g}) ÷ 2", float(offset), "counts"))
        steps.append(step(f"sensitivity {axis}", f"({up:g} − {down:g}) ÷ 2", float(scale), "counts/g"))
        if scale < 0:
            warnings.append(
                f"{axis} reads lower with its arrow up: it is mounted the other way round, "
                "or flat reads −1 g."
            )
    return SixPoseResult(
        offset=pose.offset.tolist(), counts_per_g=pose.counts_per_g.tolist(), steps=steps, warnings=warnings
    )


class SixPoseFitInputs(Inputs):
    """Rows of true gravity, g, and counts: [gx, gy, gz, x, y, z]."""

    rows: Annotated[
        list[tuple[Finite, Finite, Finite, Finite, Finite, Finite]],
        Field(min_length=1, max_length=LONGEST_LIST),
    ]
    apply: Triple | None = None


class SixPoseFitResult(Result):
    offset: list[float] | None
    counts_per_g: list[float] | None
    matrix: list[list[float]]
    matrix_offset: list[float]
    residual_sd: float
    applied_g: list[float] | None
    applied_simple_g: list[float] | None


@calculation("six-pose-fit")
def six_pose_fit(given: SixPoseFitInputs) -> SixPoseFitResult:
    """Full least squares of counts on gravity, with cross-axis terms, beside the simple answer."""
    rows = np.asarray(given.rows)
    fit = inertial.fit_six_pose(rows[:, :3], rows[:, 3:])
    simple = fit.simple
    applied_simple = None
    if given.apply is not None and simple is not None:
        applied_simple = ((np.asarray(given.apply) - simple.offset) / simple.counts_per_g).tolist()
    warnings = [] if simple is not None else ["Not all six poses are there: no simple answer per axis."]
    return SixPoseFitResult(
        offset=None if simple is None else simple.offset.tolist(),
        counts_per_g=None if simple is None else simple.counts_per_g.tolist(),
        matrix=fit.matrix.tolist(),
        matrix_offset=fit.matrix_offset.tolist(),
        residual_sd=fit.residual_sd,
        applied_g=None if given.apply is None else fit.apply(given.apply).tolist(),
        applied_simple_g=applied_simple,
        steps=[step("residual", "root mean square of what the fit leaves over", fit.residual_sd, "counts")],
        warnings=warnings,
        assumptions=["counts = matrix · g + offset"],
    )


class TiltInputs(Inputs):
    ax_g: Finite
    ay_g: Finite
    az_g: Finite
    flat_reads: Literal["plus", "minus"] = "plus"


class TiltResult(Result):
    roll_deg: float
    pitch_deg: float
    tilt_deg: float
    norm_g: float
    valid: bool
    words: str


@calculation("tilt")
def tilt(given: TiltInputs) -> TiltResult:
    """Roll, pitch and total tilt from an accelerometer at rest."""
    result = inertial.tilt(given.ax_g, given.ay_g, given.az_g, given.flat_reads)
    roll, pitch, norm, valid = (
        float(result.roll_deg),
        float(result.pitch_deg),
        float(result.norm_g),
        bool(result.valid),
    )
    x, y, z = (
        value if given.flat_reads == "plus" else -value for value in (given.ax_g, given.ay_g, given.az_g)
    )
    warnings = (
        []
        if valid
        else [f"|a| is {norm:.3g} g, not 1 g: it moves, or it is not calibrated; the angles are not tilt."]
    )
    return TiltResult(
        roll_deg=roll,
        pitch_deg=pitch,
        tilt_deg=float(result.tilt_deg),
        norm_g=norm,
        valid=valid,
        words=inertial.tilt_words(roll, pitch),
        warnings=warnings,
        steps=[
            step("roll", f"atan2({y:g}, {z:g})", roll, "°"),
            step("pitch", f"atan2(−({x:g}), √({y:g}² + {z:g}²))", pitch, "°"),
            step("|a|", f"√({x:g}² + {y:g}² + {z:g}²)", norm, "g"),
        ],
        assumptions=[
            "x forward, y left, z up; positive pitch is nose down",
            f"level reads {'+' if given.flat_reads == 'plus' else '−'}1 g on z",
        ],
    )


class StillnessInputs(Inputs):
    """``limit`` is the largest sd of an axis that counts as still, in the samples' unit."""

    samples: Triples
    rate_hz: Finite
    limit: Finite


class StillnessResult(Result):
    bias: list[float]
    sd: list[float]
    still: bool


@calculation("stillness")
def stillness(given: StillnessInputs) -> StillnessResult:
    """Is a gyro at rest, and what is its bias?"""
    rest = inertial.at_rest(given.samples, given.limit)
    seconds = len(given.samples) / inertial.check_rate(given.rate_hz)
    return StillnessResult(
        bias=rest.bias.tolist(),
        sd=rest.sd.tolist(),
        still=rest.still,
        assumptions=[f"{seconds:.3g} s of samples"],
        warnings=[] if rest.still else ["It moved: this mean is no bias."],
        steps=[
            step(f"bias {axis}", f"mean of {len(given.samples)}", float(b))
            for axis, b in zip(inertial.AXES, rest.bias, strict=True)
        ],
    )


class ComplementaryInputs(Inputs):
    """``alpha`` is the weight of the gyro path; rows are [x, y, z]."""

    rate_hz: Finite
    alpha: Finite
    gyro_dps: Triples
    accel_g: Triples


class ComplementaryResult(Result):
    roll_deg: list[float]
    pitch_deg: list[float]


@calculation("complementary")
def complementary(given: ComplementaryInputs) -> ComplementaryResult:
    """Roll and pitch by a complementary filter of gyro and accelerometer."""
    check_same_length({"gyro_dps": given.gyro_dps, "accel_g": given.accel_g})
    gyro, accel = np.asarray(given.gyro_dps), np.asarray(given.accel_g)
    if not accel.any(axis=1).all():
        raise BadInput(
            "accel_g holds a row of zeros: a sensor that feels nothing tells no direction.", "accel_g"
        )
    level = inertial.tilt(*accel.T)
    roll = inertial.complementary(gyro[:, 0], level.roll_deg, given.alpha, given.rate_hz)
    pitch = inertial.complementary(gyro[:, 1], level.pitch_deg, given.alpha, given.rate_hz)
    steps = []
    if 0 < given.alpha < 1:
        tau = given.alpha / ((1 - given.alpha) * given.rate_hz)
        steps.append(
            step(
                "time constant", f"{given.alpha:g} ÷ ((1 − {given.alpha:g}) × {given.rate_hz:g} Hz)", tau, "s"
            )
        )
    return ComplementaryResult(
        roll_deg=roll.tolist(),
        pitch_deg=pitch.tolist(),
        steps=steps,
        assumptions=["begins at the accelerometer's first angle"],
    )


class AllanInputs(Inputs):
    """``averaging`` holds the numbers of samples averaged."""

    values: Numbers
    rate_hz: Finite
    averaging: Annotated[list[Whole], Field(min_length=1, max_length=1000)]


class AllanResult(Result):
    overlapping: list[float]
    plain: list[float]
    tau_s: list[float]


@calculation("allan")
def allan(given: AllanInputs) -> AllanResult:
    """Allan deviation of a rate at rest: how its mean settles, and drifts, with averaging."""
    rate = inertial.check_rate(given.rate_hz)
    results = [inertial.allan_deviations(given.values, m) for m in given.averaging]
    return AllanResult(
        overlapping=[item[0] for item in results],
        plain=[item[1] for item in results],
        tau_s=[m / rate for m in given.averaging],
        steps=[
            step(f"over {m}", f"√(½ mean of (ȳ₂ − ȳ₁)²) over spans of {m} samples", item[0])
            for m, item in zip(given.averaging, results, strict=True)
        ],
        assumptions=["evenly spaced samples of a rate"],
    )
