"""How a program on the board reads a sensor: what a kind's ``reads`` are made of. Names are of the part's own
pins and channels; no language and no board is in here."""

from __future__ import annotations

from dataclasses import dataclass

Pair = tuple[str, str]  # channel, pin


@dataclass(frozen=True)
class Echo:
    """A ping and the width of its echo, µs; trigger and echo may be one pin. No echo is 0."""

    channel: str
    trigger: str
    echo: str


@dataclass(frozen=True)
class Edges:
    """The time of each edge of a pin, µs: falling ones, or rising ones."""

    channel: str
    pin: str
    rising: bool = False


@dataclass(frozen=True)
class Levels:
    """Levels of pins, all of them at each change of any."""

    pairs: tuple[Pair, ...]


@dataclass(frozen=True)
class Counts:
    """Codes of analogue pins, every so many ms."""

    pairs: tuple[Pair, ...]
    every_ms: int


@dataclass(frozen=True)
class Steps:
    """A running count of a pin's transitions; an analogue one is compared with hysteresis between two shares
    of the converter's range."""

    channel: str
    pin: str
    analogue: bool
    low: float = 0.4
    high: float = 0.68  # 3.4 V of 5 V, common practice


@dataclass(frozen=True)
class Swing:
    """Highest minus lowest code of an analogue pin over a window, ms."""

    channel: str
    pin: str
    window_ms: int


@dataclass(frozen=True)
class SlotThermometer:
    """A digital thermometer on one data wire with reset pulse and time slots: °C as sixteenths."""

    channel: str
    pin: str


@dataclass(frozen=True)
class PulseThermometer:
    """Humidity and temperature on one data wire as 40 pulses of two widths: tenths of % and of °C."""

    air: str
    humidity: str
    pin: str


@dataclass(frozen=True)
class RegisterField:
    """A 16-bit number, high byte first, at an offset of what was read."""

    channel: str
    offset: int
    signed: bool


@dataclass(frozen=True)
class Registers:
    """A part on the I2C bus: registers to write once, one to write before each reading, and what is read.
    ``readdress`` is the register that takes a new address, and the address it wakes with."""

    setup: tuple[tuple[int, int], ...]
    start: tuple[int, int] | None
    read_from: int
    length: int
    fields: tuple[RegisterField, ...]
    every_ms: int
    readdress: tuple[int, int] | None = None
    shutdown: str = ""


Reading = Echo | Edges | Levels | Counts | Steps | Swing | SlotThermometer | PulseThermometer | Registers
