"""What rides along in a run and is not what its behaviour reads: pulses of the wheels, the inertial unit,
the battery, other rangers. Raw numbers in each sensor's own units, by its constants, and what they mean by
the same conversions as real ones."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import Values
from tickstone.core.drive import loop
from tickstone.core.drive.ground import Ground, grade_at
from tickstone.core.drive.parts import Parts
from tickstone.core.drive.request import Column, ranger_columns
from tickstone.core.drive.sensing import rangers_of
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient, Kind
from tickstone.core.rigs.kinds.inertial import FULL
from tickstone.core.rigs.rig import Sensor

Array = npt.NDArray[np.float64]
SAG_V = 0.7  # of a small battery at full motors, common practice
SHAKE_G = 0.06  # by motors at full
ACCEL_NOISE_G, GYRO_NOISE_DPS = 0.003, 0.08
FRESH = 0.9  # of its way from empty to full, where nobody says how full the battery is
QUARTERS = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])  # of two channels, forward


@dataclass(frozen=True)
class Ride:
    """How a vehicle moved, by loops of ``dt`` s, each of shape (loops,): times, s; wheels, mm/s; heading,
    rad; how hard the motors work, 0 to 1; and the share of gravity that pulls back on a slope."""

    dt: float
    times: Array
    left: Array
    right: Array
    heading: Array
    effort: Array
    slope: Array

    def beside(self, sensor: Sensor) -> Array:
        """How fast what a sensor watches rolls: the wheel on its side, both where it sits in the middle."""
        aside = sensor.mount.y_mm if sensor.mount else 0.0
        return self.left if aside > 0 else self.right if aside < 0 else (self.left + self.right) / 2.0


def ride_of(trace: Array, dt: float, wheels: bool, ground: Ground) -> Ride:
    """The ride that a trace tells; ``wheels``: its first two outputs command them."""
    commands = trace[:, [loop.OUTPUTS, loop.OUTPUTS + 1]]
    effort = np.abs(commands).mean(axis=1) / 100.0 if wheels else np.zeros(trace.shape[0])
    slope = np.zeros(trace.shape[0])
    if ground.patch_numbers[:, [1, 2]].any():
        for k, (x, y, heading) in enumerate(trace[:, [loop.X, loop.Y, loop.HEADING]].tolist()):
            c, s = math.cos(heading), math.sin(heading)
            slope[k] = grade_at(x, y, c, s, ground.patches, ground.patch_starts, ground.patch_numbers)
    return Ride(
        dt,
        trace[:, loop.T_S],
        trace[:, loop.LEFT_V],
        trace[:, loop.RIGHT_V],
        trace[:, loop.HEADING],
        effort,
        slope,
    )


def aboard(parts: Parts, trace: Array, ground: Ground, wheels: bool) -> tuple[tuple[Column, ...], Array]:
    """What the other sensors of the rig read along a trace: columns, and values of shape (loops, columns)."""
    ride = ride_of(trace, parts.loop_s, wheels, ground)
    read = {sensor.id for sensor in parts.sensors}
    columns: list[Column] = []
    values: list[Array] = []
    for number, sensor in enumerate(parts.request.rig.sensors):
        what, known = kind(sensor.kind), parts.values_of(sensor)
        random = parts.rng(10 + number)
        if sensor.id in read:
            continue
        if what.family == "distance" and ground.walls.shape[0]:
            fresh = _ranger(sensor, known, trace, parts.loop_s, ground, random)
        elif what.family == "turning" and "circumference" in known:
            fresh = _wheel(what, sensor, known, ride)
        elif what.family == "tilt":
            fresh = _tilt(what, sensor, known, ride, random)
        elif what.family == "power":
            low = parts.vehicle.values["battery_pct"] / 100.0
            fresh = _battery(what, sensor, known, ride, low, random)
        else:
            continue
        columns += fresh[0]
        values += fresh[1]
    return tuple(columns), np.column_stack(values) if values else np.zeros((trace.shape[0], 0))


Aboard = tuple[list[Column], list[Array]]


def _columns(sensor: Sensor, what: Kind, raw: dict[str, Array], converted: Array) -> Aboard:
    """Raw channels, then what they mean."""
    units = {channel.name: channel for channel in what.channels}
    columns = [
        Column(f"{sensor.id}_{name}", f"{sensor.name}, {units[name].label}", units[name].unit) for name in raw
    ]
    quantity = what.quantity
    columns.append(Column(f"{sensor.id}_{quantity.name}", f"{sensor.name}", quantity.unit))
    return columns, [*raw.values(), converted]


def _meant(what: Kind, raw: dict[str, Array], values: Values) -> Array:
    converted = what.convert(raw, values, Ambient())
    return np.where(converted.valid, converted.values, np.nan)


def _ranger(
    sensor: Sensor, values: Values, trace: Array, loop_s: float, ground: Ground, random: np.random.Generator
) -> Aboard:
    numbers, _ = rangers_of([sensor], [values], loop_s, None)
    table, every = numbers.table[0], int(numbers.table[0, loop.EVERY])
    raw, mm = np.full(trace.shape[0], np.nan), np.full(trace.shape[0], np.nan)
    for k in range(0, trace.shape[0], every):
        pose, noise, chance = trace[k, loop.X : loop.HEADING + 1], random.standard_normal(), random.random()
        raw[k : k + every] = loop.look_ahead(pose, table, noise, chance, numbers.raw_of_mm, ground.walls)
        mm[k : k + every] = loop.converted(raw[k], table, numbers.mm_of_raw)
    return list(ranger_columns(sensor)), [raw, mm]


def _wheel(what: Kind, sensor: Sensor, values: Values, ride: Ride) -> Aboard:
    """Edges of magnets, a count of slots, or two channels a quarter apart."""
    names = [channel.name for channel in what.channels]
    way = np.concatenate([[0.0], np.cumsum(ride.beside(sensor)[1:]) * ride.dt])
    if "edge" in names:
        rolled = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(way)))])
        passed = rolled / values["circumference"].value * values["magnets"].value
        edges = np.interp(np.arange(0.5, passed[-1]), passed, ride.times)
        tick = values["tick"].value if "tick" in values else 1.0
        times_us = np.floor(edges * 1e6 / tick) * tick
        meant = _meant(what, {"edge": times_us}, values) if times_us.size else times_us
        last = np.searchsorted(edges, ride.times, "right") - 1
        seen = last >= 0
        raw, converted = np.full(way.size, np.nan), np.full(way.size, np.nan)
        raw[seen], converted[seen] = times_us[last[seen]], meant[last[seen]]
        return _columns(sensor, what, {"edge": raw}, converted)
    steps = values["steps"].value / values["circumference"].value
    if "count" in names:
        rolled = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(way)))])
        channels = {"count": np.floor(rolled * steps)}
        return _columns(sensor, what, channels, _meant(what, channels, values))
    quarters = np.floor(way * steps).astype(np.int64)
    passed = np.diff(quarters)
    count = np.abs(passed)
    within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + 1
    every = np.concatenate(
        [[0], np.repeat(quarters[:-1], count) + np.repeat(np.sign(passed), count) * within]
    )
    changes = {"a": QUARTERS[every % 4, 0], "b": QUARTERS[every % 4, 1]}  # none is missed within a loop
    meant = _meant(what, changes, values)[np.concatenate([[0], np.cumsum(count)])]
    return _columns(sensor, what, {"a": QUARTERS[quarters % 4, 0], "b": QUARTERS[quarters % 4, 1]}, meant)


def _tilt(what: Kind, sensor: Sensor, values: Values, ride: Ride, random: np.random.Generator) -> Aboard:
    """Gravity along the slope, what it gains in speed, what shakes it, and how fast it turns."""
    speed = (ride.left + ride.right) / 2.0
    gains = np.gradient(speed, ride.dt) / loop.GRAVITY_MM_S2 if speed.size > 1 else np.zeros_like(speed)
    level = np.sqrt(np.maximum(0.0, 1.0 - ride.slope**2))
    force = {"x": gains + ride.slope, "y": np.zeros_like(speed), "z": level}
    shake = np.hypot(ACCEL_NOISE_G, SHAKE_G * ride.effort)
    raw: dict[str, Array] = {}
    unit = "accel_range" in values
    for axis, g in force.items():
        felt = g + shake * random.standard_normal(g.shape)
        if unit:
            counts = (felt + values[f"offset_{axis}"].value) / values[f"scale_{axis}"].value
            raw[axis] = _pinned(counts * FULL / values["accel_range"].value)
        else:
            volts = values[f"zero_{axis}"].value + felt * values[f"per_g_{axis}"].value
            raw[axis] = _coded(volts, values)
    if unit:
        turns = np.degrees(np.gradient(np.unwrap(ride.heading), ride.dt)) if speed.size > 1 else 0.0 * speed
        for axis, rate in (("x", 0.0), ("y", 0.0), ("z", turns)):
            dps = rate / values[f"rate_scale_{axis}"].value + values[f"bias_{axis}"].value
            dps = dps + GYRO_NOISE_DPS * random.standard_normal(speed.shape)
            raw[f"g{axis}"] = _pinned(dps * FULL / values["gyro_range"].value)
    return _columns(sensor, what, raw, _meant(what, raw, values))


def _battery(
    what: Kind, sensor: Sensor, values: Values, ride: Ride, low: float, random: np.random.Generator
) -> Aboard:
    """What is left of its voltage while the motors work."""
    empty, full = values["empty"].value, values["full"].value
    volts = (empty + FRESH * (full - empty)) * low - SAG_V * ride.effort
    share = values["bottom"].value / (values["top"].value + values["bottom"].value)
    noise = values["noise"].value * values["reference"].value / 2.0 ** values["bits"].value
    raw = {"counts": _coded(volts * share + noise * random.standard_normal(volts.shape), values)}
    return _columns(sensor, what, raw, _meant(what, raw, values))


def _coded(volts: Array, values: Values) -> Array:
    """As a converter gives volts."""
    top = 2.0 ** values["bits"].value
    return np.asarray(np.clip(np.floor(volts / values["reference"].value * top), 0.0, top - 1.0))


def _pinned(counts: Array) -> Array:
    return np.asarray(np.clip(np.round(counts), -FULL, FULL - 1.0))
