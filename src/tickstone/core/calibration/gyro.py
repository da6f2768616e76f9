"""Gyros: bias at rest, scale by turning so far, noise and wander by a long rest."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tickstone.core.calibration.means import (
    COARSE,
    NOT_ONE_NUMBER,
    TAILS,
    HeldMeans,
    below_a_step,
    mean_of,
    readings_together,
    repeats,
    scatter_of,
    without_drift,
)
from tickstone.core.calibration.poses import AXES, STILL_G, counts_per_g
from tickstone.core.calibration.procedure import (
    Array,
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
from tickstone.core.calibration.runs import numbered
from tickstone.core.calibration.still import TOO_FEW, why_moving
from tickstone.core.constants import Values
from tickstone.core.figures import Plot, PlotLine, Table
from tickstone.core.inertial import allan_deviations
from tickstone.core.rigs.kinds.inertial import FULL, GYRO
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

REST_DPS = 0.4  # of a gyro at rest, sd
TURNING_DPS = 20.0  # a bias of more than that is no bias
MOVING_DPS = 4.0
GOOD_DPS = 0.5  # ± of a bias that is worth taking off
HAND_DEG = 1.5  # how well a turn by hand ends where it should, k = 1
QUIET_S = 0.8
EDGE_S = 0.25
STRAY_TRACES = 0.2  # of the readings of EDGE_S that may look like motion in a rest
NO_GYRO = Hindrance("No reading of the gyro yet.", Lack.READINGS)


def dps(window: Window, values: Values) -> Array:
    """Turning rates by the nominal range, bias included, °/s, shape (3, n)."""
    per_count = values["gyro_range"].value / FULL
    return np.stack([window.channels[name] for name in GYRO]) * per_count


def _why_turning(window: Window, values: Values, seconds: float) -> Hindrance | None:
    per_dps = FULL / values["gyro_range"].value
    if not all(window.told(name).size for name in GYRO):
        return NO_GYRO
    limits = {name: (max(2.0, REST_DPS * per_dps), "counts") for name in GYRO}
    limits |= {
        axis: (max(2.0, STILL_G * counts_per_g(values)), "counts") for axis in AXES if window.told(axis).size
    }
    why = why_moving(window, limits, seconds, "Leave it alone")
    if why and not why.lacks:
        return why
    means = np.nanmedian(dps(window, values), axis=1)
    if np.abs(means).max() > TURNING_DPS:
        return Hindrance(f"It turns at {np.abs(means).max():.0f} °/s: lay it down.")
    return why


class GyroRest(Procedure[HeldMeans]):
    """What the gyro says when it does not turn."""

    id = "gyro-rest"
    takes = HeldMeans
    title = "Gyro at rest"
    prepare = ("Lay it down where nothing shakes it; let it warm up for a minute first.",)
    seconds = 5.0
    rests_on = ("gyro_range",)
    notebook = tuple(FormField(name, f"{name} counts", "counts", 0, -32_768, 32_767) for name in GYRO)

    def wants(self, steps: Steps[HeldMeans], values: Values) -> tuple[Want, ...]:
        return numbered(steps, "rest", "Lay it down and take your hands off.", 1)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldMeans],
        values: Values,
    ) -> Holding:
        why = _why_turning(window, values, self.seconds)
        shown = ""
        if all(window.told(name).size for name in GYRO):
            shown = " ".join(fixed(float(item), 2) for item in np.nanmean(dps(window, values), axis=1))
        state = Holding(True, "", held_s=window.span_s, figure=shown)
        return state.hindered(why) if why else state

    def take(self, window: Window, key: str, values: Values) -> HeldMeans:
        step = values["gyro_range"].value / FULL
        means = [mean_of(rate, step) for rate in dps(window, values)]
        if not all(mean.n for mean in means):
            raise BadInput("There is no reading of the gyro to take.", "channel")
        return HeldMeans.of(means)

    def notebook_channels(self, row: Mapping[str, float]) -> dict[str, float]:
        return {name: row[name] for name in GYRO}

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[HeldMeans]:
        per_count = values["gyro_range"].value / FULL
        means = [row[name] * per_count for name in GYRO]
        return Step("rest 1", "rest 1", {}, HeldMeans(means, [0.5 * per_count] * 3, [0.0] * 3, 1))

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        return ("rest 1", {}) if label.strip().lower() in ("rest", "at rest", "still") else None

    def fit(self, steps: Steps[HeldMeans], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "What the gyro says at rest is not known", "Five seconds of rest will do.", "Hold one rest."
            )
        means = np.array([step.taken.means for step in steps])
        sds = np.array([step.taken.mean_sds for step in steps])
        weights = 1.0 / np.maximum(sds, 1e-6) ** 2
        bias, sd = (means * weights).sum(axis=0) / weights.sum(axis=0), 1.0 / np.sqrt(weights.sum(axis=0))
        worst = 2 * float(sd.max())
        notes = []
        if len(steps) > 1:
            walked = float(np.ptp(means, axis=0).max())
            notes.append(f"Between the rests it walked by {walked:.2f} °/s: take it anew when it matters.")
        spreads = [spread for step in steps for spread in step.taken.spreads]
        least = min(step.taken.n for step in steps)
        notes += below_a_step(spreads, values["gyro_range"].value / FULL, least)
        before = [values[f"bias_{axis}"] for axis in AXES]
        if before[0].value_id is not None:
            moved = max(abs(old.value - float(new)) for old, new in zip(before, bias, strict=True))
            notes.append(f"Since the last time it moved by {moved:.2f} °/s.")
        airs = [step.air_c for step in steps if step.air_c is not None]
        condition = {"air_c": round(float(np.mean(airs)), 1)} if airs else {}
        return Outcome(
            f"At rest it says {', '.join(fixed(float(dps), 2) for dps in bias)} °/s",
            f"{'Good' if worst <= GOOD_DPS else 'Rough'}: known to ± {worst:.3f} °/s. That alone is "
            f"{60 * worst:.1f}° a minute.",
            constants=tuple(
                FittedConstant(f"bias_{axis}", float(b), float(s), condition)
                for axis, b, s in zip(AXES, bias, sd, strict=True)
            ),
            notes=tuple(notes),
        )


@dataclass(frozen=True)
class TurnedBy:
    """A turn between two rests: about which axis, how far by the nominal scale, °, and that axis's bias,
    °/s."""

    axis: str
    turned: float
    bias: float
    n: int = 1


class GyroTurn(Procedure[TurnedBy]):
    """Scale by turning through a known angle: a right angle along a square, or whole turns on the spot."""

    id = "gyro-turn"
    takes = TurnedBy
    title = "Gyro, turned"
    prepare = (
        "A straight edge to begin and end along; more turns are better than a quarter.",
        "Let it rest for a second, turn it, let it rest again.",
    )
    seconds = 0.0
    rests_on = ("gyro_range",)
    notebook = (
        FormField("turned_deg", "turned by", "°", 360, 45, 7200),
        FormField("reading", "gyro says", "°", 355, 1, 8000),
    )

    def wants(self, steps: Steps[TurnedBy], values: Values) -> tuple[Want, ...]:
        field = FormField("turned_deg", "It will be turned by", "°", 360, 45, 7200)
        return numbered(
            steps, "turn", "Rest a second, turn it, rest a second. Either way round.", 3, (field,)
        )

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[TurnedBy],
        values: Values,
    ) -> Holding:
        if window.times_s.size < 20:
            return not_ready(TOO_FEW)
        result = turn_in(window.times_s, dps(window, values))
        if isinstance(result, Hindrance):
            return not_ready(result, window.span_s)
        axis, turned, _ = result
        shown = f"{abs(turned):.0f}°"
        if abs(abs(turned) - truth["turned_deg"]) > max(20.0, 0.15 * truth["turned_deg"]):
            return Holding(
                False,
                f"It says {abs(turned):.0f}° about {axis}, not {truth['turned_deg']:g}: go "
                "on, or begin anew.",
                figure=shown,
            )
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> TurnedBy:
        result = turn_in(window.times_s, dps(window, values))
        if isinstance(result, Hindrance):
            raise BadInput(result.text, "turned_deg")
        axis, turned, bias = result
        return TurnedBy(axis, abs(turned), bias, int(window.times_s.size))

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[TurnedBy]:
        return Step(
            "turn 1",
            "turn 1",
            {"turned_deg": row["turned_deg"]},
            TurnedBy("z", row["reading"], 0.0),
        )

    def fit(self, steps: Steps[TurnedBy], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "The gyro’s scale is its part sheet’s",
                "One turn gives it; three say how well.",
                "Turn it once.",
            )
        constants, notes, rows, left = [], [], [], {}
        for axis in AXES:
            mine = [step for step in steps if step.taken.axis == axis]
            if not mine:
                continue
            ratios = [step.truth["turned_deg"] / step.taken.turned for step in mine]
            known = HAND_DEG / math.sqrt(sum(step.truth["turned_deg"] ** 2 for step in mine))
            mean = repeats(ratios)
            sd = known if len(mine) < 3 else mean.sd
            constants.append(FittedConstant(f"rate_scale_{axis}", mean.value, sd))
            rows.append((axis, f"{len(mine)}", f"{mean.value:.4f} ± {2 * sd:.4f}"))
            for step in mine:
                left[step.key] = step.taken.turned * mean.value - step.truth["turned_deg"]
        first = constants[0]
        off = 100 * (first.value - 1)
        sd = first.sd or 0.0
        heading = f"About {first.name[-1]} it says {abs(off):.1f} % too {'little' if off > 0 else 'much'}"
        verdict = f"{'Good' if sd < 0.01 else 'So far'}: known to ± {200 * sd:.1f} %" + (
            "." if len(steps) >= 3 else "; more turns make it firmer."
        )
        missing = [
            axis for axis in AXES if f"rate_scale_{axis}" not in {constant.name for constant in constants}
        ]
        if missing:
            notes.append(f"Not turned about {' and '.join(missing)} yet: that scale stays as it is.")
        odd = [key for key, off_deg in left.items() if abs(off_deg) > 8 and len(left) > 2]
        return Outcome(
            heading,
            verdict,
            constants=tuple(constants),
            notes=tuple(notes),
            repeat=tuple(odd),
            left=left,
            left_unit="°",
            tables=(Table("Scale", ("axis", "turns taken", "scale"), tuple(rows)),),
        )


def turn_in(times_s: Array, rates: Array) -> tuple[str, float, float] | Hindrance:
    """A turn between two rests: about which axis, how far by the nominal scale (°), and that axis's bias
    (°/s); why not where there is none yet.

    Parameters: times_s, shape (n,), s; rates, shape (3, n), °/s. The bias is what it says in the rests before
    and after.
    """
    seen = np.isfinite(rates).all(axis=0)
    times, rates = times_s[seen], rates[:, seen]
    if times.size < 20:
        return TOO_FEW
    begin = rates[:, times <= times[0] + 0.5]
    rest = np.median(begin, axis=1, keepdims=True)
    away = np.abs(rates - rest).max(axis=0)
    moving = away > MOVING_DPS
    moving &= np.append(moving[1:], False) | np.append(False, moving[:-1])  # a jump of one reading is none
    if not moving.any():
        return Hindrance("At rest: now turn it.")
    first, last = int(np.argmax(moving)), int(times.size - 1 - np.argmax(moving[::-1]))
    traces_dps = max(0.3, 5.0 * float(begin.std(axis=1).max()))
    if times[first] - times[0] < 0.3 or traces_dps > MOVING_DPS:
        return Hindrance("It was turning already: let it rest for a second first.")
    if times[-1] - times[last] < QUIET_S:
        return Hindrance("Turning. Let it rest at the end.")
    # A turn begins and ends slowly: a rest is what lies well before and after the first and the last trace of
    # it. A jump in a rest is none.
    traces = away > traces_dps
    before = times < _quiet_from(times[: first + 1][::-1], traces[: first + 1][::-1]) - EDGE_S
    after = times > _quiet_from(times[last:], traces[last:]) + EDGE_S
    if not before.any() or not after.any():
        return Hindrance("Let it rest a second before and after the turn.")
    axis = int(np.argmax(np.abs(np.trapezoid(rates - rest, times, axis=1))))
    bias = float(np.mean([rates[axis, before].mean(), rates[axis, after].mean()]))
    return AXES[axis], float(np.trapezoid(rates[axis] - bias, times)), bias


def _quiet_from(times_s: Array, traces: Array) -> float:
    """The last trace of motion, going away from a turn: after it few of the readings within a short while are
    traces."""
    for place in np.flatnonzero(traces):
        away_s = np.abs(times_s - times_s[place])
        near = (away_s > 0) & (away_s <= EDGE_S) & (np.arange(times_s.size) > place)
        if not near.any() or traces[near].mean() <= STRAY_TRACES:
            return float(times_s[place])
    return float(times_s[0])


@dataclass(frozen=True)
class LongRest:
    """Allan deviations of a rest: readings averaged, shape (k,), deviations, °/s, shape (3, k), of n readings
    at a rate; by how many readings neighbours hang together, and why its noise is not one number, if so."""

    rate_hz: float
    factors: list[int]
    deviations: list[list[float]]
    n: int
    together: float = 1.0
    why: str = ""


class GyroLong(Procedure[LongRest]):
    """Noise and wander of a gyro by the Allan deviation of a long rest."""

    id = "gyro-long"
    takes = LongRest
    title = "Long rest"
    prepare = (
        "A place where nothing shakes it for minutes: not the bench you work at.",
        "Ten minutes and more say most; a recording with a mark “rest” does as well.",
    )
    seconds = 0.0
    least_s = 30.0
    rests_on = ("gyro_range",)

    def wants(self, steps: Steps[LongRest], values: Values) -> tuple[Want, ...]:
        field = FormField("seconds", "Rest for", "s", 60, self.least_s, 86_400)
        return (Want("rest", "long rest", "Lay it down and leave it alone.", (field,)),)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[LongRest],
        values: Values,
    ) -> Holding:
        if not all(window.told(name).size > 1 for name in GYRO):
            return not_ready(NO_GYRO)
        rates = dps(window, values)
        tail = window.times_s > window.times_s[-1] - 2.0
        spread = float(np.nanstd(rates[:, tail], axis=1).max())
        wanted = truth.get("seconds", 60.0)
        shown = f"{window.span_s:.0f} s"
        if spread > 3 * max(REST_DPS, float(np.nanmedian(np.abs(np.diff(rates, axis=1))))):
            return Holding(
                False, f"It was moved ({spread:.1f} °/s just now): let go, and begin anew.", figure=shown
            )
        if window.span_s < 0.97 * wanted:
            return Holding(False, f"{window.span_s:.0f} of {wanted:g} s.", held_s=window.span_s, figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> LongRest:
        rates = dps(window, values)
        rates = rates[:, np.isfinite(rates).all(axis=0)]
        if rates.shape[1] < 200:
            raise BadInput("A long rest needs at least 200 readings.", "seconds")
        rate_hz = (rates.shape[1] - 1) / window.span_s
        factors = np.unique(np.round(np.geomspace(1, rates.shape[1] / 9, 16)).astype(int)).tolist()
        deviations = [[allan_deviations(axis, m)[0] for m in factors] for axis in rates]
        scatters = [scatter_of(axis, values["gyro_range"].value / FULL) for axis in rates]
        why = next((scatter.why for scatter in scatters if scatter.why in (COARSE, TAILS)), "")
        together = max(readings_together(without_drift(axis)[0]) for axis in rates)
        return LongRest(rate_hz, factors, deviations, int(rates.shape[1]), together, why)

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        return ("rest", {}) if label.strip().lower() in ("rest", "at rest", "long rest") else None

    def fit(self, steps: Steps[LongRest], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "How noisy the gyro is, is not known",
                "A minute says how noisy, ten how it wanders.",
                "Leave it at rest once.",
            )
        rest = steps[0].taken
        n, rate_hz = rest.n, rest.rate_hz
        factors, deviations = np.array(rest.factors), np.array(rest.deviations)
        taus = factors / rate_hz
        noise, noise_sd = rate_noise(factors, deviations, n, rate_hz, rest.together)
        wander = float(deviations.min(axis=1).max()) / 0.664
        lowest = float(taus[int(np.argmin(deviations.mean(axis=0)))])
        minute = 2 * math.sqrt(noise**2 * 60 + (wander * 60) ** 2 / 3)
        constants = [FittedConstant("rate_noise", noise, None if rest.why else noise_sd)]
        firm = lowest < 0.5 * float(taus[-1])
        if firm:
            constants.append(FittedConstant("rate_wander", wander, None))
        lines = (
            *(
                PlotLine(f"ω{axis}", tuple(zip(taus.tolist(), item.tolist(), strict=True)))
                for axis, item in zip(AXES, deviations, strict=True)
            ),
            PlotLine("noise alone", tuple((float(t), noise / math.sqrt(float(t))) for t in taus)),
        )
        return Outcome(
            f"Its noise makes {noise * math.sqrt(60) * 2:.2f}° of a minute’s turning uncertain",
            (
                NOT_ONE_NUMBER[rest.why][0]
                if rest.why
                else f"{'Good' if noise_sd < 0.1 * noise else 'So far'}: noise known to ± "
                f"{200 * noise_sd / noise:.0f} %."
            )
            + ("" if firm else " Too short to see it wander: rest longer."),
            constants=tuple(constants),
            notes=(
                f"After a minute on the gyro alone the angle is known to about ± {minute:.1f}°.",
                *(
                    (f"It wanders by {wander:.3f} °/s; averaging helps up to about {lowest:.0f} s.",)
                    if firm
                    else ()
                ),
            ),
            plots=(
                Plot(
                    "Allan deviation", "averaged over", "s", "deviation", "°/s", lines=lines, logarithmic=True
                ),
            ),
        )


WHITE_S = 0.3  # up to here a cheap gyro's noise is white


TOGETHER_LEAST = 8.0  # so many times as far as readings hang together must be averaged


def rate_noise(
    factors: Array, deviations: Array, n: int, rate_hz: float, together: float = 1.0
) -> tuple[float, float]:
    """White noise of a rate, unit/√Hz as deviation at 1 s, over all axes, and its sd.

    Parameters: factors, shape (k,); deviations, overlapping, shape (axes, k); n readings at rate_hz, of which
    so many hang together. The longest averaging within WHITE_S is taken, where rounding no longer matters, or
    what lies well beyond where readings hang together. Degrees of freedom of
    white noise: NIST SP 1065 (2008), table 5 (from memory).
    """
    within = np.flatnonzero(factors <= max(WHITE_S * rate_hz, TOGETHER_LEAST * together))
    place = int(within[-1]) if within.size else 0
    m = float(factors[place])
    freedom = (3 * (n - 1) / (2 * m) - 2 * (n - 2) / n) * 4 * m**2 / (4 * m**2 + 5) * deviations.shape[0]
    neighbours = (together - 1.0) / (together + 1.0)
    missing = 3.0 * neighbours / (1.0 - neighbours**2) / m  # of the variance, of a first-order process
    left = max(1.0 - missing, 0.5)
    freedom *= left**1.5  # differences hang together for longer; within 4 % from 5 times `together` on
    result = math.sqrt(float(np.mean(np.square(deviations[:, place]))) * m / rate_hz / left)
    return result, result / math.sqrt(2 * max(freedom, 1.0))


PROCEDURES = (GyroRest(), GyroTurn(), GyroLong())
