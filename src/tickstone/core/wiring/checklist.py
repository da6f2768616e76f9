"""The build and before-power checklist of a rig: know the parts, solder, check without power, first power,
second eyes.

Everything in it comes from this rig's own parts and wires, with the voltage to expect at each named point.
Cautions and clues are common practice.
"""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Iterator
from dataclasses import dataclass

from tickstone.core import electrical
from tickstone.core.rigs.catalogue import known, part_of, pin_of
from tickstone.core.rigs.part import Role
from tickstone.core.rigs.rig import Rig, Wire
from tickstone.core.wiring.assign import signal_name
from tickstone.core.wiring.levels import source_v
from tickstone.core.wiring.places import end_of, power_pins, supply_of, volts_at
from tickstone.core.wiring.schedule import part_in_wire, signal_wires

RAIL_OFF = 0.05  # share by which a rail may be off
PLUG_OHM = 1.0  # a good joint reads less


@dataclass(frozen=True)
class ChecklistStep:
    """One thing to tick: ``id`` stays while the step says the same, so that a tick never outlives what it was
    for. ``expect`` is the reading to expect, ``caution`` what can hurt there; ``second`` marks the other
    person's step."""

    id: str
    section: str
    text: str
    expect: str = ""
    caution: str = ""
    second: bool = False


SECTIONS = ("Know the parts", "Solder", "Before power", "First power", "A second pair of eyes")


def checklist(rig: Rig) -> tuple[ChecklistStep, ...]:
    """All steps of a rig, in working order."""
    steps = []
    for section, make in zip(SECTIONS, (_parts, _solder, _cold, _power, _second), strict=True):
        for text, expect, caution in make(rig):
            mark = hashlib.sha256(f"{section}|{text}|{expect}".encode()).hexdigest()[:12]
            steps.append(ChecklistStep(mark, section, text, expect, caution, second=make is _second))
    return tuple({step.id: step for step in steps}.values())


Line = tuple[str, str, str]


def _parts(rig: Rig) -> Iterator[Line]:
    yield (
        f"The board on the bench is a {rig.board.title}; its printed pin numbers agree with the schedule.",
        "",
        "",
    )
    earlier: set[str] = set()
    for fitted in rig.fitted:
        what = known(fitted)
        cautions = " ".join(c for c in what.cautions if c not in earlier)
        earlier |= set(what.cautions)
        clues = what.clues or ("The print names its legs.",)
        yield f"{fitted.name} ({what.title}): {clues[0]}", "", cautions
        for clue in clues[1:]:
            if clue not in earlier:
                yield f"{fitted.name}: {clue}", "", ""
            earlier.add(clue)
    for wire in rig.wires:
        part = part_in_wire(wire)
        if part:
            yield f"Resistors for {signal_name(rig, wire)} picked out and measured: {part}.", "", ""
    if rig.supplies:
        names = ", ".join(f"{supply.name} {supply.volts:g}\u2009V" for supply in rig.supplies)
        yield (
            f"Polarity of every supply measured at its plug: {names}.",
            "no minus sign on the meter",
            "Lithium cells: never short them, never puncture them, charge them watched and "
            "as their maker says.",
        )


def _solder(rig: Rig) -> Iterator[Line]:
    yield (
        "Iron hot, tip clean and tinned, no-clean electronics solder, wet sponge, window open.",
        "",
        "A hot iron burns and its fumes do not belong in your lungs. Board dust contains glass fibre: do "
        "not breathe it, wipe it up wet.",
    )
    small = [w for w in rig.wires if part_in_wire(w)]
    if small or any(part_of(part).pieces for part in rig.fitted):
        yield (
            "Lowest parts first: resistors lie flat. Solder one leg, check it sits flat, then the other. "
            "Reheat a joint before you move a part: pushing on a cold joint tears the pad.",
            "",
            "",
        )
    lamps = [w for w in rig.wires if pin_of(rig, w).lamp is not None]
    if lamps:
        yield (
            "Lamps next: flat side and short leg are the cathode, to ground. Trust the "
            "print and a meter's diode test.",
            "",
            "",
        )
    yield (
        "Headers: the two outer pins first, look along the edge, then the rest. The square pad is pin 1.",
        "",
        "",
    )
    colours = sorted({w.colour for w in rig.wires})
    yield (
        f"Wires cut to the schedule's lengths ({', '.join(colours)}), stripped without a nick: a nicked "
        "wire breaks off in the hole.",
        "",
        "",
    )
    for sensor in rig.sensors:
        if len([p for p in part_of(sensor).pins if p.analogue]) > 1 and part_of(sensor).load is not None:
            yield (
                f"L and R marked on {sensor.name}; its screws snug and no more: plastic threads strip.",
                "",
                "",
            )


def _cold(rig: Rig) -> Iterator[Line]:
    yield "Board unplugged, battery out. Meter on continuity.", "", ""
    rails = [r for r in rig.board.rails if r.volts > 0]
    for rail in rails:
        yield f"Between {rail.name} and ground: no short.", "no beep, more than 100 Ω", ""
    for supply in rig.supplies:
        yield f"Between the plus and minus of {supply.name}'s plug: no short.", "no beep, more than 100 Ω", ""
    for first, second in itertools.pairwise(rails):
        yield f"Between {first.name} and {second.name}: no short.", "no beep", ""
    for wire, _ in power_pins(rig, Role.GROUND):
        yield f"{signal_name(rig, wire)} to the board's ground.", f"beeps, under {PLUG_OHM:g} Ω", ""
    for wire, _ in power_pins(rig, Role.SUPPLY):
        yield (
            f"{signal_name(rig, wire)} to {end_of(rig, wire) or 'its supply'}.",
            f"beeps, under {PLUG_OHM:g} Ω",
            "",
        )
    for wire in signal_wires(rig):
        yield f"{signal_name(rig, wire)} to {wire.to or 'nowhere yet'}.", _ohms_to_expect(wire), ""


