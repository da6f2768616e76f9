"""Pulses in time: RPM, speed and distance from edges; timers, gates and polling."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core import loops
from tickstone.core.checks import (
    check_at_least,
    check_length,
    check_not_negative,
    check_order,
    check_positive,
    check_whole,
)
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]
Numbers = float | Array

MISSED_FROM, DOUBLED_TO = 1.6, 0.6  # of the median interval
KM_H_PER_M_S = 3.6
MPH_PER_M_S = 1 / 0.44704


def rpm_from_frequency(frequency_hz: Numbers, pulses_per_turn: float = 1) -> Numbers:
    """Turns per minute from pulses per second: ``60·f/N``.

    >>> rpm_from_frequency(94.0), round(rpm_from_frequency(3.9))
    (5640.0, 234)
    """
    return 60.0 / pulses_per_turn * frequency_hz


def rpm_from_period(period_us: npt.ArrayLike, pulses_per_turn: float = 1) -> Array:
    """Turns per minute from the time between pulses: ``60·10⁶/(N·T)``.

    Parameters: period_us, any shape, µs, NaN or 0 = no interval. Returns: rpm, same shape, NaN without an
    interval.

    >>> float(rpm_from_period(20_000.0))
    3000.0
    """
    period = np.asarray(period_us, dtype=np.float64)
    with np.errstate(divide="ignore", over="ignore"):
        rpm = (60e6 / pulses_per_turn) / period
    return np.asarray(np.where(np.isfinite(rpm), rpm, np.nan))


def period_from_rpm_us(rpm: float, pulses_per_turn: float = 1) -> float:
    """Time between pulses, µs: the inverse of ``rpm_from_period``.

    >>> period_from_rpm_us(3000.0)
    20000.0
    """
    return 60e6 / (pulses_per_turn * check_positive(rpm, "rpm"))


def speed_m_s(rpm: Numbers, circumference_mm: float) -> Numbers:
    """Speed of a wheel's rim, m/s.

    >>> speed_m_s(60.0, 500.0)
    0.5
    """
    return rpm * (circumference_mm / 60_000.0)


def rpm_bound(seconds_since_pulse: float, pulses_per_turn: float = 1) -> float:
    """What the shown rpm may be at most while no pulse comes: ``60/(N·t)``.

    >>> rpm_bound(0.5)
    120.0
    """
    return 60.0 / (pulses_per_turn * check_positive(seconds_since_pulse, "seconds_since_pulse"))


@dataclass(frozen=True)
class TimerRange:
    """What a counter of ticks can time: ``ticks`` and ``rpm_step`` at the rpm asked for, else None."""

    tick_us: float
    ticks_per_s: float
    min_rpm: float
    max_rpm: float
    ticks: float | None
    rpm_step: float | None


def timer_range(
    clock_hz: float, prescaler: float, bits: int = 16, pulses_per_turn: float = 1, rpm: float | None = None
) -> TimerRange:
    """Slowest and fastest rpm that a timer can time between two pulses, and its step.

    Parameters: clock_hz; prescaler; bits of the counter; pulses_per_turn; rpm, at which to give ticks and
    step. Returns: TimerRange: min at a full counter, max at one tick; ticks real-valued; rpm_step =
    N·rpm²/(60·ticks/s). Source: common practice (8 MHz/256 gives 31 250 ticks/s; a 16-bit counter overflows
    below 28.6 rpm).

    >>> round(timer_range(8e6, 256).min_rpm, 1)
    28.6
    """
    check_positive(clock_hz, "clock_hz")
    check_positive(prescaler, "prescaler")
    check_positive(pulses_per_turn, "pulses_per_turn")
    if check_whole(bits, 1, "bits") > 64:
        raise BadInput(f"bits must be at most 64, not {bits}.", "bits")
    rate = clock_hz / prescaler
    fastest = 60.0 * rate / pulses_per_turn
    ticks = step = None
    if rpm is not None:
        ticks = fastest / check_positive(rpm, "rpm")
        step = rpm**2 / fastest
    return TimerRange(1e6 / rate, rate, fastest / 2**bits, fastest, ticks, step)


def period_error_pct(rpm: Numbers, ticks_per_s: float, pulses_per_turn: float = 1) -> Numbers:
    """Error of one tick when timing a period, percent: grows with rpm."""
    return 100.0 * pulses_per_turn / (60.0 * ticks_per_s) * rpm


def gate_error_pct(rpm: Numbers, gate_s: float, pulses_per_turn: float = 1) -> Numbers:
    """Error of one count when counting through a gate, percent: falls with rpm."""
    return 100.0 * 60.0 / (pulses_per_turn * gate_s) / rpm


def crossover_hz(ticks_per_s: float, gate_s: float) -> float:
    """Pulse rate at which timing and counting are equally good: ``√(ticks per s / gate)``.

    >>> crossover_hz(1e6, 1.0)
    1000.0
    """
    return math.sqrt(ticks_per_s / gate_s)


@dataclass(frozen=True)
class TimerPlan:
    """The prescaler and method to use; errors at both ends of the range; ``rejected`` as (prescaler, why)."""

    prescaler: float
    method: str
    error_pct_low: float
    error_pct_high: float
    crossover_hz: float
    rejected: tuple[tuple[float, str], ...]


def plan_timer(
    clock_hz: float,
    prescalers: Sequence[float],
    *,
    rpm_min: float,
    rpm_max: float,
    bits: int = 16,
    pulses_per_turn: float = 1,
    gate_s: float = 1.0,
) -> TimerPlan:
    """The prescaler and method with the smallest worst error between two speeds.

    Parameters: as in timer_range; gate_s, how long counting would count.
    Returns: TimerPlan. A prescaler whose counter overflows at rpm_min is rejected; the rest, timed or gated,
    are scored by the worse of the errors at both ends; ties go to the larger prescaler.
    Raises: BadInput for ``prescalers`` when all overflow.

    >>> plan_timer(16e6, [8, 64, 256], rpm_min=100, rpm_max=6000).prescaler
    256
    """
    check_length(prescalers, 1, "prescalers")
    check_positive(rpm_min, "rpm_min")
    check_order(rpm_min, rpm_max, "rpm_min", "rpm_max")
    check_positive(gate_s, "gate_s")
    rejected, usable = [], []
    for prescaler in prescalers:
        check_positive(prescaler, "prescalers")
        span = timer_range(clock_hz, prescaler, bits, pulses_per_turn)
        if rpm_min < span.min_rpm:
            why = f"overflows below {span.min_rpm:.4g} rpm"
            rejected.append((prescaler, why))
        else:
            usable.append((prescaler, span.ticks_per_s))
    if not usable:
        raise BadInput(
            f"All prescalers let a {bits}-bit counter overflow at {rpm_min:g} rpm: use a larger one, a wider "
            "counter, or count over a time window.",
            "prescalers",
        )
    scored = []
    for prescaler, rate in usable:
        for method in ("period", "gate"):
            errors = [
                float(
                    period_error_pct(rpm, rate, pulses_per_turn)
                    if method == "period"
                    else gate_error_pct(rpm, gate_s, pulses_per_turn)
                )
                for rpm in (rpm_min, rpm_max)
            ]
            scored.append((max(errors), -prescaler, method, errors, rate))
    _, negative, method, errors, rate = min(scored, key=lambda item: item[:2])
    return TimerPlan(-negative, method, errors[0], errors[1], crossover_hz(rate, gate_s), tuple(rejected))


@dataclass(frozen=True)
class ErrorCurve:
    """Error of one way of measuring over a range of speeds; ``prescaler`` is None for counting through a
    gate. ``slow_rpm`` is where the counter overflows, or where a gate sees less than one pulse: below it the
    word is "slow"."""

    prescaler: float | None
    rpm: Array
    error_pct: Array
    slow_rpm: float
    crossover_rpm: float | None


def error_curves(
    clock_hz: float,
    prescalers: Sequence[float],
    *,
    rpm_min: float,
    rpm_max: float,
    points: int,
    bits: int = 16,
    pulses_per_turn: float = 1,
    gate_s: float = 1.0,
) -> tuple[ErrorCurve, ...]:
    """Error against rpm for each prescaler, where its counter does not overflow, and for counting through a
    gate.

    Parameters: as in plan_timer; points, how many along each curve, evenly by ratio. Returns: one curve a
    prescaler, then that of the gate; a prescaler that overflows everywhere in the range has an empty curve.
    """
    rpm = np.geomspace(check_positive(rpm_min, "rpm_min"), check_positive(rpm_max, "rpm_max"), points)
    curves = []
    for prescaler in prescalers:
        span = timer_range(clock_hz, prescaler, bits, pulses_per_turn)
        seen = (
            np.concatenate([[max(span.min_rpm, rpm_min)], rpm[rpm > span.min_rpm]])
            if span.min_rpm < rpm_max
            else rpm[:0]
        )
        error = np.asarray(period_error_pct(seen, span.ticks_per_s, pulses_per_turn))
        crossover = float(rpm_from_frequency(crossover_hz(span.ticks_per_s, gate_s), pulses_per_turn))
        curves.append(ErrorCurve(prescaler, seen, error, span.min_rpm, crossover))
    slow = float(rpm_from_frequency(1.0 / gate_s, pulses_per_turn))
    gated = np.concatenate([[max(slow, rpm_min)], rpm[rpm > slow]]) if slow < rpm_max else rpm[:0]
    curves.append(
        ErrorCurve(None, gated, np.asarray(gate_error_pct(gated, gate_s, pulses_per_turn)), slow, None)
    )
    return tuple(curves)


@dataclass(frozen=True)
class PassTime:
    """How long a mark is under the sensor, and whether a loop can see it."""

    pass_ms: float
    needs_interrupt: bool
    max_rpm_polled: float


def pass_time(rpm: float, radius_mm: float, width_mm: float, loop_ms: float) -> PassTime:
    """Can a polled loop see a mark of ``width_mm`` at ``radius_mm`` go by? It must look at least twice in
    that time.

    >>> pass_time(1000, 20, 10, 5).needs_interrupt
    True
    """
    for name, value in {"rpm": rpm, "radius_mm": radius_mm, "width_mm": width_mm, "loop_ms": loop_ms}.items():
        check_positive(value, name)
    share = width_mm / (2 * math.pi * radius_mm)
    pass_ms = 60_000.0 * share / rpm
    return PassTime(pass_ms, loop_ms > pass_ms / 2, 60_000.0 * share / (2 * loop_ms))


def unwrap(stamps: npt.ArrayLike, bits: int) -> Array:
    """Counter readings that may wrap at ``bits``, made to rise from the first one. Each gap must be under one
    wrap.

    Parameters: stamps, shape (n,), whole ticks, 0 to 2^bits − 1. Returns: ticks, same shape.
    Raises: BadInput for ``edges_us`` outside the counter.

    >>> unwrap([65000, 500], 16).tolist()
    [65000.0, 66036.0]
    """
    x = np.asarray(stamps, dtype=np.float64)
    size = float(2**bits)
    if bool((x < 0).any() or (x >= size).any()):
        raise BadInput(
            f"edges_us must lie between 0 and {size - 1:.0f}, the range of {bits} bits.", "edges_us"
        )
    return np.asarray(x[0] + np.concatenate([[0.0], np.cumsum(np.mod(np.diff(x), size))]))


def _accept_loop(times: Array, refractory: float) -> npt.NDArray[np.bool_]:
    taken = np.zeros(times.size, np.bool_)
    taken[0] = True
    last = times[0]
    for i in range(1, times.size):
        gap = times[i] - last
        if gap > 0 and gap >= refractory:
            taken[i] = True
            last = times[i]
    return taken


def accepted(times_us: Array, refractory_us: float = 0.0) -> npt.NDArray[np.bool_]:
    """Which edges count: those at least ``refractory_us`` after the last accepted one; equal stamps never.

    Parameters: times_us, shape (n,), µs, not falling. Returns: shape (n,), bool.
    """
    if times_us.size == 0:
        return np.zeros(0, np.bool_)
    if refractory_us <= 0:
        return np.concatenate([[True], np.diff(times_us) > 0])
    return np.asarray(loops.run(_accept_loop, times_us.size, times_us, float(refractory_us)))


@dataclass(frozen=True)
class EdgeRun:
    """What a run of edges says. ``times_us`` are the accepted ones; ``rpm`` is None below two of them."""

    times_us: Array
    rpm: float | None
    rpm_last: float | None
    rejected: int
    suspected_missed: int
    suspected_doubled: int

    @property
    def gaps(self) -> int:
        """Intervals between accepted edges."""
        return self.times_us.size - 1


def read_edges(
    edges_us: npt.ArrayLike, pulses_per_turn: float = 1, refractory_us: float = 0.0, bits: int = 0
) -> EdgeRun:
    """Mean and last rpm of a run of edges, and what looks wrong in it.

    Parameters: edges_us, shape (n,), µs, n ≥ 1, rising or (bits > 0) wrapping at 2^bits; refractory_us, dead
    time after an accepted edge. Returns: Edges; rpm = 60·(accepted − 1)/(N·span); missed and doubled are
    intervals above 1.6 and below 0.6 of the median. Raises: BadInput for ``edges_us``.

    >>> round(read_edges([0, 20_000, 40_000]).rpm)
    3000
    """
    x = np.asarray(edges_us, dtype=np.float64)
    check_length(x, 1, "edges_us")
    check_positive(pulses_per_turn, "pulses_per_turn")
    check_not_negative(refractory_us, "refractory_us")
    if bits:
        if check_whole(bits, 1, "bits") > 52:
            raise BadInput(f"bits must be at most 52, not {bits}.", "bits")
        x = unwrap(x, bits)
    elif bool((np.diff(x) < 0).any()):
        index = int(np.flatnonzero(np.diff(x) < 0)[0]) + 1
        raise BadInput(
            f"edges_us must not fall, but do at entry {index + 1}; give bits when the counter wraps.",
            "edges_us",
        )
    taken = x[accepted(x, refractory_us)]
    rejected = int(x.size - taken.size)
    if taken.size < 2:
        return EdgeRun(taken, None, None, rejected, 0, 0)
    gaps = np.diff(taken)
    median = float(np.median(gaps))
    per_minute = 60e6 / pulses_per_turn
    return EdgeRun(
        taken,
        float(per_minute * gaps.size / (taken[-1] - taken[0])),
        float(per_minute / gaps[-1]),
        rejected,
        int((gaps > MISSED_FROM * median).sum()),
        int((gaps < DOUBLED_TO * median).sum()),
    )


def rpm_at_edges(edges_us: npt.ArrayLike, pulses_per_turn: float = 1, refractory_us: float = 0.0) -> Array:
    """Rpm at each edge from the interval that ends there, for recordings.

    Parameters: edges_us, shape (n,), µs, rising. Returns: shape (n,); NaN at the first edge and at edges not
    accepted.

    >>> rpm_at_edges([0.0, 20_000.0, 60_000.0]).tolist()
    [nan, 3000.0, 1500.0]
    """
    x = np.asarray(edges_us, dtype=np.float64)
    rpm = np.full(x.size, np.nan)
    if refractory_us > 0:
        taken = np.flatnonzero(accepted(x, refractory_us))
        if taken.size > 1:
            rpm[taken[1:]] = (60e6 / pulses_per_turn) / np.diff(x[taken])
    elif x.size > 1:
        gaps = np.diff(x)
        if gaps.min() > 0:
            np.divide(60e6 / pulses_per_turn, gaps, out=rpm[1:])
        else:
            np.divide(60e6 / pulses_per_turn, gaps, out=rpm[1:], where=gaps > 0)
    return rpm


def ticks_elapsed(start: float, stop: float, bits: int = 32) -> int:
    """Ticks from ``start`` to ``stop`` of a counter that may have rolled over once.

    >>> ticks_elapsed(65000, 500, 16)
    1036
    """
    if check_whole(bits, 1, "bits") > 64:
        raise BadInput(f"bits must be at most 64, not {bits}.", "bits")
    size = 2**bits
    for name, value in {"start": start, "stop": stop}.items():
        if check_whole(value, 0, name) >= size:
            raise BadInput(f"{name} must be below 2^{bits}, but is {value:g}.", name)
    return (int(stop) - int(start)) % int(size)


@dataclass(frozen=True)
class RolledCircumference:
    """Circumference measured by rolling: value, sd and the diameter of a circle of it, mm."""

    circumference_mm: float
    circumference_sd_mm: float
    equivalent_diameter_mm: float


def roll_out(turns: float, distance_mm: float, distance_sd_mm: float = 2.0) -> RolledCircumference:
    """Circumference of a wheel under its load, rolled ``turns`` turns along a tape.

    >>> roll_out(10, 2042.0).circumference_mm
    204.2
    """
    check_positive(turns, "turns")
    check_positive(distance_mm, "distance_mm")
    check_not_negative(distance_sd_mm, "distance_sd_mm")
    around = distance_mm / turns
    return RolledCircumference(around, distance_sd_mm / turns, around / math.pi)


def video_rpm(fps: float, frames: float, turns: float = 1) -> tuple[float, float, float]:
    """Rpm counted on slow-motion video, with its bounds at one frame more and one less.

    Parameters: fps at capture (not playback); frames, last − first, at least 2; turns seen in them.

    >>> [round(rpm) for rpm in video_rpm(240, 48)]
    [300, 294, 306]
    """
    check_positive(fps, "fps")
    check_positive(turns, "turns")
    check_at_least(frames, 2, "frames")
    rate = 60.0 * fps * turns
    return rate / frames, rate / (frames + 1), rate / (frames - 1)
