"""What rangers share: a target is put at places along a ruler, and each place is held still."""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any, ClassVar

import numpy as np

from tickstone.core.calibration.means import HeldMean, coverage, mean_of
from tickstone.core.calibration.procedure import (
    Array,
    FormField,
    Hindrance,
    Holding,
    Lack,
    Procedure,
    Step,
    Steps,
    Want,
    Window,
)
from tickstone.core.calibration.still import figure, still_for
from tickstone.core.checks import check_between
from tickstone.core.constants import Values
from tickstone.core.noise import stillness
from tickstone.errors import BadInput

RULER_SD_MM = 1.0  # how well a target can be put at a ruler's mark by hand
NEAR_A_PLACE_MM, NEAR_SHARE = 40.0, 0.2  # a place held so near a suggested one stands for it
FAR_OFF_SHARE = 0.06  # the speed of sound between a frosty shed and a hot greenhouse
SUSPECT_SIGMAS = 4.0
LEAST_LEFT = 3


class Pairs(Procedure[HeldMean]):
    """Pairs of a ruler's reading and the ranger's own. ``channel`` is its raw reading, said in ``unit``."""

    channel: ClassVar[str]
    unit: ClassVar[str]
    least_mm: ClassVar[float] = 20.0
    most_mm: ClassVar[float] = 6000.0
    far_off: ClassVar[float] = FAR_OFF_SHARE
    takes = HeldMean
    slip_mm: ClassVar[float] = 15.0  # a part-sheet ranger with an unknown zero; more than that is a slip

    @abstractmethod
    def places_mm(self, values: Values) -> tuple[float, ...]:
        """Where to put the target, nearest first."""

    @abstractmethod
    def usable(self, window: Window, values: Values) -> Array:
        """The raw readings of a window in time order, NaN where nothing came back."""

    @abstractmethod
    def still_limit(self, values: Values) -> float:
        """The largest spread of a target at rest, in the raw unit."""

    @abstractmethod
    def step_of(self, values: Values) -> float:
        """What a raw reading is rounded to."""

    def wants(self, steps: Steps[HeldMean], values: Values) -> tuple[Want, ...]:
        held = sorted(step.truth["true_mm"] for step in steps)
        free = [
            at
            for at in self.places_mm(values)
            if all(abs(at - item) >= min(NEAR_A_PLACE_MM, NEAR_SHARE * at) for item in held)
        ]
        wanted = [self._want(at) for at in sorted([*held, *free])]
        return (*wanted, *(() if free else (self._want(held[-1] + 300.0, more=True),)))

    def _want(self, at: float, *, more: bool = False) -> Want:
        field = FormField("true_mm", "The ruler says", "mm", at, self.least_mm, self.most_mm)
        return Want(
            "more" if more else f"{at:g}",
            f"{at:g} mm",
            f"Put the target near {at:g} mm and type what the ruler says.",
            (field,),
            more=more,
        )

    def key_of(self, want: Want, truth: Mapping[str, float]) -> str:
        return f"{truth['true_mm']:g}"

    def label_of(self, want: Want, truth: Mapping[str, float]) -> str:
        return f"{truth['true_mm']:g} mm"

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldMean],
        values: Values,
    ) -> Holding:
        """The reading must be still, differ from every held place, and roughly fit the ruler's number: a
        typing slip or a target not yet moved shows there."""
        true_mm = truth["true_mm"]
        raw, limit, unit = self.usable(window, values), self.still_limit(values), self.unit
        count = int(np.isfinite(raw).sum())
        if count < 2:
            return Holding(False, "Nothing comes back yet: point the ranger at the target.")
        seen = stillness(raw, limit, least=max(5, math.ceil(0.6 * raw.size)))
        readings = window.converted[np.isfinite(window.converted)]
        here = float(np.median(readings)) if readings.size else None
        shown = "" if here is None else f"{here:.0f} mm"
        state = Holding(False, "", held_s=window.span_s, figure=shown)
        if not seen.still:
            if seen.spread > limit:
                return replace(
                    state,
                    why_not=f"Hold still: spread {figure(seen.spread)} {unit}, wanted under {limit:.0f}.",
                )
            if abs(seen.drift) > limit / 2:
                return replace(
                    state, why_not=f"Hold still: it moved by {figure(abs(seen.drift))} {unit} just now."
                )
            return state.hindered(
                Hindrance("Too few readings come back: square the target to the ranger.", Lack.READINGS)
            )
        for step in steps:
            same = abs(step.taken.mean - seen.mean) < self.same(step, values)
            if same and abs(step.truth["true_mm"] - true_mm) > 1e-6:
                return replace(state, why_not=f"It reads the same as at {step.label}: has the target moved?")
        if here is not None and abs(here - true_mm) > max(self.slip_mm, self.far_off * true_mm):
            return replace(
                state,
                why_not=f"It says about {here:.0f} mm, not {true_mm:g}. Move the target, or correct the "
                "number.",
            )
        short = still_for(window, self.seconds)
        return state.hindered(short) if short else replace(state, ready=True)

    def same(self, step: Step[HeldMean], values: Values) -> float:
        """A reading that differs by less than this from a held place's belongs to that place."""
        return 2.0 * self.still_limit(values)

    def take(self, window: Window, key: str, values: Values) -> HeldMean:
        mean = mean_of(self.usable(window, values), self.step_of(values))
        if not mean.n:
            raise BadInput("There is nothing to take: point the ranger at the target.", "true_mm")
        return HeldMean.of(mean)

    def notebook_channels(self, row: Mapping[str, float]) -> dict[str, float]:
        return {self.channel: row["reading"]}

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[HeldMean]:
        for name, field in ((form_field.name, form_field) for form_field in self.notebook):
            check_between(row[name], field.low, field.high, name)
        at = row["true_mm"]
        return Step(f"{at:g}", f"{at:g} mm", {"true_mm": at}, HeldMean(row["reading"], 0.0))

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        if not truth or truth.get("quantity") != "distance":
            return None
        at = float(truth["value"])
        return f"{at:g}", {"true_mm": at}


