"""Control: gains by rule, relay tests, step responses, mapping onto an actuator."""

from __future__ import annotations

from typing import Literal

from tickstone.calculations.registry import Finite, Inputs, Numbers, Result, calculation, step
from tickstone.core import control
from tickstone.core.checks import check_positive


class GainsResult(Result):
    """Parallel gains ki = kp/ti and kd = kp·td; an unused term is 0 and its time null."""

    kp: float
    ki: float
    kd: float
    ti_s: float | None
    td_s: float | None


def _gains(gains: control.Gains, source: str) -> GainsResult:
    return GainsResult(
        kp=gains.kp,
        ki=gains.ki,
        kd=gains.kd,
        ti_s=gains.ti_s,
        td_s=gains.td_s,
        steps=[
            step("kp", source, gains.kp),
            step("ki", "kp ÷ ti", gains.ki, "1/s"),
            step("kd", "kp × td", gains.kd, "s"),
        ],
        assumptions=["gains mean nothing without the loop time: state it with them"],
    )


class PidRuleInputs(Inputs):
    ku: Finite
    tu_s: Finite
    rule: Literal["zn-p", "zn-pi", "zn-pid", "some-overshoot", "no-overshoot"] = "zn-pid"


@calculation("pid-rule")
def pid_rule(given: PidRuleInputs) -> GainsResult:
    """PID gains from the ultimate gain and period."""
    share = control.ULTIMATE_RULES[given.rule][0]
    return _gains(
        control.gains_from_ultimate(given.ku, given.tu_s, given.rule), f"{share:.4g} × {given.ku:g}"
    )


class LagRuleInputs(Inputs):
    gain: Finite
    lag_s: Finite
    delay_s: Finite
    rule: Literal["cohen-coon-pid", "simc-pi", "zn-open-loop-pid"] = "simc-pi"


@calculation("lag-rule")
def lag_rule(given: LagRuleInputs) -> GainsResult:
    """PID gains from a first-order lag with delay."""
    gains = control.gains_from_lag(given.gain, given.lag_s, given.delay_s, given.rule)
    result = _gains(gains, given.rule)
    low, high = control.LAG_RANGES[given.rule]
    ratio = given.delay_s / given.lag_s
    if not low <= ratio <= high:
        result.warnings.append(
            f"A delay of {ratio:.3g} of the lag is outside what the rule was made for, {low:g} to {high:g}."
        )
    return result


class RelayInputs(Inputs):
    """Amplitudes are half of peak to peak; hysteresis is its half width."""

    relay_amplitude: Finite
    oscillation_amplitude: Finite
    period_s: Finite = 1.0
    hysteresis: Finite = 0.0


class RelayResult(Result):
    ku: float
    tu_s: float


@calculation("relay")
def relay(given: RelayInputs) -> RelayResult:
    """Ultimate gain and period from a relay test."""
    ku = control.ultimate_gain_from_relay(
        given.relay_amplitude, given.oscillation_amplitude, given.hysteresis
    )
    expression = (
        f"4 × {given.relay_amplitude:g} ÷ (π × √({given.oscillation_amplitude:g}² − {given.hysteresis:g}²))"
    )
    return RelayResult(
        ku=ku,
        tu_s=check_positive(given.period_s, "period_s"),
        steps=[step("ku", expression, ku)],
        assumptions=["the oscillation is nearly a sine"],
    )


class ServoMapInputs(Inputs):
    value: Finite
    in_low: Finite
    in_high: Finite
    out_low: Finite
    out_high: Finite


class ServoMapResult(Result):
    mapped: float
    clamped: float
    saturated: bool


@calculation("servo-map")
def servo_map(given: ServoMapInputs) -> ServoMapResult:
    """A controller's output mapped onto an actuator's real end stops."""
    mapped, clamped = control.servo_map(**given.model_dump())
    span = f"({given.out_high:g} − {given.out_low:g}) ÷ ({given.in_high:g} − {given.in_low:g})"
    return ServoMapResult(
        mapped=mapped,
        clamped=clamped,
        saturated=mapped != clamped,
        steps=[step("mapped", f"{given.out_low:g} + ({given.value:g} − {given.in_low:g}) × {span}", mapped)],
        warnings=["At an end stop: stop integrating while it is."] if mapped != clamped else [],
    )


class StepMetricsInputs(Inputs):
    times_s: Numbers
    values: Numbers
    target: Finite


class StepMetricsResult(Result):
    overshoot_pct: float
    peak_time_s: float
    rise_s: float | None
    settling_s: float | None
    steady_error: float


@calculation("step-metrics")
def step_metrics(given: StepMetricsInputs) -> StepMetricsResult:
    """What a step response looks like: overshoot, rise, settling, steady error."""
    response = control.step_metrics(given.times_s, given.values, given.target)
    warnings = []
    if response.rise_s is None:
        warnings.append("It never reached 90 % of the step.")
    if response.settling_s is None:
        warnings.append("It is not settled within 2 % at the end.")
    return StepMetricsResult(
        overshoot_pct=response.overshoot_pct,
        peak_time_s=response.peak_time_s,
        rise_s=response.rise_s,
        settling_s=response.settling_s,
        steady_error=response.steady_error,
        warnings=warnings,
        steps=[
            step("overshoot", "highest beyond the target ÷ step", response.overshoot_pct, "%"),
            step("rise", "from 10 to 90 % of the step", response.rise_s, "s"),
            step("settling", "last entry into ±2 % of the step", response.settling_s, "s"),
            step("steady error", f"{given.target:g} − mean of the last tenth", response.steady_error),
        ],
        assumptions=[
            "levels count from the first value towards the target",
            "steady: the last tenth of the values",
        ],
    )
