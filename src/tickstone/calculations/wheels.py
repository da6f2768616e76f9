"""Wheels, rollers and shafts seen another way: speed, roll-out, video, the motor constant."""

from __future__ import annotations

import math

from tickstone.calculations.registry import Finite, Inputs, Result, calculation, step
from tickstone.core import pulses
from tickstone.core.checks import check_between, check_finite, check_given, check_not_negative, check_positive


class WheelSpeedInputs(Inputs):
    """Give exactly one of rpm and frequency_hz."""

    circumference_mm: Finite
    rpm: Finite | None = None
    frequency_hz: Finite | None = None
    pulses_per_turn: Finite = 1.0


class WheelSpeedResult(Result):
    speed_m_s: float
    speed_km_h: float
    speed_mph: float


@calculation("wheel-speed")
def wheel_speed(given: WheelSpeedInputs) -> WheelSpeedResult:
    """Speed of a vehicle from its wheel."""
    around = check_positive(given.circumference_mm, "circumference_mm")
    n = check_positive(given.pulses_per_turn, "pulses_per_turn")
    check_given({"rpm": given.rpm, "frequency_hz": given.frequency_hz})
    if given.rpm is not None:
        rpm = check_not_negative(given.rpm, "rpm")
    else:
        rpm = float(
            pulses.rpm_from_frequency(check_not_negative(given.frequency_hz or 0.0, "frequency_hz"), n)
        )
    speed = float(pulses.speed_m_s(rpm, around))
    return WheelSpeedResult(
        speed_m_s=speed,
        speed_km_h=speed * pulses.KM_H_PER_M_S,
        speed_mph=speed * pulses.MPH_PER_M_S,
        steps=[step("speed", f"{rpm:g} rpm × {around:g} mm ÷ 60 000", speed, "m/s")],
        assumptions=["the wheel rolls without slipping"],
    )


class RollOutInputs(Inputs):
    turns: Finite
    distance_mm: Finite
    distance_sd_mm: Finite = 2.0


class RollOutResult(Result):
    circumference_mm: float
    circumference_sd_mm: float
    equivalent_diameter_mm: float


@calculation("roll-out")
def roll_out(given: RollOutInputs) -> RollOutResult:
    """Circumference of a wheel under load, rolled along a tape."""
    circumference = pulses.roll_out(given.turns, given.distance_mm, given.distance_sd_mm)
    return RollOutResult(
        circumference_mm=circumference.circumference_mm,
        circumference_sd_mm=circumference.circumference_sd_mm,
        equivalent_diameter_mm=circumference.equivalent_diameter_mm,
        steps=[
            step(
                "circumference",
                f"{given.distance_mm:g} mm ÷ {given.turns:g}",
                circumference.circumference_mm,
                "mm",
            ),
            step("a circle of", "circumference ÷ π", circumference.equivalent_diameter_mm, "mm"),
        ],
    )


class RollerInputs(Inputs):
    counts: Finite
    steps_per_turn: Finite
    diameter_mm: Finite


class RollerResult(Result):
    distance_mm: float
    step_mm: float


@calculation("roller")
def roller(given: RollerInputs) -> RollerResult:
    """Distance under a measuring roller, and what one step is worth."""
    per_turn = check_positive(given.steps_per_turn, "steps_per_turn")
    item = math.pi * check_positive(given.diameter_mm, "diameter_mm") / per_turn
    distance = check_finite(given.counts, "counts") * item
    return RollerResult(
        distance_mm=distance,
        step_mm=item,
        steps=[
            step("one step", f"π × {given.diameter_mm:g} mm ÷ {per_turn:g}", item, "mm"),
            step("distance", f"{given.counts:g} × {item:.4g} mm", distance, "mm"),
        ],
        assumptions=["a distance is known to one step at best"],
    )


class VideoRpmInputs(Inputs):
    """``fps`` is the rate at capture, not at playback; ``frames`` is last − first."""

    fps: Finite
    frames: Finite
    turns: Finite = 1.0


class VideoRpmResult(Result):
    rpm: float
    rpm_low: float
    rpm_high: float


@calculation("video-rpm")
def video_rpm(given: VideoRpmInputs) -> VideoRpmResult:
    """RPM counted on slow-motion video, with its bounds at one frame more or less."""
    rpm, low, high = pulses.video_rpm(given.fps, given.frames, given.turns)
    return VideoRpmResult(
        rpm=rpm,
        rpm_low=low,
        rpm_high=high,
        steps=[step("rpm", f"60 × {given.fps:g} × {given.turns:g} ÷ {given.frames:g}", rpm, "rpm")],
        assumptions=["frames a second at capture, not at playback"],
    )


class MotorConstantRpmInputs(Inputs):
    kv_rpm_per_v: Finite
    volts: Finite
    load_fraction: Finite = 1.0


class MotorConstantRpmResult(Result):
    rpm: float


@calculation("motor-constant-rpm")
def motor_constant_rpm(given: MotorConstantRpmInputs) -> MotorConstantRpmResult:
    """RPM of a motor from its constant and voltage."""
    check_positive(given.kv_rpm_per_v, "kv_rpm_per_v")
    check_not_negative(given.volts, "volts")
    check_between(given.load_fraction, 0, 1, "load_fraction")
    rpm = given.kv_rpm_per_v * given.volts * given.load_fraction
    expression = f"{given.kv_rpm_per_v:g} rpm/V × {given.volts:g} V × {given.load_fraction:g}"
    return MotorConstantRpmResult(
        rpm=rpm,
        steps=[step("rpm", expression, rpm, "rpm")],
        assumptions=["1 = no load; under load a motor turns at 70 to 90 % of it (common practice)"],
    )
