"""Accelerometers: six poses that are recognised by themselves."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tickstone.core import inertial
from tickstone.core.calibration.means import HeldMeans, below_a_step, coverage, mean_of
from tickstone.core.calibration.procedure import (
    Array,
    Extra,
    FittedConstant,
    FormField,
    Hindrance,
    Holding,
    Outcome,
    Procedure,
    Step,
    Steps,
    Want,
    Window,
    not_ready,
)
from tickstone.core.calibration.still import NO_READING, why_moving
from tickstone.core.checks import check_between
from tickstone.core.constants import Values
from tickstone.core.figures import Dot, Plot, Table
from tickstone.core.rigs.kinds.inertial import FULL, analogue_own_axes, inertial_own_axes
from tickstone.core.rigs.kinds.parts import step_v
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

AXES, POSES = inertial.AXES, inertial.POSES
ORDER = ("+z", "-z", "+x", "-x", "+y", "-y")
DO = {
    "+z": "Lay it flat, its print up.", "-z": "Lay it flat, its print down.",
    "+x": "Stand it on its edge, the x arrow up.", "-x": "Stand it on its edge, the x arrow down.",
    "+y": "Stand it on its edge, the y arrow up.", "-y": "Stand it on its edge, the y arrow down.",
}  # fmt: skip
LABELS = {pose: f"{pose[1]} arrow {'up' if pose[0] == '+' else 'down'}" for pose in POSES}
LABELS |= {"+z": "flat, print up", "-z": "flat, print down"}
STILL_G = 0.012
OWN_G, OTHERS_G = 0.75, 0.5  # a pose is what one axis says alone
TILTED_DEG, WARN_DEG = 20.0, 5.0
HANDS_DEG = 1.0  # how squarely a part is held by hand against a block
GOOD_G = 0.005
GOOD_DEG = 1.5  # ± of a tilt that six poses should leave


def own_g(channels: Mapping[str, Array], values: Values) -> Array:
    """What the part says along its own axes by today's constants, g, shape (3, n)."""
    axes_of = inertial_own_axes if "accel_range" in values else analogue_own_axes
    return np.stack(axes_of({axis: channels[axis] for axis in AXES}, values))


def counts_per_g(values: Values) -> float:
    """About how many counts a g is."""
    if "accel_range" in values:
        return FULL / values["accel_range"].value
    return abs(values["per_g_z"].value) / step_v(values)


def ends(values: Values) -> tuple[float, float]:
    """Codes at which an axis is pinned."""
    return (-FULL, FULL - 1) if "accel_range" in values else (0.0, 2.0 ** values["bits"].value - 1)


def why_pinned(window: Window, values: Values) -> Hindrance | None:
    """Why axes say nothing at all: none told, or one at an end of its range; None when they do."""
    low, high = ends(values)
    for axis in AXES:
        if not window.told(axis).size:
            return NO_READING
        if not low < float(np.median(window.told(axis))) < high:
            return Hindrance(
                f"{axis} is pinned at an end of its range: choose a wider range, or look at its wire."
            )
    return None


def why_not_steady(window: Window, values: Values, seconds: float) -> Hindrance | None:
    """Why a window of three axes cannot be taken; None when it can."""
    limit = max(2.0, STILL_G * counts_per_g(values))
    return why_pinned(window, values) or why_moving(window, dict.fromkeys(AXES, (limit, "counts")), seconds)


@dataclass(frozen=True)
class HeldPose(HeldMeans):
    """The three axes of a pose, counts; ``turned`` is −1 where lying flat reads −1 g."""

    turned: float = 1.0


