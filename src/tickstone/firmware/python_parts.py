"""What both Python writers say alike: codes read on time, the swing of a window, registers of the bus."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from tickstone.core.rigs.reading import Counts, Registers, Swing
from tickstone.firmware.watch import PinUse, Use


@dataclass
class Pieces:
    """The parts of a program as they gather: modules, what is declared, and what is done in each turn of the loop."""

    modules: set[str] = field(default_factory=set)
    declared: list[str] = field(default_factory=list)
    loop: list[str] = field(default_factory=list)


BUS = """
def write_register(address, at, value):
    try:
        {write}
    except OSError:
        pass  # not there just now: its readings are left out


def read_registers(address, start, count):
    try:
        return {read}
    except OSError:
        return None


def number(read, offset, signed):
    value = read[offset] << 8 | read[offset + 1]
    return value - 65536 if signed and value > 32767 else value
"""

CONVERTER = '''
def converter_counts(address, channel):
    """A single conversion of one input against ground, 4.096 V full scale, about 1.2 ms."""
    config = 0x83E3 | (4 + channel) << 12
    try:
        {write}
    except OSError:
        return 0
    {pause}
    read = read_registers(address, 0, 2)
    return max(number(read, 0, True), 0) if read else 0
'''

CodeOf = Callable[[PinUse], str]  # the expression that reads a pin's code


def counts(use: Use, reading: Counts, pieces: Pieces, code_of: CodeOf) -> None:
    """Codes of analogue pins, every so many ms."""
    pairs = ", ".join(f'("{use.labels[c]}", {code_of(use.pins[p])})' for c, p in reading.pairs)
    pieces.declared.append(f"{use.name}_due = Due({use.every_ms(reading.every_ms)})")
    pieces.declared.append(f"def watch_{use.name}():\n    if {use.name}_due():\n        tell(now_us(), [{pairs}])")
    pieces.loop.append(f"watch_{use.name}()")


def swing(use: Use, reading: Swing, pieces: Pieces, code_of: CodeOf) -> None:
    """Highest minus lowest code over a window."""
    pieces.declared.append(f"{use.name}_span = [65535, 0]\n{use.name}_due = Due({reading.window_ms})")
    pieces.declared.append(
        f"def watch_{use.name}():\n    read = {code_of(use.pins[reading.pin])}\n    span = {use.name}_span\n"
        f"    span[0], span[1] = min(span[0], read), max(span[1], read)\n    if {use.name}_due():\n"
        f"        tell(now_us(), [(\"{use.labels[reading.channel]}\", span[1] - span[0])])\n        span[0], span[1] = 65535, 0"
    )  # fmt: skip
    pieces.loop.append(f"watch_{use.name}()")


def registers(use: Use, reading: Registers, pieces: Pieces, wake: list[str]) -> None:
    """A part on the bus; ``wake`` are the lines that let it out of shutdown, when it is held there."""
    first = list(wake)
    if wake and reading.readdress and use.address != reading.readdress[1]:
        register, wakes_at = reading.readdress
        first.append(f"write_register(0x{wakes_at:02X}, 0x{register:02X}, 0x{use.address:02X})")
    writes = [*reading.setup, *([reading.start] if reading.start else [])]
    first += [f"write_register(0x{use.address:02X}, 0x{at:02X}, 0x{value:02X})" for at, value in writes]
    pieces.declared.append("\n".join([*first, f"{use.name}_due = Due({use.every_ms(reading.every_ms)})"]))
    told = [f'("{use.labels[f.channel]}", number(read, {f.offset}, {f.signed}))' for f in reading.fields]
    body = [
        f"def watch_{use.name}():", f"    if not {use.name}_due():", "        return",
        f"    read = read_registers(0x{use.address:02X}, 0x{reading.read_from:02X}, {reading.length})", "    if read:",
    ]  # fmt: skip
    if len(told) == 1:
        body.append(f"        tell(now_us(), [{told[0]}])")
    else:
        body += [
            "        pairs = [",
            *(f"            {one}," for one in told),
            "        ]",
            "        tell(now_us(), pairs)",
        ]
    if reading.start:
        body.append(f"    write_register(0x{use.address:02X}, 0x{reading.start[0]:02X}, 0x{reading.start[1]:02X})")
    pieces.declared.append("\n".join(body))
    pieces.loop.append(f"watch_{use.name}()")
