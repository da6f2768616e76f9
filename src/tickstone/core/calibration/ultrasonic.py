"""The ultrasonic ranger: its speed and zero by a ruler, or its speed by the air's temperature; the two
compared."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from tickstone.core import ranging, sound
from tickstone.core.calibration.means import HeldMean, coverage, mean_of
from tickstone.core.calibration.pairs import (
    LEAST_LEFT,
    RULER_SD_MM,
    Pairs,
    count_of,
    left,
    mean_air,
    pooled_noise,
    studentised,
    suspects,
)
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
from tickstone.core.constants import Covariance, Provenance, Values
from tickstone.core.figures import Dot, Plot, PlotLine
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

LEAST_LIMIT_US = 8.0
GOOD_MM = 3.0
GOOD_K = 2.0  # ± of an air that is worth using: 0.35 % of distance
BAND = 12  # how many times wider than itself the band is drawn
THERMOMETER_SD_K = 0.5  # of a thermometer of which nothing is known but its reading
BAD_ZERO_C = 8.0  # an air that would have to be so far off is no air, but a slip at the ruler


class Ruler(Pairs):
    """Echo times at places along a ruler: the slope is the speed of sound, the rest is where zero lies."""

    id = "ruler"
    title = "Ruler against echo"
    prepare = (
        "A flat board or a box, square to the ranger.",
        "A ruler or tape from the ranger’s face; its zero belongs there.",
    )
    channel, unit = "echo", "µs"
    notebook = (
        FormField("true_mm", "distance", "mm", 150, 20, 6000),
        FormField("reading", "echo time", "µs", 893, 1, 400_000),
    )

    def places_mm(self, values: Values) -> tuple[float, ...]:
        return (150.0, 250.0, 400.0, 600.0, 900.0)

    def usable(self, window: Window, values: Values) -> Array:
        echo = window.channels["echo"]
        most = ranging.longest_wait_us(values["farthest"].value, 300.0)
        return np.where((echo > 0) & (echo < most), echo, np.nan)

    def still_limit(self, values: Values) -> float:
        return max(LEAST_LIMIT_US, 2.0 * values["jitter"].value)

    def step_of(self, values: Values) -> float:
        return values["tick"].value

    def fit(self, steps: Steps[HeldMean], values: Values) -> Outcome:
        wanted = len(self.places_mm(values))
        count = count_of(steps, wanted)
        if len({step.truth["true_mm"] for step in steps}) < 2:
            return Outcome(
                count, "Two places make a line; five make a good one.", "Hold at least three places."
            )
        true, echo = _columns(steps)
        try:
            fit = ranging.fit_ruler(true, echo)
        except BadInput as error:
            return Outcome("The echoes do not fit the ruler", str(error), str(error))
        rest = dict(zip([step.key for step in steps], fit.residuals_mm, strict=True))
        if fit.speed_sd is None or fit.residual_sd_mm is None:
            return Outcome(
                count,
                "Two places fit any line: hold a third.",
                "Two places fit any line: hold a third.",
                left=rest,
                left_unit="mm",
                plots=_plots(steps, fit, ()),
            )
        wide = coverage(len(steps) - 2)
        air = mean_air(steps)
        constants = _constants(steps, fit, wide, air, values)
        sigmas = dict(zip([step.key for step in steps], _sigmas(steps).tolist(), strict=True))
        repeat = tuple(step.key for step in suspects(steps, _sigmas, LEAST_LEFT))
        spread = 2 * fit.residual_sd_mm
        if repeat:
            verdict = f"Repeat {repeat[0]} mm: it is {abs(sigmas[repeat[0]]):.0f} σ off."
            heading = f"The place at {repeat[0]} mm does not fit the others"
        else:
            if len(steps) < wanted:
                verdict = f"So far ± {spread:.1f} mm. The {left(wanted - len(steps))} will make it firmer."
            elif fit.residual_sd_mm <= GOOD_MM:
                verdict = f"Good: the places agree within ± {spread:.1f} mm."
            else:
                verdict = (
                    f"Rough: the places scatter by ± {spread:.1f} mm. Check the ruler's zero and repeat."
                )
            done = f"{count}; " if len(steps) < wanted else "Every place held; "
            heading = f"{done}sound is {fit.speed_m_s:.1f} ± {2 * wide * fit.speed_sd:.1f} m/s"
        notes = (
            () if repeat else _agreement(fit.speed_m_s, fit.speed_sd * wide, air, values["humidity"].value)
        )
        return Outcome(
            heading,
            verdict,
            constants=constants,
            notes=notes,
            repeat=repeat,
            left=rest,
            left_unit="mm",
            sigmas=sigmas,
            plots=_plots(steps, fit, repeat),
        )


def _columns(steps: Sequence[Step[HeldMean]]) -> tuple[list[float], list[float]]:
    return [step.truth["true_mm"] for step in steps], [step.taken.mean for step in steps]


def _constants(
    steps: Steps[HeldMean], fit: ranging.RulerFit, wide: float, air: float | None, values: Values
) -> tuple[FittedConstant, ...]:
    at = values["air"].value if air is None else air
    with_offset = Covariance("offset", (fit.covariance or 0.0) * wide**2)
    sound_sd = (fit.speed_sd or 0.0) * wide
    constants = [
        FittedConstant("sound", fit.speed_m_s, sound_sd, {"air_c": round(at, 2)}, (with_offset,)),
        FittedConstant("offset", fit.offset_mm, (fit.offset_sd or 0.0) * wide),
    ]
    noise = pooled_noise(steps)
    if noise is not None and noise[0] > 0:
        constants.append(FittedConstant("jitter", *noise))
    if air is not None:
        constants.append(FittedConstant("air", round(air, 2), values["air"].sd))
    return tuple(constants)


def _sigmas(steps: Sequence[Step[HeldMean]]) -> Array:
    true, echo = _columns(steps)
    if len(set(true)) < 2:
        return np.zeros(len(true))
    fit = ranging.fit_ruler(true, echo)
    x = np.array(true)
    leverage = 1 / x.size + (x - x.mean()) ** 2 / max(float(((x - x.mean()) ** 2).sum()), 1e-9)
    expected = np.array(
        [math.hypot(RULER_SD_MM, fit.speed_m_s / 2000.0 * step.taken.mean_sd) for step in steps]
    )
    return studentised(np.array(fit.residuals_mm), expected, leverage)


def _agreement(speed: float, sd: float, air_c: float | None, humidity_pct: float) -> tuple[str, ...]:
    if air_c is None:
        return ()
    formula = float(sound.speed_of_sound_cramer(air_c, humidity_pct))
    slope = float(sound.sensitivity_m_s_per_k(air_c, humidity_pct))
    apart = speed - formula
    text = f"The air says {formula:.1f} m/s at {air_c:.1f} °C"
    if abs(apart) <= 2 * math.hypot(sd, slope):
        return (f"{text}: they agree.",)
    kelvin = apart / slope
    if abs(kelvin) > BAD_ZERO_C:
        why = (
            "no air is so far off: look at the ruler, whose marks should be counted from "
            "the same face each time"
        )
    else:
        why = (
            f"air {fixed(abs(kelvin), 1)} K {'warmer' if kelvin > 0 else 'colder'} than the thermometer "
            "says would explain it"
        )
    return (f"{text}: {abs(apart):.1f} m/s apart, more than their ± allow; {why}.",)


def _plots(steps: Steps[HeldMean], fit: ranging.RulerFit, repeat: Sequence[str]) -> tuple[Plot, ...]:
    farthest = max(1000.0, 1.1 * max(step.truth["true_mm"] for step in steps))
    band = ranging.fit_band(fit, [0.0, *np.linspace(0.1, 1.0, 10) * farthest])
    line = PlotLine(
        f"band {BAND} × wider", tuple((at, echo) for at, echo, _ in band), tuple(BAND * s for *_, s in band)
    )
    places = tuple(
        Dot(step.truth["true_mm"], step.taken.mean, off=step.key in repeat, label=step.label)
        for step in steps
    )
    rest = tuple(
        Dot(
            step.truth["true_mm"],
            residual,
            2 * math.hypot(RULER_SD_MM, fit.speed_m_s / 2000 * step.taken.mean_sd),
            step.key in repeat,
            step.label,
        )
        for step, residual in zip(steps, fit.residuals_mm, strict=True)
    )
    return (
        Plot("Echo against true distance", "true distance", "mm", "echo time", "µs", places, (line,)),
        Plot("What is left over", "true distance", "mm", "converted less true", "mm", rest, zero=True),
    )


class AirAverage(Procedure[HeldMean]):
    """The other school: the average of a number of temperature readings, from which the speed of sound
    follows."""

    id = "air"
    takes = HeldMean
    title = "Average of the air"
    prepare = (
        "The thermometer in the air between ranger and target, out of the sun and away from warm parts.",
    )
    seconds = 0.0
    notebook = (FormField("reading", "air temperature", "°C", 20, -40, 85),)
    samples = 30  # common practice

    def wants(self, steps: Steps[HeldMean], values: Values) -> tuple[Want, ...]:
        field = FormField("samples", "Readings to average", "", self.samples, 2, 1000)
        return (Want("air", "air temperature", "Leave the thermometer where it is.", (field,)),)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldMean],
        values: Values,
    ) -> Holding:
        wanted = int(truth.get("samples", self.samples))
        if not window.air.size:
            return Holding(False, "No air temperature comes: this rig needs its thermometer connected.")
        shown = f"{window.air.mean():.1f} °C"
        if window.air.size < wanted:
            return Holding(False, f"{window.air.size} of {wanted} readings.", figure=shown)
        moved = abs(float(np.median(window.air[wanted // 2 :]) - np.median(window.air[: wanted // 2])))
        if moved > 1.0:
            return Holding(
                False, f"The air changed by {moved:.1f} K just now: wait until it settles.", figure=shown
            )
        return Holding(True, "", figure=shown)

    def take(self, window: Window, key: str, values: Values) -> HeldMean:
        if not window.air.size:
            raise BadInput("No air temperature has come yet.", "samples")
        mean = mean_of(window.air)
        return HeldMean(mean.value, math.hypot(mean.sd, window.air_sd), n=mean.n)

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[HeldMean]:
        return Step("air", "air temperature", {}, HeldMean(row["reading"], THERMOMETER_SD_K))

    def fit(self, steps: Steps[HeldMean], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "The speed of sound follows from the air",
                "Average the air once before a run.",
                "Average the air first.",
            )
        held = steps[0].taken
        air, sd, humidity = held.mean, held.mean_sd, values["humidity"].value
        speed = float(sound.speed_of_sound_cramer(air, humidity))
        slope = float(sound.sensitivity_m_s_per_k(air, humidity))
        heading = f"The air is {air:.1f} ± {2 * sd:.1f} °C: sound goes {speed:.1f} m/s"
        verdict = (
            f"{'Good' if 2 * sd <= GOOD_K else 'Rough, only'} for ± {2 * sd * slope:.1f} m/s, "
            f"{2 * sd * slope / speed * 1000:.1f} mm in a metre."
        )
        notes: tuple[str, ...] = ()
        fitted = values.get("sound")
        if fitted is not None and fitted.provenance is Provenance.MEASURED and fitted.sd is not None:
            carried = ranging.carried_speed_m_s(
                fitted.value, fitted.condition.get("air_c", air), np.array([air]), humidity
            )
            note = _agreement(float(carried[0]), fitted.sd, air, humidity)[0]
            notes = (f"The ruler says {float(carried[0]):.1f} m/s. {note}",)
        return Outcome(heading, verdict, constants=(FittedConstant("air", round(air, 2), sd),), notes=notes)


PROCEDURES = (Ruler(), AirAverage())
