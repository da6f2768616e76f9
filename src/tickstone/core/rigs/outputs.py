"""The catalogue of what is fitted beside the sensors: lamps, sounder, servo, motor driver, and a converter on
the bus."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache

from tickstone.core.rigs.part import Chosen, Component, Draw, Lamp, OptionSpec, Part, PinSpec, Role, question
from tickstone.core.rigs.rig import FittedPart, Options, Rig
from tickstone.errors import BadInput

GROUND_PIN = PinSpec("ground", Role.GROUND, "black")

# Forward voltage, V, and a current that is bright enough, mA (common practice).
LAMPS = {
    "red": (1.9, 8.0),
    "yellow": (2.0, 8.0),
    "green": (2.2, 8.0),
    "white": (3.0, 8.0),
    "infrared": (1.2, 15.0),
}


@dataclass(frozen=True)
class OutputKind:
    """A kind of output: ``part`` gives its electrical side with its options chosen."""

    id: str
    title: str
    part: Callable[[Chosen], Part]
    options: tuple[OptionSpec, ...] = ()
    cautions: tuple[str, ...] = ()
    clues: tuple[str, ...] = ()

    def part_of(self, options: Options) -> Part:
        """Its pins and what it draws."""
        return _part(self.id, tuple(sorted(options.items())))


@lru_cache(maxsize=1024)  # checks ask for the same few parts thousands of times
def _part(kind_id: str, options: tuple[tuple[str, str | float], ...]) -> Part:
    what = OUTPUTS[kind_id]
    return what.part(Chosen(what.options, dict(options)))


def _lamp(name: str, colour: str, wire: str) -> PinSpec:
    forward_v, ma = LAMPS[colour]
    return PinSpec(name, Role.LAMP, wire, ("digital",), lamp=Lamp(forward_v, ma))


COLOUR = question(
    "colour",
    "colour",
    *((name, name) for name in LAMPS),
    clue="A diode test of a multimeter lights it dimly and shows its forward voltage.",
)


def _led(chosen: Chosen) -> Part:
    colour = str(chosen["colour"])
    wires = {"green": "green", "yellow": "yellow", "white": "white"}
    return Part((_lamp("anode", colour, wires.get(colour, "orange")), replace(GROUND_PIN, name="cathode")))


def _led_bar(chosen: Chosen) -> Part:
    steps = range(1, int(chosen.number("steps")) + 1)
    return Part((*(_lamp(f"step {n}", str(chosen["colour"]), "white") for n in steps), GROUND_PIN))


def _buzzer(chosen: Chosen) -> Part:
    toned = chosen.says("drive", "tone")
    wire = PinSpec("plus", Role.INPUT, "blue", ("digital",), service="tone" if toned else "", ma=15.0)
    return Part((wire, replace(GROUND_PIN, name="minus")))


def _servo(chosen: Chosen) -> Part:
    peak = {"micro": 700.0, "standard": 1500.0}[str(chosen["size"])]
    return Part(
        (
            PinSpec("supply", Role.SUPPLY, "red", draw=Draw(4.8, 6.0, peak, own=True)),
            GROUND_PIN,
            PinSpec("signal", Role.INPUT, "yellow", ("pwm", "digital"), high_needs_v=2.5, service="servo"),
        )
    )


def _motor_driver(chosen: Chosen) -> Part:
    each = ("left", "right") if chosen.says("motors", "2") else ("motor",)
    high_v = chosen.number("highest_v")
    pins = [
        PinSpec("supply", Role.SUPPLY, "red", draw=Draw(2.7, 5.5, 5.0)),
        GROUND_PIN,
        PinSpec(
            "motor supply",
            Role.SUPPLY,
            "red",
            draw=Draw(
                2.5,
                high_v,
                chosen.number("stall_ma"),
                own=True,
                usual_v=min(7.4, high_v),
                full_v=min(8.4, high_v),
            ),
        ),
    ]
    for name in each:
        pins.append(PinSpec(f"{name} speed", Role.INPUT, "white", ("pwm",), high_needs_v=2.0))
        pins.append(PinSpec(f"{name} direction", Role.INPUT, "blue", ("digital",), high_needs_v=2.0))
    quiet = Component(len(each), "ceramic capacitor across a motor", farads=100e-9)
    return Part(
        tuple(pins), pieces=(quiet, Component(1, "bulk capacitor at the motor supply", farads=470e-6))
    )


CONVERTER_STEPS = 15  # 16 bits signed, of which one side is used
CONVERTER_SPAN_V = 4.096


def _converter(chosen: Chosen) -> Part:
    return Part(
        (
            PinSpec("supply", Role.SUPPLY, "red", draw=Draw(2.0, 5.5, 0.3)),
            GROUND_PIN,
            PinSpec("data", Role.OPEN, "blue", ("i2c-data",), own_pull_up_ohm=10_000.0),
            PinSpec("clock", Role.OPEN, "yellow", ("i2c-clock",), own_pull_up_ohm=10_000.0),
        ),
        address=int(chosen.number("address")),
        gives=("1", "2", "3", "4"),
        converter=(CONVERTER_STEPS, CONVERTER_SPAN_V),
    )


def address(usual: int) -> OptionSpec:
    """The question for a bus address, 7 bits."""
    return OptionSpec(
        "address",
        "bus address",
        usual,
        low=8,
        high=119,
        whole=True,
        clue="An address pin or a solder bridge on the part changes it; its sheet says how.",
    )


OUTPUTS = {
    kind.id: kind
    for kind in (
        OutputKind(
            "led", "indicator LED", _led, (COLOUR,), clues=("Flat side and short leg: cathode, to ground.",)
        ),
        OutputKind(
            "led-bar",
            "LED bar",
            _led_bar,
            (
                OptionSpec("steps", "steps", 8, low=2, high=10, whole=True),
                replace(COLOUR, usual="green"),
                question(
                    "lights",
                    "lights more",
                    ("nearer", "the nearer something is"),
                    ("farther", "the farther it is"),
                ),
            ),
            clues=("The bevelled corner or the print marks step 1: confirm it with a meter's diode test.",),
        ),
        OutputKind(
            "buzzer",
            "buzzer",
            _buzzer,
            (
                question(
                    "drive",
                    "sounds by itself",
                    ("level", "yes, on a level"),
                    ("tone", "no, it needs a tone"),
                    clue="Touch it to 3 V for a moment: one that sounds by itself beeps, the other clicks.",
                ),
            ),
            clues=("The long leg or the + on its label is plus.",),
        ),
        OutputKind(
            "servo",
            "hobby servo",
            _servo,
            (question("size", "size", ("micro", "micro, 9 g"), ("standard", "standard")),),
            ("A servo moves without warning at power on: keep fingers out of its linkage.",),
            ("The middle wire of its plug is supply, the darkest is ground.",),
        ),
        OutputKind(
            "motor-driver",
            "motor driver",
            _motor_driver,
            (
                question("motors", "motors", ("2", "two"), ("1", "one")),
                OptionSpec("highest_v", "most it bears", 11.0, unit="V", low=3, high=60),
                OptionSpec("stall_ma", "motors draw at most", 1500.0, unit="mA", low=50, high=100_000),
            ),
            (
                "Wheels off the ground for the first run; keep fingers, hair and sleeves "
                "away from what spins.",
            ),
            ("The terminals for the motors and those for their supply look alike: read the print twice.",),
        ),
        OutputKind(
            "i2c-adc",
            "4-channel converter on the I2C bus",
            _converter,
            (address(0x48),),
            clues=("Pin 1 has the square pad or the printed dot.",),
        ),
    )
}


def output(kind_id: str) -> OutputKind:
    """The output kind of that id. Raises BadInput for field ``kind``."""
    if kind_id not in OUTPUTS:
        raise BadInput(f"kind of an output must be one of {', '.join(OUTPUTS)}, not {kind_id!r}.", "kind")
    return OUTPUTS[kind_id]


def added_inputs(rig: Rig) -> dict[str, FittedPart]:
    """The analogue inputs that converters on the bus add to the board's own, by name, with the converter they
    are on."""
    return {
        f"{item.name} {name}": item
        for item in rig.outputs
        if item.kind in OUTPUTS
        for name in output(item.kind).part_of(item.options).gives
    }


def converter_of(rig: Rig, part_id: str) -> tuple[int, float] | None:
    """Bits and full scale, V, of the converter that reads a part's analogue pins, or None when nothing
    does."""
    added = added_inputs(rig)
    for wire in rig.wires_of(part_id):
        if wire.to in added:
            part = added[wire.to]
            return output(part.kind).part_of(part.options).converter
    board = rig.board
    if board.adc_bits is None or board.adc_reference_v is None:
        return None
    return board.adc_bits, board.adc_reference_v
