"""How much of the ground a line sensor sees: from a slow pass over the tape, whose width is known."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from tickstone.core.calibration.means import repeats
from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    Holding,
    Outcome,
    Procedure,
    Steps,
    Want,
    Window,
)
from tickstone.core.calibration.runs import numbered
from tickstone.core.constants import Values
from tickstone.core.noise import step_noise
from tickstone.errors import BadInput

CLEAR_NOISES = 12.0  # tape and ground must differ by so many times the noise
FLAT = 0.1  # of the swing: readings beside the tape differ by no more
EDGE_READINGS = 5  # while an edge passes under a spot
TAPE_SD = 0.01  # of the tape's width, as a ruler tells it
GOOD_MM = 0.8


@dataclass(frozen=True)
class PassedTape:
    """A pass over the tape: for each sensor that crossed it, the spot's width as a share of the tape's."""

    sensors: list[str]
    shares: list[float]


def disc_share(place: Array) -> Array:
    """How much of a disc lies on one side of a straight edge, by its middle's distance over its radius,
    shape (n,)."""
    u = np.clip(place, -1.0, 1.0)
    return np.asarray(0.5 + (u * np.sqrt(1.0 - u * u) + np.arcsin(u)) / math.pi)


def crossed(times: Array, counts: Array) -> float | None:
    """The spot's width as a share of the tape's, from counts while the tape passes at one speed, shape (n,);
    None where it does not pass as a whole, or hardly shows."""
    from scipy.optimize import least_squares  # here, since loading it takes longer than most calculations

    ground = float(np.median(np.concatenate([counts[:8], counts[-8:]])))
    far = counts[np.argmax(np.abs(counts - ground))]
    noise = step_noise(counts) or 0.5
    if abs(far - ground) < CLEAR_NOISES * noise:
        return None
    if max(np.ptp(counts[:8]), np.ptp(counts[-8:])) > max(FLAT * abs(far - ground), CLEAR_NOISES / 2 * noise):
        return None  # it did not begin and end beside the tape
    dark = (counts - ground) / (far - ground)
    over = np.flatnonzero(dark > 0.5)
    if over.size < EDGE_READINGS or over[0] < EDGE_READINGS or over[-1] > counts.size - 1 - EDGE_READINGS:
        return None
    begins, ends = float(times[over[0]]), float(times[over[-1]])
    if ends <= begins:
        return None

    def left(p: Array) -> Array:
        share = disc_share((times - p[2]) / p[4]) - disc_share((times - p[3]) / p[4])
        return np.asarray(p[0] + (p[1] - p[0]) * share - counts)

    guess = [ground, float(far), begins, ends, 0.15 * (ends - begins)]
    scale = [abs(far - ground)] * 2 + [ends - begins] * 3
    fit = least_squares(left, guess, x_scale=scale, loss="soft_l1", f_scale=3 * noise)
    radius, wide = abs(float(fit.x[4])), float(fit.x[3] - fit.x[2])
    share = 2.0 * radius / wide if wide > 0 else math.inf
    readings = np.count_nonzero(np.abs(times - fit.x[2]) < radius)
    return share if share < 1.0 and readings >= EDGE_READINGS else None


class SpotSize(Procedure[PassedTape]):
    """What one sensor of a row sees at once, across."""

    id = "spot"
    takes = PassedTape
    title = "Spot size"
    prepare = (
        "A strip of the tape it will follow, on its ground, with straight edges.",
        "Push the row slowly and steadily across it, from pale to pale: two seconds or more.",
        "At the height at which it will drive.",
    )
    seconds = 0.0
    rests_on = ("tape",)

    def wants(self, steps: Steps[PassedTape], values: Values) -> tuple[Want, ...]:
        return numbered(steps, "pass", "Push it slowly across the tape, from pale to pale.", 3)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[PassedTape],
        values: Values,
    ) -> Holding:
        if window.times_s.size < 20:
            return Holding(False, "Push it slowly across the tape.")
        seen = self._seen(window)
        figure = f"{len(seen)} sensors across"
        if not seen:
            return Holding(
                False, "No sensor has gone from pale over dark to pale yet, slowly enough.", figure=figure
            )
        return Holding(True, "", held_s=window.span_s, figure=figure)

    def _seen(self, window: Window) -> dict[str, float]:
        results = {}
        for name, column in window.channels.items():
            known = np.isfinite(column)
            if np.count_nonzero(known) < 20:
                continue
            share = crossed(window.times_s[known], column[known])
            if share is not None:
                results[name] = share
        return results

    def take(self, window: Window, key: str, values: Values) -> PassedTape:
        seen = self._seen(window)
        if not seen:
            raise BadInput("No sensor crossed the tape in it.", "window")
        return PassedTape(list(seen), list(seen.values()))

    def fit(self, steps: Steps[PassedTape], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "What a sensor sees is taken as usual",
                "One pass gives it; three say how well.",
                "Push it across the tape once.",
            )
        tape = values["tape"].value
        widths = [tape * float(np.mean(step.taken.shares)) for step in steps]
        every = [tape * share for step in steps for share in step.taken.shares]
        mean = repeats(every if len(steps) == 1 else widths)
        sd = math.hypot(mean.sd, TAPE_SD * mean.value)
        return Outcome(
            f"A sensor sees {mean.value:.1f} ± {2 * sd:.1f} mm at once",
            "Good: the passes agree." if sd <= GOOD_MM else "The passes differ: push it more steadily.",
            ""
            if math.isfinite(sd)
            else "One pass of one sensor says nothing of its ±: push it across again.",
            constants=(FittedConstant("spot", mean.value, sd),) if math.isfinite(sd) else (),
            left={step.key: width - mean.value for step, width in zip(steps, widths, strict=True)},
            left_unit="mm",
        )


PROCEDURES = (SpotSize(),)