class Poses(Procedure[HeldPose]):
    """Six poses, each axis up and down once. Which pose it is shows in the readings."""

    id = "poses"
    takes = HeldPose
    title = "Six poses"
    prepare = (
        "Something square to hold it against: a box, a thick book.",
        "A table that is roughly level: a few degrees do no harm to offsets and scales.",
    )
    hands_free = True
    rests_on = ("reference", "bits", "accel_range")
    notebook = (
        FormField("pose", "pose", "", 0, 0, 5, ORDER),
        *(FormField(axis, f"{axis} counts", "counts", 344, -32_768, 16_777_215) for axis in AXES),
    )

    def wants(self, steps: Steps[HeldPose], values: Values) -> tuple[Want, ...]:
        return tuple(Want(pose, LABELS[pose], DO[pose]) for pose in ORDER)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldPose],
        values: Values,
    ) -> Holding:
        pinned = why_pinned(window, values)
        if pinned:
            return not_ready(pinned)
        g = _flip(steps) * np.nanmedian(own_g(window.channels, values), axis=1)
        shown = " ".join(f"{fixed(float(item), 2)}" for item in g)
        key = "+z" if not steps else pose_of(g)
        if want is not None and want.key == "+z" and not steps:
            key = "+z"  # the first pose is said, not seen: from it the signs are learned
        state = Holding(False, "", key=key, held_s=window.span_s, figure=shown)
        why = why_not_steady(window, values, self.seconds)
        if why:
            return state.hindered(why)
        if not steps and abs(g[2]) < OWN_G:
            return replace(
                state, why_not=f"Begin with it flat, its print up: z says only {fixed(float(g[2]), 2)} g."
            )
        if not key:
            return replace(
                state, why_not="Between two poses: turn it until one arrow points straight up or down."
            )
        tilt = math.degrees(
            math.acos(min(1.0, abs(float(g["xyz".index(key[1])])) / max(float(np.linalg.norm(g)), 1e-9)))
        )
        if tilt > TILTED_DEG:
            return replace(state, why_not=f"Tilted by {tilt:.0f}° in this pose: hold it squarer.")
        held = {step.key for step in steps}
        if key in held:
            left = [LABELS[pose] for pose in ORDER if pose not in held]
            return replace(
                state, why_not=f"Held already: {LABELS[key]}. Still wanted: {', '.join(left) or 'none'}."
            )
        if want is not None and want.key != key:
            return replace(state, why_not=f"This is {LABELS[key]}, not {want.label}.")
        return replace(state, ready=True)

    def take(self, window: Window, key: str, values: Values) -> HeldPose:
        means = [mean_of(window.told(axis), 1.0) for axis in AXES]
        if not all(mean.n for mean in means):
            raise BadInput("There is no reading of all three axes to take.", "channel")
        turned = 1.0
        if key == "+z":
            turned = 1.0 if float(np.nanmedian(own_g(window.channels, values)[2])) >= 0 else -1.0
        held = HeldMeans.of(means)
        return HeldPose(held.means, held.mean_sds, held.spreads, held.n, turned)

    def notebook_channels(self, row: Mapping[str, float]) -> dict[str, float]:
        return {axis: row[axis] for axis in AXES}

    def from_notebook(self, row: Mapping[str, float], values: Values) -> Step[HeldPose]:
        for form_field in self.notebook:
            check_between(row[form_field.name], form_field.low, form_field.high, form_field.name)
        pose = ORDER[int(row["pose"])]
        counts = {axis: np.array([row[axis]]) for axis in AXES}
        taken = self.take(
            Window(np.array([0.0, 0.0]), {axis: np.repeat(count, 2) for axis, count in counts.items()}),
            pose,
            values,
        )
        return Step(pose, LABELS[pose], {}, replace(taken, mean_sds=[0.5, 0.5, 0.5]))

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        text = label.strip().lower()
        return next(((pose, {}) for pose in POSES if text in (pose, LABELS[pose])), None)

    def fit(self, steps: Steps[HeldPose], values: Values) -> Outcome:
        held = {step.key: step for step in steps}
        missing = [pose for pose in ORDER if pose not in held]
        count = f"{len(held)} of 6 poses held"
        same = _same(held)
        if same:
            why = (
                f"{LABELS[same[0]]} and {LABELS[same[1]]} read the same: was the part turned over? Drop one "
                "and hold it again."
            )
            return Outcome("Two poses read the same", why, why, repeat=(same[1],))
        if missing:
            wanted = ", ".join(LABELS[pose] for pose in missing)
            forming = _forming(held, values)
            return Outcome(
                count if held else "Nobody has measured its axes yet",
                f"Still wanted: {wanted}.",
                f"Hold the other {len(missing)} first.",
                constants=forming,
            )
        try:
            axes = fit_axes(held, values)
        except BadInput as error:
            return Outcome("The six poses do not fit together", str(error), str(error))
        tilts = axes.tilts
        worst = max(tilts, key=lambda pose: tilts[pose])
        sd_g = 2 * max(float(sd) for sd in axes.gain_sds / np.abs(axes.gains))
        heading = (
            f"Six poses held; a g is known to ± {sd_g * 100:.1f} %"
            if sd_g > 0.001
            else "Six poses held; a g is known to ± 0.1 %"
        )
        right_to = max(
            0.1, math.degrees(math.hypot(sd_g, 2 * float(max(axes.zero_sds / np.abs(axes.gains)))))
        )
        verdict = f"{'Good' if right_to <= GOOD_DEG else 'Rough'}: tilt is right to ± {right_to:.1f}°."
        spreads = [spread for step in steps for spread in step.taken.spreads]
        least = min(step.taken.n for step in steps)
        notes = [_convention(axes), *below_a_step(spreads, 1.0, least)]
        repeat: tuple[str, ...] = ()
        if tilts[worst] > TILTED_DEG / 2:
            repeat = (worst,)
            verdict = f"Repeat {LABELS[worst]}: it was tilted by {tilts[worst]:.0f}°."
        elif tilts[worst] > WARN_DEG:
            notes.append(
                f"{LABELS[worst].capitalize()} was tilted by {tilts[worst]:.0f}°: offsets and scales allow "
                "for that, cross-axis terms do not."
            )
        full = _full(held, values)
        notes.append(full[1])
        residual = {pose: tilts[pose] for pose in ORDER}
        plot = Plot(
            "How squarely it was held",
            "pose",
            "",
            "tilt of the pose",
            "°",
            tuple(
                Dot(i + 1, tilts[pose], off=pose in repeat, label=LABELS[pose])
                for i, pose in enumerate(ORDER)
            ),
        )
        return Outcome(
            heading,
            verdict,
            constants=axes.constants(),
            extras=(full[0],),
            notes=tuple(notes),
            repeat=repeat,
            left=residual,
            left_unit="°",
            plots=(plot,),
            tables=(_table(axes),),
        )


