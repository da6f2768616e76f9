"""What turns steadily: magnets and their gaps, and marks a turn by another instrument."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tickstone.core.calibration.means import coverage
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Holding,
    Outcome,
    Procedure,
    Step,
    Steps,
    Want,
    Window,
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, PlotLine, Table
from tickstone.core.noise import MAD_TO_SD
from tickstone.errors import BadInput

SPINNING = "Wheels off the ground; keep fingers, hair and sleeves away from what turns."
MOST_GAPS = 8
GAP_SD = 0.01  # of itself: a gap that is known worse is not known well
LEAST_SPREAD = 2e-4  # of a gap: no wheel is truer
STEADY = 0.05  # the speed may change by so much over a run


def edge_times_s(window: Window) -> Array:
    """When pulses came, s: the board's own times of edges, or where a level falls."""
    edges = window.channels.get("edge")
    if edges is not None and np.isfinite(edges).any():
        return np.unique(edges[np.isfinite(edges)]) / 1e6
    levels = window.channels.get("level")
    if levels is None:
        return np.zeros(0)
    known = np.isfinite(levels)
    times, levels = window.times_s[known], levels[known]
    return times[1:][(levels[1:] < 0.5) & (levels[:-1] >= 0.5)]


@dataclass(frozen=True)
class Gaps:
    """Magnets a turn, each gap's share of it (largest first), with sds, and the rest's spread as a share of a
    gap. ``even`` when no gap differs, so that their number cannot be seen."""

    count: int
    shares: tuple[float, ...]
    sds: tuple[float, ...]
    jitter: float
    even: bool


