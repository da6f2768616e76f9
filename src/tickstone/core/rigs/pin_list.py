"""A list of pins as it stands on a sheet or in a note, read into pins."""

from __future__ import annotations

import re

from tickstone.core.rigs.rig import ABILITIES, Pin
from tickstone.errors import BadInput

MOST_LINES = 200
WORDS = {
    **{ability: ability for ability in ABILITIES},
    **dict.fromkeys(("gpio", "io", "i/o"), "digital"),
    **dict.fromkeys(("analog", "adc", "ain"), "analogue"),
    **dict.fromkeys(("int", "irq", "exti"), "interrupt"),
    **dict.fromkeys(("icp", "ic"), "capture"),
    **dict.fromkeys(("sda", "data"), "i2c-data"),
    **dict.fromkeys(("scl", "clock"), "i2c-clock"),
}
ONLY = "only"  # as in "A6 analogue only": a pin that can do nothing else
_PARTS = re.compile(r"[\t,;|]+|\s+")
_PRINT = re.compile(r"^(?P<name>[^=]+?)\s*(?:=\s*(?P<code>[^\s,;|]+))?$")
_TIMER = re.compile(r"\b(?:timer|t)\s*(\d+)\b", re.IGNORECASE)
_USUAL = (  # what a print says by itself, common practice
    (re.compile(r"^SDA", re.IGNORECASE), "i2c-data"),
    (re.compile(r"^SCL", re.IGNORECASE), "i2c-clock"),
    (re.compile(r"^(A|ADC)\d+$", re.IGNORECASE), "analogue"),
)


def pins_of(text: str) -> tuple[Pin, ...]:
    """Pins, a line each: the print, perhaps ``=`` and what a program calls it, what it can do, its timer.

    Every pin is digital, too, unless its line says "only". Raises BadInput for ``text``, with the line.

    >>> pins_of("D2 interrupt\\nD9=9, pwm, timer 1\\nA6 analogue only")[1]
    Pin(name='D9', abilities=('digital', 'pwm'), code='9', timer='timer 1')
    """
    lines = [(number, line.strip()) for number, line in enumerate(text.splitlines(), 1)]
    lines = [(number, line) for number, line in lines if line and not line.startswith("#")]
    if not lines:
        raise BadInput("There is no pin in it: a line each, such as D2 interrupt.", "text")
    if len(lines) > MOST_LINES:
        raise BadInput(f"These are {len(lines)} lines; a board has at most {MOST_LINES} pins.", "text")
    pins: dict[str, Pin] = {}
    for number, line in lines:
        pin = _pin(line, number)
        if pin.name in pins:
            raise BadInput(f"Line {number}: {pin.name} is there already.", "text")
        pins[pin.name] = pin
    return tuple(pins.values())


def _pin(line: str, number: int) -> Pin:
    timer = _TIMER.search(line, re.search(r"[\s,;|]|$", line).start())  # type: ignore[union-attr]
    timers = f"timer {timer[1]}" if timer else ""
    rest = line if timer is None else line[: timer.start()] + line[timer.end() :]
    rest = re.sub(r"\s*=\s*", "=", rest)
    printed, *words = [word for word in _PARTS.split(rest) if word]
    match = _PRINT.match(printed)
    if match is None:
        raise BadInput(f"Line {number}: {printed!r} is no print of a pin.", "text")
    name, code = match["name"], match["code"] or ""
    can = set()
    for word in words:
        ability = WORDS.get(word.lower())
        if ability is None and word.lower() != ONLY:
            raise BadInput(
                f"Line {number}: “{word}” is nothing that a pin can do; there is {', '.join(ABILITIES)}.",
                "text",
            )
        can |= {ability} if ability else set()
    can |= {ability for print_, ability in _USUAL if print_.match(name)}
    if ONLY not in (word.lower() for word in words):
        can.add("digital")
    return Pin(name, tuple(ability for ability in ABILITIES if ability in can), code, timers)
