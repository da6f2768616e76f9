"""What a person can set at the simulated bench: numbers, choices, and faults to switch on by name."""

from __future__ import annotations

from dataclasses import dataclass

from tickstone.core.checks import check_between

BOARD, ROOM = "board", "room"

FAULTS = {
    "zeros": "Zeros: a third of the readings",
    "spikes": "Spikes: now and then something else",
    "stuck": "Stuck: the reading stays as it is",
    "swapped": "Swapped: left and right changed over",
    "inverted": "Inverted: the other way up",
    "chatter": "Chatter: no pull-up, edges bounce",
    "doubled": "Doubled: each mark is seen twice",
    "missed": "Missed: a fifth of the pulses is lost",
    "clipping": "Clipping: pinned at an end",
    "flicker": "Flicker: mains light in the reading",
    "scale": "Wrong scale: half of what it should be",
    "drift": "Drift: it creeps away",
    "jitter": "Jitter: lines come irregularly",
    "garbled": "Garbled lines",
    "baud": "Wrong baud: read at another speed",
    "unplug": "Unplugged",
    "reset": "Reset: the board starts again",
}
BOARD_FAULTS = ("jitter", "garbled", "baud", "unplug", "reset")


@dataclass(frozen=True)
class Hand:
    """One thing that can be set: its span and step, or what its values 0, 1, … are called. A ``fault`` is 0
    or 1."""

    name: str
    label: str
    usual: float
    low: float
    high: float
    step: float = 1.0
    unit: str = ""
    choices: tuple[str, ...] = ()
    fault: bool = False

    def check(self, value: float, path: str) -> float:
        """The same number, or BadInput naming ``path``."""
        return check_between(value, self.low, self.high, path)


def choice(name: str, label: str, *said: str, usual: int = 0) -> Hand:
    """A hand that picks one of several."""
    return Hand(name, label, float(usual), 0.0, len(said) - 1.0, choices=said)


def fault(name: str) -> Hand:
    """The switch of a fault."""
    return Hand(f"fault.{name}", FAULTS[name], 0.0, 0.0, 1.0, fault=True)


ROOM_HANDS = (
    Hand("temperature_c", "Air", 23.5, -20.0, 60.0, 0.5, "°C"),
    Hand("lamp", "Lamp", 0.3, 0.0, 1.0, 0.05),
    choice("mains", "Mains", "50 Hz", "60 Hz"),
    Hand("motors", "Motors", 0.0, 0.0, 1.0, 0.05),
)
BOARD_HANDS = tuple(fault(name) for name in BOARD_FAULTS)
