"""Ranging calculations: sound, echoes, pings, beams, and the fit against a ruler."""

from __future__ import annotations

from typing import Literal

from tickstone.calculations.registry import (
    ArithmeticStep,
    Finite,
    Inputs,
    Pairs,
    Result,
    ResultPart,
    Whole,
    calculation,
)
from tickstone.core import ranging, sound
from tickstone.core.checks import (
    check_between,
    check_not_negative,
    check_order,
    check_positive,
    check_temperature,
    check_whole,
)
from tickstone.core.uncertainty import combine


class SpeedOfSoundInputs(Inputs):
    temperature_c: Finite
    humidity_pct: Finite = 0.0
    pressure_kpa: Finite = sound.STANDARD_PRESSURE_KPA
    model: Literal["cramer", "ideal", "linear"] = "cramer"


class SpeedOfSoundResult(Result):
    speed_m_s: float
    sensitivity_m_s_per_k: float


@calculation("speed-of-sound")
def speed_of_sound(given: SpeedOfSoundInputs) -> SpeedOfSoundResult:
    """Speed of sound in air from temperature, humidity and pressure."""
    t = check_temperature(given.temperature_c)
    check_between(given.humidity_pct, 0, 100, "humidity_pct")
    check_positive(given.pressure_kpa, "pressure_kpa")
    if given.model == "cramer":
        step = 0.01
        warnings = sound.check_cramer(t, given.humidity_pct, given.pressure_kpa)
        speed, above, below = (
            float(sound.speed_of_sound_cramer(x, given.humidity_pct, given.pressure_kpa))
            for x in (t, t + step, t - step)
        )
        expression = f"Cramer({t:g} °C, {given.humidity_pct:g} %, {given.pressure_kpa:g} kPa)"
        sensitivity = (above - below) / (2 * step)
        assumed = ["CO₂ 314 ppm"]
    elif given.model == "ideal":
        speed = float(sound.speed_of_sound_ideal(t))
        expression = f"√(1.4 × 8.314462618 × {t + sound.KELVIN:g} ÷ 0.0289647)"
        sensitivity, assumed = speed / (2 * (t + sound.KELVIN)), ["dry air as an ideal gas"]
        warnings = sound.out_of_range(t, sound.IDEAL_RANGE_C, "°C")
    else:
        speed, sensitivity = float(sound.speed_of_sound_linear(t)), 0.606
        expression, assumed = f"331.3 + 0.606 × {t:g}", ["dry air, straight line about 0 °C"]
        warnings = sound.out_of_range(
            check_between(t, *sound.CRAMER_MOST_C, "temperature_c"), sound.LINE_RANGE_C, "°C"
        )
    return SpeedOfSoundResult(
        speed_m_s=speed,
        sensitivity_m_s_per_k=sensitivity,
        warnings=warnings,
        assumptions=assumed,
        steps=[ArithmeticStep(name="speed of sound", expression=expression, value=speed, unit="m/s")],
    )


class EchoDistanceInputs(Inputs):
    """``speed_m_s`` overrides the formula; with ``speed_at_c`` it is carried from that air to
    ``temperature_c``."""

    echo_us: Finite
    temperature_c: Finite = 20.0
    humidity_pct: Finite = 50.0
    speed_m_s: Finite | None = None
    speed_at_c: Finite | None = None
    speed_sd_m_s: Finite = 0.0
    offset_mm: Finite = 0.0
    offset_sd_mm: Finite = 0.0
    covariance_m_s_mm: Finite = 0.0
    min_mm: Finite = 20.0
    max_mm: Finite = 4000.0
    tick_us: Finite = 1.0
    temperature_sd_k: Finite = 1.0
    echo_sd_us: Finite = 0.0


class RuleResult(ResultPart):
    rule: str
    distance_mm: float
    error_mm: float
    exact_at_c: float | None


class EchoDistanceResult(Result):
    distance_mm: float | None
    uncertainty_mm: float | None
    valid: bool
    reason: str
    speed_m_s: float
    shares: dict[str, float]
    rules: list[RuleResult]


def _echo_speed(given: EchoDistanceInputs) -> tuple[float, float]:
    """Speed and its change per kelvin; a given speed without its temperature does not move with the air."""
    t, rh = given.temperature_c, given.humidity_pct
    if given.speed_m_s is None:
        return float(sound.speed_of_sound_cramer(t, rh)), sound.sensitivity_m_s_per_k(t, rh)
    check_positive(given.speed_m_s, "speed_m_s")
    if given.speed_at_c is None:
        return given.speed_m_s, 0.0
    sound.check_cramer(given.speed_at_c, rh, temperature="speed_at_c")
    carried = float(ranging.carried_speed_m_s(given.speed_m_s, given.speed_at_c, t, rh))
    return carried, sound.sensitivity_m_s_per_k(t, rh) * carried / float(sound.speed_of_sound_cramer(t, rh))


