"""How fast a wheel follows a command: from a step of it, and the marks that pass while the wheel gains
speed."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from tickstone.core.calibration.means import coverage
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Holding,
    Outcome,
    Procedure,
    Steps,
    Want,
    Window,
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.calibration.turning import edge_times_s
from tickstone.core.constants import Values
from tickstone.core.figures import Plot, PlotLine
from tickstone.errors import BadInput

LEAST_MARKS = 10
FIRST_GAPS = 1.5  # so far before the first mark it may have stood: marks are not quite even
STEADY = 0.08  # over the second half of the run the speed may change by so much
BEGINS = 1.25  # times the last period: the first is at least so long when it began at rest
USUAL_BAND_PCT, BAND_SD_PCT = 8.0, 2.0  # where the dead band is not measured
NO_LAG = "No lag can be seen in this run: it was over before the next mark passed."
GOOD = 0.15  # of itself: a lag known so well


@dataclass(frozen=True)
class GainedSpeed:
    """A wheel that gained speed: its steady speed, turns/s, and its time constant, s, each with half of its
    95 % interval; the marks as they passed, s and turns."""

    speed: float
    speed_sd: float
    lag_s: float
    lag_sd: float
    times: list[float]
    turns: list[float]


def marks_passed(window: Window, values: Values) -> tuple[Array, Array]:
    """When marks passed, s, and how far the wheel had turned by then, turns, both shape (n,)."""
    if "edge" in window.channels or "level" in window.channels:
        times = edge_times_s(window)
        per_turn = next(values[name].value for name in ("magnets", "marks") if name in values)
        return times, np.arange(times.size) / per_turn
    if "count" in window.channels:
        known = np.isfinite(window.channels["count"])
        times, counts = window.times_s[known], window.channels["count"][known]
    else:
        a, b = window.channels["a"], window.channels["b"]
        times = window.times_s
        counts = np.concatenate([[0.0], np.cumsum((np.diff(a) != 0) | (np.diff(b) != 0))])
    fresh = np.flatnonzero(np.diff(counts) != 0) + 1
    return times[fresh], np.abs(counts[fresh] - counts[fresh[0]]) / values[
        "steps"
    ].value if fresh.size else counts[:0]


def way_from_rest(t: Array, begins: float, lag: float, speed: float) -> Array:
    """How far a first-order lag has turned since a step at ``begins``: V·(s − τ·(1 − e^(−s/τ)))."""
    s = np.maximum(t - begins, 0.0)
    return np.asarray(speed * (s - lag * (1.0 - np.exp(-s / lag))))


def gained(times: Array, turns: Array) -> GainedSpeed | None:
    """A first-order lag through marks that passed since the wheel began to turn.

    Parameters: times, s, and turns, shape (n,), n ≥ LEAST_MARKS. When it began, and how far before the first
    mark it stood, are fitted too. None where no lag can be seen: it was over before the next mark.
    """
    from scipy.optimize import least_squares  # here, since loading it takes longer than most calculations

    last = float(np.polyfit(times[-5:], turns[-5:], 1)[0])
    gap = float(turns[1] - turns[0])
    if last <= 0.0 or gap <= 0.0 or times[1] <= times[0]:
        return None
    # the steady line, back to where it meets the first mark, is late by the lag
    late = float(times[-1] - turns[-1] / last - times[0])
    guess = [
        last,
        math.log(max(late, 0.3 * (times[1] - times[0]))),
        times[0] - 0.5 * (times[1] - times[0]),
        0.5 * gap,
    ]

    def left(p: Array) -> Array:
        return np.asarray(way_from_rest(times, p[2], math.exp(p[1]), p[0]) - p[3] - turns)

    low = [0.2 * last, math.log(1e-3), times[0] - 3.0 * (times[1] - times[0]) - 1.0, 0.0]
    high = [3.0 * last, math.log(20.0), times[0], FIRST_GAPS * gap]
    begin = np.clip(guess, np.array(low) + 1e-9, np.array(high) - 1e-9)
    fit = least_squares(left, begin, bounds=(low, high), x_scale=[last, 1.0, 0.1, gap])
    freedom = times.size - 4
    spread = float((fit.fun**2).sum() / freedom)
    inner = (fit.x[3] > 1e-3 * gap) & (fit.x[3] < (FIRST_GAPS - 1e-3) * gap)
    kept = [0, 1, 2, 3] if inner else [0, 1, 2]  # at its bound it is as it is
    normal = fit.jac[:, kept].T @ fit.jac[:, kept]
    if not np.isfinite(normal).all() or np.linalg.cond(normal) > 1e14:
        return None
    sds = np.sqrt(np.diag(np.linalg.inv(normal)) * spread) * coverage(freedom)
    lag = math.exp(fit.x[1])
    return GainedSpeed(
        float(fit.x[0]),
        float(sds[0]),
        lag,
        float(lag * sds[1]),
        (times - times[0]).tolist(),
        turns.tolist(),
    )


class MotorLag(Procedure[GainedSpeed]):
    """The time constant with which a wheel follows its command, and how fast it would be at full command."""

    id = "motor-lag"
    takes = GainedSpeed
    title = "Motor lag"
    prepare = (
        "On the ground, with its load, a clear way before it.",
        "From rest, give the command at once, as a step, and let it run until it is steady.",
        "The more marks a turn, the surer: with few magnets the first turns are all there is to see.",
    )
    cautions = (
        "Wheels off the ground for the first run; keep fingers, hair and sleeves away.",
        "Clear floor, nobody in the way, and a switch within reach that stops it.",
    )
    seconds = 0.0
    rests_on = ("circumference", "dead_band_left", "dead_band_right")
    fields = (FormField("command_pct", "Command", "%", 60.0, 1, 100),)

    def wants(self, steps: Steps[GainedSpeed], values: Values) -> tuple[Want, ...]:
        return numbered(steps, "run", "From rest, give the command at once.", 3, self.fields)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[GainedSpeed],
        values: Values,
    ) -> Holding:
        times, turns = marks_passed(window, values)
        if times.size < 2:
            return Holding(False, "It stands: give the command at once.")
        periods = np.diff(times) / np.diff(turns)
        figure = f"{1.0 / periods[-1]:.2f} turns/s"
        if times.size < LEAST_MARKS:
            return Holding(False, f"{times.size} marks so far: let it run on.", figure=figure)
        last = float(periods[-3:].mean())
        half = int(np.searchsorted(times, (times[0] + times[-1]) / 2))
        if periods[min(half, periods.size - 1)] > (1.0 + STEADY) * last:
            return Holding(False, "It still gains speed: let it run on.", figure=figure)
        if periods[0] < BEGINS * last:
            return Holding(False, "It was turning already: begin from rest.", figure=figure)
        if gained(times, turns) is None:
            return Holding(False, f"{NO_LAG} Begin again from rest.", figure=figure)
        return Holding(True, "", held_s=window.span_s, figure=figure)

    def take(self, window: Window, key: str, values: Values) -> GainedSpeed:
        times, turns = marks_passed(window, values)
        if times.size < LEAST_MARKS:
            raise BadInput("There are too few marks to take.", "window")
        run = gained(times, turns)
        if run is None:
            raise BadInput(NO_LAG, "window")
        return run

    def fit(self, steps: Steps[GainedSpeed], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "How fast the motors follow is taken as usual",
                "One run gives it; three say how well.",
                "Give it one step.",
            )
        runs = [step.taken for step in steps]
        lag, lag_sd = _together([run.lag_s for run in runs], [run.lag_sd for run in runs])
        tops = [self._top(step.taken, step.truth["command_pct"], values) for step in steps]
        top, top_sd = _together([top for top, _, _ in tops], [sd for _, sd, _ in tops])
        top_sd = math.hypot(top_sd, top * max(shared for _, _, shared in tops))  # no run takes that away
        good = lag_sd <= GOOD * lag
        verdict = (
            f"Good: ± {2000 * lag_sd:.0f} ms."
            if good
            else f"± {2000 * lag_sd:.0f} ms: more marks a turn, a lighter start, or more runs say it better."
        )
        lines = tuple(
            PlotLine(step.label, tuple(zip(step.taken.times, step.taken.turns, strict=True)))
            for step in steps
        )
        plot = Plot("Turns since the first mark", "time", "s", "turned", "turns", lines=lines)
        return Outcome(
            f"The wheel follows within {1000 * lag:.0f} ms, {top:.0f} mm/s at full command",
            verdict,
            ""
            if lag_sd < lag
            else "The runs do not show the lag: none of the marks passed while it gained speed.",
            constants=(FittedConstant("motor_lag", lag, lag_sd), FittedConstant("top_speed", top, top_sd)),
            plots=(plot,),
        )

    def _top(self, run: GainedSpeed, command_pct: float, values: Values) -> tuple[float, float, float]:
        """How fast it would be at full command, mm/s, by the dead band; its sd by this run alone, and what
        wheel and dead band make uncertain in all of them alike, as a share."""
        known = [values[name] for name in ("dead_band_left", "dead_band_right") if name in values]
        band = sum(value.value for value in known) / len(known) if known else USUAL_BAND_PCT
        band = min(band, 0.9 * command_pct)
        band_sd = max((value.sd or 0.0 for value in known), default=BAND_SD_PCT)
        live = (command_pct - band) / (100.0 - band)
        round_mm = values["circumference"]
        top = run.speed * round_mm.value / live
        by_band = band_sd * (100.0 - command_pct) / (100.0 - band) ** 2 / live
        return top, top * run.speed_sd / run.speed, math.hypot(by_band, (round_mm.sd or 0.0) / round_mm.value)


def _together(values: list[float], sds: list[float]) -> tuple[float, float]:
    """A weighted mean with its sd, widened where the values scatter more than their own sds say (Birge,
    Phys. Rev. 40 (1932) 207)."""
    weights = 1.0 / np.square(sds)
    mean = float((np.array(values) * weights).sum() / weights.sum())
    sd = float(1.0 / math.sqrt(weights.sum()))
    if len(values) > 1:
        ratio = math.sqrt(float((weights * (np.array(values) - mean) ** 2).sum()) / (len(values) - 1))
        sd *= max(1.0, ratio)
    return mean, sd


PROCEDURES = (MotorLag(),)
