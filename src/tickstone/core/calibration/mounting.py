"""How an inertial part sits in the vehicle: which axes point up and forward, and what it says when level."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from tickstone.core import inertial
from tickstone.core.calibration.means import mean_of
from tickstone.core.calibration.poses import AXES, OWN_G, own_g, why_not_steady
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    Holding,
    Outcome,
    Procedure,
    Steps,
    Want,
    Window,
    not_ready,
)
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds.mounting import mounted
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

PLACED_DEG = 0.15  # how alike two placements on one spot are


def vehicle_g(channels: Mapping[str, Array], values: Values) -> Array:
    """What the part says in the vehicle's axes, before level is taken off, g, shape (3, n)."""
    x, y, z = own_g(channels, values)
    return np.stack(mounted((x, y, z), values, levelled=False))


@dataclass(frozen=True)
class HeldGravity:
    """Gravity as it was held, g, shape (3,), of so many readings; sds of the means where they matter."""

    g: list[float]
    n: int
    mean_sds: list[float] = field(default_factory=list)


class LevelByReversal(Procedure[HeldGravity]):
    """Level zero by reversal: read, turn the vehicle by 180° on the spot, read again."""

    id = "level"
    takes = HeldGravity
    title = "Level"
    prepare = ("A firm place, roughly level; mark where the wheels stand.",)
    rests_on = ("axis_up", "axis_forward", "zero_x", "zero_y", "zero_z", "offset_x", "offset_y", "offset_z")

    def wants(self, steps: Steps[HeldGravity], values: Values) -> tuple[Want, ...]:
        return (
            Want("there", "as it stands", "Stand it on the marks, and let go."),
            Want("turned", "turned by 180°", "Turn it by half a turn, the wheels on the same marks."),
        )

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldGravity],
        values: Values,
    ) -> Holding:
        why = why_not_steady(window, values, self.seconds)
        if why:
            return not_ready(why, window.span_s)
        roll, pitch = _angles(np.nanmean(vehicle_g(window.channels, values), axis=1))
        shown = f"{fixed(roll, 1)}° {fixed(pitch, 1)}°"
        if max(abs(roll), abs(pitch)) > 25:
            return Holding(False, "It does not stand: wheels down, on the bench.", figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> HeldGravity:
        means = [mean_of(axis) for axis in vehicle_g(window.channels, values)]
        if not all(mean.n for mean in means):
            raise BadInput("There is no reading of all three axes to take.", "channel")
        return HeldGravity(
            [mean.value for mean in means], min(mean.n for mean in means), [mean.sd for mean in means]
        )

    def fit(self, steps: Steps[HeldGravity], values: Values) -> Outcome:
        held = {step.key: step for step in steps}
        if len(held) < 2:
            return Outcome(
                "What it reads when level is not known", "Read, turn it round, read again.", "Hold both."
            )
        (roll, pitch), (roll2, pitch2) = (_angles(np.array(held[key].taken.g)) for key in ("there", "turned"))
        zero, slope = ((roll + roll2) / 2, (pitch + pitch2) / 2), ((roll - roll2) / 2, (pitch - pitch2) / 2)
        noise = math.degrees(max(max(step.taken.mean_sds) for step in steps))
        sd = math.hypot(noise, PLACED_DEG) / math.sqrt(2)
        bench = math.degrees(math.acos(math.cos(math.radians(slope[0])) * math.cos(math.radians(slope[1]))))
        heading = f"Level reads roll {fixed(zero[0], 1)}°, pitch {fixed(zero[1], 1)}°; that is taken off now"
        verdict = f"Good: ± {2 * sd:.1f}°." if noise < PLACED_DEG else f"Rough: ± {2 * sd:.1f}°; it trembles."
        return Outcome(
            heading,
            verdict,
            constants=(FittedConstant("level_roll", zero[0], sd), FittedConstant("level_pitch", zero[1], sd)),
            notes=(f"The bench itself slopes by {bench:.1f}°.",),
        )


def _angles(g: Array) -> tuple[float, float]:
    tilt = inertial.tilt(g[:1], g[1:2], g[2:])
    return float(tilt.roll_deg[0]), float(tilt.pitch_deg[0])


class Mounting(Procedure[HeldGravity]):
    """Which of the part's axes points up, and which forward: for a part mounted on its side."""

    id = "mounting"
    takes = HeldGravity
    title = "Mounting"
    prepare = ("The vehicle on its wheels; a hand’s breadth of room to lift its nose.",)
    rests_on = ("zero_x", "zero_y", "zero_z", "offset_x", "offset_y", "offset_z")
    least_rise_g = 0.25  # about 15°

    def wants(self, steps: Steps[HeldGravity], values: Values) -> tuple[Want, ...]:
        return (
            Want("level", "on its wheels", "Stand it level on its wheels."),
            Want("nose-up", "nose up", "Lift its nose by 20 to 40 degrees and hold it there."),
        )

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldGravity],
        values: Values,
    ) -> Holding:
        why = why_not_steady(window, values, 1.0)
        if why:
            return not_ready(why, window.span_s)
        g = np.nanmean(own_g(window.channels, values), axis=1)
        shown = " ".join(fixed(float(item), 2) for item in g)
        if want is not None and want.key == "nose-up":
            level = next((step for step in steps if step.key == "level"), None)
            if level is not None and np.linalg.norm(g - np.array(level.taken.g)) < self.least_rise_g:
                return Holding(False, "Lift the nose further: it reads almost as level.", figure=shown)
        elif max(abs(g)) < OWN_G:
            return Holding(
                False,
                "No axis points straight up: a part mounted at a slant needs its bracket turned.",
                figure=shown,
            )
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> HeldGravity:
        g = np.nanmean(own_g(window.channels, values), axis=1)
        if not np.isfinite(g).all():
            raise BadInput("There is no reading of all three axes to take.", "channel")
        return HeldGravity(g.tolist(), int(window.times_s.size))

    def fit(self, steps: Steps[HeldGravity], values: Values) -> Outcome:
        held = {step.key: np.array(step.taken.g) for step in steps}
        if "level" not in held:
            return Outcome(
                "Taken as mounted with x forward and z up",
                "Stand it level, then lift its nose.",
                "Hold both.",
            )
        up = _numbered(held["level"])
        if "nose-up" not in held:
            return Outcome(f"{_axis_words(up)} points up", "Now lift its nose.", "Hold it nose up too.")
        change = held["nose-up"] - held["level"]
        change[abs(up) - 1] = 0.0  # what up itself loses says nothing about forward
        forward = _numbered(change)
        sideways = sorted(np.abs(change))[1] / max(float(np.abs(change).max()), 1e-9)
        notes = (f"It was lifted a little sideways too ({100 * sideways:.0f} %).",) if sideways > 0.4 else ()
        return Outcome(
            f"{_axis_words(up)} points up, {_axis_words(forward)} forward",
            "Rough: lift the nose straight up." if sideways > 0.6 else "Good: both axes are plain.",
            constants=(
                FittedConstant("axis_up", float(up), None),
                FittedConstant("axis_forward", float(forward), None),
            ),
            notes=notes,
        )


def _numbered(g: Array) -> int:
    axis = int(np.argmax(np.abs(g)))
    return (axis + 1) * (1 if g[axis] > 0 else -1)


def _axis_words(number: int) -> str:
    return f"{'' if number > 0 else 'minus '}{AXES[abs(number) - 1]}"


PROCEDURES = (Mounting(), LevelByReversal())