def _air_warnings(given: EchoDistanceInputs | EchoTimeInputs) -> list[str]:
    """Of the air, where the speed comes from it. Raises BadInput naming the field."""
    if given.speed_m_s is None or getattr(given, "speed_at_c", None) is not None:
        return sound.check_cramer(given.temperature_c, given.humidity_pct)
    check_temperature(given.temperature_c)
    check_between(given.humidity_pct, 0, 100, "humidity_pct")
    return []


@calculation("echo-distance")
def echo_distance(given: EchoDistanceInputs) -> EchoDistanceResult:
    """Distance from a round-trip echo time, with its uncertainty and what the rules of thumb would have
    said."""
    echo = check_not_negative(given.echo_us, "echo_us")
    warnings = _air_warnings(given)
    for name in ("tick_us", "temperature_sd_k", "echo_sd_us", "speed_sd_m_s", "offset_sd_mm", "min_mm"):
        check_not_negative(getattr(given, name), name)
    check_order(given.min_mm, given.max_mm, "min_mm", "max_mm")
    speed, per_kelvin = _echo_speed(given)
    measured = ranging.distances_from_echoes(echo, speed, given.offset_mm, given.min_mm, given.max_mm)
    reason = ranging.REASONS[int(measured.reason[0])]
    distance = None if int(measured.reason[0]) == ranging.DROPOUT else float(measured.distance_mm[0])
    per_us = speed / 2000.0
    variances = {
        "temperature": (per_kelvin * echo / 2000.0 * given.temperature_sd_k) ** 2,
        "tick": (per_us * ranging.tick_sd_us(given.tick_us)) ** 2,
        "echo": (per_us * given.echo_sd_us) ** 2,
    }
    calibration = (
        (echo / 2000.0 * given.speed_sd_m_s) ** 2
        + given.offset_sd_mm**2
        + 2 * echo / 2000.0 * given.covariance_m_s_mm
    )
    if given.speed_sd_m_s or given.offset_sd_mm:
        variances["calibration"] = max(calibration, 0.0)
    budget = combine(variances)
    rules = [] if distance is None else _rules(echo, distance, given.humidity_pct)
    steps = [
        ArithmeticStep(name="speed of sound", unit="m/s", value=speed, expression=_speed_expression(given))
    ]
    if distance is not None:
        steps += [
            ArithmeticStep(
                name="distance out and back",
                unit="mm",
                value=echo * speed / 1000.0,
                expression=f"{echo:g} µs × {speed:.2f} m/s",
            ),
            ArithmeticStep(
                name="distance out",
                unit="mm",
                value=echo * speed / 2000.0,
                expression=f"{echo * speed / 1000.0:.2f} mm ÷ 2",
            ),
            ArithmeticStep(
                name="distance",
                unit="mm",
                value=distance,
                expression=f"{echo * speed / 2000.0:.2f} mm + {given.offset_mm:g} mm",
            ),
        ]
    return EchoDistanceResult(
        distance_mm=distance,
        uncertainty_mm=budget.uncertainty if distance is not None else None,
        valid=not reason,
        reason=reason,
        speed_m_s=speed,
        shares=dict(budget.shares),
        rules=rules,
        steps=steps,
        assumptions=["101.325 kPa, CO₂ 314 ppm"],
        warnings=warnings,
    )


def _rules(echo_us: float, distance_mm: float, humidity_pct: float) -> list[RuleResult]:
    rules = []
    for rule, exact in zip(ranging.RULES, ranging.rules_exact_at_c(humidity_pct), strict=True):
        value = rule.speed_m_s * echo_us / 2000.0
        rules.append(
            RuleResult(rule=rule.name, distance_mm=value, error_mm=value - distance_mm, exact_at_c=exact)
        )
    return rules


def _speed_expression(given: EchoDistanceInputs) -> str:
    if given.speed_m_s is None:
        return f"Cramer({given.temperature_c:g} °C, {given.humidity_pct:g} %)"
    if given.speed_at_c is None:
        return "given"
    return f"{given.speed_m_s:g} m/s at {given.speed_at_c:g} °C, carried to {given.temperature_c:g} °C"


class EchoTimeInputs(Inputs):
    distance_mm: Finite
    temperature_c: Finite = 20.0
    humidity_pct: Finite = 50.0
    speed_m_s: Finite | None = None
    offset_mm: Finite = 0.0


class EchoTimeResult(Result):
    echo_us: float
    speed_m_s: float


@calculation("echo-time")
def echo_time(given: EchoTimeInputs) -> EchoTimeResult:
    """Round-trip echo time that a distance would give: the inverse question."""
    check_not_negative(given.distance_mm, "distance_mm")
    warnings = _air_warnings(given)
    if given.speed_m_s is None:
        speed = float(sound.speed_of_sound_cramer(given.temperature_c, given.humidity_pct))
    else:
        speed = check_positive(given.speed_m_s, "speed_m_s")
    echo = ranging.echo_from_distance_us(given.distance_mm, speed, given.offset_mm)
    expression = f"2 × ({given.distance_mm:g} mm − {given.offset_mm:g} mm) ÷ {speed:.2f} m/s"
    return EchoTimeResult(
        echo_us=echo,
        speed_m_s=speed,
        assumptions=["101.325 kPa, CO₂ 314 ppm"],
        warnings=warnings,
        steps=[ArithmeticStep(name="echo time", expression=expression, value=echo, unit="µs")],
    )


