"""Every procedure there is, by the name under which the kinds list it."""

from __future__ import annotations

from typing import Any

from tickstone.core.calibration import (
    battery,
    drive,
    gyro,
    halls,
    infrared,
    lag,
    marks,
    mounting,
    poses,
    response,
    rolling,
    spot,
    surface,
    turning,
    ultrasonic,
)
from tickstone.core.calibration.procedure import Procedure
from tickstone.errors import NotFound

PROCEDURES: dict[str, Procedure[Any]] = {
    item.id: item
    for subject in (
        ultrasonic,
        infrared,
        surface,
        poses,
        mounting,
        gyro,
        rolling,
        turning,
        marks,
        halls,
        battery,
        drive,
        lag,
        spot,
        response,
    )
    for item in subject.PROCEDURES
}


def procedure(name: str) -> Procedure[Any]:
    """The procedure of that name. Raises NotFound."""
    if name not in PROCEDURES:
        raise NotFound(f"There is no procedure {name!r}.")
    return PROCEDURES[name]
