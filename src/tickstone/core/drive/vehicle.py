"""What drives: two wheels and how they follow a command. What nobody has measured is named."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_between
from tickstone.core.constants import Provenance, Values
from tickstone.core.rigs.rig import Output, Rig
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class VehicleSpec:
    """A number of the vehicle: its usual value, its bounds, the constants of the wheels' sensor that tell it
    once they are measured (their mean), and the field of the rig's geometry that tells it else (empty:
    none). ``steered``: only of a vehicle with a servo that steers."""

    name: str
    label: str
    unit: str
    usual: float
    low: float
    high: float
    told_by: str = ""
    constants: tuple[str, ...] = ()
    steered: bool = False


# in the order in which loops have them
SPECS = (
    VehicleSpec("v_top_mm_s", "fastest", "mm/s", 600.0, 1, 20_000, "", ("top_speed",)),
    VehicleSpec("dead_pct", "dead band", "%", 8.0, 0, 99, "", ("dead_band_left", "dead_band_right")),
    VehicleSpec("lag_s", "motor lag", "s", 0.08, 0, 10, "", ("motor_lag",)),
    VehicleSpec("mismatch_pct", "right faster", "%", 0.0, -50, 50, "", ("mismatch",)),
    VehicleSpec("grip_mm_s2", "grip", "mm/s²", 3000.0, 10, 100_000),
    VehicleSpec("battery_pct", "battery", "%", 100.0, 1, 150),
    VehicleSpec("track_mm", "track", "mm", 150.0, 5, 10_000, "track_mm", ("track",)),
    VehicleSpec("front_mm", "bumper before the axle", "mm", 120.0, 0, 10_000, "front_mm"),
    VehicleSpec("rear_mm", "behind the axle", "mm", 60.0, 0, 10_000),
    VehicleSpec("width_mm", "width", "mm", 160.0, 5, 10_000, "width_mm"),
    VehicleSpec(
        "circumference_mm", "wheel circumference", "mm", 200.0, 10, 10_000, "wheel_mm", ("circumference",)
    ),
    VehicleSpec("wheelbase_mm", "to the steered axle", "mm", 160.0, 5, 10_000, "wheelbase_mm", steered=True),
    VehicleSpec("steer_end_deg", "steers at most", "°", 30.0, 1, 80, steered=True),
    VehicleSpec("steer_deg_s", "servo turns", "°/s", 300.0, 1, 10_000, steered=True),
)


def steers(rig: Rig) -> bool:
    """Whether a rig drives by one motor and steers by a servo."""
    kinds = {output.kind: output for output in rig.outputs}
    return "servo" in kinds and "motor-driver" in kinds and _motors(kinds["motor-driver"]) == 1


def rolls(rig: Rig) -> bool:
    """Whether a rig drives: by two wheels, or by one motor and a servo that steers."""
    return steers(rig) or any(o.kind == "motor-driver" and _motors(o) == 2 for o in rig.outputs)


def _motors(driver: Output) -> int:
    return int(float(driver.options.get("motors", 2)))


def specs_of(rig: Rig) -> tuple[VehicleSpec, ...]:
    """The numbers that the vehicle of a rig has."""
    steered = steers(rig)
    return tuple(spec for spec in SPECS if steered or not spec.steered)


@dataclass(frozen=True)
class Vehicle:
    """The numbers of a vehicle by name, those that nobody has measured or said, and the sensor by which each
    of the others was measured (empty: the rig's own record says it)."""

    values: Mapping[str, float]
    assumed: tuple[str, ...]
    measured: Mapping[str, str] = field(default_factory=dict)

    def array(self) -> Array:
        """The numbers as loops have them: shares for percent, half the width, angles in rad; a wheelbase of 0
        where nothing steers."""
        values = np.array([self.values.get(spec.name, 0.0) for spec in SPECS])
        values[[3, 5]] /= 100.0
        values[9] /= 2.0
        values[[12, 13]] = np.radians(values[[12, 13]])
        return values


# how far a real vehicle is from its numbers (k = 1), common practice: shares of speed and lag, the share by
# which its right wheel is faster, and percent of the dead band
TOP_SPREAD, LAG_SPREAD, MISMATCH_SPREAD, DEAD_SPREAD = 0.03, 0.15, 0.015, 0.8


def as_real(vehicle: Array, random: np.random.Generator) -> Array:
    """The numbers of a vehicle as loops have them, as far from what is known as a real one's are."""
    real = vehicle.copy()
    top, lag, mismatch, dead = random.standard_normal(4).tolist()
    real[0] *= 1.0 + TOP_SPREAD * top
    real[1] = max(0.0, real[1] + DEAD_SPREAD * dead)
    real[2] *= max(0.3, 1.0 + LAG_SPREAD * lag)
    real[3] += MISMATCH_SPREAD * mismatch
    return real


def vehicle_of(rig: Rig, given: Mapping[str, float], known: Mapping[str, Values] | None = None) -> Vehicle:
    """The vehicle of a rig, by the constants of its sensors as they stand, with numbers changed for one run.
    Raises BadInput naming a number that it does not have, or that cannot be so."""
    specs = specs_of(rig)
    names = {spec.name for spec in specs}
    for name in given:
        if name not in names:
            raise BadInput(f"A vehicle has no {name!r}; it has {', '.join(sorted(names))}.", name)
    values: dict[str, float] = {}
    assumed, measured = [], {}
    for spec in specs:
        sensor, fitted = _measured(spec, known or {})
        told = _told(spec, rig)
        if spec.name in given:
            values[spec.name] = check_between(float(given[spec.name]), spec.low, spec.high, spec.name)
        elif fitted is not None:
            values[spec.name], measured[spec.name] = min(max(fitted, spec.low), spec.high), sensor
        elif told is not None:
            values[spec.name], measured[spec.name] = told, ""
        else:
            values[spec.name] = spec.usual
            assumed.append(spec.name)
    return Vehicle(values, tuple(assumed), measured)


def _measured(spec: VehicleSpec, known: Mapping[str, Values]) -> tuple[str, float | None]:
    """What was measured of a number, and by which sensor; that of the least ± where several know it."""
    best: tuple[str, float | None] = ("", None)
    least = math.inf
    for sensor, values in known.items():
        some = [values[name] for name in spec.constants if name in values]
        own = [value for value in some if value.provenance is Provenance.MEASURED]
        sd = max((value.sd or 0.0 for value in own), default=math.inf)
        if own and sd < least:
            best, least = (sensor, sum(value.value for value in own) / len(own)), sd
    return best


def _told(spec: VehicleSpec, rig: Rig) -> float | None:
    """What the rig's own record says of a number."""
    geometry = rig.geometry
    if spec.name == "rear_mm" and geometry.length_mm is not None and geometry.front_mm is not None:
        return float(geometry.length_mm - geometry.front_mm)
    size = getattr(geometry, spec.told_by) if spec.told_by else None
    if size is not None and spec.name == "circumference_mm":
        return math.pi * float(size)
    return None if size is None else float(size)