PLAN_HUMIDITY_PCT = 50.0


class PingPlanInputs(Inputs):
    max_mm: Finite = 4000.0
    temperature_c: Finite = 20.0
    tick_us: Finite = 1.0
    guard: Finite = 2.5
    rangers: Whole = 1


class PingPlanResult(Result):
    timeout_us: float
    interval_ms: float
    step_mm: float
    rate_hz: float


@calculation("ping-plan")
def ping_plan(given: PingPlanInputs) -> PingPlanResult:
    """How long to wait for an echo, and how often to ping."""
    check_positive(given.max_mm, "max_mm")
    warnings = sound.check_cramer(given.temperature_c, PLAN_HUMIDITY_PCT)
    check_not_negative(given.tick_us, "tick_us")
    check_positive(given.guard, "guard")
    speed = float(sound.speed_of_sound_cramer(given.temperature_c, PLAN_HUMIDITY_PCT))
    timeout = ranging.longest_wait_us(given.max_mm, speed)
    interval = given.guard * timeout / 1000.0
    rate = 1000.0 / (interval * check_whole(given.rangers, 1, "rangers"))
    step = speed * given.tick_us / 2000.0
    return PingPlanResult(
        timeout_us=timeout,
        interval_ms=interval,
        step_mm=step,
        rate_hz=rate,
        warnings=warnings,
        assumptions=[f"{PLAN_HUMIDITY_PCT:g} % humidity, 101.325 kPa"],
        steps=[
            ArithmeticStep(
                name="longest wait",
                expression=f"2 × {given.max_mm:g} mm ÷ {speed:.2f} m/s",
                value=timeout,
                unit="µs",
            ),
            ArithmeticStep(
                name="interval", expression=f"{given.guard:g} × longest wait", value=interval, unit="ms"
            ),
        ],
    )


class BeamFootprintInputs(Inputs):
    distance_mm: Finite
    angle_deg: Finite = 15.0
    mount_height_mm: Finite | None = None


class BeamFootprintResult(Result):
    diameter_mm: float
    floor_from_mm: float | None


@calculation("beam-footprint")
def beam_footprint(given: BeamFootprintInputs) -> BeamFootprintResult:
    """How wide the beam is at a distance, and from where a level beam meets the floor."""
    check_not_negative(given.distance_mm, "distance_mm")
    if not 0 < given.angle_deg < 180:
        check_between(given.angle_deg, 0.001, 179.999, "angle_deg")
    diameter = ranging.footprint_mm(given.distance_mm, given.angle_deg)
    floor = None
    if given.mount_height_mm is not None:
        floor = ranging.floor_from_mm(
            check_positive(given.mount_height_mm, "mount_height_mm"), given.angle_deg
        )
    expression = f"2 × {given.distance_mm:g} mm × tan({given.angle_deg:g}° ÷ 2)"
    return BeamFootprintResult(
        diameter_mm=diameter,
        floor_from_mm=floor,
        assumptions=["the angle is the full cone"],
        steps=[ArithmeticStep(name="footprint", expression=expression, value=diameter, unit="mm")],
    )


class SoundCalibrationInputs(Inputs):
    pairs: Pairs


class SoundCalibrationResult(Result):
    speed_m_s: float
    speed_sd: float | None
    offset_mm: float
    offset_sd: float | None
    residual_sd_mm: float | None
    covariance: float | None
    residuals_mm: list[float]
    equivalent_temperature_c: float


@calculation("sound-calibration")
def sound_calibration(given: SoundCalibrationInputs) -> SoundCalibrationResult:
    """Speed of sound and offset from pairs of ruler reading and echo time."""
    fit = ranging.fit_ruler([p[0] for p in given.pairs], [p[1] for p in given.pairs])
    equivalent = sound.temperature_of_ideal_speed(fit.speed_m_s)
    return SoundCalibrationResult(
        speed_m_s=fit.speed_m_s,
        speed_sd=fit.speed_sd,
        offset_mm=fit.offset_mm,
        offset_sd=fit.offset_sd,
        residual_sd_mm=fit.residual_sd_mm,
        covariance=fit.covariance,
        residuals_mm=list(fit.residuals_mm),
        equivalent_temperature_c=equivalent,
        warnings=[]
        if fit.speed_sd is not None
        else ["Two pairs fit any line: their uncertainty is unknown."],
        steps=[
            ArithmeticStep(
                name="speed of sound",
                expression="2 ÷ slope of echo on distance",
                value=fit.speed_m_s,
                unit="m/s",
            ),
            ArithmeticStep(name="offset", expression="−intercept ÷ slope", value=fit.offset_mm, unit="mm"),
        ],
    )
