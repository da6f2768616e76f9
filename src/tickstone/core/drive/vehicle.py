"""What drives: two wheels and how they follow a command. What nobody has measured is named."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_between
from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class VehicleSpec:
    """A number of the vehicle: its usual value, its bounds, and the field of the rig's geometry that tells it
    (empty: none)."""

    name: str
    label: str
    unit: str
    usual: float
    low: float
    high: float
    field: str = ""


# in the order in which loops have them
SPECS = (
    VehicleSpec("v_top_mm_s", "fastest", "mm/s", 600.0, 1, 20_000),
    VehicleSpec("dead_pct", "dead band", "%", 8.0, 0, 99),
    VehicleSpec("lag_s", "motor lag", "s", 0.08, 0, 10),
    VehicleSpec("mismatch_pct", "right faster", "%", 0.0, -50, 50),
    VehicleSpec("grip_mm_s2", "grip", "mm/s²", 3000.0, 10, 100_000),
    VehicleSpec("battery_pct", "battery", "%", 100.0, 1, 150),
    VehicleSpec("track_mm", "track", "mm", 150.0, 5, 10_000, "track_mm"),
    VehicleSpec("front_mm", "bumper before the axle", "mm", 120.0, 0, 10_000, "front_mm"),
    VehicleSpec("rear_mm", "behind the axle", "mm", 60.0, 0, 10_000),
    VehicleSpec("width_mm", "width", "mm", 160.0, 5, 10_000, "width_mm"),
)


@dataclass(frozen=True)
class Vehicle:
    """The numbers of a vehicle by name, and those that nobody has measured or said."""

    values: Mapping[str, float]
    assumed: tuple[str, ...]

    def array(self) -> Array:
        """The numbers as loops have them: shares for percent, half the width."""
        values = np.array([self.values[spec.name] for spec in SPECS])
        values[[3, 5]] /= 100.0
        values[9] /= 2.0
        return values


def vehicle_of(rig: Rig, given: Mapping[str, float]) -> Vehicle:
    """The vehicle of a rig, with numbers changed for one run. Raises BadInput naming a number that it does
    not have, or that cannot be so."""
    known = {spec.name: spec for spec in SPECS}
    for name in given:
        if name not in known:
            raise BadInput(f"A vehicle has no {name!r}; it has {', '.join(known)}.", name)
    values: dict[str, float] = {}
    assumed = []
    geometry = rig.geometry
    for spec in SPECS:
        measured = getattr(geometry, spec.field) if spec.field else None
        if spec.name == "rear_mm" and geometry.length_mm is not None and geometry.front_mm is not None:
            measured = geometry.length_mm - geometry.front_mm
        if spec.name in given:
            values[spec.name] = check_between(float(given[spec.name]), spec.low, spec.high, spec.name)
        elif measured is not None:
            values[spec.name] = float(measured)
        else:
            values[spec.name] = spec.usual
            assumed.append(spec.name)
    return Vehicle(values, tuple(assumed))
