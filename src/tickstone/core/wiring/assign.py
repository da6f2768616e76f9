"""Pin assignment: complete, and best over all wires at once.

Signals and pins are two sides of a matching. Each signal may go to the pins that have an ability it accepts;
the Hungarian method (scipy.optimize.linear_sum_assignment) finds the cheapest complete matching, where a
second-best ability costs more than a scarce pin, and a scarce pin more than a plain one. When none is
complete, Hall's theorem names the reason: a set of signals that together accept fewer pins than they are.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy.optimize

from tickstone.core import electrical, resistors
from tickstone.core.rigs import boards
from tickstone.core.rigs.catalogue import part_of, pin_of
from tickstone.core.rigs.part import PinSpec, Role
from tickstone.core.rigs.rig import GROUND, Pin, PullUpPart, Rig, SeriesPart, Wire
from tickstone.core.wiring.places import (
    all_pins,
    is_place,
    logic_rail,
    own_supplies,
    supplies_for,
    supply_colour,
)

PULL_UP_OHM = 10_000.0  # common practice for a data line on a bench
NO_WAY = 1e9
# a pin that would not work is last
TIMER_TAKEN, SECOND_BEST, SCARCE_PIN, EACH_ABILITY, ORDER = 1e6, 1e5, 3e3, 100.0, 0.01
SCARCE = {"analogue", "i2c-data", "i2c-clock"}  # what other parts of a rig will want
NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def pull_up(rig: Rig, ohms: float = PULL_UP_OHM) -> PullUpPart:
    """A pull-up to the board's logic rail, with its colour bands."""
    return PullUpPart(ohms, logic_rail(rig.board), resistors.colour_bands(ohms))


def lamp_resistor(rig: Rig, spec: PinSpec) -> SeriesPart | None:
    """The resistor for a diode that a pin of this board drives, or None when the diode needs more volts than
    it gives."""
    lamp = spec.lamp
    if lamp is None or lamp.forward_v >= rig.board.logic_v - 0.2:
        return None
    wanted = min(lamp.ma, 0.8 * rig.board.pin_ma)
    ohms = electrical.led_resistor(rig.board.logic_v, lamp.forward_v, wanted).resistor_ohm
    return SeriesPart(ohms, resistors.colour_bands(ohms))


@dataclass(frozen=True)
class Shortage:
    """Signals that together accept too few pins: what they need, and the pins there are."""

    wires: tuple[Wire, ...]
    needs: tuple[str, ...]
    pins: tuple[str, ...]


@dataclass(frozen=True)
class Assignment:
    """The rig with its wires placed, and what could not be (empty when every wire has its place)."""

    rig: Rig
    shortages: tuple[Shortage, ...]
    reason: str


def assign(rig: Rig) -> Rig:
    """The rig with every wire placed as well as can be; a wire that nothing takes hangs free, which the
    checks name."""
    return assignment(rig).rig


