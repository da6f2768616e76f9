"""A rig as one document: board copy, what is fitted with stable ids, supplies, wires with the parts in them,
geometry."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from tickstone.errors import BadInput

SCHEMA = 2
GROUND = "ground"
ABILITIES = ("digital", "interrupt", "capture", "pwm", "analogue", "i2c-data", "i2c-clock")
SERVICES = ("servo", "tone", "capture")


@dataclass(frozen=True)
class Pin:
    """A board pin: its label, and what it can do (see ABILITIES). ``code`` is what a program calls it (empty:
    its label); ``timer`` is the timer behind its pwm or capture."""

    name: str
    abilities: tuple[str, ...]
    code: str = ""
    timer: str = ""


@dataclass(frozen=True)
class Rail:
    """A supply that the board offers, by label and volts; ground is 0 V. ``ma`` is what it can give (None:
    the board's ``supply_ma``)."""

    name: str
    volts: float
    ma: float | None = None


@dataclass(frozen=True)
class Service:
    """A timer that a service (servo, tone, capture) takes for itself while it runs."""

    name: str
    timer: str


@dataclass(frozen=True)
class Board:
    """A board by ability. ``limit_v`` is the most a pin bears, ``high_level_v`` the least that surely reads
    high, ``low_level_v`` the most that surely reads low, ``logic_v`` what an output gives when high.
    ``pin_ma`` is the most one pin should give, ``pins_ma`` all together. ``programs`` are the languages it
    runs; ``python`` which pin module is there. ``jitter_us`` is how badly it times an edge."""

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
    pin_ma: float = 20.0
    pins_ma: float = 200.0
    clock_mhz: float = 16.0
    tick_us: float = 4.0
    jitter_us: float = 0.0
    services: tuple[Service, ...] = ()
    programs: tuple[str, ...] = ("cpp",)
    python: str = ""

    def pin(self, name: str) -> Pin | None:
        """The pin of that label, or None."""
        return next((pin for pin in self.pins if pin.name == name), None)

    def rail(self, name: str) -> Rail | None:
        """The rail of that label, or None."""
        return next((rail for rail in self.rails if rail.name == name), None)

    def timer_of(self, service: str) -> str:
        """The timer that a service takes, or an empty string."""
        return next((item.timer for item in self.services if item.name == service), "")


@dataclass(frozen=True)
class Mount:
    """Where a part sits, mm: ``x_mm`` forward of the middle of the drive axle, ``y_mm`` to the left,
    ``height_mm`` above the ground; ``heading_deg`` is where its beam looks, counter-clockwise from straight
    ahead."""

    x_mm: float = 0.0
    y_mm: float = 0.0
    height_mm: float | None = None
    heading_deg: float = 0.0


Options = Mapping[str, str | float]


@dataclass(frozen=True)
class FittedPart:
    """A part fitted to the rig; ``id`` never changes, the name may. ``options`` hold what differs from part
    to part."""

    id: str
    kind: str
    name: str
    options: dict[str, str | float] = field(default_factory=dict)
    mount: Mount | None = None


@dataclass(frozen=True)
class Sensor(FittedPart):
    """A part that senses."""


@dataclass(frozen=True)
class Output(FittedPart):
    """A part used with the sensors: a lamp, a servo, a motor driver, a converter on the bus."""


@dataclass(frozen=True)
class Supply:
    """A supply beside the board: a battery, or a regulator of its own. ``most_v`` is what it gives when full;
    ``grounded`` says whether its minus is joined to the board's ground."""

    name: str
    volts: float
    most_v: float
    ma: float
    grounded: bool = True


@dataclass(frozen=True)
class Geometry:
    """Sizes of the vehicle, mm; None is not known. ``front_mm`` is the bumper's distance forward of the drive
    axle, ``wheelbase_mm`` from there to an axle that is steered, ``line_mm`` the width of the tape it
    follows; the board's place has the axes of Mount."""

    length_mm: float | None = None
    width_mm: float | None = None
    front_mm: float | None = None
    wheel_mm: float | None = None
    track_mm: float | None = None
    cog_height_mm: float | None = None
    line_mm: float | None = None
    board_x_mm: float = 0.0
    board_y_mm: float = 0.0
    wheelbase_mm: float | None = None


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
class SeriesPart:
    """A resistor in line with a wire."""

    ohms: float
    bands: tuple[str, ...] = ()


@dataclass(frozen=True)
class Wire:
    """One lead, in its real colour, from a pin of a fitted part (``sensor`` is that part's id) to a board
    pin, a rail, a supply, or another part's pin ("id.pin"); ``to`` is empty while it hangs free. A ``fixed``
    wire stays where a person put it when pins are assigned anew."""

    sensor: str
    pin: str
    to: str
    colour: str
    divider: DividerPart | None = None
    pull_up: PullUpPart | None = None
    series: SeriesPart | None = None
    fixed: bool = False


Changed = TypeVar("Changed", bound=FittedPart)


@dataclass(frozen=True)
class Rig:
    """The whole document of a rig revision. ``board_from`` is what powers the board: USB, or a supply's
    name."""

    title: str
    purpose: str
    board: Board
    sensors: tuple[Sensor, ...]
    wires: tuple[Wire, ...]
    outputs: tuple[Output, ...] = ()
    supplies: tuple[Supply, ...] = ()
    geometry: Geometry = field(default_factory=Geometry)
    board_from: str = "USB"
    schema: int = SCHEMA

    @property
    def fitted(self) -> tuple[FittedPart, ...]:
        """Sensors and outputs, in that order."""
        return (*self.sensors, *self.outputs)

    def find_sensor(self, sensor_id: str) -> Sensor | None:
        """The sensor of that id, or None: a recording may hold columns of no sensor, or of one taken off
        since."""
        return next((sensor for sensor in self.sensors if sensor.id == sensor_id), None)

    def sensor(self, sensor_id: str) -> Sensor:
        """The sensor of that id. Raises BadInput for field ``sensor``."""
        sensor = self.find_sensor(sensor_id)
        if sensor is None:
            raise BadInput(f"This rig has no sensor {sensor_id!r}.", "sensor")
        return sensor

    def part(self, part_id: str) -> FittedPart:
        """The sensor or output of that id. Raises BadInput for field ``sensor``."""
        part = next((fitted for fitted in self.fitted if fitted.id == part_id), None)
        if part is None:
            raise BadInput(f"Nothing called {part_id!r} is fitted to this rig.", "sensor")
        return part

    def supply(self, name: str) -> Supply | None:
        """The supply of that name, or None."""
        return next((supply for supply in self.supplies if supply.name == name), None)

    def wire(self, part_id: str, pin: str) -> Wire:
        """The wire of a part's pin. Raises BadInput for field ``pin``."""
        result = next((wire for wire in self.wires if (wire.sensor, wire.pin) == (part_id, pin)), None)
        if result is None:
            raise BadInput(f"{part_id!r} has no pin {pin!r}.", "pin")
        return result

    def wires_of(self, part_id: str) -> Iterator[Wire]:
        """The wires of a fitted part."""
        return (wire for wire in self.wires if wire.sensor == part_id)

    def with_wire(self, changed: Wire) -> Rig:
        """This rig with one wire replaced."""
        self.wire(changed.sensor, changed.pin)
        same = (changed.sensor, changed.pin)
        return replace(self, wires=tuple(changed if (w.sensor, w.pin) == same else w for w in self.wires))

    def with_part(self, changed: FittedPart) -> Rig:
        """This rig with one fitted part replaced by another record of the same id."""
        self.part(changed.id)
        return replace(
            self, sensors=_replaced(self.sensors, changed), outputs=_replaced(self.outputs, changed)
        )


def _replaced(parts: tuple[Changed, ...], changed: FittedPart) -> tuple[Changed, ...]:
    return tuple(
        changed if part.id == changed.id and isinstance(changed, type(part)) else part for part in parts
    )