def gaps_of(times_s: Array, most: int = MOST_GAPS) -> Gaps:
    """How many magnets a turn has, and how their gaps differ, from a steady run.

    Parameters: times_s of pulses, shape (n,), n ≥ 3·most. A gap is held against the same gap a turn later, so
    that a speed that creeps does not matter: the smallest number of gaps by which they repeat as well as by
    any number is the answer.
    """
    periods = np.diff(times_s)
    left = {}
    for count in range(1, most + 1):
        change = np.abs(periods[count:] / periods[:-count] - 1.0)
        left[count] = max(MAD_TO_SD * float(np.median(change)) / math.sqrt(2), LEAST_SPREAD)
    best = min(left.values())
    count = next(n for n, item in left.items() if item <= 1.5 * best)
    kernel = np.ones(count) if count % 2 else np.concatenate([[0.5], np.ones(count - 1), [0.5]])
    turn = np.convolve(periods, kernel, "valid")  # the turn around each gap, so that creeping speed falls out
    first = (periods.size - turn.size) // 2
    share = periods[first : first + turn.size] / turn
    each = share[: share.size // count * count].reshape(-1, count)
    lasts = turn[: each.size].reshape(-1, count).mean(axis=1)
    each = each[np.abs(lasts / np.median(lasts) - 1.0) <= STEADY]
    order = (np.arange(count) + int(np.argmax(each.mean(axis=0)))) % count
    shares = each.mean(axis=0)[order] / each.mean(axis=0).sum()
    sds = each.std(axis=0, ddof=1)[order] / math.sqrt(len(each)) * coverage(len(each) - 1)
    return Gaps(count, tuple(shares.tolist()), tuple(sds.tolist()), left[count], count == 1)


@dataclass(frozen=True)
class SteadyGaps:
    """The gaps of a steady run: after how many they repeat, the share of a turn of each with its sd, the
    jitter as a share of the period, and that period, s."""

    count: int
    shares: list[float]
    sds: list[float]
    jitter: float
    period_s: float
    n: int


class SteadyRun(Procedure[SteadyGaps]):
    """Magnets a turn, and the share of each gap, from a steady run: unequal gaps make the speed ripple once a
    turn."""

    id = "steady-run"
    takes = SteadyGaps
    title = "Steady run"
    prepare = ("Drive the wheel off the ground at a steady speed, neither slow nor fast.",)
    cautions = (SPINNING,)
    seconds = 8.0
    least = 3 * MOST_GAPS
    counted: str = "magnets"

    def wants(self, steps: Steps[SteadyGaps], values: Values) -> tuple[Want, ...]:
        return (Want("run", "steady run", "Keep it turning at one speed."),)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[SteadyGaps],
        values: Values,
    ) -> Holding:
        times = edge_times_s(window)
        if times.size < 4:
            return Holding(False, "It hardly turns: drive the wheel.")
        periods = np.diff(times)
        half = periods.size // 2
        rate = 1.0 / float(np.mean(periods))
        shown = f"{rate:.1f} Hz"
        change = abs(float(periods[half:].mean() / periods[:half].mean()) - 1.0)
        if change > STEADY:
            return Holding(
                False, f"Its speed changed by {100 * change:.0f} % just now: keep it steady.", figure=shown
            )
        if times.size < self.least:
            return Holding(False, f"{times.size} of {self.least} pulses.", held_s=window.span_s, figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> SteadyGaps:
        times = edge_times_s(window)
        if times.size < self.least:
            raise BadInput(f"A steady run needs at least {self.least} pulses, not {times.size}.", "channel")
        gaps = gaps_of(times)
        period_s = float(np.mean(np.diff(times)))
        return SteadyGaps(
            gaps.count, list(gaps.shares), list(gaps.sds), gaps.jitter, period_s, int(times.size)
        )

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        return ("run", {}) if label.strip().lower() in ("run", "steady run", "steady") else None

    def fit(self, steps: Steps[SteadyGaps], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "The gaps between magnets are taken as equal",
                "Half a minute of steady turning will do.",
                "Hold one steady run.",
            )
        gaps = steps[0].taken
        count, shares, sds = gaps.count, gaps.shares, gaps.sds
        known = int(values[self.counted].value)
        jitter = FittedConstant("jitter", 1e6 * gaps.jitter * gaps.period_s, None)
        if count == 1:
            return Outcome(
                "Its pulses come evenly",
                "Good: no gap differs, so nothing has to be put right.",
                constants=(jitter,),
                notes=(
                    f"Evenly spaced {self.counted} cannot be counted by their pulses: "
                    f"{known} are said to be there.",
                ),
            )
        ripple = 100 * (max(shares) * count - 1)
        notes = []
        if count != known:
            notes.append(f"The rig says {known} {self.counted}; the pulses repeat every {count}: count them.")
        constants = (
            FittedConstant(self.counted, float(count), None),
            jitter,
            *(
                FittedConstant(f"gap_{i}", share, sd)
                for i, (share, sd) in enumerate(zip(shares, sds, strict=True), 1)
            ),
        )
        dots = tuple(
            Dot(i, 100 * share, 200 * sd, label=f"gap {i}")
            for i, (share, sd) in enumerate(zip(shares, sds, strict=True), 1)
        )
        even = PlotLine("even", ((1.0, 100.0 / count), (float(count), 100.0 / count)))
        rows = tuple(
            (f"{i}", f"{100 * share:.2f} ± {200 * sd:.2f} %")
            for i, (share, sd) in enumerate(zip(shares, sds, strict=True), 1)
        )
        return Outcome(
            f"{count} {self.counted} a turn; the widest gap is {ripple:.1f} % too wide",
            f"{'Good' if max(sds) * count < GAP_SD else 'Rough'}: each gap is known to ± "
            f"{200 * max(sds) * count:.2f} % of itself.",
            constants=constants,
            notes=tuple(notes),
            plots=(Plot("Share of each gap", "gap", "", "share of a turn", "%", dots, (even,)),),
            tables=(Table("Gaps, widest first", ("gap", "share of a turn"), rows),),
        )


class SteadyMarks(SteadyRun):
    """The same for the marks of a tachometer."""

    id = "steady-marks"
    title = "Steady run"
    counted = "marks"


@dataclass(frozen=True)
class MarkRate:
    """Marks a second."""

    hz: float
    n: int


class SecondOpinion(Procedure[MarkRate]):
    """Marks per turn from a second opinion: what another instrument says of the same shaft at the same
    moment."""

    id = "marks"
    takes = MarkRate
    title = "Second opinion"
    prepare = ("Another instrument on the same shaft: a contact tachometer, a video, a motor constant.",)
    cautions = (SPINNING,)
    seconds = 2.0
    notebook = (
        FormField("rpm", "the other says", "rpm", 300, 0.01, 1e6),
        FormField("reading", "pulses", "Hz", 5, 0.001, 1e6),
    )

    def wants(self, steps: Steps[MarkRate], values: Values) -> tuple[Want, ...]:
        field = FormField("rpm", "The other instrument says", "rpm", None, 0.01, 1e6)
        return numbered(steps, "speed", "Keep it turning, and type what the other says.", 1, (field,))

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[MarkRate],
        values: Values,
    ) -> Holding:
        times = edge_times_s(window)
        if times.size < 4:
            return Holding(False, "No pulses come: is it turning, and does the sensor see its mark?")
        rate = (times.size - 1) / float(times[-1] - times[0])
        shown = f"{rate:.1f} Hz"
        half = times.size // 2
        halves = [float(np.mean(np.diff(part))) for part in (times[:half], times[half:]) if part.size > 1]
        if len(halves) == 2 and abs(halves[1] / halves[0] - 1) > 2 * STEADY:
            return Holding(False, "Its speed changes: keep it steady.", figure=shown)
        if window.span_s < 0.8 * self.seconds:
            return Holding(False, f"Steady for {window.span_s:.1f} s of {self.seconds:g} s.", figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> MarkRate:
        times = edge_times_s(window)
        if times.size < 3:
            raise BadInput("No pulses came: is it turning, and does the sensor see its mark?", "rpm")
        return MarkRate((times.size - 1) / float(times[-1] - times[0]), int(times.size))

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[MarkRate]:
        return Step("speed 1", "speed 1", {"rpm": row["rpm"]}, MarkRate(row["reading"], 1))

    def fit(self, steps: Steps[MarkRate], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "How many marks pass in a turn is only counted by eye",
                "One speed that another instrument knows.",
                "Type what the other instrument says.",
            )
        ratios = [60.0 * step.taken.hz / step.truth["rpm"] for step in steps]
        middle = float(np.median(ratios))
        whole = max(1, round(middle))
        left = {step.key: item - whole for step, item in zip(steps, ratios, strict=True)}
        if abs(middle - whole) > 0.12 * max(1.0, whole / 2) or np.ptp(ratios) > 0.25 * whole:
            why = (
                f"The pulses say {middle:.2f} marks a turn, which is no whole number: "
                "chatter, missed marks, or the other instrument is wrong. Second opinion "
                "at Convert holds them all against each other."
            )
            return Outcome(f"{middle:.2f} marks a turn cannot be", why, why, left=left, left_unit="marks")
        return Outcome(
            f"{whole} mark{'s' * (whole != 1)} a turn",
            f"Good: the two say {middle:.2f}.",
            constants=(FittedConstant("marks", float(whole), None),),
            left=left,
            left_unit="marks",
        )


PROCEDURES = (SteadyRun(), SteadyMarks(), SecondOpinion())