def assignment(rig: Rig, explain: bool = True) -> Assignment:
    """Place every wire of a rig: supplies and grounds on rails, signals on pins that can take them.

    Fixed wires stay where they are. Parts in the wires are kept; pull-ups and lamp resistors that are missing
    are put in, and pull-ups go to the board's logic rail.
    """
    pins, free = all_pins(rig), []
    taken = {wire.to for wire in rig.wires if wire.fixed and is_place(rig, wire.to)}
    placed: dict[tuple[str, str], str] = {}
    for wire in rig.wires:
        spec = pin_of(rig, wire)
        key = (wire.sensor, wire.pin)
        if wire.fixed and wire.to in taken:
            placed[key] = wire.to
        elif spec.role is Role.GROUND:
            placed[key] = GROUND
        elif spec.role is Role.SUPPLY:
            own = spec.draw is not None and spec.draw.own
            placed[key] = next(iter(own_supplies(rig, spec) if own else supplies_for(rig, spec)), "")
        elif spec.bus:
            placed[key] = next((pin.name for pin in pins if spec.bus in pin.abilities), "")
            taken.add(placed[key])
        else:
            free.append(wire)
    open_pins = [pin for pin in pins if pin.name not in taken]
    names = _in_order(rig, free, open_pins, _match(rig, free, open_pins))
    placed |= {(wire.sensor, wire.pin): to for wire, to in zip(free, names, strict=True)}
    fresh = replace(
        rig, wires=tuple(_dressed(rig, wire, placed[wire.sensor, wire.pin]) for wire in rig.wires)
    )
    lost = [wire for wire in free if not placed[wire.sensor, wire.pin]]
    short = _shortages(rig, free, open_pins, lost) if lost else []
    busless = [w for w in rig.wires if pin_of(rig, w).bus and not placed[w.sensor, w.pin]]
    if busless:
        short.append(Shortage(tuple(busless), tuple(sorted({pin_of(rig, w).bus for w in busless})), ()))
    reason = " ".join(_sentence(rig, shortage) for shortage in short)
    if reason and explain:
        reason += _way_out(rig, short)
    return Assignment(fresh, tuple(short), reason)


def _in_order(rig: Rig, wires: Sequence[Wire], pins: Sequence[Pin], names: list[str]) -> list[str]:
    """The same pins, with the like wires of each part on them in the board's order: step 1, step 2, …"""
    places = {pin.name: position for position, pin in enumerate(pins)}
    groups: dict[tuple[object, ...], list[int]] = {}
    for index, wire in enumerate(wires):
        if names[index]:
            spec = pin_of(rig, wire)
            groups.setdefault((wire.sensor, spec.role, spec.needs, spec.service), []).append(index)
    ordered = list(names)
    for group in groups.values():
        for index, name in zip(
            group, sorted((names[position] for position in group), key=places.__getitem__), strict=True
        ):
            ordered[index] = name
    return ordered


def _timers_wanted(rig: Rig, placed: Sequence[tuple[Wire, Pin]]) -> set[str]:
    """Timers that both a capture and a pwm output would use."""
    used: dict[str, set[str]] = {}
    for wire, pin in placed:
        spec = pin_of(rig, wire)
        need = next((need for need in spec.needs if need in pin.abilities), "")
        if pin.timer and need in ("pwm", "capture") and not spec.service:
            used.setdefault(pin.timer, set()).add(need)
    return {timer for timer, needs in used.items() if len(needs) > 1}


def _match(rig: Rig, wires: Sequence[Wire], pins: Sequence[Pin]) -> list[str]:
    """The cheapest places; where a capture and a pwm output would share a timer, captures stay off it."""
    every = {pin.name: pin for pin in all_pins(rig)}
    kept = [(w, every[w.to]) for w in rig.wires if w not in wires and w.to in every]
    by_name = {pin.name: pin for pin in pins}
    shared: set[str] = set()
    while True:
        names = _cheapest(rig, wires, pins, shared)
        wanted = (
            _timers_wanted(rig, kept + [(w, by_name[n]) for w, n in zip(wires, names, strict=True) if n])
            - shared
        )
        if not wanted:
            return names
        shared |= wanted


def _cheapest(rig: Rig, wires: Sequence[Wire], pins: Sequence[Pin], shared: set[str]) -> list[str]:
    if not wires:
        return []
    services = {rig.board.timer_of(s) for w in rig.wires if (s := pin_of(rig, w).service)} - {""}
    cost = np.full((len(wires), len(pins) + len(wires)), NO_WAY)
    for row, wire in enumerate(wires):
        spec = pin_of(rig, wire)
        for column, pin in enumerate(pins):
            rank = next((r for r, need in enumerate(spec.needs) if need in pin.abilities), None)
            if rank is None:
                continue
            need = spec.needs[rank]
            timed = need in ("pwm", "capture") and not spec.service and pin.timer in services
            timed = timed or (need == "capture" and pin.timer in shared)
            scarce = bool(set(pin.abilities) & SCARCE) and not spec.analogue
            # least when wires and pins run in the same order, without crossing
            order = column * (len(wires) - row)
            cost[row, column] = (
                SECOND_BEST * rank
                + TIMER_TAKEN * timed
                + SCARCE_PIN * scarce
                + EACH_ABILITY * len(pin.abilities)
                + ORDER * order
            )
    rows, columns = scipy.optimize.linear_sum_assignment(cost)
    names = [""] * len(wires)
    for row, column in zip(rows, columns, strict=True):
        if cost[row, column] < NO_WAY:
            names[row] = pins[column].name
    return names


