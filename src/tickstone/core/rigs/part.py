"""What a fitted part is to the one who wires it: its pins, what it draws and gives, and the questions it
leaves open."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum

from tickstone.core.checks import check_between
from tickstone.core.rigs.rig import Options
from tickstone.errors import BadInput


class Role(StrEnum):
    """What a pin is for, seen from the part."""

    SUPPLY = "supply"
    GROUND = "ground"
    INPUT = "input"  # the board drives it
    OUTPUT = "output"  # the part drives it, up to its supply
    OPEN = "open"  # the part only pulls it low; a pull-up makes it high
    LAMP = "lamp"  # the board drives a diode through a resistor


@dataclass(frozen=True)
class Draw:
    """What a supply pin wants: a span of volts, and the most it draws, mA. ``own`` means not from a board's
    regulator; ``usual_v`` and ``full_v`` are then what such a supply usually gives, and gives when full."""

    low_v: float
    high_v: float
    ma: float
    own: bool = False
    usual_v: float = 5.0
    full_v: float = 5.0


@dataclass(frozen=True)
class Lamp:
    """A diode on a pin: its forward voltage, V, and the current wanted, mA."""

    forward_v: float
    ma: float


@dataclass(frozen=True)
class PinSpec:
    """A pin of a part.

    ``needs`` lists the board abilities that will do, best first; those after ``polled`` (an ability) can only
    be asked in a loop. Levels in volts: ``high_needs_v`` is the least that an input surely sees as high,
    ``bears_v`` the most it bears; ``most_v`` is the most that an output gives whatever the supply, ``share``
    the share of its supply that it gives. ``own_pull_up_ohm`` sits on the part itself. ``shortest_us`` is the
    shortest pulse to be read. ``service`` names the timer service that drives it; ``source_ohm`` is what an
    analogue input sees behind it; ``ma`` is what it takes from the board's pin.
    """

    name: str
    role: Role
    colour: str
    needs: tuple[str, ...] = ()
    high_needs_v: float = 0.0
    bears_v: float | None = None
    most_v: float | None = None
    share: float = 1.0
    own_pull_up_ohm: float | None = None
    shortest_us: float | None = None
    service: str = ""
    source_ohm: float = 0.0
    ma: float = 0.0
    polled: bool = False  # whether the last of ``needs`` means asking in a loop, which may miss pulses
    draw: Draw | None = None
    lamp: Lamp | None = None

    @property
    def power(self) -> bool:
        """Whether this is a supply or ground pin."""
        return self.role in (Role.SUPPLY, Role.GROUND)

    @property
    def bus(self) -> str:
        """The I2C line it is on, or an empty string: only these may share a board pin."""
        return self.needs[0] if self.needs and self.needs[0].startswith("i2c") else ""

    @property
    def analogue(self) -> bool:
        """Whether an analogue input reads it."""
        return "analogue" in self.needs


@dataclass(frozen=True)
class Component:
    """A component on the part that a builder has to solder: how many, what, and its ohms or farads if it has
    any."""

    count: int
    title: str
    ohms: float | None = None
    farads: float | None = None


@dataclass(frozen=True)
class Load:
    """A phototransistor's load: its ohms, the most current the transistor gives on a pale surface, mA, and
    whether the load is on the supply's side."""

    ohms: float
    pale_ma: float
    at_supply: bool


@dataclass(frozen=True)
class Part:
    """The electrical side of a part with its options chosen. ``gives`` are inputs that it adds to the board's
    own, read with ``converter`` (bits, full scale in V)."""

    pins: tuple[PinSpec, ...]
    address: int | None = None
    pieces: tuple[Component, ...] = ()
    load: Load | None = None
    gives: tuple[str, ...] = ()
    converter: tuple[int, float] | None = None
    remarks: tuple[str, ...] = ()

    def pin(self, name: str) -> PinSpec:
        """The pin of that name; a KeyError is a mistake of ours."""
        return {pin.name: pin for pin in self.pins}[name]

    @property
    def supply(self) -> PinSpec | None:
        """The pin that feeds its electronics: the first supply pin, or None."""
        return next((pin for pin in self.pins if pin.role is Role.SUPPLY), None)


@dataclass(frozen=True)
class OptionValue:
    """An answer to a question: what is stored, and what a person reads."""

    value: str
    label: str


@dataclass(frozen=True)
class OptionSpec:
    """A question about a part where parts differ: one of ``choices``, or a number from ``low`` to ``high`` in
    ``unit``. ``clue`` says how to find out."""

    name: str
    label: str
    usual: str | float
    choices: tuple[OptionValue, ...] = ()
    unit: str = ""
    low: float = 0.0
    high: float = 0.0
    whole: bool = False
    clue: str = ""


def question(name: str, label: str, *choices: tuple[str, str], clue: str = "", usual: str = "") -> OptionSpec:
    """A question with named answers, the first of them usual unless ``usual`` says another."""
    answers = tuple(OptionValue(*choice) for choice in choices)
    return OptionSpec(name, label, usual or answers[0].value, answers, clue=clue)


class Chosen(Mapping[str, "str | float"]):
    """Options by name, the usual answer where none was given."""

    def __init__(self, specs: tuple[OptionSpec, ...], options: Options) -> None:
        self._values = {spec.name: options.get(spec.name, spec.usual) for spec in specs}

    def __getitem__(self, name: str) -> str | float:
        return self._values[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)

    def number(self, name: str) -> float:
        """A number by name."""
        return float(self._values[name])

    def says(self, name: str, value: str) -> bool:
        """Whether an option has that answer."""
        return self._values[name] == value


def check_options(specs: tuple[OptionSpec, ...], options: Options, what: str) -> None:
    """Raise BadInput naming an option that the kind does not have, or an answer that cannot be."""
    known = {spec.name: spec for spec in specs}
    for name, value in options.items():
        if name not in known:
            raise BadInput(
                f"{what} has no option {name!r}; it has {', '.join(known) or 'none'}.", f"options.{name}"
            )
        spec = known[name]
        if spec.choices:
            answers = [option.value for option in spec.choices]
            if value not in answers:
                raise BadInput(
                    f"{name} must be one of {', '.join(answers)}, not {value!r}.", f"options.{name}"
                )
            continue
        if isinstance(value, str):
            raise BadInput(f"{name} must be a number, not {value!r}.", f"options.{name}")
        check_between(value, spec.low, spec.high, f"options.{name}")
        if spec.whole and value != int(value):
            raise BadInput(f"{name} must be a whole number, not {value:g}.", f"options.{name}")
