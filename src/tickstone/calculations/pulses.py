"""Pulses: RPM from edges, timers, gates and polling."""

from __future__ import annotations

import math

from tickstone.calculations.registry import (
    Finite,
    Inputs,
    Numbers,
    Result,
    ResultPart,
    Whole,
    calculation,
    step,
)
from tickstone.core import pulses
from tickstone.core.checks import check_between, check_given, check_not_negative, check_positive, check_whole


class RpmInputs(Inputs):
    """Give exactly one of frequency_hz and period_us."""

    frequency_hz: Finite | None = None
    period_us: Finite | None = None
    pulses_per_turn: Finite = 1.0


class RpmResult(Result):
    rpm: float
    turns_per_s: float


@calculation("rpm")
def rpm(given: RpmInputs) -> RpmResult:
    """Turns per minute from a pulse rate or the time between pulses."""
    n = check_positive(given.pulses_per_turn, "pulses_per_turn")
    check_given({"frequency_hz": given.frequency_hz, "period_us": given.period_us})
    if given.frequency_hz is not None:
        result = float(pulses.rpm_from_frequency(check_not_negative(given.frequency_hz, "frequency_hz"), n))
        expression = f"60 × {given.frequency_hz:g} Hz ÷ {n:g}"
    else:
        period = check_positive(given.period_us or 0.0, "period_us")
        result = float(pulses.rpm_from_period(period, n))
        expression = f"60 000 000 ÷ ({n:g} × {period:g} µs)"
    return RpmResult(rpm=result, turns_per_s=result / 60, steps=[step("rpm", expression, result, "rpm")])


class TimerRangeInputs(Inputs):
    clock_hz: Finite
    prescaler: Finite
    bits: Whole = 16
    pulses_per_turn: Finite = 1.0
    rpm: Finite | None = None


class TimerRangeResult(Result):
    tick_us: float
    ticks_per_s: float
    min_rpm: float
    max_rpm: float
    ticks: float | None
    rpm_step: float | None


@calculation("timer-range")
def timer_range(given: TimerRangeInputs) -> TimerRangeResult:
    """What a timer can time between two pulses: slowest, fastest, and its step."""
    result = pulses.timer_range(given.clock_hz, given.prescaler, given.bits, given.pulses_per_turn, given.rpm)
    warnings = []
    if given.rpm is not None and given.rpm < result.min_rpm:
        warnings.append(
            f"At {given.rpm:g} rpm the {given.bits}-bit counter overflows: it times down to "
            f"{result.min_rpm:.4g} rpm."
        )
    rate, n = result.ticks_per_s, given.pulses_per_turn
    steps = [
        step("ticks per second", f"{given.clock_hz:g} Hz ÷ {given.prescaler:g}", rate, "1/s"),
        step("slowest", f"60 × {rate:g} ÷ ({n:g} × 2^{given.bits})", result.min_rpm, "rpm"),
        step("one tick", f"60 × {rate:g} ÷ {n:g}", result.max_rpm, "rpm"),
    ]
    if given.rpm is not None:
        steps.append(
            step("one tick's worth", f"{n:g} × {given.rpm:g}² ÷ (60 × {rate:g})", result.rpm_step, "rpm")
        )
    return TimerRangeResult(
        tick_us=result.tick_us,
        ticks_per_s=rate,
        min_rpm=result.min_rpm,
        max_rpm=result.max_rpm,
        ticks=result.ticks,
        rpm_step=result.rpm_step,
        steps=steps,
        warnings=warnings,
    )


class TimerPlanInputs(Inputs):
    """``curve_points`` asks for the error curves too, with so many points each."""

    clock_hz: Finite
    prescalers: Numbers
    rpm_min: Finite
    rpm_max: Finite
    bits: Whole = 16
    pulses_per_turn: Finite = 1.0
    gate_s: Finite = 1.0
    curve_points: Whole = 0


class CurvePart(ResultPart):
    """Error against rpm of one prescaler, or of the gate (null); below slow_rpm it says "slow"."""

    prescaler: float | None
    rpm: list[float]
    error_pct: list[float]
    slow_rpm: float
    crossover_rpm: float | None


