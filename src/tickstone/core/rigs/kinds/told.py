"""Constants that the rig's own record tells: what a constant's ``told`` may be."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.rig import Rig, Sensor

Told = Callable[[Rig, Sensor], float | None]


def by_board(name: str) -> Told:
    """A field of the board."""
    return lambda rig, sensor: getattr(rig.board, name)


def by_converter(place: int) -> Told:
    """Bits (0) or full scale (1) of the converter that reads the sensor."""

    def told(rig: Rig, sensor: Sensor) -> float | None:
        result = converter_of(rig, sensor.id)
        return None if result is None else float(result[place])

    return told


def by_option(name: str, answers: Mapping[str, float] | None = None) -> Told:
    """An option's number, or the number that goes with its answer."""
    meant = float if answers is None else lambda said: answers.get(str(said))
    return lambda rig, sensor: meant(sensor.options[name]) if name in sensor.options else None


def by_mount(name: str) -> Told:
    """A number of where the sensor sits."""
    return lambda rig, sensor: getattr(sensor.mount, name) if sensor.mount else None


def by_geometry(name: str, times: float = 1.0) -> Told:
    """A size of the vehicle, times a number."""

    return lambda rig, sensor: None if (size := getattr(rig.geometry, name)) is None else times * float(size)
