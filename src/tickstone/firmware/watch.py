"""The watch program of a rig: what every language's writer works from."""

from __future__ import annotations

import math
import re
import textwrap
from dataclasses import dataclass, replace

from tickstone.core.rigs.catalogue import part_of, pin_of
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.labels import labels
from tickstone.core.rigs.outputs import added_inputs, converter_of
from tickstone.core.rigs.part import Chosen, Role
from tickstone.core.rigs.reading import Counts, Echo, Reading, Registers, Steps, Swing
from tickstone.core.rigs.rig import Output, Rig, Wire
from tickstone.core.wiring.places import pin_named
from tickstone.errors import BadInput
from tickstone.firmware.words import one_line

BAUD = 115_200
PING_EVERY_US = 60_000  # the old echo has died by then (common practice)
ECHO_TIMEOUT_US = 30_000  # longer than the echo of the farthest target
AGAIN_MS = 500  # levels that do not change are told again
SLOW_SOURCE_OHM = 10_000.0


@dataclass(frozen=True)
class PinUse:
    """A pin of a part at its place: its name in the program, what the program calls the board's pin, and what
    it can do. ``channel`` is an input of a converter on the bus at ``address`` (None: the board's own
    pin)."""

    name: str
    code: str
    place: str
    abilities: tuple[str, ...]
    slow: bool = False
    address: int | None = None
    channel: int = 0

    @property
    def timed(self) -> bool:
        """Whether an interrupt can tell its edges."""
        return "interrupt" in self.abilities


@dataclass(frozen=True)
class Use:
    """One way of reading of one sensor: its name in the program, its pins by name, labels by channel."""

    name: str
    reading: Reading
    pins: dict[str, PinUse]
    labels: dict[str, str]
    address: int | None = None
    codes: int = 1024  # of the converter that reads it
    stretch: int = 1  # how many times slower than usual it reads, so that the line is not too full

    @property
    def kind(self) -> str:
        """The way of reading as a name in code: slot_thermometer."""
        return re.sub(r"(?<!^)(?=[A-Z])", "_", type(self.reading).__name__).lower()

    def every_ms(self, usual_ms: int) -> int:
        """Ms between two readings."""
        return usual_ms * self.stretch

    @property
    def shutdown(self) -> PinUse | None:
        """The pin that holds a part on the bus in shutdown, where it has such a pin."""
        if isinstance(self.reading, Registers) and self.reading.shutdown:
            return self.pins[self.reading.shutdown]
        return None

    @property
    def writes(self) -> list[tuple[int, int]]:
        """What is written to a part on the bus before it is read, as (register, value)."""
        if not isinstance(self.reading, Registers):
            return []
        return [*self.reading.setup, *([self.reading.start] if self.reading.start else [])]

    @property
    def step_codes(self) -> tuple[int, int]:
        """Under which code and beyond which one an analogue pin makes a step."""
        assert isinstance(self.reading, Steps)
        return round(self.reading.low * self.codes), round(self.reading.high * self.codes)


@dataclass(frozen=True)
class ProgramPlan:
    """Everything that a watch program says and does."""

    rig: Rig
    uses: tuple[Use, ...]
    held_off: tuple[PinUse, ...]  # outputs, held low

    def of(self, *kinds: type) -> list[Use]:
        """The uses that read in these ways."""
        return [use for use in self.uses if isinstance(use.reading, kinds)]

    @property
    def on_bus(self) -> bool:
        """Whether anything hangs on the I2C bus."""
        return any(part_of(part).address is not None for part in self.rig.fitted)

    @property
    def converters(self) -> bool:
        """Whether a converter on the bus is read."""
        return any(pin.address is not None for use in self.uses for pin in use.pins.values())

    @property
    def rangers(self) -> list[tuple[PinUse, PinUse, str]]:
        """Trigger, echo and label of each ranger that pings."""
        return [
            (use.pins[reading.trigger], use.pins[reading.echo], use.labels[reading.channel])
            for use in self.uses
            if isinstance(reading := use.reading, Echo)
        ]

    @property
    def pins(self) -> list[PinUse]:
        """The board's own pins that are read or let parts wake, once each; not the bus."""
        every = {pin.name: pin for use in self.uses for pin in use.pins.values()}
        bus = {"i2c-data", "i2c-clock"}
        return [pin for pin in every.values() if pin.address is None and not bus & set(pin.abilities)]

    @property
    def analogue(self) -> set[str]:
        """Names of the board's own pins whose codes are read."""
        return {
            pin.name
            for use in self.uses
            if isinstance(use.reading, Counts | Swing)
            or (isinstance(use.reading, Steps) and use.reading.analogue)
            for pin in use.pins.values()
            if pin.address is None
        }

    @property
    def bus_pins(self) -> tuple[str, str]:
        """What the program calls the bus's data and clock pins."""
        data, clock = (
            next(pin for pin in self.rig.board.pins if ability in pin.abilities)
            for ability in ("i2c-data", "i2c-clock")
        )
        return data.code or data.name, clock.code or clock.name

    @property
    def bits(self) -> int:
        """Of the board's converter."""
        return self.rig.board.adc_bits or 12