def _dressed(rig: Rig, wire: Wire, to: str) -> Wire:
    """A wire at its place with the parts that the place asks for."""
    spec = pin_of(rig, wire)
    colour = supply_colour(rig, to) if spec.role is Role.SUPPLY and to else wire.colour
    part = wire.pull_up
    if spec.role is Role.OPEN and spec.own_pull_up_ohm is None and not spec.bus:
        keep = part is not None and part.rail == logic_rail(rig.board)
        part = part if keep else pull_up(rig, part.ohms if part else PULL_UP_OHM)
    elif part is not None and rig.board.rail(part.rail) is None:
        part = replace(part, rail=logic_rail(rig.board))
    series = wire.series
    if spec.role is Role.LAMP and series is None:
        series = lamp_resistor(rig, spec)
    return replace(
        wire, to=to, colour=colour, pull_up=part, series=series, fixed=wire.fixed and wire.to == to
    )


def _shortages(rig: Rig, wires: Sequence[Wire], pins: Sequence[Pin], lost: Sequence[Wire]) -> list[Shortage]:
    """For each wire left over, the smallest set around it that accepts fewer pins than it has wires (Hall's
    theorem): those reached from it by alternating paths of a largest matching, and others left over that
    accept no pin beside theirs."""
    able = {
        (w.sensor, w.pin): {p.name for p in pins if set(pin_of(rig, w).needs) & set(p.abilities)}
        for w in wires
    }
    by_pin = dict(zip(_match(rig, wires, pins), wires, strict=True))
    shortages: list[Shortage] = []
    for start in lost:
        group, names, queue = [start], set[str](), [start]
        while queue:
            wire = queue.pop()
            for name in able[wire.sensor, wire.pin] - names:
                names.add(name)
                if name in by_pin and by_pin[name] not in group:
                    group.append(by_pin[name])
                    queue.append(by_pin[name])
        if any(start in shortage.wires for shortage in shortages):
            continue
        group += [w for w in lost if w not in group and able[w.sensor, w.pin] <= names]
        order = tuple(w for w in wires if w in group)
        needs = sorted({need for w in order for need in pin_of(rig, w).needs})
        shortages.append(Shortage(order, tuple(needs), tuple(p.name for p in pins if p.name in names)))
    return shortages


ABLE = {
    "digital": "a digital pin",
    "interrupt": "an interrupt pin",
    "capture": "a capture pin",
    "pwm": "a pwm pin",
    "analogue": "an analogue input",
    "i2c-data": "an I2C data pin",
    "i2c-clock": "an I2C clock pin",
}


def counted(count: int, item: str, many: str = "") -> str:
    """A number in words with its noun: three inputs."""
    word = NUMBERS[count] if count < len(NUMBERS) else str(count)
    return f"{word} {item if count == 1 else many or item + 's'}"


def signal_name(rig: Rig, wire: Wire) -> str:
    """A part's pin as people say it: front ranger echo."""
    return f"{rig.part(wire.sensor).name} {wire.pin}"


