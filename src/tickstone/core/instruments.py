"""Instruments that go on from reading to reading: trip computer, two-axis level, angle between two lines, a
row of lamps, an LED bar. Each takes what a sensor says and tells what stands on it now."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
import numpy.typing as npt

from tickstone.core import line_row
from tickstone.core.constants import Values
from tickstone.core.inertial import tilt_words
from tickstone.core.rigs.rig import Rig

Array = npt.NDArray[np.float64]
Shown = dict[str, float | str | list[bool] | None]

SPEED_OVER_S = 0.25  # an encoder's speed is told over at least so long
STANDS_AFTER_S = 3.0  # without a pulse; common practice is two to five seconds
SLOWEST_M_S = 0.2  # a wheel with few magnets that rolls slower than this is called standing
SETTLES_S = 0.3  # a level is the mean of so long
REST_S = 1.5  # at which a gyro's bias is taken before it turns
REST_DPS = 0.6  # spread below which a gyro is at rest
SCALE_SD = 0.01  # of a gyro's scale, by its sheet (common practice)
BIAS_WALK_DPS = 0.01  # per root second: what a small gyro's bias wanders (common practice)
BAR_STEPS = 8


@dataclass(frozen=True)
class NewReadings:
    """New readings of a sensor, each of shape (n,), times rising, s; ``inputs`` and ``series`` by name.
    ``pulses`` have come, with those of which no reading could be made: a first one has no period."""

    times_s: Array
    values: Array
    valid: npt.NDArray[np.bool_]
    inputs: Mapping[str, Array]
    series: Mapping[str, Array]
    pulses: int = 0


def stands_after_s(values: Values) -> float:
    """How long no pulse may come before a shaft or wheel is called standing, s: as it was chosen; else
    STANDS_AFTER_S, or as long as a wheel takes from magnet to magnet at SLOWEST_M_S."""
    if "slow_s" in values:
        return values["slow_s"].value
    if "circumference" in values and "magnets" in values:
        way_m = values["circumference"].value / values["magnets"].value / 1000.0
        return max(STANDS_AFTER_S, way_m / SLOWEST_M_S)
    return STANDS_AFTER_S


class Instrument(Protocol):
    """What every instrument can do. ``fit`` tells the rig it is on, ``broken`` that the board began anew."""

    def fit(self, rig: Rig) -> None: ...
    def take(self, readings: NewReadings, values: Values) -> None: ...
    def shown(self, now_s: float, values: Values) -> Shown: ...
    def zero(self) -> None: ...
    def broken(self) -> None: ...


@dataclass
class Trip:
    """Speed, way, fastest and average of something that rolls. Readings are either speeds at each pulse, m/s,
    with the ``period`` before it, µs, or a running way, mm. The average is over the time it moved."""

    distance_m: float = 0.0
    moving_s: float = 0.0
    fastest_m_s: float = 0.0
    speed_m_s: float = 0.0
    begun_s: float | None = None
    _last_s: float | None = None
    _at: tuple[float, float] | None = None  # time and way at which an encoder's speed was told

    def fit(self, rig: Rig) -> None:
        """It is the same on every rig."""

    def take(self, seen: NewReadings, values: Values) -> None:
        """Go on by new readings."""
        good = seen.valid & np.isfinite(seen.values)
        if not good.any():
            return
        times, readings = seen.times_s[good], seen.values[good]
        if self.begun_s is None:
            self.begun_s = float(times[0])
        if "period" in seen.inputs:
            lasted_s = seen.inputs["period"][good] / 1e6
            moving = lasted_s <= stands_after_s(values)
            self.distance_m += float((readings * lasted_s).sum())
            self.moving_s += float(lasted_s[moving].sum())
            self.fastest_m_s = max(self.fastest_m_s, float(readings.max()))
            self.speed_m_s = float(readings[-1])
        else:
            self._roll(times, readings, stands_after_s(values))
        self._last_s = float(times[-1])

    def _roll(self, times: Array, way_mm: Array, stands_s: float) -> None:
        if self._at is None:
            self._at = float(times[0]), float(way_mm[0])
        for t, way in zip(times.tolist(), way_mm.tolist(), strict=True):
            before_s, before_mm = self._at
            if t - before_s >= SPEED_OVER_S:
                moved_m = abs(way - before_mm) / 1000.0
                self.distance_m += moved_m
                self.speed_m_s = moved_m / (t - before_s)
                self.moving_s += t - before_s if moved_m and t - before_s <= stands_s else 0.0
                self.fastest_m_s = max(self.fastest_m_s, self.speed_m_s)
                self._at = t, way

    def shown(self, now_s: float, values: Values) -> Shown:
        """Speed now, m/s (0 when it stands), way, m, fastest and average, m/s."""
        silent = self._last_s is None or now_s - self._last_s > stands_after_s(values)
        average = self.distance_m / self.moving_s if self.moving_s > 0 else None
        return {
            "speed_m_s": 0.0 if silent else self.speed_m_s,
            "distance_m": self.distance_m,
            "fastest_m_s": self.fastest_m_s,
            "average_m_s": average,
            "moving_s": self.moving_s,
        }

    def zero(self) -> None:
        """Begin a new trip."""
        self.distance_m = self.moving_s = self.fastest_m_s = 0.0
        self.begun_s = self._last_s

    def broken(self) -> None:
        """A board that began anew counts from nothing."""
        self._at = None


@dataclass
class Turns:
    """Turns since a mark: pulses over magnets, or how far the running way has come, either way round."""

    turns: float = 0.0
    _way_mm: float | None = None

    def fit(self, rig: Rig) -> None:
        """It is the same on every rig."""

    def take(self, readings: NewReadings, values: Values) -> None:
        """Go on by new readings."""
        if "magnets" in values:
            self.turns += readings.pulses / values["magnets"].value
            return
        way_mm = readings.values[readings.valid & np.isfinite(readings.values)]
        if way_mm.size:
            before = float(way_mm[0]) if self._way_mm is None else self._way_mm
            self._way_mm = float(way_mm[-1])
            self.turns += (self._way_mm - before) / values["circumference"].value

    def shown(self, now_s: float, values: Values) -> Shown:
        """Turns, and the whole ones next to them."""
        return {"turns": abs(self.turns), "whole": float(round(abs(self.turns)))}

    def zero(self) -> None:
        """Count from here."""
        self.turns = 0.0

    def broken(self) -> None:
        """A board that began anew counts from nothing."""
        self._way_mm = None


@dataclass
class Level:
    """Roll and pitch as a two-axis level, ° (right-handed: positive pitch is nose down), and what that is in
    words."""

    roll_deg: float = math.nan
    pitch_deg: float = math.nan

    def fit(self, rig: Rig) -> None:
        """It is the same on every rig."""

    def take(self, readings: NewReadings, values: Values) -> None:
        """Go on by new readings: the mean settles over SETTLES_S."""
        roll, pitch = readings.series["roll"], readings.series["pitch"]
        for r, p in zip(roll.tolist(), pitch.tolist(), strict=True):
            if math.isfinite(r) and math.isfinite(p):
                gain = 1.0 if not math.isfinite(self.roll_deg) else 0.15
                self.roll_deg = self.roll_deg + gain * _turned(r - self.roll_deg) if gain < 1 else r
                self.pitch_deg = self.pitch_deg + gain * (p - self.pitch_deg) if gain < 1 else p

    def shown(self, now_s: float, values: Values) -> Shown:
        """Roll, pitch, the grade of the way ahead in percent (up is positive), and words."""
        if not math.isfinite(self.roll_deg):
            return {"roll_deg": None, "pitch_deg": None, "grade_pct": None, "words": ""}
        steep = abs(self.pitch_deg) > 80
        return {
            "roll_deg": _turned(self.roll_deg),
            "pitch_deg": self.pitch_deg,
            "grade_pct": None if steep else -100.0 * math.tan(math.radians(self.pitch_deg)),
            "words": tilt_words(_turned(self.roll_deg), self.pitch_deg),
        }

    def zero(self) -> None:
        """Let it settle anew."""
        self.roll_deg = self.pitch_deg = math.nan

    def broken(self) -> None:
        """Nothing is carried on."""


def _turned(degrees: float) -> float:
    return (degrees + 180.0) % 360.0 - 180.0


@dataclass
class Angle:
    """Angle turned about the upright axis since zero, from the gyro. Zero at rest takes the bias then; the
    uncertainty grows with time by what is left of it, its wander, the noise, and with the angle by the
    scale."""

    angle_deg: float = 0.0
    seconds: float = 0.0
    bias_dps: float = 0.0
    bias_sd: float | None = None
    noise_dps: float = 0.1
    begun: bool = False
    rested: bool = False
    _recent: list[tuple[float, float]] = field(default_factory=list)

    def fit(self, rig: Rig) -> None:
        """It is the same on every rig."""

    def take(self, readings: NewReadings, values: Values) -> None:
        """Go on by new rates, °/s."""
        for t, rate in zip(readings.times_s.tolist(), readings.series["rate_z"].tolist(), strict=True):
            if not math.isfinite(rate):
                continue
            if self._recent:
                before_s, before = self._recent[-1]
                step = min(max(t - before_s, 0.0), 0.5)
                self.angle_deg += ((rate + before) / 2 - self.bias_dps) * step
                self.seconds += step
            self._recent.append((t, rate))
            if len(self._recent) > 4000:
                del self._recent[:2000]

    def shown(self, now_s: float, values: Values) -> Shown:
        """The angle (None before the first zero), its ± (95 %), how long since zero, and what to do next."""
        if not self.begun:
            text = "Lay it still on the first line, set zero, turn it onto the second line and read."
            return {"angle_deg": None, "plus_minus": None, "seconds": None, "words": text}
        bias_sd = self.bias_sd if self.bias_sd is not None else values["bias_z"].sd or 3.0
        steps = len(self._recent)
        step_s = (self._recent[-1][0] - self._recent[0][0]) / (steps - 1) if steps > 1 else 0.02
        variance = (
            (bias_sd * self.seconds) ** 2
            + BIAS_WALK_DPS**2 * self.seconds**3 / 3
            + self.noise_dps**2 * step_s * self.seconds
            + (SCALE_SD * self.angle_deg) ** 2
        )
        text = (
            "Bias taken at rest. Turn it onto the second line and read soon: the ± grows with time."
            if self.rested
            else "It was not at rest at zero, so its bias is not known: lay it still and set zero again."
        )
        return {
            "angle_deg": self.angle_deg,
            "plus_minus": 2 * math.sqrt(variance),
            "seconds": self.seconds,
            "words": text,
        }

    def zero(self) -> None:
        """The first line: begin here; at rest the bias is what the gyro says now."""
        self.angle_deg, self.seconds, self.begun = 0.0, 0.0, True
        end = self._recent[-1][0] if self._recent else 0.0
        rest = np.array([rate for t, rate in self._recent if t >= end - REST_S])
        self.rested = rest.size >= 10 and float(rest.std()) < REST_DPS
        if self.rested:
            self.bias_dps, self.noise_dps = float(rest.mean()), float(rest.std(ddof=1))
            self.bias_sd = self.noise_dps / math.sqrt(rest.size)
        else:
            self.bias_dps, self.bias_sd = 0.0, None

    def broken(self) -> None:
        """What was turned meanwhile is not known."""
        self._recent.clear()


@dataclass
class Lamps:
    """One lamp for each sensor of a row, lit over dark: what check LEDs would show. By the chosen thresholds
    with their hysteresis, or by the chosen edge guard; half way between white and black where none is
    chosen."""

    lit: list[bool] = field(default_factory=list)
    _high: dict[str, bool] = field(default_factory=dict)

    def fit(self, rig: Rig) -> None:
        """It is the same on every rig."""

    def take(self, readings: NewReadings, values: Values) -> None:
        """The newest reading is what shows."""
        names = [name for name in readings.series if name.startswith("dark_")]
        last = [float(readings.series[name][-1]) for name in names]
        if all(math.isfinite(share) for share in last):
            self.lit = [
                self._dark(name.removeprefix("dark_"), share, readings, values)
                for name, share in zip(names, last, strict=True)
            ]

    def _dark(self, name: str, share: float, readings: NewReadings, values: Values) -> bool:
        threshold, table = values.get(f"threshold_{name}"), values.get(f"table_low_{name}")
        if (
            threshold is None and table is not None and name in readings.inputs
        ):  # an edge guard: lit is what is no table
            return not table.value <= float(readings.inputs[name][-1]) <= values[f"table_high_{name}"].value
        if threshold is None or name not in readings.inputs:
            return share >= 50.0
        band = values.get(f"band_{name}")
        half = (band.value if band is not None else 0.0) / 2
        count, was = float(readings.inputs[name][-1]), self._high.get(name)
        high = count > threshold.value + (half if was is False else -half if was else 0.0)
        self._high[name] = high
        return high == line_row.black_is_high(values, name)

    def shown(self, now_s: float, values: Values) -> Shown:
        """Which are lit, left to right."""
        return {"lit": list(self.lit)}

    def zero(self) -> None:
        """Nothing is kept."""

    def broken(self) -> None:
        """Nothing is carried on."""


def bar_far_mm(values: Values) -> float:
    """The distance within which an LED bar has its steps, mm."""
    far = values["farthest"].value
    return min(far, values["bar_far"].value) if "bar_far" in values else far


def bar_edges_mm(values: Values, steps: int = BAR_STEPS) -> tuple[float, ...]:
    """The distances at which an LED bar changes, from afar, mm: whole steps, eight to 800 mm are 100 mm each.

    A bar that lights more the nearer lights one more within each of them, one that lights more the farther
    one fewer.
    """
    far = bar_far_mm(values)
    return tuple(far * step / steps for step in range(steps, 0, -1))


@dataclass
class Bar:
    """What an LED bar and the near lamp would show: more steps the nearer, or the farther. Without a reading
    nothing is known, and that is never clear."""

    distance_mm: float = math.nan
    near: bool | None = None
    steps: int = BAR_STEPS
    farther: bool = False

    def fit(self, rig: Rig) -> None:
        """An LED bar that is fitted says how many steps there are."""
        bars = [output for output in rig.outputs if output.kind == "led-bar"]
        self.steps = int(bars[0].options.get("steps", BAR_STEPS)) if bars else BAR_STEPS
        self.farther = bool(bars) and bars[0].options.get("lights") == "farther"

    def take(self, readings: NewReadings, values: Values) -> None:
        """The newest reading is what shows; the near lamp has hysteresis between trip and clear."""
        self.distance_mm = float(readings.values[-1]) if readings.valid[-1] else math.nan
        trip, clear = values.get("trip"), values.get("clear")
        if trip is None or not math.isfinite(self.distance_mm):
            self.near = None
        elif self.distance_mm <= trip.value:
            self.near = True
        elif self.near is not True or self.distance_mm >= (clear or trip).value:
            self.near = False

    def shown(self, now_s: float, values: Values) -> Shown:
        """Steps lit of all, the span they cover, mm, and whether the near lamp is on (None: not known)."""
        far = bar_far_mm(values)
        lit = None
        if math.isfinite(self.distance_mm):
            within = sum(self.distance_mm < edge for edge in bar_edges_mm(values, self.steps))
            lit = float(self.steps - within if self.farther else within)
        trip = values.get("trip")
        return {
            "lit": lit,
            "steps": float(self.steps),
            "from_mm": 0.0,
            "to_mm": far,
            "near": None if self.near is None else float(self.near),
            "trip_mm": None if trip is None else trip.value,
        }

    def zero(self) -> None:
        """Forget the near lamp's last state."""
        self.near = None

    def broken(self) -> None:
        """What was before says nothing now."""
        self.near, self.distance_mm = None, math.nan


INSTRUMENTS: Mapping[str, Callable[[], Instrument]] = {
    "trip": Trip, "turns": Turns, "level": Level, "angle": Angle, "lamps": Lamps, "bar": Bar,
}  # fmt: skip
