"""A rig as one document: board copy, sensors with stable ids, wires, parts in the wire."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from tickstone.errors import BadInput

SCHEMA = 1


@dataclass(frozen=True)
class Pin:
    """A board pin: its label, and what it can do (digital, interrupt, capture, pwm, analogue, i2c-data, i2c-clock)."""

    name: str
    abilities: tuple[str, ...]


@dataclass(frozen=True)
class Rail:
    """A supply that the board offers, by label and volts; ground is 0 V."""

    name: str
    volts: float


@dataclass(frozen=True)
class Board:
    """A board by ability. ``limit_v`` is the most a pin bears, ``high_level_v`` the least that surely reads high,
    ``low_level_v`` the most that surely reads low, ``logic_v`` what an output gives when high."""

    kind: str
    title: str
    logic_v: float
    limit_v: float
    high_level_v: float
    low_level_v: float
    supply_ma: float
    rails: tuple[Rail, ...]
    pins: tuple[Pin, ...]
    adc_bits: int | None = None
    adc_reference_v: float | None = None

    def pin(self, name: str) -> Pin | None:
        """The pin of that label, or None."""
        return next((pin for pin in self.pins if pin.name == name), None)

    def rail(self, name: str) -> Rail | None:
        """The rail of that label, or None."""
        return next((rail for rail in self.rails if rail.name == name), None)


@dataclass(frozen=True)
class Sensor:
    """A part mounted on the rig; ``id`` never changes, the name may."""

    id: str
    kind: str
    name: str


@dataclass(frozen=True)
class DividerPart:
    """Two resistors in a wire: ``top_ohm`` in line, ``bottom_ohm`` from the board's pin to ground."""

    top_ohm: float
    bottom_ohm: float
    tolerance_pct: float = 5.0
    top_bands: tuple[str, ...] = ()
    bottom_bands: tuple[str, ...] = ()


@dataclass(frozen=True)
class PullUpPart:
    """A resistor from a wire up to a rail."""

    ohms: float
    rail: str
    bands: tuple[str, ...] = ()


@dataclass(frozen=True)
class Wire:
    """One lead from a sensor's pin to a board pin or rail, in its real colour; ``to`` is empty while it hangs free."""

    sensor: str
    pin: str
    to: str
    colour: str
    divider: DividerPart | None = None
    pull_up: PullUpPart | None = None


@dataclass(frozen=True)
class Rig:
    """The whole document of a rig revision."""

    title: str
    purpose: str
    board: Board
    sensors: tuple[Sensor, ...]
    wires: tuple[Wire, ...]
    schema: int = field(default=SCHEMA)

    def sensor(self, sensor_id: str) -> Sensor:
        """The sensor of that id. Raises BadInput for field ``sensor``."""
        found = next((sensor for sensor in self.sensors if sensor.id == sensor_id), None)
        if found is None:
            raise BadInput(f"This rig has no sensor {sensor_id!r}.", "sensor")
        return found

    def wire(self, sensor_id: str, pin: str) -> Wire:
        """The wire of a sensor's pin. Raises BadInput for field ``pin``."""
        found = next((wire for wire in self.wires if (wire.sensor, wire.pin) == (sensor_id, pin)), None)
        if found is None:
            raise BadInput(f"The sensor {sensor_id!r} has no pin {pin!r}.", "pin")
        return found

    def with_wire(self, changed: Wire) -> Rig:
        """This rig with one wire replaced."""
        self.wire(changed.sensor, changed.pin)
        same = (changed.sensor, changed.pin)
        return replace(self, wires=tuple(changed if (w.sensor, w.pin) == same else w for w in self.wires))
