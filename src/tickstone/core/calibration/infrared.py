"""Infrared rangers along a ruler: the hyperbola of a triangulation ranger, offset and scale of a
time-of-flight one."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from tickstone.core import adc, triangulation
from tickstone.core.calibration.means import HeldMean, below_a_step, coverage, straight
from tickstone.core.calibration.pairs import (
    RULER_SD_MM,
    Pairs,
    count_of,
    pooled_noise,
    sds_of_means,
    studentised,
    suspects,
)
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Outcome,
    Step,
    Steps,
    Want,
    Window,
)
from tickstone.core.calibration.still import why_saturated
from tickstone.core.constants import Covariance, Values
from tickstone.core.figures import Dot, Plot, PlotLine, Table
from tickstone.errors import BadInput

USABLE_SHARE = 0.05
PREPARE = ("A flat target, as dark or pale as what it will meet.", "A ruler or tape from the ranger’s face.")
EMITTER = ("The ranger gives off infrared: do not look into it from near, whatever the eye sees.",)


class Triangulation(Pairs):
    """Counts at places along a ruler, fitted by ``V = a/(d + b) + c`` on the side where the voltage falls."""

    id = "hyperbola"
    title = "Ruler against voltage"
    prepare = (*PREPARE, "Put a target nearer than its near end too, once: the same voltage comes back.")
    cautions = EMITTER
    channel, unit = "counts", "counts"
    slip_mm = 60.0
    far_off = (
        0.15  # a part sheet's curve is right to a tenth (95 %), and far away a count is many millimetres
    )
    rests_on = ("reference", "bits")
    notebook = (
        FormField("true_mm", "distance", "mm", 200, 10, 6000),
        FormField("reading", "counts", "", 300, 0, 16_777_215),
    )

    def places_mm(self, values: Values) -> tuple[float, ...]:
        near, far = values["nearest"].value, values["farthest"].value
        ladder = near * np.array([1.0, 1.3, 1.7, 2.3, 3.2, 4.5, 6.2, 8.0])
        return tuple(float(at) for at in np.round(ladder[ladder <= far * 1.001] / 10) * 10)

    def usable(self, window: Window, values: Values) -> Array:
        counts = window.channels["counts"]
        top = 2.0 ** values["bits"].value - 1
        return np.where((counts > 0) & (counts < top), counts, np.nan)  # an end of the range says nothing

    def still_limit(self, values: Values) -> float:
        return max(3.0, 3.0 * values["noise"].value)

    def step_of(self, values: Values) -> float:
        return 1.0

    def same(self, step: Step[HeldMean], values: Values) -> float:
        """Far away a few counts are many centimetres: only readings that are truly alike are the same
        place."""
        return 0.75

    def take(self, window: Window, key: str, values: Values) -> HeldMean:
        why = why_saturated(window, {"counts": (0.0, 2.0 ** values["bits"].value - 1)})
        if why:
            raise BadInput(f"{why} This target is too bright, too near, or the wire is off.", "true_mm")
        return super().take(window, key, values)

    def fit(self, steps: Steps[HeldMean], values: Values) -> Outcome:
        places = self.places_mm(values)
        near, far = values["nearest"].value, values["farthest"].value
        inside = [step for step in steps if near * 0.999 <= step.truth["true_mm"] <= far * 1.001]
        count = count_of(steps, len(places))
        if len({step.truth["true_mm"] for step in inside}) < 4:
            why = f"Hold at least four places from {near:g} to {far:g} mm: three fit any hyperbola."
            return Outcome(count, "Four places make a curve; seven make a good one.", why)
        try:
            bad = suspects(inside, lambda some: _curve(some, values).sigmas, 5)
            good = [step for step in inside if step not in bad]
            curve = _curve(good, values)
        except BadInput as error:
            return Outcome("The voltages do not fall as they should", str(error), str(error))
        rest = {step.key: curve.off_mm(step, values) for step in inside}
        sigmas = dict(zip([step.key for step in good], curve.sigmas.tolist(), strict=True))
        sigmas |= {step.key: rest[step.key] / max(RULER_SD_MM, 1e-9) for step in bad}
        a, b, c = curve.constants
        sds = curve.sds
        with_b, with_c, c_with_b = (float(curve.covariance[i, j]) for i, j in ((0, 1), (0, 2), (1, 2)))
        noise = pooled_noise(steps)
        constants = (
            FittedConstant("a", a, sds[0], covariances=(Covariance("b", with_b), Covariance("c", with_c))),
            FittedConstant("b", b, sds[1], covariances=(Covariance("c", c_with_b),)),
            FittedConstant("c", c, sds[2]),
            *(() if noise is None or not noise[0] else (FittedConstant("noise", *noise),)),
        )
        spread = 2 * math.sqrt(
            float(np.mean(np.square([rest[step.key] for step in good]))) * len(good) / (len(good) - 3)
        )
        step_v = adc.lsb_v(int(values["bits"].value), values["reference"].value)
        per_count = triangulation.mm_per_volt(np.array([near, far]), a, b) * step_v
        if bad:
            heading = f"The place at {bad[0].label} does not fit the curve"
            verdict = (
                f"Repeat {bad[0].label}: it is {abs(rest[bad[0].key]):.0f} mm off. The "
                "curve stands without it."
            )
        else:
            heading = (
                f"{count}; the curve" if len(steps) < len(places) else "Every place held; the curve"
            ) + (f" holds within ± {spread:.1f} mm")
            to = _usable_to(curve, noise[0] * step_v if noise else step_v, near, far)
            span = (
                "from end to end"
                if to >= far
                else f"from {near:g} to {to:.0f} mm; beyond, noise alone is ± 5 %"
            )
            verdict = (
                f"Good: usable {span}." if spread < 0.03 * far else "Rough: check the ruler, and repeat."
            )
        return Outcome(
            heading,
            verdict,
            constants=constants,
            notes=_notes(steps, near, per_count),
            left=rest,
            left_unit="mm",
            repeat=tuple(step.key for step in bad),
            sigmas=sigmas,
            plots=_plots(inside, bad, curve, rest, values, near, far),
            tables=(_resolution(curve, step_v, near, far),),
        )


def _usable_to(curve: _Curve, noise_v: float, near: float, far: float) -> float:
    """The distance, mm, up to which the noise of single readings is less than USABLE_SHARE of the distance
    (95 %)."""
    a, b, _ = curve.constants
    along = np.linspace(near, far, 200)
    good = 2 * noise_v * triangulation.mm_per_volt(along, a, b) <= USABLE_SHARE * along
    return float(along[-1] if good.all() else along[int(np.argmin(good))])


def _volts(steps: Sequence[Step[HeldMean]], values: Values) -> Array:
    step_v = adc.lsb_v(int(values["bits"].value), values["reference"].value)
    return np.array([step.taken.mean for step in steps]) * step_v


class _Curve:
    """A hyperbola weighted by what the ruler and the noise make of each place, with its covariance."""

    def __init__(self, constants: Array, covariance: Array, sigmas: Array) -> None:
        self.constants = tuple(float(constant) for constant in constants)
        self.covariance, self.sigmas = covariance, sigmas
        self.sds = tuple(float(item) for item in np.sqrt(np.diag(covariance)))

    def off_mm(self, step: Step[HeldMean], values: Values) -> float:
        """Converted less true distance, mm."""
        a, b, c = self.constants
        above = float(_volts([step], values)[0]) - c
        return a / above - b - step.truth["true_mm"] if above > 0 else 10_000.0


LEAST_SD = 0.3  # counts, of a mean


def _curve(steps: Sequence[Step[HeldMean]], values: Values) -> _Curve:
    """Weighted least squares begun at the plain fit; the weights are what the ruler's ± is worth in volts at
    each place."""
    from scipy.optimize import least_squares  # here, since loading it takes longer than most calculations

    true, volts = np.array([step.truth["true_mm"] for step in steps]), _volts(steps, values)
    step_v = adc.lsb_v(int(values["bits"].value), values["reference"].value)
    plain = triangulation.fit(true, volts, 0.5 * float(true.min()), 2.0 * float(true.max()))
    noise = step_v * np.maximum(sds_of_means(steps), LEAST_SD)
    scale = np.array([abs(plain.a), max(abs(plain.b), 1.0), max(abs(plain.c), 0.01)])

    def weights(a: float, b: float) -> Array:
        return np.asarray(np.hypot(RULER_SD_MM / triangulation.mm_per_volt(true, a, b), noise))

    result = np.array([plain.a, plain.b, plain.c]) / scale
    for _ in range(3):
        expected = weights(result[0] * scale[0], result[1] * scale[1])
        solved = least_squares(
            lambda p, e=expected: (triangulation.volts_at(true, *(p * scale)) - volts) / e,
            result,
            method="lm",
            max_nfev=5000,
        )
        result = solved.x
    freedom = len(steps) - 3
    shape = np.linalg.pinv(solved.jac.T @ solved.jac)
    size = float((solved.fun**2).sum()) / freedom if freedom else 1.0
    covariance = shape * size * (coverage(freedom) if freedom else 1.0) ** 2 * np.outer(scale, scale)
    leverage = np.einsum("ij,jk,ik->i", solved.jac, shape, solved.jac)
    return _Curve(result * scale, covariance, studentised(solved.fun, np.ones(len(steps)), leverage))


def _notes(steps: Steps[HeldMean], near: float, per_count: Array) -> tuple[str, ...]:
    notes = [
        f"One count is {per_count[0]:.2f} mm at the near end and {per_count[1]:.1f} mm at the far end.",
        *below_a_step([step.taken.sd for step in steps], 1.0, min(step.taken.n for step in steps)),
    ]
    closer = [step for step in steps if step.truth["true_mm"] < near * 0.999]
    nearest = min((step for step in steps if step not in closer), key=lambda step: step.truth["true_mm"])
    for step in closer:
        if step.taken.mean < nearest.taken.mean:
            notes.append(
                f"At {step.label} it reads {step.taken.mean:.0f} counts, less than at "
                f"{nearest.label}: one voltage, two distances. Mount it set back by "
                f"{near:g} mm, so that nothing can come nearer."
            )
    if not closer:
        notes.append(
            f"Nearer than {near:g} mm the voltage falls again: one voltage, two distances. Mount it set back."
        )
    return tuple(notes)


def _plots(
    inside: Sequence[Step[HeldMean]],
    bad: Sequence[Step[HeldMean]],
    curve: _Curve,
    rest: dict[str, float],
    values: Values,
    near: float,
    far: float,
) -> tuple[Plot, ...]:
    along = np.geomspace(near, far, 40)
    line = PlotLine(
        "", tuple(zip(along.tolist(), triangulation.volts_at(along, *curve.constants).tolist(), strict=True))
    )
    volts = _volts(inside, values)
    places = tuple(
        Dot(step.truth["true_mm"], float(v), off=step in bad, label=step.label)
        for step, v in zip(inside, volts, strict=True)
    )
    left = tuple(
        Dot(step.truth["true_mm"], rest[step.key], 2 * RULER_SD_MM, step in bad, step.label)
        for step in inside
    )
    return (
        Plot("Voltage against true distance", "true distance", "mm", "voltage", "V", places, (line,)),
        Plot("What is left over", "true distance", "mm", "converted less true", "mm", left, zero=True),
    )


def _resolution(curve: _Curve, step_v: float, near: float, far: float) -> Table:
    a, b, _ = curve.constants
    rows = []
    for at in np.round(np.geomspace(near, far, 5) / 10) * 10:
        rows.append((f"{at:.0f} mm", f"{float(triangulation.mm_per_volt(at, a, b)) * step_v:.2f} mm"))
    return Table("What one count is worth", ("at", "one count"), tuple(rows))


PALE, DARK = 0.0, 1.0
USEFUL_MM, USEFUL_SHARE = 5.0, 0.03


class TimeOfFlight(Pairs):
    """Millimetres that a time-of-flight ranger says, against a ruler: offset and scale, and how far each
    target goes."""

    id = "ruler-mm"
    title = "Ruler against reading"
    prepare = (*PREPARE, "Do it for a pale target, then for a dark one: the dark one ends sooner.")
    cautions = EMITTER
    channel, unit = "reading", "mm"
    slip_mm = 40.0
    notebook = (
        FormField("true_mm", "distance", "mm", 100, 5, 6000),
        FormField("reading", "reading", "mm", 105, 0, 8000),
    )
    nothing = 8000.0  # such parts say a number beyond any distance when nothing comes back

    def places_mm(self, values: Values) -> tuple[float, ...]:
        far = values["farthest"].value
        return tuple(float(round(share * far / 10) * 10) for share in (0.17, 0.33, 0.5, 0.75, 1.0))

    def _want(self, at: float, *, more: bool = False) -> Want:
        want = super()._want(at, more=more)
        target = FormField("target", "Target", "", PALE, 0, 1, ("pale", "dark"), needed=False)
        return Want(want.key, want.label, want.do, (*want.fields, target), more=more)

    def wants(self, steps: Steps[HeldMean], values: Values) -> tuple[Want, ...]:
        held = {step.key: step for step in steps}
        plain = super().wants([step for step in steps if not step.truth.get("target")], values)
        dark = tuple(
            Want(key, step.label, "", (), more=True)
            for key, step in held.items()
            if step.truth.get("target") == DARK
        )
        return (*plain, *dark)

    def key_of(self, want: Want, truth: Mapping[str, float]) -> str:
        return f"{truth['true_mm']:g}" + ("-dark" if truth.get("target") == DARK else "")

    def label_of(self, want: Want, truth: Mapping[str, float]) -> str:
        return f"{truth['true_mm']:g} mm" + (", dark" if truth.get("target") == DARK else "")

    def usable(self, window: Window, values: Values) -> Array:
        reading = window.channels["reading"]
        return np.where((reading > 0) & (reading < self.nothing), reading, np.nan)

    def still_limit(self, values: Values) -> float:
        return max(4.0, 3.0 * values["noise"].value)

    def same(self, step: Step[HeldMean], values: Values) -> float:
        return 2.0

    def step_of(self, values: Values) -> float:
        return 1.0

    def fit(self, steps: Steps[HeldMean], values: Values) -> Outcome:
        pale = [step for step in steps if not step.truth.get("target")] or list(steps)
        wanted = len(self.places_mm(values))
        count = count_of(pale, wanted)
        if len({step.truth["true_mm"] for step in pale}) < 3:
            return Outcome(
                count, "Three places make a first line; five a good one.", "Hold at least three places."
            )
        x = np.array([step.taken.mean for step in pale])
        y = np.array([step.truth["true_mm"] for step in pale])
        if np.ptp(x) < 1.0:
            why = "The reading is the same everywhere: the part does not see the target."
            return Outcome("The reading does not follow the ruler", why, why)
        fit = straight(x, y)
        if fit.slope <= 0:
            why = "The reading falls as the target goes away: look at which numbers belong together."
            return Outcome("The reading does not follow the ruler", why, why)
        bad = suspects(pale, _reading_sigmas, 3)
        rest = {step.key: fit.slope * step.taken.mean + fit.offset - step.truth["true_mm"] for step in steps}
        sigmas = dict(zip([step.key for step in pale], _reading_sigmas(pale).tolist(), strict=True))
        spread = 2 * (fit.spread or 0.0)
        noise = pooled_noise(pale)
        constants = (
            FittedConstant("offset", fit.offset, fit.offset_sd),
            FittedConstant(
                "scale",
                fit.slope,
                fit.slope_sd,
                covariances=(Covariance("offset", fit.covariance or 0.0),),
            ),
            *(() if noise is None or not noise[0] else (FittedConstant("noise", *noise),)),
        )
        if bad:
            heading, verdict = (
                f"The place at {bad[0].label} does not fit the others",
                f"Repeat {bad[0].label}: it is {abs(rest[bad[0].key]):.0f} mm off.",
            )
        else:
            heading = (f"{count}; it reads" if len(pale) < wanted else "Every place held; it reads") + (
                f" {_way(fit.offset)} and {abs(fit.slope - 1) * 100:.1f} % "
                f"{'short' if fit.slope > 1 else 'long'}"
            )
            verdict = (
                f"Good: the places agree within ± {spread:.1f} mm."
                if spread < 10
                else "Rough: check the ruler, repeat."
            )
        dots = tuple(
            Dot(step.truth["true_mm"], rest[step.key], 2 * RULER_SD_MM, step in bad, step.label)
            for step in steps
        )
        far = max(step.truth["true_mm"] for step in steps)
        line = PlotLine("", tuple((at, (at - fit.offset) / fit.slope) for at in (0.0, far)))
        places = tuple(
            Dot(step.truth["true_mm"], step.taken.mean, off=step in bad, label=step.label) for step in steps
        )
        return Outcome(
            heading,
            verdict,
            constants=constants,
            notes=_useful(steps, rest),
            repeat=tuple(step.key for step in bad),
            left=rest,
            left_unit="mm",
            sigmas=sigmas,
            plots=(
                Plot(
                    "Reading against true distance", "true distance", "mm", "reading", "mm", places, (line,)
                ),
                Plot(
                    "What is left over", "true distance", "mm", "converted less true", "mm", dots, zero=True
                ),
            ),
        )


def _way(offset_mm: float) -> str:
    return f"{abs(offset_mm):.1f} mm {'too near' if offset_mm > 0 else 'too far'} at zero"


def _reading_sigmas(steps: Sequence[Step[HeldMean]]) -> Array:
    x = np.array([step.taken.mean for step in steps])
    if np.ptp(x) == 0:
        return np.zeros(len(steps))
    fit = straight(x, [step.truth["true_mm"] for step in steps])
    expected = np.array([math.hypot(RULER_SD_MM, fit.slope * step.taken.mean_sd) for step in steps])
    return studentised(-fit.rest, expected, fit.leverage)


def _useful(steps: Steps[HeldMean], rest: dict[str, float]) -> tuple[str, ...]:
    """How far each target may stand: up to the last place before the first that is too far off or too
    unsteady."""
    notes = []
    for target, name in ((PALE, "pale"), (DARK, "dark")):
        held = sorted(
            (step for step in steps if step.truth.get("target", PALE) == target),
            key=lambda s: s.truth["true_mm"],
        )
        reach = 0.0
        for step in held:
            at = step.truth["true_mm"]
            allowed = max(USEFUL_MM, USEFUL_SHARE * at)
            if abs(rest[step.key]) > allowed or 2 * step.taken.sd > allowed:
                notes.append(
                    f"On a {name} target it is useful to {reach:g} mm: at {at:g} mm it is "
                    f"{abs(rest[step.key]):.0f} mm off and scatters by {2 * step.taken.sd:.0f} mm."
                )
                break
            reach = at
        else:
            if held:
                notes.append(f"On a {name} target it is useful as far as was tried, {reach:g} mm.")
    return tuple(notes)


PROCEDURES = (Triangulation(), TimeOfFlight())