def pose_of(g: Array) -> str:
    """The pose that a reading in g, shape (3,), is of; empty when no axis stands alone."""
    axis = int(np.argmax(np.abs(g)))
    if abs(float(g[axis])) < OWN_G or sorted(np.abs(g))[1] > OTHERS_G:
        return ""
    return ("+" if g[axis] > 0 else "-") + AXES[axis]


def _flip(steps: Steps[HeldPose]) -> float:
    """−1 where lying flat reads −1 g: many programs print it so."""
    return next((step.taken.turned for step in steps if step.key == "+z"), 1.0)


def _same(held: Mapping[str, Step[HeldPose]]) -> tuple[str, str] | None:
    for axis in AXES:
        up, down = held.get(f"+{axis}"), held.get(f"-{axis}")
        if up and down:
            place = AXES.index(axis)
            noise = max(up.taken.spreads[place], down.taken.spreads[place], 1.0)
            if abs(up.taken.means[place] - down.taken.means[place]) < 4 * noise:
                return f"+{axis}", f"-{axis}"
    return None


class Axes:
    """Zero and gain of each axis in the part's own unit (V, or nominal g), with sds, and how the poses were
    tilted."""

    def __init__(
        self, zeros: Array, gains: Array, covariance: Array, tilts: Mapping[str, float], unit: bool
    ) -> None:
        self.zeros, self.gains, self.covariance, self.tilts, self.unit = zeros, gains, covariance, tilts, unit
        sds = np.sqrt(np.diag(covariance))
        self.zero_sds, self.gain_sds = sds[:3], sds[3:]

    def constants(self) -> tuple[FittedConstant, ...]:
        """Named as the kind has them: volts of an analogue part, offset and scale of an inertial unit."""
        constants = []
        for i, axis in enumerate(AXES):
            zero, gain, zero_sd, gain_sd = (
                float(item[i]) for item in (self.zeros, self.gains, self.zero_sds, self.gain_sds)
            )
            if not self.unit:
                constants += [
                    FittedConstant(f"zero_{axis}", zero, zero_sd),
                    FittedConstant(f"per_g_{axis}", gain, gain_sd),
                ]
                continue
            by_zero, by_gain = 1.0 / gain, -zero / gain**2
            cross = float(self.covariance[i, 3 + i])
            offset_sd = math.sqrt(
                max((by_zero * zero_sd) ** 2 + (by_gain * gain_sd) ** 2 + 2 * by_zero * by_gain * cross, 0.0)
            )
            constants += [
                FittedConstant(f"offset_{axis}", zero / gain, offset_sd),
                FittedConstant(f"scale_{axis}", 1.0 / gain, gain_sd / gain**2),
            ]
        return tuple(constants)


