"""Marks before an analogue reflective sensor: their threshold and hysteresis, from a trace."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import astuple, dataclass
from typing import Any

import numpy as np

from tickstone.core.calibration.procedure import (
    Array,
    FittedConstant,
    FormField,
    Holding,
    Outcome,
    Procedure,
    Steps,
    Want,
    Window,
    not_ready,
)
from tickstone.core.calibration.still import TOO_FEW
from tickstone.core.calibration.turning import SPINNING
from tickstone.core.constants import Values
from tickstone.core.noise import step_noise
from tickstone.core.thresholds import threshold_otsu
from tickstone.errors import BadInput

APART = 8.0  # times the noise, between mark and shaft, for a threshold that holds
TRUNCATED = 1.66  # an sd by that of its upper or lower half alone: 1 ÷ √(1 − 2 ÷ π)


@dataclass(frozen=True)
class MarkLevels:
    """Levels of mark and shaft in a trace, counts, its noise (k = 1), and how many marks a second passed."""

    low: float
    high: float
    noise: float
    hz: float


@dataclass(frozen=True)
class Traces:
    """Levels by channel, of those that saw a mark."""

    n: int
    levels: dict[str, MarkLevels]


class MarkTrace(Procedure[Traces]):
    """Threshold and hysteresis of a mark before an analogue reflective sensor, from its trace while the shaft
    turns."""

    id = "trace"
    title = "Marks in the trace"
    prepare = (
        "One sensor of the row before the shaft’s mark; let it turn slowly, so that the trace has many "
        "readings a mark.",
    )
    cautions = (SPINNING,)
    seconds = 3.0
    rests_on = ("reference", "bits")

    def wants(self, steps: Steps[Traces], values: Values) -> tuple[Want, ...]:
        sensor = FormField("sensor", "Sensor", "", 1, 1, values["sensors"].value)
        return (Want("trace", "turning", "Let it turn at one speed.", (sensor,)),)

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[Traces],
        values: Values,
    ) -> Holding:
        readings = window.told(f"s{int(truth.get('sensor', 1))}")
        if readings.size < 20:
            return not_ready(TOO_FEW)
        swing = float(np.percentile(readings, 98) - np.percentile(readings, 2))
        shown = f"{swing:.0f}"
        noise = _plateau_noise(readings)
        if swing < max(8.0, 8.0 * noise):
            return Holding(
                False,
                f"It swings by {swing:.0f} counts only: no mark passes, or it is too far away.",
                figure=shown,
            )
        if window.span_s < 0.9 * self.seconds:
            return Holding(False, f"{window.span_s:.1f} s of {self.seconds:g} s.", figure=shown)
        return Holding(True, "", held_s=window.span_s, figure=shown)

    def take(self, window: Window, key: str, values: Values) -> Traces:
        names = [name for name in window.channels if name.startswith("s") and window.told(name).size > 20]
        if not names:
            raise BadInput("There is no trace to take.", "sensor")
        levels: dict[str, MarkLevels] = {}
        for name in names:
            readings = window.told(name)
            cut = threshold_otsu(readings).threshold
            low, high = readings[readings <= cut], readings[readings > cut]
            if low.size < 5 or high.size < 5:
                continue
            noise = _plateau_noise(readings)
            hz = _crossings(window, name, cut, 3 * noise)
            levels[name] = MarkLevels(float(np.median(low)), float(np.median(high)), noise, hz)
        return Traces(int(window.times_s.size), levels)

    def stored(self, taken: Traces) -> dict[str, Any]:
        return {"n": taken.n} | {name: list(astuple(levels)) for name, levels in taken.levels.items()}

    def restored(self, stored: Mapping[str, Any]) -> Traces:
        return Traces(
            stored["n"], {name: MarkLevels(*levels) for name, levels in stored.items() if name != "n"}
        )

    def fit(self, steps: Steps[Traces], values: Values) -> Outcome:
        if not steps:
            return Outcome(
                "The threshold for marks is not known", "A few seconds of turning will do.", "Hold one trace."
            )
        name = f"s{int(steps[0].truth.get('sensor', 1))}"
        levels = steps[0].taken.levels.get(name)
        if levels is None:
            why = f"{name} saw no mark: turn it nearer, or choose the sensor that does."
            return Outcome("No mark was seen", why, why)
        low, high, noise, hz = levels.low, levels.high, levels.noise, levels.hz
        threshold, band = (low + high) / 2, 6.0 * noise
        if band > 0.5 * (high - low):
            why = (
                f"Noise of {noise:.0f} counts fills the {high - low:.0f} between mark and shaft: it would "
                "chatter. Go nearer."
            )
            return Outcome("The mark drowns in noise", why, why)
        return Outcome(
            f"Marks at {threshold:.0f} counts, {band:.0f} wide",
            f"{'Good' if high - low > APART * noise else 'Rough'}: "
            f"{(high - low) / noise:.0f} times the noise apart.",
            constants=(
                FittedConstant("mark_threshold", threshold, noise / 2),
                FittedConstant("mark_hysteresis", band, None),
            ),
            notes=(
                f"{hz:.1f} marks a second passed. Below {threshold - band / 2:.0f} it is one, above "
                f"{threshold + band / 2:.0f} the other.",
            ),
        )


def _plateau_noise(readings: Array) -> float:
    """Noise of a trace, counts: of each level by itself where the steps between them would be taken for it,
    and half a step of the converter at least."""
    whole = step_noise(readings) or 0.0
    cut = threshold_otsu(readings).threshold if readings.min() < readings.max() else readings[0]
    levels = [step_noise(part) or 0.0 for part in (readings[readings <= cut], readings[readings > cut])]
    return max(0.5, min(whole, TRUNCATED * max(levels)))


def _crossings(window: Window, name: str, threshold: float, half_band: float) -> float:
    """Marks a second, counted with hysteresis."""
    readings = window.channels[name]
    known = np.isfinite(readings)
    readings, times = readings[known], window.times_s[known]
    state = np.where(readings > threshold + half_band, 1, np.where(readings < threshold - half_band, 0, -1))
    values = state[state >= 0]
    return float((np.diff(values) == 1).sum()) / max(float(times[-1] - times[0]), 1e-9)


PROCEDURES = (MarkTrace(),)