def _ohms_to_expect(wire: Wire) -> str:
    in_line = wire.divider.top_ohm if wire.divider else wire.series.ohms if wire.series else 0.0
    if not in_line:
        return f"beeps, under {PLUG_OHM:g} Ω"
    return f"{in_line * 0.95:.0f} to {in_line * 1.05:.0f} Ω"


def _power(rig: Rig) -> Iterator[Line]:
    source = (
        rig.board_from if rig.board_from != "USB" else "USB from a charger or a hub, not the laptop itself"
    )
    yield (
        "First without the parts: unplug what can be unplugged, power the board alone.",
        "nothing warm, nothing smells",
        f"Power from {source}. Off at once when something warms.",
    )
    for rail in rig.board.rails:
        if rail.volts > 0:
            yield f"{rail.name} rail to ground.", _span(rail.volts), ""
    for supply in rig.supplies:
        yield f"{supply.name} to ground.", f"{supply.volts * 0.85:.1f} to {supply.most_v:.1f}\u2009V", ""
    yield (
        "Off. Parts back in, one after the other; after each, power on and measure at the part itself.",
        "",
        "",
    )
    for wire, _ in power_pins(rig, Role.SUPPLY):
        volts = volts_at(rig, end_of(rig, wire))
        if volts is not None:
            expect = (
                _span(volts[0]) if volts[0] == volts[1] else f"{volts[0] * 0.85:.1f} to {volts[1]:.1f}\u2009V"
            )
            yield f"{signal_name(rig, wire)} to ground.", expect, ""
    for wire in signal_wires(rig):
        yield from _at_signal(rig, wire)
    spinning = [part.name for part in rig.fitted if any("motor" in p.name for p in part_of(part).pins)]
    if spinning:
        yield (
            f"Wheels off the ground, {' and '.join(spinning)} at the lowest speed, both ways.",
            "turns, nothing warm",
            "Keep fingers, hair and sleeves away from what spins. On roads and paths local rules apply: "
            "ask who knows them before the first drive.",
        )


def _span(volts: float) -> str:
    return f"{volts * (1 - RAIL_OFF):.2f} to {volts * (1 + RAIL_OFF):.2f}\u2009V"


def _at_signal(rig: Rig, wire: Wire) -> Iterator[Line]:
    """The voltage to expect at the board's end of a signal."""
    spec, name, place = pin_of(rig, wire), signal_name(rig, wire), wire.to
    if not place:
        return
    supply = supply_of(rig, wire.sensor)
    if spec.role is Role.OPEN:
        volts = volts_at(rig, wire.pull_up.rail) if wire.pull_up else None
        level = volts[0] if volts else source_v(rig, wire, spec)
        if level is not None:
            yield (
                f"{place} ({name}), nothing near the part, no program.",
                f"{0.9 * level:.1f} to {level * 1.05:.1f}\u2009V",
                "",
            )
    elif spec.role is Role.OUTPUT and spec.analogue and supply is not None:
        if spec.share < 1.0:
            low, high = supply[0] * spec.share * 0.85, supply[1] * spec.share
            yield f"{place} ({name}).", f"{low:.2f} to {high:.2f}\u2009V", ""
        else:
            most = source_v(rig, wire, spec) or 0.0
            yield f"{place} ({name}) moves when you move what it looks at.", f"0 to {most:.1f}\u2009V", ""
    elif spec.role is Role.OUTPUT and supply is not None:
        most = source_v(rig, wire, spec) or 0.0
        if wire.divider is not None:
            tap = electrical.divider(
                most, wire.divider.top_ohm, wire.divider.bottom_ohm, wire.divider.tolerance_pct
            )
            yield (
                f"{place} ({name}) with the wire's part end held at {most:g}\u2009V through 1 kΩ: the "
                "divider's level.",
                f"{tap.vout_min_v:.2f} to {tap.vout_max_v:.2f}\u2009V",
                "",
            )
        else:
            yield (
                f"{place} ({name}).",
                f"near 0 or near {most:g}\u2009V, never above {rig.board.limit_v:g}\u2009V",
                "",
            )
    elif spec.lamp is not None and wire.series is not None:
        ma = 1000.0 * max(rig.board.logic_v - spec.lamp.forward_v, 0.0) / wire.series.ohms
        yield (
            f"{name}: the {place} end of its wire to {rig.board.logic_v:g}\u2009V for a moment, it lights.",
            f"{spec.lamp.forward_v:g}\u2009V across the lamp, {ma:.0f}\u2009mA",
            "",
        )
    elif spec.service == "servo":
        yield f"{name}: linkage off, the horn free to turn.", "no twitch that does not stop", ""


def _second(rig: Rig) -> Iterator[Line]:
    wires = len(rig.wires)
    yield (
        f"Somebody else went through all {wires} wires with the schedule, from the part to the board and "
        "back, before first power: nobody sees their own mistakes.",
        "",
        "",
    )