def in_own_unit(counts: Array, values: Values) -> Array:
    """Counts in what the constants are said in: volts, or g by the nominal range."""
    if "accel_range" in values:
        return counts * values["accel_range"].value / FULL
    return counts * step_v(values)


def _measured(held: Mapping[str, Step[HeldPose]], values: Values) -> tuple[Array, Array]:
    means = in_own_unit(np.array([held[pose].taken.means for pose in ORDER]), values)
    sds = in_own_unit(np.array([held[pose].taken.mean_sds for pose in ORDER]), values)
    return means, np.maximum(sds, 1e-9)


def fit_axes(held: Mapping[str, Step[HeldPose]], values: Values) -> Axes:
    """Zero and gain of each axis such that every pose reads 1 g, however it was tilted: six equations, six
    unknowns.

    Half sum and half difference of opposite poses begin it. Source: the norm of gravity as a condition (Won &
    Golnaraghi, IEEE Trans. Instrum. Meas. 59 (2010) 2050; from memory). Raises BadInput when an axis does not
    answer to gravity.
    """
    from scipy.optimize import least_squares  # here, since loading it takes longer than most calculations

    means, sds = _measured(held, values)
    up, down = ([means[ORDER.index(f"{sign}{axis}"), i] for i, axis in enumerate(AXES)] for sign in "+-")
    zeros, gains = (np.array(up) + down) / 2, (np.array(up) - down) / 2
    if np.any(np.abs(gains) < 1e-6):
        raise BadInput("An axis does not answer to gravity: look at its wire.", "poses")

    def off(p: Array) -> Array:
        return np.asarray(np.linalg.norm((means - p[:3]) / p[3:], axis=1) - 1.0)

    solved = least_squares(off, np.concatenate([zeros, gains]), method="lm", xtol=1e-15, ftol=1e-15)
    zeros, gains = solved.x[:3], solved.x[3:]
    g = (means - zeros) / gains
    if np.abs(gains / ((np.array(up) - down) / 2) - 1).max() > 0.3:
        raise BadInput("The poses are tilted too far to fit together: hold them squarer.", "poses")
    noise = np.sqrt((((g / np.linalg.norm(g, axis=1, keepdims=True)) * sds / gains) ** 2).sum(axis=1))
    back = np.linalg.inv(solved.jac)
    tilts = {}
    for pose, item in zip(ORDER, g, strict=True):
        straight = float(item[AXES.index(pose[1])]) * (1 if pose[0] == "+" else -1)
        tilts[pose] = math.degrees(math.acos(min(1.0, max(-1.0, straight / float(np.linalg.norm(item))))))
    return Axes(zeros, gains, back @ np.diag(noise**2) @ back.T, tilts, "accel_range" in values)