def suspects(
    steps: Sequence[Step[HeldMean]], sigmas_of: Callable[[Sequence[Step[HeldMean]]], Array], least: int
) -> tuple[Step[HeldMean], ...]:
    """The places that do not fit the rest, worst first. One bad place drags the curve and makes good ones
    look bad, so the worst is set aside and the others are judged anew, as long as ``least`` are left."""
    left, results = list(steps), []
    while len(left) > least:
        sigmas = np.abs(sigmas_of(left))
        worst = int(np.argmax(sigmas))
        if not sigmas[worst] > SUSPECT_SIGMAS:
            break
        results.append(left.pop(worst))
    return tuple(results)


def studentised(rest: Array, expected: Array, leverage: Array) -> Array:
    """Residuals in units of what ruler and noise explain, allowing for each place's pull on the curve."""
    free = np.sqrt(np.clip(1.0 - leverage, 1e-6, None))
    return np.where(leverage > 1 - 1e-6, 0.0, rest / (expected * free))


def pooled_noise(steps: Sequence[Step[HeldMean]]) -> tuple[float, float] | None:
    """Pooled sd of the held spans, in the raw unit, and that sd's own uncertainty (JCGM 100:2008, E.4.3)."""
    held = [step.taken for step in steps if step.taken.n > 1]
    freedom = sum(mean.n - 1 for mean in held)
    if not freedom:
        return None
    pooled = math.sqrt(sum((mean.n - 1) * mean.sd**2 for mean in held) / freedom)
    return pooled, pooled / math.sqrt(2 * freedom) * coverage(freedom)


def sds_of_means(steps: Sequence[Step[HeldMean]]) -> Array:
    """Standard deviation of each place's mean, shape (places,), in the raw unit: that of the middle place,
    since a single place says little of how its own readings hang together, and more where readings scatter
    more."""
    spreads = np.array([step.taken.sd / math.sqrt(step.taken.n) for step in steps])
    middle = float(np.median(spreads))
    wider = np.maximum(spreads / middle, 1.0) if middle else np.ones(len(steps))
    return float(np.median([step.taken.mean_sd for step in steps])) * wider


def mean_air(steps: Sequence[Step[HeldMean]]) -> float | None:
    """Mean air temperature while the places were held, °C; None when it was not known."""
    airs = [step.air_c for step in steps if step.air_c is not None]
    return float(np.mean(airs)) if airs else None


def count_of(steps: Sequence[Step[HeldMean]], wanted: int, noun: str = "places") -> str:
    """How many are held, in words."""
    return f"{len(steps)} of {max(wanted, len(steps))} {noun} held"


def left(number: int) -> str:
    """How many are left, in words."""
    return "last place" if number == 1 else f"other {number} places"
