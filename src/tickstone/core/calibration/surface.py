"""Reflective line sensors: white and black of each, by spans over ground and line or by a sweep; heights and
lamps held against each other."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tickstone.core.calibration.means import HeldMeans, Mean, below_a_step, mean_of
from tickstone.core.calibration.procedure import (
    FittedConstant,
    FormField,
    Hindrance,
    Holding,
    Lack,
    Outcome,
    Procedure,
    Step,
    Steps,
    Want,
    Window,
    not_ready,
)
from tickstone.core.calibration.still import why_moving, why_saturated
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, Table
from tickstone.core.line_row import GROUND, LAMPS, LINE, SWEEP, called, condition, place_of
from tickstone.core.thresholds import threshold_otsu
from tickstone.core.wording import begun, fixed
from tickstone.errors import BadInput

LABELS = {GROUND: "over ground", LINE: "over the line", SWEEP: "sweep"}
DO = {
    GROUND: "Hold the whole row over bare ground, at working height.",
    LINE: "Lay tape across, so that the whole row is over it, at working height.",
    SWEEP: "Push the row slowly across the line, to and fro, so that each sensor sees both.",
}
HEIGHT = FormField("height_mm", "Height over the floor", "mm", None, 0.5, 100, needed=False)
LAMP = FormField("lamp", "Room lamp", "", None, 0, 1, LAMPS, needed=False)
SWEEP_S = 4.0
APART_LEAST = 4.0  # in sds: with less between them no threshold is safe
GOOD_APART = 6.0
PLATEAU_SDS = 6.0
LEAST_SWING = 8.0  # counts: less is noise, not a line


def _span(key: str) -> str:
    """Ground, line or sweep, from the key of a want or a step: what follows is at which height and lamp."""
    return re.split("[@+]", key)[0]


NO_ROW = Hindrance("No reading yet from every sensor of the row.", Lack.READINGS)


@dataclass(frozen=True)
class SweptRow:
    """The two plateaus of each sensor of a row that was pushed to and fro over the line."""

    lows: HeldMeans
    highs: HeldMeans


RowLevels = HeldMeans | SweptRow


class LineSpans(Procedure[RowLevels]):
    """White and black of every sensor of a row. A span is held, or the row is pushed to and fro over the
    line."""

    id = "line"
    title = "Ground and line"
    prepare = (
        "The rig on its wheels, at working height, in the room where it will run.",
        "Its own supply on: a cable and a battery read differently.",
        "A piece of the same tape, long enough for the whole row.",
    )
    cautions = (
        "Some of these lamps give off infrared that the eye does not see: do not look into them from near.",
    )
    rests_on = ("reference", "bits")

    def wants(self, steps: Steps[RowLevels], values: Values) -> tuple[Want, ...]:
        held = {step.key: step for step in steps}
        fields = (HEIGHT, LAMP)
        swept = any(key.startswith(SWEEP) for key in held)
        whole = {key.partition("@")[2] for key in held if key.startswith(GROUND)} & {
            key.partition("@")[2] for key in held if key.startswith(LINE)
        }
        wants = [Want(key, step.label, "", fields) for key, step in held.items()]
        if not swept and not whole:
            begun = next((key for key in held if key.startswith((GROUND, LINE))), None)
            place = "" if begun is None else begun.partition("@")[2]
            for span in (GROUND, LINE):
                key = f"{span}@{place}" if place else span
                if key not in held:
                    wants.append(Want(key, LABELS[span] + (f", {place}" if place else ""), DO[span], fields))
        more = (Want(f"{span}+", LABELS[span], DO[span], fields, more=True) for span in (GROUND, LINE, SWEEP))
        return (*wants, *more)

    def window_s(self, want: Want | None) -> float:
        return 0.0 if want is not None and _span(want.key) == SWEEP else self.seconds

    def key_of(self, want: Want, truth: Mapping[str, float]) -> str:
        span, place = _span(want.key), condition(truth)
        return f"{span}@{place}" if place else span

    def label_of(self, want: Want, truth: Mapping[str, float]) -> str:
        span, place = _span(want.key), condition(truth)
        return LABELS[span] + (f", {place}" if place else "")

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[RowLevels],
        values: Values,
    ) -> Holding:
        names = _names(values)
        readings = {name: window.told(name) for name in names}
        if any(reading.size < 2 for reading in readings.values()):
            return not_ready(NO_ROW)
        shown = " ".join(f"{np.median(reading[-10:]):.0f}" for reading in readings.values())
        span = GROUND if want is None else _span(want.key)
        if span == SWEEP:
            return self._judge_sweep(window, readings, values, shown)
        limit = max(4.0, 3.0 * values["noise"].value)
        top = 2.0 ** values["bits"].value - 1
        why = why_saturated(window, dict.fromkeys(names, (0.0, top))) or why_moving(
            window, dict.fromkeys(names, (limit, "counts")), self.seconds
        )
        if why:
            return not_ready(why, window.span_s, shown)
        other = next((step for step in steps if step.key == self._partner(span, truth)), None)
        if other is not None and isinstance(other.taken, HeldMeans):
            swings = [
                abs(float(np.median(readings[name])) - other.taken.means[i]) for i, name in enumerate(names)
            ]
            if max(swings) < LEAST_SWING:
                return Holding(False, f"It reads as {other.label}: has the row moved?", figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def _partner(self, span: str, truth: Mapping[str, float]) -> str:
        place = condition(truth)
        return (LINE if span == GROUND else GROUND) + (f"@{place}" if place else "")

    def _judge_sweep(
        self, window: Window, readings: Mapping[str, Any], values: Values, shown: str
    ) -> Holding:
        noise = max(1.0, values["noise"].value)
        for i, reading in enumerate(readings.values(), 1):
            if np.ptp(reading) < max(LEAST_SWING, 12 * noise):
                return Holding(
                    False,
                    f"Sensor {i} has not seen both yet: push the row on.",
                    held_s=window.span_s,
                    figure=shown,
                )
        if window.span_s < SWEEP_S * 0.9:
            return Holding(
                False, f"Go on: {window.span_s:.1f} s of {SWEEP_S:g} s.", held_s=window.span_s, figure=shown
            )
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> RowLevels:
        names = _names(values)
        for name in names:
            if window.told(name).size < 2:
                raise BadInput(f"There is no reading of {name} to take.", "channel")
        if _span(key) == SWEEP:
            pairs = [_plateaus(window.told(name)) for name in names]
            return SweptRow(
                HeldMeans.of([low for low, _ in pairs]), HeldMeans.of([high for _, high in pairs])
            )
        return HeldMeans.of([mean_of(window.told(name), 1.0) for name in names])

    def restored(self, stored: Mapping[str, Any]) -> RowLevels:
        if "lows" in stored:
            return SweptRow(HeldMeans(**stored["lows"]), HeldMeans(**stored["highs"]))
        return HeldMeans(**stored)

    def notebook_channels(self, row: Mapping[str, float]) -> dict[str, float]:
        return {name: value for name, value in row.items() if name != "span"}

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[RowLevels]:
        names = _names(values)
        missing = [name for name in names if name not in row]
        if missing:
            raise BadInput(
                f"A line needs a count for each of the {len(names)} sensors; {missing[0]} is missing.",
                missing[0],
            )
        span = (GROUND, LINE)[int(row["span"])]
        noise = values["noise"].value
        return Step(
            span, LABELS[span], {}, HeldMeans.of([Mean(row[name], noise, noise, 1) for name in names])
        )

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        return place_of(label)

    def fit(self, steps: Steps[RowLevels], values: Values) -> Outcome:
        spans = _conditions(steps, values)
        whole = [pair for pair in spans if pair.white and pair.black]
        if not whole:
            have = (
                "Ground is held; now the line"
                if any(pair.white for pair in spans)
                else "Line is held; now the ground"
            )
            heading = have if steps else "White and black are taken as usual, not as they are here"
            return Outcome(
                heading,
                "One span over ground and one over the line, or one sweep over both.",
                "Hold one span over ground and one over the line.",
            )
        best = _best(whole)
        count = len(best.gaps)
        flat = [i for i, gap in enumerate(best.gaps) if abs(gap) < LEAST_SWING]
        if flat:
            reads = f"{best.white[flat[0]].value:.0f} counts"
            why = (
                f"{begun(called(flat[0], count))} reads the same over ground and line ({reads}): its lamp, "
                "its wire, or it is too high. Mend it and hold both again."
            )
            return Outcome(
                f"{begun(called(flat[0], count))} does not see the line", why, why, plots=_plots(whole)
            )
        signs = {gap > 0 for gap in best.gaps}
        if len(signs) > 1:
            odd = [
                i
                for i, gap in enumerate(best.gaps)
                if (gap > 0) != (sum(g > 0 for g in best.gaps) * 2 > len(best.gaps))
            ]
            why = (
                f"{begun(called(odd[0], count))} goes the other way than the rest: are ground and line "
                "mixed up, or is its load turned?"
            )
            return Outcome("The row does not agree which way is dark", why, why, plots=_plots(whole))
        white_high = best.gaps[0] < 0
        apart = [abs(gap) / max(sd, 0.5) for gap, sd in zip(best.gaps, best.spreads, strict=True)]
        worst = int(np.argmin(apart))
        if apart[worst] < APART_LEAST:
            verdict = (
                f"Poor: {called(worst, count)} has only {apart[worst]:.1f} sd between ground and line. "
                "Lower the row, or shade it."
            )
        elif apart[worst] < GOOD_APART:
            verdict = (
                f"Fair: {called(worst, count)} is the closest, {apart[worst]:.1f} sd between ground and line."
            )
        else:
            verdict = (
                f"Good: the closest is {called(worst, count)}, {apart[worst]:.0f} sd between ground and line."
            )
        heading = f"Ground reads {'high' if white_high else 'low'}; every sensor tells it from the line"
        return Outcome(
            heading
            if apart[worst] >= APART_LEAST
            else f"{begun(called(worst, count))} hardly tells the line from ground",
            verdict,
            constants=_constants(best),
            notes=_notes(spans, whole, best),
            plots=_plots(whole),
            tables=_tables(whole),
        )


def _names(values: Values) -> list[str]:
    return [f"s{i + 1}" for i in range(int(values["sensors"].value))]


def _plateaus(readings: Any) -> tuple[Mean, Mean]:
    """The two levels that a sweep dwells on: each half of the readings from its outer end in, as wide as its
    own noise. Readings on the way between them are left out."""
    cut = threshold_otsu(readings).threshold
    means = []
    for half, outer in ((readings[readings <= cut], 10.0), (readings[readings > cut], 90.0)):
        end = float(np.percentile(half, outer))
        beyond = half[half <= end] if outer < 50 else half[half >= end]
        noise = max(1.0, float(np.abs(beyond - end).mean()) * 2.0)
        means.append(mean_of(half[np.abs(half - end) <= PLATEAU_SDS * noise], 1.0))
    return means[0], means[1]


class _Spans:
    """White and black at one height and one light, shape (sensors,) each."""

    def __init__(self, truth: Mapping[str, float]) -> None:
        self.truth, self.name = truth, condition(truth) or "as held"
        self.white: list[Mean] = []
        self.black: list[Mean] = []

    @property
    def gaps(self) -> list[float]:
        """Black less white, counts."""
        return [b.value - w.value for w, b in zip(self.white, self.black, strict=True)]

    @property
    def spreads(self) -> list[float]:
        """Noise of both, counts."""
        return [
            math.sqrt((w.spread**2 + b.spread**2) / 2) for w, b in zip(self.white, self.black, strict=True)
        ]

    @property
    def apart(self) -> float:
        """Least separation of a sensor, in sds."""
        return min(abs(gap) / max(sd, 0.5) for gap, sd in zip(self.gaps, self.spreads, strict=True))


def _conditions(steps: Steps[RowLevels], values: Values) -> list[_Spans]:
    results: dict[str, _Spans] = {}
    for step in steps:
        spans = results.setdefault(condition(step.truth), _Spans(step.truth))
        span = _span(step.key)
        if isinstance(step.taken, SweptRow):
            low, high = step.taken.lows.each(), step.taken.highs.each()
            white_high = values["white"].value > values["black"].value
            spans.white, spans.black = (high, low) if white_high else (low, high)
        elif span == GROUND:
            spans.white = step.taken.each()
        else:
            spans.black = step.taken.each()
    return list(results.values())


def _best(whole: Sequence[_Spans]) -> _Spans:
    """The height with most between ground and line, worst lamp counted; its lamps are averaged."""
    heights: dict[float | None, list[_Spans]] = {}
    for spans in whole:
        heights.setdefault(spans.truth.get("height_mm"), []).append(spans)
    chosen = max(heights.values(), key=lambda some: min(item.apart for item in some))
    if len(chosen) == 1:
        return chosen[0]
    merged = _Spans({name: value for name, value in chosen[0].truth.items() if name != "lamp"})
    merged.white = [_merged(some) for some in zip(*(item.white for item in chosen), strict=True)]
    merged.black = [_merged(some) for some in zip(*(item.black for item in chosen), strict=True)]
    return merged


def _merged(means: Sequence[Mean]) -> Mean:
    """One level under several lights: their middle, and what the light makes of it."""
    values = [mean.value for mean in means]
    middle, reach = (max(values) + min(values)) / 2, (max(values) - min(values)) / 2
    return Mean(
        middle,
        math.hypot(max(mean.sd for mean in means), reach / 2),
        max(mean.spread for mean in means) + reach,
        min(mean.n for mean in means),
    )


def _constants(best: _Spans) -> tuple[FittedConstant, ...]:
    condition = {name: float(value) for name, value in best.truth.items()}
    constants = []
    for what, means in (("white", best.white), ("black", best.black)):
        levels = [mean.value for mean in means]
        scatter = float(np.std(levels, ddof=1)) if len(levels) > 1 else means[0].sd
        constants.append(FittedConstant(what, float(np.mean(levels)), scatter, condition))
    for i, (white, black) in enumerate(zip(best.white, best.black, strict=True), 1):
        constants += [
            FittedConstant(f"white_s{i}", white.value, white.sd, condition),
            FittedConstant(f"black_s{i}", black.value, black.sd, condition),
        ]
    noise = float(np.sqrt(np.mean(np.square([mean.spread for mean in (*best.white, *best.black)]))))
    return (*constants, FittedConstant("noise", noise, None))


def _notes(spans: Sequence[_Spans], whole: Sequence[_Spans], best: _Spans) -> tuple[str, ...]:
    levels = [*best.white, *best.black]
    notes = [*below_a_step([mean.spread for mean in levels], 1.0, min(mean.n for mean in levels))]
    heights = sorted({spans.truth["height_mm"] for spans in whole if "height_mm" in spans.truth})
    if len(heights) > 1:
        notes.append(
            f"Best of {len(heights)} heights: {best.truth['height_mm']:g} mm, where even the closest sensor "
            f"has {best.apart:.0f} sd between ground and line."
        )
    lit = {
        (spans.truth.get("height_mm"), spans.truth["lamp"]): spans for spans in whole if "lamp" in spans.truth
    }
    for height in sorted({at for at, _ in lit}, key=lambda at: at or 0.0):
        off, on = lit.get((height, 0.0)), lit.get((height, 1.0))
        if off is not None and on is not None:
            moved = [
                b.value - a.value
                for a, b in zip((*off.white, *off.black), (*on.white, *on.black), strict=True)
            ]
            worst = max(moved, key=abs)
            share = abs(worst) / min(abs(gap) for gap in off.gaps)
            where = "" if height is None else f" at {height:g} mm"
            notes.append(
                f"The lamp moves readings by up to {fixed(worst)} counts{where}, {100 * share:.0f} % of the "
                "way from ground to line: thresholds must leave room for that."
            )
    for span in spans:
        if bool(span.white) != bool(span.black):
            notes.append(f"{span.name}: only {'ground' if span.white else 'the line'} is held there.")
    return tuple(notes)


def _plots(whole: Sequence[_Spans]) -> tuple[Plot, ...]:
    plots = []
    for spans in whole[:4]:
        dots = []
        for i, (white, black) in enumerate(zip(spans.white, spans.black, strict=True), 1):
            dots += [
                Dot(i, white.value, 3 * white.spread, label="ground"),
                Dot(i, black.value, 3 * black.spread, label="line", dark=True),
            ]
        plots.append(Plot(f"Ground and line, {spans.name}", "sensor", "", "reading", "counts", tuple(dots)))
    heights = sorted((item.truth["height_mm"], item.apart) for item in whole if "height_mm" in item.truth)
    if len({at for at, _ in heights}) > 1:
        dots = [Dot(at, apart, label=f"{at:g} mm") for at, apart in heights]
        plots.append(
            Plot("Between ground and line, by height", "height", "mm", "closest sensor", "sd", tuple(dots))
        )
    return tuple(plots)


def _tables(whole: Sequence[_Spans]) -> tuple[Table, ...]:
    tables = []
    for spans in whole[:4]:
        rows = tuple(
            (f"{i}", f"{white.value:.0f}", f"{black.value:.0f}", f"{abs(gap) / max(sd, 0.5):.0f} sd")
            for i, (white, black, gap, sd) in enumerate(
                zip(spans.white, spans.black, spans.gaps, spans.spreads, strict=True), 1
            )
        )
        tables.append(Table(f"Counts, {spans.name}", ("sensor", "ground", "line", "apart"), rows))
    return tuple(tables)


@dataclass(frozen=True)
class HeldLevel:
    """The level of a place."""

    level: float


class LevelSpans(Procedure[HeldLevel]):
    """A digital line sensor: which level is dark."""

    id = "dark-level"
    takes = HeldLevel
    title = "Which level is dark"
    prepare = ("A pale place and a dark one, side by side.",)
    seconds = 600.0  # such a part tells its level only when it changes

    def wants(self, steps: Steps[HeldLevel], values: Values) -> tuple[Want, ...]:
        return (
            Want(GROUND, LABELS[GROUND], "Hold it over bare ground."),
            Want(LINE, LABELS[LINE], "Hold it over the line."),
        )

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldLevel],
        values: Values,
    ) -> Holding:
        levels = window.told("level")
        if not levels.size:
            return Holding(False, "No level yet: move it over an edge once.")
        other = next((step for step in steps if want is not None and step.key != want.key), None)
        if other is not None and other.taken.level == levels[-1]:
            return Holding(
                False,
                f"It says the same as {other.label}: move it there, or turn its trim screw.",
                figure=f"{levels[-1]:.0f}",
            )
        return Holding(True, "", held_s=window.span_s, figure=f"{levels[-1]:.0f}")

    def take(self, window: Window, key: str, values: Values) -> HeldLevel:
        levels = window.told("level")
        if not levels.size:
            raise BadInput("There is no level to take.", "channel")
        return HeldLevel(float(levels[-1]))

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        return LineSpans().of_mark(label, None)

    def fit(self, steps: Steps[HeldLevel], values: Values) -> Outcome:
        levels = {step.key: step.taken.level for step in steps}
        if not {GROUND, LINE} <= set(levels):
            return Outcome(
                "Which level is dark is taken as usual",
                "Hold it over ground, then over the line.",
                "Hold both.",
            )
        if levels[GROUND] == levels[LINE]:
            why = (
                "It says the same over both: turn its trim screw until its lamp follows, "
                "then hold both again."
            )
            return Outcome("It does not tell ground from line", why, why)
        dark = levels[LINE]
        return Outcome(
            f"Dark is {'high' if dark else 'low'}",
            "Good: both levels were seen.",
            constants=(FittedConstant("dark_level", dark, None),),
        )


PROCEDURES = (LineSpans(), LevelSpans())
