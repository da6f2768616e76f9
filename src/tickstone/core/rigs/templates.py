"""Rigs to begin with."""

from __future__ import annotations

from tickstone.core.rigs import boards
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig, Sensor, Wire
from tickstone.core.wiring.assign import assign

RANGER_AND_AIR = (
    Sensor("front-ranger", "ultrasonic-ranger", "front ranger"),
    Sensor("air", "air-temperature", "air"),
)


def fern() -> Rig:
    """Fern, a greenhouse tray cart: a front ultrasonic ranger and an air temperature sensor on a 5 V 8-bit board."""
    return fresh_rig("Fern", "greenhouse tray cart", "small-5v", RANGER_AND_AIR)


def fresh_rig(title: str, purpose: str, board: str, sensors: tuple[Sensor, ...]) -> Rig:
    """A rig of these sensors, every pin wired where the board can take it."""
    wires = tuple(Wire(sensor.id, pin.name, "", pin.colour) for sensor in sensors for pin in kind(sensor.kind).pins)
    return assign(Rig(title, purpose, boards.board(board), sensors, wires))