def plan_of(rig: Rig) -> ProgramPlan:
    """Work out what a rig's program must do. Raises BadInput naming a pin that is not wired."""
    label_of = labels(rig)
    uses = []
    for item in rig.sensors:
        what = kind(item.kind)
        pins = {w.pin: _pin(rig, w) for w in rig.wires_of(item.id) if not pin_of(rig, w).power}
        mine = {channel: label for (sensor, channel), label in label_of.items() if sensor == item.id}
        address, converter = part_of(item).address, converter_of(rig, item.id)
        codes = 2 ** converter[0] if converter else 1024
        for reading in what.reads(Chosen(what.options, item.options)):
            uses.append(Use(identifier(item.id), reading, pins, mine, address, codes))
    held = [
        _pin(rig, w)
        for w in rig.wires
        if isinstance(rig.part(w.sensor), Output) and pin_of(rig, w).role in (Role.INPUT, Role.LAMP)
    ]
    full = sum(_characters_a_second(use) for use in uses) / (LINE_SHARE * BAUD / BITS_A_CHARACTER)
    stretch = max(1, math.ceil(full))
    return ProgramPlan(rig, tuple(replace(use, stretch=stretch) for use in uses), tuple(held))


BITS_A_CHARACTER = 10  # start, eight, stop
LINE_SHARE = 0.8  # of the line that regular readings may fill; the rest is for pulses


def _characters_a_second(use: Use) -> float:
    """What a use prints in a second: t_us:4294967295, then a label and a number for each channel."""
    reading = use.reading
    if isinstance(reading, Counts):
        names, every_ms = [use.labels[channel] for channel, _ in reading.pairs], reading.every_ms
    elif isinstance(reading, Registers):
        names, every_ms = [use.labels[field.channel] for field in reading.fields], reading.every_ms
    else:
        return 0.0
    return 1000.0 / every_ms * (17 + sum(len(name) + 8 for name in names))


def _pin(rig: Rig, wire: Wire) -> PinUse:
    place, added = pin_named(rig, wire.to), added_inputs(rig)
    if place is None:
        raise BadInput(
            f"The {wire.pin} of {rig.part(wire.sensor).name} is on no pin: wire it first.", "wires"
        )
    name = identifier(f"{wire.sensor} {wire.pin}").upper()
    slow = pin_of(rig, wire).source_ohm > SLOW_SOURCE_OHM
    if place.name in added:
        adc = added[place.name]
        channel = part_of(adc).gives.index(place.name.removeprefix(f"{adc.name} "))
        return PinUse(name, place.name, place.name, place.abilities, slow, part_of(adc).address, channel)
    return PinUse(name, place.code or place.name, place.name, place.abilities, slow)


def identifier(text: str) -> str:
    """Words as a name in code: front_ranger."""
    name = re.sub(r"\W+", "_", text, flags=re.ASCII).strip("_").lower()
    return name if name and not name[0].isdigit() else f"part_{name}"


def opening(plan: ProgramPlan, mark: int) -> list[str]:
    """The lines of the comment that every program begins with; its mark takes so many characters."""
    rig = plan.rig
    sentences = [
        f"Watch program of {rig.title}: it streams raw readings, one line each, at {BAUD} baud.",
        "A line is label:value pairs; t_us is this board's own clock in µs, which wraps at 32 bits. A "
        "missing reading is left out; an echo of 0 means that none came.",
        f"For the {rig.board.title}. Hold the pin numbers below against the print on your board.",
        "Bus registers are those that such parts usually have: hold them against the part's own sheet.",
        "Wheels off the ground for the first run. Outputs are held off.",
    ]
    if not plan.on_bus:
        del sentences[3]
    return [line for text in sentences for line in textwrap.wrap(one_line(text), 86 - mark)]