def _forming(held: Mapping[str, Step[HeldPose]], values: Values) -> tuple[FittedConstant, ...]:
    """What pairs of poses say already: half sum and half difference."""
    constants: list[FittedConstant] = []
    for i, axis in enumerate(AXES):
        if f"+{axis}" not in held or f"-{axis}" not in held:
            continue
        up, down = (
            float(in_own_unit(np.array(held[f"{sign}{axis}"].taken.means[i]), values)) for sign in "+-"
        )
        zero, gain = (up + down) / 2, (up - down) / 2
        if "accel_range" in values:
            constants += [
                FittedConstant(f"offset_{axis}", zero / gain, None),
                FittedConstant(f"scale_{axis}", 1 / gain, None),
            ]
        else:
            constants += [
                FittedConstant(f"zero_{axis}", zero, None),
                FittedConstant(f"per_g_{axis}", gain, None),
            ]
    return tuple(constants)


def _full(held: Mapping[str, Step[HeldPose]], values: Values) -> tuple[Extra, str]:
    """Least squares with cross-axis terms: what each axis has of the others, good only for squarely held
    poses."""
    means, _ = _measured(held, values)
    ideal = np.array(
        [[(1.0 if pose[0] == "+" else -1.0) if axis == pose[1] else 0.0 for axis in AXES] for pose in ORDER]
    )
    fit = inertial.fit_six_pose(ideal, means)
    back = np.linalg.inv(fit.matrix)
    freedom = 18 - 12
    spread = fit.residual_sd * math.sqrt(18 / freedom) * coverage(freedom)
    constants = []
    for i, axis in enumerate(AXES):
        gain, zero = 1.0 / float(back[i, i]), float(fit.matrix_offset[i])
        gain_sd, zero_sd = spread / math.sqrt(2), spread / math.sqrt(6)
        if "accel_range" in values:
            constants += [
                FittedConstant(f"offset_{axis}", zero / gain, zero_sd / abs(gain)),
                FittedConstant(f"scale_{axis}", 1 / gain, gain_sd / gain**2),
            ]
        else:
            constants += [
                FittedConstant(f"zero_{axis}", zero, zero_sd),
                FittedConstant(f"per_g_{axis}", gain, gain_sd),
            ]
        held_sd = math.hypot(spread / math.sqrt(2) / abs(gain), math.radians(HANDS_DEG) / math.sqrt(2))
        constants += [
            FittedConstant(f"cross_{axis}{other}", float(back[i, j] / back[j, j]), held_sd)
            for j, other in enumerate(AXES)
            if j != i
        ]
    largest = max(
        (constant for constant in constants if constant.name.startswith("cross")),
        key=lambda constant: abs(constant.value),
    )
    share = 100 * abs(largest.value)
    sure = "more than" if abs(largest.value) > 2 * (largest.sd or 0.0) else "no more than"
    text = (
        f"Cross-axis terms: at most {share:.1f} % ({largest.name[-2]} has that much of {largest.name[-1]}), "
        f"{sure} what holding it by hand explains."
    )
    return Extra("cross", "with cross-axis terms, by full least squares", tuple(constants)), text


def _convention(axes: Axes) -> str:
    if all(gain > 0 for gain in axes.gains):
        return "Lying flat it reads +1 g: no sign has to be turned."
    if all(gain < 0 for gain in axes.gains):
        return "Lying flat it reads −1 g: its program turns the signs. The negative scales put that right."
    turned = [axis for axis, gain in zip(AXES, axes.gains, strict=True) if gain < 0]
    return f"{', '.join(turned)} runs the other way than its arrow: the negative scale puts that right."


def _table(axes: Axes) -> Table:
    rows = []
    for axis, zero, gain, zero_sd, gain_sd in zip(
        AXES, axes.zeros, axes.gains, axes.zero_sds, axes.gain_sds, strict=True
    ):
        rows.append(
            (
                axis,
                f"{fixed(float(zero), 4)} ± {2 * zero_sd:.4f}",
                f"{fixed(float(gain), 4)} ± {2 * gain_sd:.4f}",
            )
        )
    unit = "g nominal" if axes.unit else "V"
    return Table("Each axis", ("axis", f"at 0 g, {unit}", f"for 1 g, {unit}"), tuple(rows))


PROCEDURES = (Poses(),)
