"""What takes part in a run: the sensors that a behaviour reads, their constants, settings, the vehicle."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core.behaviours.behaviour import LAMPS, LEVEL, RANGERS, ROW, SERVO, WHEELS, Behaviour
from tickstone.core.checks import check_between
from tickstone.core.constants import Values
from tickstone.core.drive import hands
from tickstone.core.drive.request import RunRequest
from tickstone.core.drive.vehicle import rolls, specs_of, vehicle_of
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.core.rigs.usual import usual_values
from tickstone.errors import BadInput

MOST_RANGERS = 3
NAMED = {ROW: "a row of line sensors", RANGERS: "a ranger", LEVEL: "a sensor"}
MOVED = {
    WHEELS: "a motor driver for two wheels, or for one and a servo that steers",
    SERVO: "a servo or a motor driver",
    LAMPS: "a lamp or a buzzer",
}


class Parts:
    """What takes part in a run: sensors with their constants, settings, the vehicle, and generators of their
    own for each, so that one's numbers do not hang on another's."""

    def __init__(self, request: RunRequest, behaviour: Behaviour) -> None:
        self.request, self.behaviour = request, behaviour
        rig = request.rig
        self.sensors = sensors_of(rig, behaviour)
        own: dict[str, float] = {}
        settings: dict[str, float] = {}
        numbers: dict[str, float] = {}
        self.hands = {name: usual for name, (usual, _, _) in hands.NUMBERS.items()}
        spec = kind(self.sensors[0].kind).specs
        names = {setting.name for setting in behaviour.settings}
        vehicle = {each.name for each in specs_of(rig)}
        for name, value in request.given.items():
            if name in vehicle:  # a behaviour that knows the vehicle gets it from there
                numbers[name] = float(value)
            elif name in hands.NUMBERS:
                self.hands[name] = check_between(float(value), *hands.NUMBERS[name][1:], name)
            elif name in names:
                settings[name] = float(value)
            elif name in spec:
                own[name] = float(value)
            else:
                raise BadInput(f"There is no {name!r} to set for {behaviour.id} on this rig.", name)
        self.vehicle = vehicle_of(rig, numbers, request.values)
        self.values = [self._values(sensor, own) for sensor in self.sensors]
        for setting in behaviour.settings:
            constant = self.values[0].get(behaviour.constant_of(setting))
            if constant is not None and setting.name not in settings:
                settings[setting.name] = constant.value
            elif setting.name in self.vehicle.values and setting.name not in settings:
                settings[setting.name] = self.vehicle.values[setting.name]
        self.settings = behaviour.resolved(settings)
        self.chosen = tuple(settings)
        self.loop_s = self.hands["loop_ms"] / 1000.0

    def _values(self, sensor: Sensor, own: Mapping[str, float]) -> Values:
        if self.request.values is not None and not own:
            return self.request.values[sensor.id]
        known = usual_values(kind(sensor.kind), self.request.rig, sensor, own)
        if self.request.values is None:
            return known
        return {**self.request.values[sensor.id], **{name: known[name] for name in own}}

    def values_of(self, sensor: Sensor) -> Values:
        """The constants of any sensor of the rig."""
        return self._values(sensor, {})

    def rng(self, number: int) -> np.random.Generator:
        """A generator of one's own."""
        return np.random.default_rng([self.request.seed, number])

    def moment(self, name: str) -> float:
        """The loop in which a hand does something; −1 where it never does."""
        at = self.hands[name]
        return -1.0 if math.isnan(at) else float(round(at / self.loop_s))

    @property
    def spread(self) -> np.random.Generator | None:
        """By which parts differ from their constants, where they do."""
        return self.rng(99) if self.request.real else None


def sensors_of(rig: Rig, behaviour: Behaviour) -> list[Sensor]:
    """The sensors that a behaviour reads. Raises BadInput for ``rig`` where it lacks them, or what moves."""
    lacks = lacking(rig, behaviour)
    if lacks:
        raise BadInput(lacks, "rig")
    return _readable(rig, behaviour)


def lacking(rig: Rig, behaviour: Behaviour) -> str:
    """What a rig lacks for a behaviour, in a sentence; empty where it lacks nothing."""
    readable = _readable(rig, behaviour)
    if not readable:
        return f"{behaviour.title} reads {NAMED[behaviour.reads]}: this rig has none."
    if behaviour.reads == ROW:
        count = int(usual_values(kind(readable[0].kind), rig, readable[0])["sensors"].value)
        if count < behaviour.least:
            return f"{behaviour.title} needs {behaviour.least} sensors in the row: this one has {count}."
    if behaviour.reads == RANGERS and len(readable) < behaviour.least:
        return (
            f"{behaviour.title} needs {behaviour.least} rangers of a kind, ahead, left and right: this rig "
            f"has {len(readable)}."
        )
    kinds = {output.kind for output in rig.outputs}
    able = {
        WHEELS: rolls(rig),
        SERVO: "servo" in kinds or "motor-driver" in kinds,
        LAMPS: bool(kinds & {"led", "led-bar", "buzzer"}),
    }
    if not any(able[way] for way in behaviour.moves):
        moved = " or ".join(MOVED[way] for way in behaviour.moves)
        return f"{behaviour.title} moves {moved}: this rig has none."
    return ""


def _readable(rig: Rig, behaviour: Behaviour) -> list[Sensor]:
    """The sensors of a rig that a behaviour could read, as many as it does."""
    if behaviour.reads == ROW:
        return [sensor for sensor in rig.sensors if sensor.kind == "line-sensors"][:1]
    if behaviour.reads == RANGERS:
        rangers = [sensor for sensor in rig.sensors if kind(sensor.kind).family == "distance"]
        return [sensor for sensor in rangers if sensor.kind == rangers[0].kind][:MOST_RANGERS]
    wanted = ("line-sensors", "digital-line-sensor")
    return [
        sensor
        for sensor in rig.sensors
        if sensor.kind in wanted or kind(sensor.kind).family in ("distance", "turning")
    ][:1]
