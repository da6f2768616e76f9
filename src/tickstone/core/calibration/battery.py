"""The battery divider: two readings of a voltmeter, and the ratio that the resistors really have."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core import adc
from tickstone.core.calibration.means import HeldMean, below_a_step, coverage, mean_of
from tickstone.core.calibration.procedure import (
    FittedConstant,
    FormField,
    Holding,
    Outcome,
    Procedure,
    Step,
    Steps,
    Want,
    Window,
    not_ready,
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.calibration.still import NO_READING, why_moving
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, PlotLine
from tickstone.errors import BadInput

METER_SHARE, METER_V = 0.005, 0.01  # of a plain voltmeter, k = 1: common practice
SAME_SHARE = 0.02


class TwoVolts(Procedure[HeldMean]):
    """Volts by a meter at two states of the battery, against what the converter reads."""

    id = "voltmeter"
    takes = HeldMean
    title = "Two voltmeter readings"
    prepare = (
        "A voltmeter on the battery’s own terminals.",
        "Two states well apart: freshly charged, and after a run; or a bench supply at two settings.",
    )
    cautions = ("Lithium cells: never short them; tape one probe’s tip down to the last millimetre.",)
    rests_on = ("reference", "bits")
    notebook = (
        FormField("volts", "the meter says", "V", 7.4, 0.05, 1000),
        FormField("reading", "counts", "", 700, 0, 16_777_215),
    )

    def wants(self, steps: Steps[HeldMean], values: Values) -> tuple[Want, ...]:
        field = FormField("volts", "The voltmeter says", "V", None, 0.05, 1000)
        return numbered(steps, "reading", "Read the meter while nothing draws current.", 2, (field,))

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldMean],
        values: Values,
    ) -> Holding:
        counts = window.told("counts")
        if counts.size < 2:
            return not_ready(NO_READING)
        shown = f"{np.median(counts):.0f}"
        if float(np.median(counts)) >= 2 ** values["bits"].value - 1:
            return Holding(
                False, "The converter is at its top: this battery needs a larger divider.", figure=shown
            )
        limits = {"counts": (max(3.0, 3 * values["noise"].value), "counts")}
        why = why_moving(window, limits, self.seconds, "Wait until it settles")
        if why:
            return not_ready(why, window.span_s, shown)
        volts = truth["volts"]
        readings = window.converted[np.isfinite(window.converted)]
        if readings.size and abs(float(np.median(readings)) / volts - 1) > 0.25:
            return Holding(
                False,
                f"It says about {np.median(readings):.1f} V, not {volts:g}: look at the "
                "meter, or the divider.",
                figure=shown,
            )
        for step in steps:
            if (
                abs(step.truth["volts"] / volts - 1) < SAME_SHARE
                and want is not None
                and step.key != want.key
            ):
                return Holding(
                    False, f"Almost the same as {step.label}: charge it, or run it down first.", figure=shown
                )
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> HeldMean:
        mean = mean_of(window.told("counts"), 1.0)
        if not mean.n:
            raise BadInput("There is no reading to take.", "volts")
        return HeldMean.of(mean)

    def notebook_channels(self, row: Mapping[str, float]) -> dict[str, float]:
        return {"counts": row["reading"]}

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[HeldMean]:
        return Step(
            "reading 1",
            "reading 1",
            {"volts": row["volts"]},
            HeldMean(row["reading"], 0.3),
        )

    def fit(self, steps: Steps[HeldMean], values: Values) -> Outcome:
        by_parts = (values["top"].value + values["bottom"].value) / values["bottom"].value
        if not steps:
            return Outcome(
                f"The divider is taken as its resistors’ print says, ÷ {by_parts:.3f}",
                "Two readings of a voltmeter settle it.",
                "Hold two readings.",
            )
        step_v = adc.lsb_v(int(values["bits"].value), values["reference"].value)
        pin = np.array([step.taken.mean for step in steps]) * step_v
        volts = np.array([step.truth["volts"] for step in steps])
        if np.any(pin <= 0):
            why = "It reads 0 while the meter shows volts: the wire to the middle of the divider is off."
            return Outcome("The divider’s middle is not connected", why, why)
        sds = np.hypot(
            np.hypot(METER_SHARE * volts, METER_V),
            by_parts * step_v * np.array([step.taken.mean_sd for step in steps]),
        )
        weight = (pin / sds) ** 2
        ratio = float((volts / pin * weight).sum() / weight.sum())
        sd = 1.0 / math.sqrt(float(weight.sum()))
        left = {step.key: float(ratio * p - v) for step, p, v in zip(steps, pin, volts, strict=True)}
        if len(steps) < 2:
            return Outcome(
                f"One reading says ÷ {ratio:.3f}",
                "A second one, well apart, shows whether it holds.",
                "Hold a second reading.",
                left=left,
                left_unit="V",
            )
        if float(volts.max() / volts.min()) < 1 + SAME_SHARE:
            why = "Both readings are of the same state: charge it, or run it down, and read again."
            return Outcome("Two readings of one state are one reading", why, why, left=left, left_unit="V")
        chi = math.sqrt(
            sum((item / s) ** 2 for item, s in zip(left.values(), sds, strict=True)) / (len(steps) - 1)
        )
        odd = chi > 3
        wide = sd * (chi if odd else 1.0) * (coverage(len(steps) - 1) if odd else 1.0)
        change = 100 * (ratio / by_parts - 1)
        verdict = (
            f"Good: both readings agree within {max(abs(item) for item in left.values()):.2f} V."
            if not odd
            else (
                "Rough: the two say different ratios. Is the reference the same in both, "
                "and the ground common?"
            )
        )
        line = PlotLine("", tuple((float(v), float(v) / ratio) for v in (0.0, volts.max() * 1.1)))
        dots = tuple(
            Dot(float(v), float(p), off=odd, label=step.label)
            for step, v, p in zip(steps, volts, pin, strict=True)
        )
        return Outcome(
            f"The divider is ÷ {ratio:.3f} ± {2 * wide:.3f}",
            verdict,
            constants=(FittedConstant("ratio", ratio, wide),),
            notes=(
                *below_a_step([step.taken.sd for step in steps], 1.0, min(step.taken.n for step in steps)),
                f"By the resistors’ print it would be ÷ {by_parts:.3f}: {abs(change):.1f} % "
                f"{'more' if change < 0 else 'less'}.",
            ),
            left=left,
            left_unit="V",
            plots=(Plot("At the pin against the meter", "meter", "V", "at the pin", "V", dots, (line,)),),
        )


PROCEDURES = (TwoVolts(),)