def _sentence(rig: Rig, short: Shortage) -> str:
    many = len(short.wires)
    wants = " or ".join(ABLE[need] for need in short.needs)
    names = _listed([signal_name(rig, wire) for wire in short.wires])
    have = f"has {counted(len(short.pins), 'such pin')} free" + (
        f" ({', '.join(short.pins)})" if short.pins else ""
    )
    begin = counted(many, "wire")
    need = "needs" if many == 1 else "need"
    return f"{begin[0].upper()}{begin[1:]} {need} {wants} ({names}), this board {have}."


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _way_out(rig: Rig, short: Sequence[Shortage]) -> str:
    """What would help: a part that could sit elsewhere, a converter on the bus, another board."""
    ways = []
    for shortage in short:
        fixed = [
            w
            for w in rig.wires
            if w.fixed and set(shortage.needs) & _abilities(rig, w.to) and w not in shortage.wires
        ]
        if fixed:
            ways.append(f"let {signal_name(rig, fixed[0])} move from {fixed[0].to}")
        if "analogue" in shortage.needs and any("i2c-data" in pin.abilities for pin in rig.board.pins):
            ways.append("fit a 4-channel converter on the I2C bus")
        several = [w for w in shortage.wires if len([x for x in shortage.wires if x.sensor == w.sensor]) > 1]
        if several:
            ways.append(f"leave out a wire of {rig.part(several[-1].sensor).name}")
    for board in boards.BOARDS.values():
        if (
            board.kind != rig.board.kind
            and not assignment(replace(rig, board=board), explain=False).shortages
        ):
            ways.append(f"choose the {board.title}, which takes them all")
            break
    if not ways:
        names = {rig.part(w.sensor).name: None for item in short for w in item.wires}
        return f" Put {list(names)[-1]} on a second board."
    text = ", or ".join(dict.fromkeys(ways))
    return f" {text[0].upper()}{text[1:]}."


def _abilities(rig: Rig, name: str) -> set[str]:
    return next((set(pin.abilities) for pin in all_pins(rig) if pin.name == name), set())


def free_place(rig: Rig, wire: Wire) -> str:
    """The best free pin for one wire, the others left where they are, or an empty string."""
    taken = {other.to for other in rig.wires if (other.sensor, other.pin) != (wire.sensor, wire.pin)}
    spec = pin_of(rig, wire)
    if spec.bus:
        return next((pin.name for pin in rig.board.pins if spec.bus in pin.abilities), "")
    open_pins = [pin for pin in all_pins(rig) if pin.name not in taken and pin.name != wire.to]
    return _match(rig, [wire], open_pins)[0]


def dress(rig: Rig, part_id: str) -> Rig:
    """The rig with the resistors in the wires of one part as the part now asks for them."""
    wires = []
    for wire in rig.wires:
        spec = pin_of(rig, wire)
        if wire.sensor == part_id and not spec.bus:
            bare = spec.role is Role.OPEN and spec.own_pull_up_ohm is not None
            wire = replace(wire, series=None, pull_up=None if bare else wire.pull_up)
            wire = _dressed(rig, wire, wire.to)
        wires.append(wire)
    return replace(rig, wires=tuple(wires))


def place_free(rig: Rig) -> Rig:
    """The rig with the wires that hang free placed, all others left where they are."""
    free = {(w.sensor, w.pin) for w in rig.wires if not w.to}
    held = replace(rig, wires=tuple(w if not w.to else replace(w, fixed=True) for w in rig.wires))
    placed = assignment(held, explain=False).rig
    before = {(w.sensor, w.pin): w for w in rig.wires}
    wires = tuple(w if (w.sensor, w.pin) in free else before[w.sensor, w.pin] for w in placed.wires)
    return replace(rig, wires=wires)


def complete(rig: Rig) -> Rig:
    """The rig with a wire for every pin of what is fitted, and none for pins that are not there."""
    have = {(wire.sensor, wire.pin): wire for wire in rig.wires}
    wires = []
    for part in rig.fitted:
        for pin in part_of(part).pins:
            wires.append(have.get((part.id, pin.name)) or Wire(part.id, pin.name, "", pin.colour))
    return replace(rig, wires=tuple(wires))
