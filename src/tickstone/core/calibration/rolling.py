"""Wheels and rollers: the circumference by rolling it out, and how many steps a turn gives."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from tickstone.core.calibration.means import repeats
from tickstone.core.calibration.procedure import (
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
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.checks import check_between
from tickstone.core.constants import Values
from tickstone.core.units import LENGTHS_MM
from tickstone.core.wording import fixed, significant
from tickstone.errors import BadInput

TAPE_SD_MM = 2.0  # how well both ends of a rolled way are found
LEAST_WAY_MM, MOST_WAY_MM = 20.0, 20_000.0  # of a turn of any wheel that is rolled along a tape
OTHER_ORDER = 4.0  # times the runs before: more than a miscounted turn explains
UNITS_MM = ((1.0, ""), *((LENGTHS_MM[unit], unit) for unit in ("m", "cm", "in")))
AGREES = 0.02  # of the way: runs that spread more are no good run-out
PHASE_TURNS = 0.01  # how well a whole turn is found by a chalk mark


class RollOut(Typed):
    """Circumference by rolling whole turns along a tape, under load: not π times a nominal diameter."""

    id = "roll-out"
    title = "Roll-out"
    prepare = (
        "A chalk mark on tyre and floor, and a tape along where it rolls.",
        "The load that it will carry: a loaded tyre rolls shorter.",
        "Ten turns are better than one: both ends’ errors are shared by all of them.",
    )
    fields = (
        FormField("turns", "Whole turns", "", 10, 1, 10_000, whole=True, counted_by="turns"),
        FormField("distance_mm", "Distance along the tape", "mm", None, 10, 1e7),
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
                "The wheel’s circumference is taken from its nominal size",
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


PROCEDURES = (RollOut(), RollerSteps())
