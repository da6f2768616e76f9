"""The catalogue of sensor kinds: adding a kind is adding a file and a line here."""

from __future__ import annotations

from tickstone.core.rigs.kinds import (
    air_temperature,
    battery_divider,
    comparator_switch,
    digital_line_sensor,
    encoders,
    hall_switch,
    inertial,
    line_sensors,
    microphone,
    motor_halls,
    time_of_flight_ranger,
    triangulation_ranger,
    ultrasonic_ranger,
)
from tickstone.core.rigs.kinds.base import Kind
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.errors import BadInput

AIR = "air"  # the family of thermometers
FAMILIES = {  # what parts sense, as people look for them
    "distance": "Distance",
    "surface": "Line and surface",
    "turning": "Turning and wheels",
    "tilt": "Tilt and motion",
    AIR: "Air",
    "power": "Power",
    "sound": "Sound",
}
KINDS: dict[str, Kind] = {
    known.id: known
    for known in (
        ultrasonic_ranger.KIND,
        ultrasonic_ranger.THREE_PINS,
        air_temperature.KIND,
        air_temperature.WITH_HUMIDITY,
        triangulation_ranger.KIND,
        time_of_flight_ranger.KIND,
        comparator_switch.KIND,
        line_sensors.KIND,
        digital_line_sensor.KIND,
        encoders.SINGLE,
        encoders.ROTARY,
        hall_switch.KIND,
        motor_halls.KIND,
        inertial.ANALOGUE,
        inertial.UNIT,
        battery_divider.KIND,
        microphone.KIND,
    )
}


def kind(kind_id: str) -> Kind:
    """The sensor kind of that id. Raises BadInput for field ``kind``."""
    if kind_id not in KINDS:
        raise BadInput(f"kind must be one of {', '.join(KINDS)}, not {kind_id!r}.", "kind")
    return KINDS[kind_id]


def is_thermometer(kind: Kind) -> bool:
    """Whether parts of a kind measure the air."""
    return kind.family == AIR


def thermometers(rig: Rig) -> list[Sensor]:
    """The sensors of a rig that measure the air."""
    return [sensor for sensor in rig.sensors if is_thermometer(kind(sensor.kind))]
