"""The wiring schedule and the parts list of a rig: what to cut, what to put where, what to have at hand."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from dataclasses import dataclass

from tickstone.core import electrical, resistors
from tickstone.core.rigs.catalogue import known, part_of, pin_of
from tickstone.core.rigs.part import Role
from tickstone.core.rigs.rig import Rig, Wire
from tickstone.core.wiring.findings import plain_farads, plain_ohms
from tickstone.core.wiring.geometry import END_MM, UNPLACED_MM, wire_length_mm
from tickstone.core.wiring.places import grounds, neighbour, pin_named
from tickstone.errors import BadInput


@dataclass(frozen=True)
class ScheduleLine:
    """One wire: from a part's pin (``sensor``, ``pin``) to a place, its colour, the length to cut it to (mm),
    and what is in it. ``code`` is what the program calls the pin."""

    sensor: str
    pin: str
    start: str
    end: str
    code: str
    colour: str
    length_mm: float
    part: str

    @property
    def id(self) -> str:
        """By what it says: a wire that goes elsewhere is another one, with a tick of its own."""
        said = f"wire|{self.start}|{self.end}|{self.colour}|{self.part}"
        return hashlib.sha256(said.encode()).hexdigest()[:12]


@dataclass(frozen=True)
class PartLine:
    """One line of the parts list: how many, what, its value, its colour bands, and a note."""

    count: int
    title: str
    value: str = ""
    bands: tuple[str, ...] = ()
    note: str = ""


def schedule(rig: Rig) -> tuple[ScheduleLine, ...]:
    """Every wire of a rig, part by part, then the supplies' own."""
    lines = [_line(rig, wire) for wire in rig.wires]
    ground = next(iter(sorted(grounds(rig))))
    for supply in rig.supplies:
        if rig.board_from == supply.name:
            lines.append(
                ScheduleLine(
                    "",
                    supply.name,
                    f"{supply.name} plus",
                    "the board's supply input",
                    "",
                    "red",
                    UNPLACED_MM,
                    "",
                )
            )
        if supply.grounded:
            lines.append(
                ScheduleLine("", supply.name, f"{supply.name} minus", ground, "", "black", UNPLACED_MM, "")
            )
    return tuple(lines)


def _line(rig: Rig, wire: Wire) -> ScheduleLine:
    pin, other = pin_named(rig, wire.to), neighbour(rig, wire.to)
    end = f"{rig.part(other.sensor).name} {other.pin}" if other else wire.to or "nowhere yet"
    return ScheduleLine(
        wire.sensor,
        wire.pin,
        f"{rig.part(wire.sensor).name} {wire.pin}",
        end,
        pin.code if pin else "",
        wire.colour,
        wire_length_mm(rig, wire),
        part_in_wire(wire),
    )


def part_in_wire(wire: Wire) -> str:
    """What sits in a wire, in words with values and colour bands; empty for a plain wire."""
    names = []
    if wire.divider is not None:
        divider = wire.divider
        names.append(
            f"{_banded(divider.top_ohm, divider.top_bands)} in line, "
            f"{_banded(divider.bottom_ohm, divider.bottom_bands)} from the pin to ground"
        )
    if wire.series is not None:
        names.append(f"{_banded(wire.series.ohms, wire.series.bands)} in line")
    if wire.pull_up is not None:
        names.append(f"{_banded(wire.pull_up.ohms, wire.pull_up.bands)} up to {wire.pull_up.rail}")
    return "; ".join(names)


def _bands(ohms: float, bands: tuple[str, ...] = ()) -> tuple[str, ...]:
    """Colour bands, worked out where the rig's record does not carry them; none for a value that has none."""
    try:
        return bands or resistors.colour_bands(ohms)
    except BadInput:
        return ()


def _banded(ohms: float, bands: tuple[str, ...]) -> str:
    colours = _bands(ohms, bands)
    return f"{plain_ohms(ohms)} ({' '.join(colours)})" if colours else plain_ohms(ohms)


def parts_list(rig: Rig) -> tuple[PartLine, ...]:
    """Everything to have at hand: board, parts, resistors by value, capacitors, wire by colour."""
    lines = [PartLine(1, rig.board.title)]
    lines += [PartLine(1, fitted.name, known(fitted).title) for fitted in rig.fitted]
    lines += [
        PartLine(1, supply.name, f"{supply.volts:g}\u2009V, {supply.ma:g}\u2009mA") for supply in rig.supplies
    ]
    counts: dict[float, int] = defaultdict(int)
    notes: dict[float, str] = {}
    for wire in rig.wires:
        for ohms in _ohms_in(wire):
            counts[ohms] += 1
        if wire.series is not None and (lamp := pin_of(rig, wire).lamp) is not None:
            resistor = electrical.led_resistor(
                rig.board.logic_v, lamp.forward_v, lamp.ma, resistor_ohm=wire.series.ohms
            )
            size = f"{resistor.rating_w:g}\u2009W" if resistor.rating_w else "over 1\u2009W"
            notes[wire.series.ohms] = (
                f"{resistor.actual_ma:.1f}\u2009mA through a lamp, {resistor.power_mw:.0f}\u2009mW: {size}"
            )
    for part in rig.fitted:
        for piece in part_of(part).pieces:
            if piece.ohms is not None:
                counts[piece.ohms] += piece.count
            else:
                value = "" if piece.farads is None else plain_farads(piece.farads)
                lines.append(PartLine(piece.count, piece.title, value, note=part.name))
    for ohms in sorted(counts):
        nearest, _, _ = resistors.nearest_values(ohms)
        note = notes.get(ohms, "")
        if abs(nearest - ohms) > 1e-6 * ohms:
            note = f"not an E24 value: nearest {plain_ohms(nearest)}"
        lines.append(PartLine(counts[ohms], "resistor, ±5 %", plain_ohms(ohms), _bands(ohms), note))
    lengths: dict[str, float] = defaultdict(float)
    wires: dict[str, int] = defaultdict(int)
    for line in schedule(rig):
        lengths[line.colour] += line.length_mm
        wires[line.colour] += 1
    lines += [
        PartLine(
            wires[colour], f"{colour} wire", f"{lengths[colour] / 1000:.2f}\u2009m in all", note=WIRE_NOTE
        )
        for colour in lengths
    ]
    return tuple(lines)


WIRE_NOTE = f"0.6 mm solid for a breadboard; {END_MM:g} mm for both ends is in the length"


def _ohms_in(wire: Wire) -> list[float]:
    results = [wire.divider.top_ohm, wire.divider.bottom_ohm] if wire.divider else []
    results += [wire.series.ohms] if wire.series else []
    return results + ([wire.pull_up.ohms] if wire.pull_up else [])


def signal_wires(rig: Rig) -> list[Wire]:
    """The wires that carry signals, not power."""
    return [wire for wire in rig.wires if pin_of(rig, wire).role not in (Role.SUPPLY, Role.GROUND)]
