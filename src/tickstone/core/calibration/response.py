"""Noise and lag: how a sensor trembles at rest, how fast it follows a step, and what each filter would make
of both."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tickstone.core.calibration.means import NOT_ONE_NUMBER, scatter_of
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
from tickstone.core.calibration.still import TOO_FEW, figure, still_for
from tickstone.core.constants import Values
from tickstone.core.figures import Plot, PlotLine, Table
from tickstone.core.filters import run
from tickstone.core.noise import sample_sd, step_noise, without_spikes
from tickstone.errors import BadInput

STEP_NOISES = 12.0  # a step must be so many times the noise, so that its middle is plain
MOST_KEPT = 400
FILTERS = (("average", 5), ("average", 11), ("median", 5), ("median", 11), ("smooth", 0.3), ("smooth", 0.1))


@dataclass(frozen=True)
class HeldReadings:
    """The readings of a channel themselves, the newest that are kept, at their rate, with the spread (k = 1)
    and the number of all; half of the 95 % interval of that spread, or why there is none."""

    channel: str
    readings: list[float]
    rate_hz: float
    sd: float
    n: int
    sd_sd: float | None = None
    why: str = ""


class Response(Procedure[HeldReadings]):
    """A still span and a span with a step, of the sensor's first channel."""

    id = "filter"
    takes = HeldReadings
    title = "Noise and lag"
    prepare = ("First leave everything still; then move it once, as fast as it will ever move: a step.",)
    seconds = 3.0

    def wants(self, steps: Steps[HeldReadings], values: Values) -> tuple[Want, ...]:
        return (
            Want("still", "still", "Leave it still."),
            Want("step", "a step", "Move it once, quickly, and leave it there: target, tilt, or line."),
        )

    def judge(
        self,
        window: Window,
        want: Want | None,
        truth: Mapping[str, float],
        steps: Steps[HeldReadings],
        values: Values,
    ) -> Holding:
        readings = _first(window)
        if readings.size < 20:
            return not_ready(TOO_FEW)
        noise = step_noise(readings) or 0.0
        spread = sample_sd(without_spikes(readings))
        if want is not None and want.key == "step":
            size = abs(float(np.median(readings[-10:]) - np.median(readings[:10])))
            if size < max(STEP_NOISES * noise, 3.0):
                return Holding(
                    False,
                    f"No step yet: it moved by {figure(size)}, wanted "
                    f"{figure(max(STEP_NOISES * noise, 3.0))}.",
                    figure=figure(size),
                )
            settled = sample_sd(readings[-max(10, readings.size // 4) :])
            if settled > max(2.5 * noise, 1.0):
                return Holding(False, "Leave it there: it still moves.", figure=figure(size))
            return Holding(True, "", held_s=window.span_s, figure=figure(size))
        if spread > max(2.0 * noise, 1.0):
            return Holding(
                False,
                f"Hold still: it spreads {figure(spread)}, its noise is {figure(noise)}.",
                figure=figure(noise),
            )
        state = Holding(True, "", held_s=window.span_s, figure=figure(noise))
        short = still_for(window, self.seconds)
        return state.hindered(short) if short else state

    def take(self, window: Window, key: str, values: Values) -> HeldReadings:
        name = _name(window)
        readings, times = window.channels[name], window.times_s
        known = np.isfinite(readings)
        readings, times = readings[known][-MOST_KEPT:], times[known][-MOST_KEPT:]
        if readings.size < 8:
            raise BadInput("There are too few readings to take.", "channel")
        rate_hz = (readings.size - 1) / float(times[-1] - times[0])
        kept = window.told(name)
        calm = without_spikes(kept)
        scatter = scatter_of(kept if key == "still" and calm.size < kept.size else calm)
        spread = scatter.spread if scatter.sd is not None else sample_sd(calm)
        return HeldReadings(name, readings.tolist(), rate_hz, spread, int(kept.size), scatter.sd, scatter.why)

    def of_mark(self, label: str, truth: Mapping[str, Any] | None) -> tuple[str, dict[str, float]] | None:
        text = label.strip().lower()
        return (text, {}) if text in ("still", "step") else None

    def fit(self, steps: Steps[HeldReadings], values: Values) -> Outcome:
        held = {step.key: step.taken for step in steps}
        if "still" not in held:
            return Outcome(
                "Its noise is taken as usual", "Hold it still, then give it one step.", "Hold it still first."
            )
        noise, sd, why = held["still"].sd, held["still"].sd_sd, held["still"].why
        name = next((item for item in ("jitter", "noise") if item in values), None)
        constants = (FittedConstant(name, noise, sd),) if name and noise > 0 else ()
        unit = values[name].unit if name else ""
        if "step" not in held:
            return Outcome(
                f"At rest it trembles by {figure(noise)} {unit}",
                "Now one step shows how far each filter lags.",
                constants=constants,
                notes=NOT_ONE_NUMBER[why],
            )
        readings, rate_hz = np.array(held["step"].readings), held["step"].rate_hz
        still = np.array(held["still"].readings)
        raw_at = _middle(readings)
        rows, lines = [], [PlotLine("raw", _points(readings, rate_hz))]
        for kind, amount in FILTERS:
            settings: dict[str, Any] = {"alpha": amount} if kind == "smooth" else {"length": int(amount)}
            after = np.asarray(run(kind, readings, **settings))
            calm = np.asarray(run(kind, still, **settings))
            ratio = sample_sd(calm[11:]) / max(noise, 1e-9)
            lag_ms = 1000 * (_middle(after) - raw_at) / rate_hz
            rows.append(
                (
                    f"{kind} {amount:g}",
                    f"{figure(noise * ratio)} {unit}",
                    f"{100 * ratio:.0f} %",
                    f"{lag_ms:.0f} ms",
                )
            )
            if (kind, amount) in (("average", 5), ("median", 5), ("smooth", 0.1)):
                lines.append(PlotLine(f"{kind} {amount:g}", _points(after, rate_hz)))
        rise = _rise(readings) / rate_hz
        return Outcome(
            f"At rest it trembles by {figure(noise)} {unit}; it follows a step in {1000 * rise:.0f} ms",
            "Good: noise and lag of each filter were worked out on these very readings.",
            constants=constants,
            notes=(
                *NOT_ONE_NUMBER[why],
                "Which filter to choose is a matter of how late the vehicle may be: Decide weighs it.",
            ),
            plots=(Plot("The step, raw and filtered", "time", "s", "reading", unit, lines=tuple(lines)),),
            tables=(
                Table("What each filter would do", ("filter", "noise", "of raw", "late by"), tuple(rows)),
            ),
        )


def _name(window: Window) -> str:
    return next((name for name in window.channels if window.told(name).size > 7), next(iter(window.channels)))


def _first(window: Window) -> Array:
    return window.told(_name(window)) if window.channels else np.zeros(0)


def _middle(readings: Array) -> float:
    """Where a step passes half way for the first time for good, in samples."""
    low, high = float(np.median(readings[:10])), float(np.median(readings[-10:]))
    share = (readings - low) / (high - low if high != low else 1.0)
    above = share >= 0.5
    last_below = np.flatnonzero(~above)
    if not last_below.size or last_below[-1] + 1 >= readings.size:
        return 0.0
    index = int(last_below[-1])
    return index + (0.5 - float(share[index])) / max(float(share[index + 1] - share[index]), 1e-9)


def _rise(readings: Array) -> float:
    """Samples from a tenth to nine tenths of a step."""
    low, high = float(np.median(readings[:10])), float(np.median(readings[-10:]))
    share = (readings - low) / (high - low if high != low else 1.0)
    over = np.flatnonzero(share >= 0.9)
    under = np.flatnonzero(share[: int(over[0]) + 1] <= 0.1) if over.size else np.zeros(0)
    return max(1.0, float(over[0] - under[-1])) if over.size and under.size else 1.0


def _points(readings: Array, rate_hz: float) -> tuple[tuple[float, float], ...]:
    return tuple((i / rate_hz, float(reading)) for i, reading in enumerate(readings))


PROCEDURES = (Response(),)
