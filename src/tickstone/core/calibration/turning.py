"""Wheels, rollers and shafts: roll-out, magnets and their gaps, steps of a roller, marks and their
threshold."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import astuple, dataclass
from typing import Any

import numpy as np

from tickstone.core.calibration.means import coverage, repeats
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Holding,
    Outcome,
    Procedure,
    Step,
    Steps,
    Typed,
    Want,
    Window,
    not_ready,
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.calibration.still import TOO_FEW
from tickstone.core.checks import check_between
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, PlotLine, Table
from tickstone.core.noise import MAD_TO_SD, step_noise
from tickstone.core.thresholds import threshold_otsu
from tickstone.core.wording import fixed, significant
from tickstone.errors import BadInput

SPINNING = "Wheels off the ground; keep fingers, hair and sleeves away from what turns."
TAPE_SD_MM = 2.0  # how well both ends of a rolled way are found
LEAST_WAY_MM, MOST_WAY_MM = 20.0, 20_000.0  # of a turn of any wheel that is rolled along a tape
OTHER_ORDER = 4.0  # times the runs before: more than a miscounted turn explains
UNITS_MM = ((1.0, ""), (1000.0, "m"), (10.0, "cm"), (25.4, "in"))
AGREES = 0.02  # of the way: runs that spread more are no good run-out
PHASE_TURNS = 0.01  # how well a whole turn is found by a chalk mark
MOST_GAPS = 8
APART = 8.0  # times the noise, between mark and shaft, for a threshold that holds
TRUNCATED = 1.66  # an sd by that of its upper or lower half alone: 1 ÷ √(1 − 2 ÷ π)
LEAST_TURNS = 4.0
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


class RollOut(Typed):
    """Circumference by rolling whole turns along a tape, under load: not π times a nominal diameter."""

    id = "roll-out"
    title = "Roll-out"
    prepare = (
        "A chalk mark on tyre and floor, and a tape along the way.",
        "The load that it will carry: a loaded tyre rolls shorter.",
        "Ten turns are better than one: both ends’ errors are shared by all of them.",
    )
    fields = (
        FormField("turns", "Whole turns", "", 10, 1, 10_000, whole=True),
        FormField("distance_mm", "Way along the tape", "mm", None, 10, 1e7),
        FormField("load_kg", "Load on it", "kg", None, 0, 5000, needed=False),
    )
    notebook = fields
    rests_on = ("load",)  # a loaded tyre rolls shorter

    def wants(self, steps: Steps[None], values: Values) -> tuple[Want, ...]:
        return numbered(
            steps, "run", "Roll it from mark to mark, and read the tape.", 3, self.fields, watched=False
        )

    def check_typed(self, truth: Mapping[str, float], steps: Steps[None], values: Values) -> None:
        """A way of another order than the runs before, or than any wheel, was meant in another unit."""
        way = truth["distance_mm"] / truth["turns"]
        before = [step.truth["distance_mm"] / step.truth["turns"] for step in steps]
        usual = float(np.median(before)) if before else None
        if usual is None and LEAST_WAY_MM <= way <= MOST_WAY_MM:
            return
        if usual is not None and 1 / OTHER_ORDER < way / usual < OTHER_ORDER:
            return
        meant = usual if usual is not None else math.sqrt(LEAST_WAY_MM * MOST_WAY_MM)
        _, unit = min(UNITS_MM, key=lambda item: abs(math.log(way * item[0] / meant)))
        text = f"{truth['distance_mm']:g} mm in {truth['turns']:g} turns is {significant(way, 4)} mm a turn"
        text += (
            f", and {significant(usual, 4)} mm before." if usual is not None else ": no wheel is like that."
        )
        maybe = f" Did you mean {truth['distance_mm']:g} {unit}?" if unit else " Were the turns miscounted?"
        raise BadInput(text + maybe, "distance_mm")

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[None]:
        check_between(row["turns"], 1, 10_000, "turns")
        check_between(row["distance_mm"], 10, 1e7, "distance_mm")
        return Step("run 1", "run 1", dict(row), None)

    def fit(self, steps: Steps[None], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "The wheel’s way is taken from its nominal size",
                "One run gives it; three say how well.",
                "Roll it once.",
            )
        ways = [step.truth["distance_mm"] / step.truth["turns"] for step in steps]
        mean = repeats(ways)
        known = [
            math.hypot(math.sqrt(2) * TAPE_SD_MM, PHASE_TURNS * way) / step.truth["turns"]
            for step, way in zip(steps, ways, strict=True)
        ]
        weight = 1.0 / np.square(known)
        value = float((np.array(ways) * weight).sum() / weight.sum())
        sd = 1.0 / math.sqrt(float(weight.sum()))
        off = [(way - value) / item for way, item in zip(ways, known, strict=True)]
        chi = math.sqrt(sum(item**2 for item in off) / (len(ways) - 1)) if len(ways) > 1 else 1.0
        sd *= max(1.0, chi) if len(ways) > 3 else 1.0
        repeat = tuple(
            step.key for step, item in zip(steps, off, strict=True) if abs(item) > 4 and len(ways) > 2
        )
        nominal = math.pi * values["diameter"].value if "diameter" in values else None
        notes = []
        if nominal:
            notes.append(
                (
                    f"π × the nominal diameter would have said {nominal:.0f} mm, "
                    f"{100 * (nominal / value - 1):+.1f} %."
                ).replace("-", "−")
            )
        loads = {step.truth["load_kg"] for step in steps if "load_kg" in step.truth}
        if len(loads) > 1:
            notes.append("The runs were made under different loads: the mean belongs to none of them.")
        load = (FittedConstant("load", loads.pop(), None),) if len(loads) == 1 else ()
        agrees = 2 * mean.spread <= AGREES * value if len(ways) > 1 else False
        verdict = (
            "One run: repeat it twice."
            if len(ways) == 1
            else f"{'Good' if agrees else 'Rough'}: the runs {'agree within' if agrees else 'differ by'} "
            f"± {fixed(2 * mean.spread, 1)} mm."
            + ("" if agrees else " Was every turn counted, and the tape read alike?")
        )
        if repeat:
            verdict = f"Repeat {repeat[0]}: it is {abs(max(off, key=abs)):.0f} σ off. A turn miscounted?"
        return Outcome(
            f"One turn is {value:.1f} ± {2 * sd:.1f} mm",
            verdict,
            constants=(*load, FittedConstant("circumference", value, sd)),
            notes=tuple(notes),
            repeat=repeat,
            left={step.key: way - value for step, way in zip(steps, ways, strict=True)},
            left_unit="mm a turn",
            sigmas={step.key: item for step, item in zip(steps, off, strict=True)},
        )


@dataclass(frozen=True)
class CountedSteps:
    """Steps counted over the turns that were typed."""

    steps: float
    n: int


class RollerSteps(Procedure[CountedSteps]):
    """Steps per turn of an encoder, by turning its roller whole turns."""

    id = "steps"
    takes = CountedSteps
    title = "Steps per turn"
    prepare = (
        "A mark on the roller against a mark beside it.",
        "Turn one way only, slowly, to the mark exactly.",
    )
    seconds = 0.0
    notebook = (
        FormField("turns", "turns", "", 10, 1, 1000, whole=True),
        FormField("reading", "steps counted", "", 300, 1, 1e9),
    )

    def wants(self, steps: Steps[CountedSteps], values: Values) -> tuple[Want, ...]:
        field = FormField("turns", "It will be turned by", "turns", 10, 1, 1000, whole=True)
        return numbered(steps, "run", "Turn it from mark to mark; it is taken when it stands.", 2, (field,))

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[CountedSteps],
        values: Values,
    ) -> Holding:
        counted, last_s = counted_steps(window)
        if counted is None:
            return Holding(False, "No step yet: turn the roller.")
        shown = f"{counted:.0f}"
        steps_word = "step" if shown == "1" else "steps"
        rest = float(window.times_s[-1]) - last_s if window.times_s.size else 0.0
        least = values["steps"].value * truth["turns"] * 0.5
        if counted < least and counted / truth["turns"] < 2:
            return Holding(False, f"{shown} {steps_word}: go on.", figure=shown)
        if rest < 1.5:
            return Holding(False, f"{shown} {steps_word}: it is taken when it stands.", figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> CountedSteps:
        counted, _ = counted_steps(window)
        if not counted:
            raise BadInput("No step was counted: turn the roller, or look at its wires.", "turns")
        return CountedSteps(counted, int(counted))

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[CountedSteps]:
        return Step(
            "run 1", "run 1", {"turns": row["turns"]}, CountedSteps(row["reading"], int(row["reading"]))
        )

    def fit(self, steps: Steps[CountedSteps], values: Values) -> Outcome:
        if not steps:
            return Outcome("Steps per turn are taken as usual", "Turn it ten turns, twice.", "Turn it once.")
        per_turn = [step.taken.steps / step.truth["turns"] for step in steps]
        turns = sum(step.truth["turns"] for step in steps)
        value = sum(step.taken.steps for step in steps) / turns
        whole = round(value)
        allowed = 0.05 * value + 1.5 * len(steps) / turns
        if abs(value - whole) > min(0.35, allowed) or np.ptp(per_turn) > 2 * allowed:
            why = (
                f"The runs say {', '.join(f'{item:.2f}' for item in per_turn)} steps a turn: some are lost "
                "or doubled, or a turn was miscounted. Turn more slowly, and again."
            )
            return Outcome(
                "The runs do not agree on whole steps", why, why, repeat=tuple(step.key for step in steps)
            )
        return Outcome(
            f"One turn is {whole} steps",
            f"Good: {turns:g} turns say {value:.2f}.",
            constants=(FittedConstant("steps", float(whole), None),),
            left={step.key: item - whole for step, item in zip(steps, per_turn, strict=True)},
            left_unit="steps a turn",
        )


def counted_steps(window: Window) -> tuple[float | None, float]:
    """Steps counted in a window (None: not a single reading), and when the last one came, s."""
    if "count" in window.channels:
        counts = window.channels["count"]
        known = np.isfinite(counts)
        if not known.any():
            return None, 0.0
        times, counts = window.times_s[known], counts[known]
        moved = np.flatnonzero(np.diff(counts))
        return abs(float(counts[-1] - counts[0])), float(times[moved[-1] + 1]) if moved.size else float(
            times[0]
        )
    a, b = window.channels["a"], window.channels["b"]
    known = np.isfinite(a) & np.isfinite(b)
    if not known.any():
        return None, 0.0
    times, code = window.times_s[known], 2 * a[known] + b[known]
    gray = np.array([0, 3, 1, 2])[code.astype(int)]  # in the order a leads b
    step = (np.diff(gray) + 1) % 4 - 1
    moved = np.flatnonzero(step)
    return abs(float(step[step != 2].sum())), float(times[moved[-1] + 1]) if moved.size else float(times[0])


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


@dataclass(frozen=True)
class MarkLevels:
    """Levels of mark and shaft in a trace, counts, its noise (k = 1), and how many marks a second passed."""

    low: float
    high: float
    noise: float
    hz: float


@dataclass(frozen=True)
class Traces:
    """Levels by channel, of those that saw a mark."""

    n: int
    levels: dict[str, MarkLevels]


class MarkTrace(Procedure[Traces]):
    """Threshold and hysteresis of a mark before an analogue reflective sensor, from its trace while the shaft
    turns."""

    id = "trace"
    title = "Marks in the trace"
    prepare = (
        "One sensor of the row before the shaft’s mark; let it turn slowly, so that the trace has many "
        "readings a mark.",
    )
    cautions = (SPINNING,)
    seconds = 3.0
    rests_on = ("reference", "bits")

    def wants(self, steps: Steps[Traces], values: Values) -> tuple[Want, ...]:
        sensor = FormField("sensor", "Sensor", "", 1, 1, values["sensors"].value)
        return (Want("trace", "turning", "Let it turn at one speed.", (sensor,)),)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[Traces],
        values: Values,
    ) -> Holding:
        readings = window.told(f"s{int(truth.get('sensor', 1))}")
        if readings.size < 20:
            return not_ready(TOO_FEW)
        swing = float(np.percentile(readings, 98) - np.percentile(readings, 2))
        shown = f"{swing:.0f}"
        noise = _plateau_noise(readings)
        if swing < max(8.0, 8.0 * noise):
            return Holding(
                False,
                f"It swings by {swing:.0f} counts only: no mark passes, or it is too far away.",
                figure=shown,
            )
        if window.span_s < 0.9 * self.seconds:
            return Holding(False, f"{window.span_s:.1f} s of {self.seconds:g} s.", figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> Traces:
        names = [name for name in window.channels if name.startswith("s") and window.told(name).size > 20]
        if not names:
            raise BadInput("There is no trace to take.", "sensor")
        levels: dict[str, MarkLevels] = {}
        for name in names:
            readings = window.told(name)
            cut = threshold_otsu(readings).threshold
            low, high = readings[readings <= cut], readings[readings > cut]
            if low.size < 5 or high.size < 5:
                continue
            noise = _plateau_noise(readings)
            hz = _crossings(window, name, cut, 3 * noise)
            levels[name] = MarkLevels(float(np.median(low)), float(np.median(high)), noise, hz)
        return Traces(int(window.times_s.size), levels)

    def stored(self, taken: Traces) -> dict[str, Any]:
        return {"n": taken.n} | {name: list(astuple(levels)) for name, levels in taken.levels.items()}

    def restored(self, stored: Mapping[str, Any]) -> Traces:
        return Traces(
            stored["n"], {name: MarkLevels(*levels) for name, levels in stored.items() if name != "n"}
        )

    def fit(self, steps: Steps[Traces], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "The threshold for marks is not known", "A few seconds of turning will do.", "Hold one trace."
            )
        name = f"s{int(steps[0].truth.get('sensor', 1))}"
        levels = steps[0].taken.levels.get(name)
        if levels is None:
            why = f"{name} saw no mark: turn it nearer, or choose the sensor that does."
            return Outcome("No mark was seen", why, why)
        low, high, noise, hz = levels.low, levels.high, levels.noise, levels.hz
        threshold, band = (low + high) / 2, 6.0 * noise
        if band > 0.5 * (high - low):
            why = (
                f"Noise of {noise:.0f} counts fills the {high - low:.0f} between mark and shaft: it would "
                "chatter. Go nearer."
            )
            return Outcome("The mark drowns in noise", why, why)
        return Outcome(
            f"Marks at {threshold:.0f} counts, {band:.0f} wide",
            f"{'Good' if high - low > APART * noise else 'Rough'}: "
            f"{(high - low) / noise:.0f} times the noise apart.",
            constants=(
                FittedConstant("mark_threshold", threshold, noise / 2),
                FittedConstant("mark_hysteresis", band, None),
            ),
            notes=(
                f"{hz:.1f} marks a second passed. Below {threshold - band / 2:.0f} it is one, above "
                f"{threshold + band / 2:.0f} the other.",
            ),
        )


def _plateau_noise(readings: Array) -> float:
    """Noise of a trace, counts: of each level by itself where the steps between them would be taken for it,
    and half a step of the converter at least."""
    whole = step_noise(readings) or 0.0
    cut = threshold_otsu(readings).threshold if readings.min() < readings.max() else readings[0]
    levels = [step_noise(part) or 0.0 for part in (readings[readings <= cut], readings[readings > cut])]
    return max(0.5, min(whole, TRUNCATED * max(levels)))


def _crossings(window: Window, name: str, threshold: float, half_band: float) -> float:
    """Marks a second, counted with hysteresis."""
    readings = window.channels[name]
    known = np.isfinite(readings)
    readings, times = readings[known], window.times_s[known]
    state = np.where(readings > threshold + half_band, 1, np.where(readings < threshold - half_band, 0, -1))
    values = state[state >= 0]
    return float((np.diff(values) == 1).sum()) / max(float(times[-1] - times[0]), 1e-9)


PROCEDURES = (RollOut(), RollerSteps(), SteadyRun(), SteadyMarks(), SecondOpinion(), MarkTrace())