class Rejected(ResultPart):
    prescaler: float
    why: str


class TimerPlanResult(Result):
    prescaler: float
    method: str
    error_pct_low: float
    error_pct_high: float
    crossover_hz: float
    rejected: list[Rejected]
    curves: list[CurvePart]


@calculation("timer-plan")
def timer_plan(given: TimerPlanInputs) -> TimerPlanResult:
    """The prescaler and method with the smallest worst error between two speeds."""
    plan = pulses.plan_timer(
        given.clock_hz,
        given.prescalers,
        rpm_min=given.rpm_min,
        rpm_max=given.rpm_max,
        bits=given.bits,
        pulses_per_turn=given.pulses_per_turn,
        gate_s=given.gate_s,
    )
    curves: tuple[pulses.ErrorCurve, ...] = ()
    if check_between(given.curve_points, 0, 1000, "curve_points") >= 2:
        curves = pulses.error_curves(
            given.clock_hz,
            given.prescalers,
            rpm_min=given.rpm_min,
            rpm_max=given.rpm_max,
            points=given.curve_points,
            bits=given.bits,
            pulses_per_turn=given.pulses_per_turn,
            gate_s=given.gate_s,
        )
    how = "timing each period" if plan.method == "period" else f"counting over {given.gate_s:g} s"
    return TimerPlanResult(
        prescaler=plan.prescaler,
        method=plan.method,
        error_pct_low=plan.error_pct_low,
        error_pct_high=plan.error_pct_high,
        crossover_hz=plan.crossover_hz,
        rejected=[Rejected(prescaler=prescaler, why=why) for prescaler, why in plan.rejected],
        curves=[
            CurvePart(
                prescaler=c.prescaler,
                rpm=c.rpm.tolist(),
                error_pct=c.error_pct.tolist(),
                slow_rpm=c.slow_rpm,
                crossover_rpm=c.crossover_rpm,
            )
            for c in curves
        ],
        steps=[
            step(f"at {given.rpm_min:g} rpm", how, plan.error_pct_low, "%"),
            step(f"at {given.rpm_max:g} rpm", how, plan.error_pct_high, "%"),
            step(
                "equally good at",
                f"√({given.clock_hz / plan.prescaler:g} ÷ {given.gate_s:g} s)",
                plan.crossover_hz,
                "Hz",
            ),
        ],
    )


class GateCountInputs(Inputs):
    gate_s: Finite
    pulses_per_turn: Finite = 1.0
    count: Finite | None = None
    ticks_per_s: Finite | None = None


class GateCountResult(Result):
    rpm: float | None
    rpm_step: float
    crossover_hz: float | None


@calculation("gate-count")
def gate_count(given: GateCountInputs) -> GateCountResult:
    """RPM by counting pulses through a gate, and what one count is worth."""
    gate = check_positive(given.gate_s, "gate_s")
    n = check_positive(given.pulses_per_turn, "pulses_per_turn")
    item = float(pulses.rpm_from_frequency(1 / gate, n))
    steps = [step("one count", f"60 ÷ ({n:g} × {gate:g} s)", item, "rpm")]
    rpm = crossover = None
    if given.count is not None:
        rpm = item * check_whole(given.count, 0, "count")
        steps.append(step("rpm", f"{given.count:g} × {item:.4g} rpm", rpm, "rpm"))
    if given.ticks_per_s is not None:
        crossover = pulses.crossover_hz(check_positive(given.ticks_per_s, "ticks_per_s"), gate)
        steps.append(step("as good as timing at", f"√({given.ticks_per_s:g} ÷ {gate:g} s)", crossover, "Hz"))
    return GateCountResult(rpm=rpm, rpm_step=item, crossover_hz=crossover, steps=steps)


class PassTimeInputs(Inputs):
    rpm: Finite
    radius_mm: Finite
    width_mm: Finite
    loop_ms: Finite


