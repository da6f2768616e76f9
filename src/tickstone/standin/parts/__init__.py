"""Which simulated part stands for which sensor kind."""

from __future__ import annotations

from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.standin.parts import levels, poses, rangers, shafts, surfaces
from tickstone.standin.parts.base import SimulatedPart
from tickstone.standin.world import World

PARTS: dict[str, type[SimulatedPart]] = {
    "ultrasonic-ranger": rangers.UltrasonicPart,
    "ultrasonic-ranger-3": rangers.UltrasonicPart,
    "triangulation-ranger": rangers.TriangulationPart,
    "time-of-flight-ranger": rangers.TimeOfFlightPart,
    "line-sensors": surfaces.LineRowPart,
    "digital-line-sensor": surfaces.DigitalLinePart,
    "comparator-switch": shafts.TachometerPart,
    "hall-switch": shafts.WheelPart,
    "encoder": shafts.StepsPart,
    "rotary-encoder": shafts.QuadraturePart,
    "motor-halls": shafts.MotorHallsPart,
    "analogue-accelerometer": poses.AnalogueAccelerometer,
    "inertial-unit": poses.InertialUnit,
    "air-temperature": levels.AirPart,
    "air-temperature-humidity": levels.AirAndHumidityPart,
    "battery-divider": levels.BatteryPart,
    "microphone": levels.MicrophonePart,
}


def part_for(world: World, rig: Rig, sensor: Sensor) -> SimulatedPart:
    """The simulated part of a sensor."""
    return PARTS[sensor.kind](world, rig, sensor)
