"""Which simulated part stands for which sensor kind."""

from __future__ import annotations

from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.standin.parts import levels, poses, rangers, shafts, surfaces
from tickstone.standin.parts.base import Part
from tickstone.standin.world import World

PARTS: dict[str, type[Part]] = {
    "ultrasonic-ranger": rangers.Ultrasonic,
    "ultrasonic-ranger-3": rangers.Ultrasonic,
    "triangulation-ranger": rangers.Triangulation,
    "time-of-flight-ranger": rangers.TimeOfFlight,
    "line-sensors": surfaces.LineRow,
    "digital-line-sensor": surfaces.DigitalLine,
    "comparator-switch": shafts.Tachometer,
    "hall-switch": shafts.Wheel,
    "encoder": shafts.Steps,
    "rotary-encoder": shafts.Quadrature,
    "motor-halls": shafts.MotorHalls,
    "analogue-accelerometer": poses.Analogue,
    "inertial-unit": poses.Unit,
    "air-temperature": levels.Air,
    "air-temperature-humidity": levels.AirAndHumidity,
    "battery-divider": levels.Battery,
    "microphone": levels.Microphone,
}


def part_for(world: World, rig: Rig, sensor: Sensor) -> Part:
    """The simulated part of a sensor."""
    return PARTS[sensor.kind](world, rig, sensor)