class PassTimeResult(Result):
    pass_ms: float
    needs_interrupt: bool
    max_rpm_polled: float


@calculation("pass-time")
def pass_time(given: PassTimeInputs) -> PassTimeResult:
    """How long a mark or magnet is under the sensor, and whether a loop can see it."""
    time = pulses.pass_time(given.rpm, given.radius_mm, given.width_mm, given.loop_ms)
    way = f"{given.width_mm:g} mm ÷ (2π × {given.radius_mm:g} mm)"
    warnings = []
    if given.width_mm > 2 * math.pi * given.radius_mm:
        warnings.append("The mark is wider than the circumference.")
    return PassTimeResult(
        pass_ms=time.pass_ms,
        needs_interrupt=time.needs_interrupt,
        max_rpm_polled=time.max_rpm_polled,
        warnings=warnings,
        assumptions=["the loop must look at least twice while the mark passes"],
        steps=[
            step("passes in", f"60 000 × {way} ÷ {given.rpm:g} rpm", time.pass_ms, "ms"),
            step(
                "fastest by polling",
                f"60 000 × {way} ÷ (2 × {given.loop_ms:g} ms)",
                time.max_rpm_polled,
                "rpm",
            ),
        ],
    )


class EdgesInputs(Inputs):
    """``bits`` is the width of the counter behind the stamps; 0 = they do not wrap."""

    edges_us: Numbers
    pulses_per_turn: Finite = 1.0
    circumference_mm: Finite = 0.0
    refractory_us: Finite = 0.0
    bits: Whole = 0


class EdgesResult(Result):
    rpm: float | None
    rpm_last: float | None
    speed_m_s: float | None
    distance_mm: float | None
    rejected: int
    suspected_missed: int
    suspected_doubled: int


@calculation("edges")
def edges(given: EdgesInputs) -> EdgesResult:
    """RPM, speed and distance from the times of edges, and what looks wrong in them."""
    around = check_not_negative(given.circumference_mm, "circumference_mm")
    run = pulses.read_edges(given.edges_us, given.pulses_per_turn, given.refractory_us, given.bits)
    speed = distance = None
    if around:
        distance = run.gaps * around / given.pulses_per_turn
        speed = None if run.rpm is None else float(pulses.speed_m_s(run.rpm, around))
    steps, warnings = [], []
    if run.rpm is not None:
        span = float(run.times_us[-1] - run.times_us[0])
        steps.append(
            step(
                "rpm",
                f"60 000 000 × {run.gaps} ÷ ({given.pulses_per_turn:g} × {span:g} µs)",
                run.rpm,
                "rpm",
            )
        )
    else:
        warnings.append("One edge tells no speed: at least two are needed.")
    if run.suspected_missed:
        warnings.append(
            f"{run.suspected_missed} of {run.gaps} intervals are over 1.6 times the usual one: pulses missed?"
        )
    if run.suspected_doubled:
        warnings.append(
            f"{run.suspected_doubled} of {run.gaps} intervals are under 0.6 times the usual one: doubled?"
        )
    return EdgesResult(
        rpm=run.rpm,
        rpm_last=run.rpm_last,
        speed_m_s=speed,
        distance_mm=distance,
        rejected=run.rejected,
        suspected_missed=run.suspected_missed,
        suspected_doubled=run.suspected_doubled,
        steps=steps,
        warnings=warnings,
    )


class TicksElapsedInputs(Inputs):
    start: Finite
    stop: Finite
    bits: Whole = 32


class TicksElapsedResult(Result):
    ticks: int


@calculation("ticks-elapsed")
def ticks_elapsed(given: TicksElapsedInputs) -> TicksElapsedResult:
    """Ticks between two readings of a counter, across at most one roll-over."""
    ticks = pulses.ticks_elapsed(given.start, given.stop, given.bits)
    return TicksElapsedResult(
        ticks=ticks,
        steps=[step("ticks", f"({given.stop:g} − {given.start:g}) modulo 2^{given.bits}", float(ticks))],
        assumptions=["the counter rolled over at most once"],
    )
