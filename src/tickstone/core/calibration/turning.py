"""What turns steadily: magnets and their gaps, and marks a turn by another instrument."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tickstone.core.calibration.gaps import MOST_GAPS, STEADY, counts_of, gaps_of
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
from tickstone.errors import BadInput

SPINNING = "Wheels off the ground; keep fingers, hair and sleeves away from what turns."
GAP_SD = 0.01  # of itself: a gap that is known worse is not known well
RAGGED = 0.15  # of a gap: what repeats no better than that is no steady run


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
    return np.unique(times[1:][(levels[1:] < 0.5) & (levels[:-1] >= 0.5)])


@dataclass(frozen=True)
class SteadyGaps:
    """The gaps of a steady run: after how many they repeat, the share of a turn of each with its sd, the
    jitter as a share of the period, and that period, s. The same of other numbers a turn that it may be, by
    that number, and which of them explain more than the fewest do."""

    count: int
    shares: list[float]
    sds: list[float]
    jitter: float
    period_s: float
    n: int
    others: dict[str, list[list[float]]] = field(default_factory=dict)
    likely: list[int] = field(default_factory=list)

    def shared(self, count: int) -> tuple[list[float], list[float]] | None:
        """Shares and sds with so many a turn; None where they cannot be so many."""
        if count == self.count:
            return self.shares, self.sds
        shares, sds = self.others.get(str(count), (None, None))
        return None if shares is None or sds is None else (shares, sds)


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
        counted = FormField(
            "count", f"{self.counted.capitalize()} a turn", "", None, 1, MOST_GAPS, needed=False
        )
        return (Want("run", "steady run", "Keep it turning at one speed.", (counted,)),)

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
        fewest, *likely = counts_of(times)
        gaps = gaps_of(times, fewest)
        if gaps is None:
            raise BadInput("Hardly two turns of this run were equally fast: keep it steady.", "channel")
        others = {
            str(count): other
            for count in range(fewest + 1, MOST_GAPS + 1)
            if (count % fewest == 0 or count in likely) and (other := gaps_of(times, count)) is not None
        }
        return SteadyGaps(
            gaps.count,
            list(gaps.shares),
            list(gaps.sds),
            gaps.jitter,
            float(np.mean(np.diff(times))),
            int(times.size),
            {count: [list(other.shares), list(other.sds)] for count, other in others.items()},
            likely,
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
        gaps, known = steps[0].taken, int(values[self.counted].value)
        typed = steps[0].truth.get("count")
        asked = self._asked(gaps, known, typed)
        if asked:
            return asked
        count = gaps.count
        if typed is not None or (count > 1 and known % count == 0):
            count = int(known if typed is None else typed)
        shares, sds = gaps.shared(count) or (gaps.shares, gaps.sds)
        jitter = FittedConstant("jitter", 1e6 * gaps.jitter * gaps.period_s, None)
        if gaps.count == 1 and typed is None:
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
        if gaps.count != count:
            notes.append(f"The pulses repeat every {gaps.count}: some gaps are alike.")
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

    def _asked(self, gaps: SteadyGaps, known: int, typed: float | None) -> Outcome | None:
        """Why the run gives no count, or what must be known of it first; None where it does."""
        if gaps.jitter > RAGGED:
            why = (
                f"From turn to turn a gap changes by {100 * gaps.jitter:.0f} % of itself: pulses are missed "
                "or doubled, or the speed is not held. Mend that, and hold it again."
            )
            return Outcome("Its pulses do not repeat", why, why)
        if typed is not None:
            if gaps.shared(int(typed)) is not None and typed == int(typed):
                return None
            why = (
                f"Its pulses repeat every {gaps.count}, which {typed:g} {self.counted} a turn cannot make: "
                "count again, or look for pulses that are missed."
            )
            return Outcome(f"{typed:g} {self.counted} a turn do not fit", why, why)
        count_them = f"Count the {self.counted}, type their number above, and hold the run again."
        if gaps.likely:
            counts = " or ".join(f"{count}" for count in (gaps.count, *gaps.likely))
            return Outcome(
                f"{counts} {self.counted} a turn: this run cannot tell",
                f"{count_them} A longer run tells more.",
                count_them,
            )
        if gaps.count > 1 and known % gaps.count:
            return Outcome(
                f"The pulses repeat every {gaps.count}; the rig says {known} {self.counted}",
                f"{gaps.count} a turn, or a multiple with some gaps alike. {count_them}",
                count_them,
            )
        return None


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
