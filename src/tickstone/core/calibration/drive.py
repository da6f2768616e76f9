"""The whole vehicle: where motors begin to turn, how straight it runs, and its track by squares both ways
round."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import ClassVar

import numpy as np

from tickstone.core.calibration.means import coverage, repeats
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Outcome,
    Step,
    Steps,
    Typed,
    Want,
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, Table
from tickstone.core.motion import arc_step

STRAIGHT_PCT = (
    0.5  # the ± of a difference between the wheels that is good enough, where the difference is small
)
FIRST_RUN = "Wheels off the ground for the first run; keep fingers, hair and sleeves away."
ROOM = "Clear floor, nobody in the way, and a switch within reach that stops it."


class TypedRuns(Typed):
    """Runs that are only read off and typed, whose notebook has a line each."""

    noun: ClassVar[str]

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[None]:
        return Step(f"{self.noun} 1", f"{self.noun} 1", dict(row), None)


class DeadBand(TypedRuns):
    """The least drive, in percent, at which each motor begins to turn."""

    id = "dead-band"
    noun = "try"
    title = "Dead band"
    prepare = (
        "Raise the drive by one percent at a time, from zero, until the wheel begins to turn.",
        "On the ground, with its load, once it is known to be safe: there it starts later.",
    )
    cautions = (FIRST_RUN,)
    fields = (
        FormField("left_pct", "Left begins at", "%", None, 0, 100),
        FormField("right_pct", "Right begins at", "%", None, 0, 100),
    )
    notebook = fields

    def wants(self, steps: Steps[None], values: Values) -> tuple[Want, ...]:
        return numbered(
            steps,
            self.noun,
            "Raise the drive from zero until each wheel begins to turn.",
            3,
            self.fields,
            watched=False,
        )

    def fit(self, steps: Steps[None], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "Where the motors begin to turn is not known", "Three tries a motor.", "Try it once."
            )
        results = {side: repeats([step.truth[f"{side}_pct"] for step in steps]) for side in ("left", "right")}
        sds = {side: mean.sd if len(steps) > 2 else 1.0 for side, mean in results.items()}
        left, right = results["left"], results["right"]
        apart = abs(left.value - right.value)
        return Outcome(
            f"Left begins at {left.value:.0f} %, right at {right.value:.0f} %",
            "Good: three tries agree."
            if len(steps) > 2 and max(left.spread, right.spread) < 3
            else "So far: try it three times.",
            constants=tuple(
                FittedConstant(f"dead_band_{side}", mean.value, math.hypot(sds[side], 0.29))
                for side, mean in results.items()
            ),
            notes=(f"They differ by {apart:.0f} %: give each its own offset.",) if apart > 3 else (),
            tables=(
                Table(
                    "Begins to turn at",
                    ("try", "left", "right"),
                    tuple(
                        (step.label, f"{step.truth['left_pct']:g} %", f"{step.truth['right_pct']:g} %")
                        for step in steps
                    ),
                ),
            ),
        )


class StraightRun(TypedRuns):
    """Left against right from a run along a tape with the same drive on both sides."""

    id = "straight-run"
    noun = "run"
    title = "Straight run"
    prepare = (
        "A tape laid straight, two to five metres; set it off exactly along it.",
        "Same drive on both motors, no steering.",
    )
    cautions = (FIRST_RUN, ROOM)
    fields = (
        FormField("distance_mm", "Run along the tape", "mm", 3000, 200, 100_000),
        FormField("left_mm", "It ended left of the tape by (right: minus)", "mm", None, -20_000, 20_000),
    )
    notebook = fields
    rests_on = ("track",)

    def wants(self, steps: Steps[None], values: Values) -> tuple[Want, ...]:
        return numbered(
            steps,
            self.noun,
            "Set it off along the tape; measure how far beside it ends.",
            3,
            self.fields,
            watched=False,
        )

    def fit(self, steps: Steps[None], values: Values) -> Outcome:
        if not steps:
            return Outcome("How straight it runs is not known", "Three runs along a tape.", "Run it once.")
        track = values["track"].value
        shares = [
            100 * track * 2 * s.truth["left_mm"] / (s.truth["distance_mm"] ** 2 + s.truth["left_mm"] ** 2)
            for s in steps
        ]
        mean = repeats(shares)
        sd = mean.sd if len(steps) > 2 else max(0.2, abs(mean.value) * 0.3)
        side = "right" if mean.value > 0 else "left"
        metre = 1000.0**2 * mean.value / 100 / track / 2
        good = 2 * sd <= max(STRAIGHT_PCT, abs(mean.value) / 2)
        standing = "So far" if len(steps) < 3 else "Good" if good else "Rough"
        drift = "left" if metre > 0 else "right"
        return Outcome(
            f"The {side} side goes {abs(mean.value):.2f} ± {2 * sd:.2f} % faster",
            f"{standing}: over a metre it drifts {abs(metre):.0f} mm to the {drift}.",
            constants=(FittedConstant("mismatch", mean.value, sd),),
            left={step.key: share - mean.value for step, share in zip(steps, shares, strict=True)},
            left_unit="%",
        )


CLOCKWISE, COUNTER = 0.0, 1.0
LEAST_EACH = 3
TRACK_SHARE = 0.03  # of the track: squares that leave more open are no good squares


class Squares(TypedRuns):
    """Track width and unequal wheels from squares driven both ways round.

    Source: Borenstein & Feng, IEEE Trans. Robotics and Automation 12 (1996) 869, the bidirectional
    square-path test (from memory; its first-order equations begin the fit of exact arcs).
    """

    id = "squares"
    noun = "square"
    title = "Squares"
    prepare = (
        "Mark a square of two to four metres; the vehicle steers by its own wheels’ counts alone.",
        "Set it off in one corner, along one side. When it is back, measure where it stands.",
        "Three runs to the left and three to the right: what both have in common is the track, what they "
        "have not, the wheels.",
    )
    cautions = (FIRST_RUN, ROOM)
    fields = (
        FormField("round", "Round to the", "", None, 0, 1, ("right", "left")),
        FormField("side_mm", "Side of the square", "mm", 2000, 300, 20_000),
        FormField("ahead_mm", "Back ahead of the start by", "mm", None, -5000, 5000),
        FormField("left_mm", "and left of it by", "mm", None, -5000, 5000),
    )
    notebook = fields
    rests_on = ("track", "circumference")

    def wants(self, steps: Steps[None], values: Values) -> tuple[Want, ...]:
        return numbered(
            steps,
            self.noun,
            "Drive one square; measure where it ends from where it began.",
            2 * LEAST_EACH,
            self.fields,
            watched=False,
        )

    def fit(self, steps: Steps[None], values: Values) -> Outcome:
        way = {way: [s for s in steps if s.truth["round"] == way] for way in (CLOCKWISE, COUNTER)}
        right, left = len(way[CLOCKWISE]), len(way[COUNTER])
        count = f"{right} to the right, {left} to the left"
        if min(right, left) < 2:
            return Outcome(
                count if steps else "Track and wheels are taken from a ruler",
                "Three squares each way round.",
                "Drive at least two squares each way round.",
                plots=_ends(steps),
            )
        sides = {step.truth["side_mm"] for step in steps}
        if len(sides) > 1:
            why = "The squares are of different sizes: drive them all alike."
            return Outcome("The squares are of different sizes", why, why, plots=_ends(steps))
        side, track = sides.pop(), values["track"].value
        ends = {
            w: np.array([[s.truth["ahead_mm"], s.truth["left_mm"]] for s in some]) for w, some in way.items()
        }
        alpha, beta, sd = square_errors(ends[CLOCKWISE], ends[COUNTER], side)
        true_track = track * (math.pi / 2) / (math.pi / 2 - alpha)
        track_sd = true_track * sd / (math.pi / 2 - alpha)
        share = beta * true_track / side  # of the middle's way, between the two wheels
        mismatch, mismatch_sd = 100 * share / (1 - share / 2), 100 * true_track / side * sd
        return Outcome(
            f"The track is {true_track:.1f} ± {2 * track_sd:.1f} mm; the right wheel is {abs(mismatch):.2f} "
            f"% {'larger' if mismatch > 0 else 'smaller'}",
            "So far: one more each way round."
            if min(right, left) < LEAST_EACH
            else "Good: both ways round were driven often enough."
            if track_sd <= TRACK_SHARE * true_track
            else "Rough: the squares end far apart. Drive them slower, and let it stand before you measure.",
            constants=(
                FittedConstant("track", true_track, track_sd),
                FittedConstant("mismatch", mismatch, mismatch_sd),
            ),
            notes=(
                f"{count}. A ruler had said {track:.0f} mm.",
                "Mean circumference comes from the roll-out: squares do not tell it.",
            ),
            plots=_ends(steps),
        )


def square_end(alpha: float, beta: float, side: float, way: float) -> tuple[float, float]:
    """Where a square ends, ahead of and left of its start, in the unit of ``side``.

    Parameters: alpha, rad, by which each corner is turned too little; beta, rad, by which each side curves to
    the left; way, +1 round to the left, −1 to the right. Sides are arcs, integrated exactly.
    """
    x = y = heading = 0.0
    for _ in range(4):
        x, y, heading = arc_step(side * (1 - beta / 2), side * (1 + beta / 2), side, x, y, heading)
        heading += way * math.degrees(math.pi / 2 - alpha)
    return x, y


def square_errors(clockwise: Array, counter: Array, side_mm: float) -> tuple[float, float, float]:
    """How much each corner is turned too little (alpha) and each side curves to the left (beta), rad, and the
    sd of both.

    Parameters: clockwise, counter, shape (n, 2) and (m, 2), n, m ≥ 2: ends ahead of and left of the start,
    mm; side_mm. To first order a square to the right ends at −2L(α + β) in both, one to the left at 2L(β − α)
    and −2L(β − α); from there the exact arcs are fitted to the mean ends.
    """
    from scipy.optimize import least_squares  # here, since loading it takes longer than most calculations

    right = -(clockwise[:, 0] + clockwise[:, 1]) / (4 * side_mm)
    left = (counter[:, 0] - counter[:, 1]) / (4 * side_mm)
    first = np.array([right.mean() - left.mean(), right.mean() + left.mean()]) / 2
    wanted = np.concatenate([clockwise.mean(axis=0), counter.mean(axis=0)])
    solved = least_squares(
        lambda p: (
            np.array([*square_end(p[0], p[1], side_mm, -1.0), *square_end(p[0], p[1], side_mm, 1.0)]) - wanted
        ),
        first,
    )
    freedom = right.size + left.size - 2
    pooled = math.sqrt(
        (float(((right - right.mean()) ** 2).sum()) + float(((left - left.mean()) ** 2).sum())) / freedom
    )
    sd = pooled * math.sqrt(1 / right.size + 1 / left.size) / 2 * coverage(freedom)
    return float(solved.x[0]), float(solved.x[1]), sd


def _ends(steps: Steps[None]) -> tuple[Plot, ...]:
    dots = tuple(
        Dot(
            -step.truth["left_mm"],
            step.truth["ahead_mm"],
            label=("right" if step.truth["round"] == CLOCKWISE else "left"),
        )
        for step in steps
    )
    return (
        (
            Plot(
                "Where each square ended, seen from above",
                "right of the start",
                "mm",
                "ahead",
                "mm",
                dots,
                zero=True,
            ),
        )
        if dots
        else ()
    )


PROCEDURES = (DeadBand(), StraightRun(), Squares())
