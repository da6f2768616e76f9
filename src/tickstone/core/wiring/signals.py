"""Signals: the pin's abilities, doubled pins, pull-ups and their speed, interrupts, timers, the bus."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from functools import cached_property

from tickstone.core import electrical
from tickstone.core.rigs.catalogue import part_of, pin_of
from tickstone.core.rigs.part import PinSpec, Role
from tickstone.core.rigs.rig import Output, Pin, Rig, Wire
from tickstone.core.wiring.assign import (
    ABLE,
    Assignment,
    assignment,
    complete,
    free_place,
    place_free,
    pull_up,
    signal_name,
)
from tickstone.core.wiring.findings import Assurance, Fix, Result, WiringFinding, plain_ohms, rewire
from tickstone.core.wiring.geometry import wire_length_mm
from tickstone.core.wiring.places import is_place, pin_named, supply_of, volts_at
from tickstone.errors import BadInput

PF_PER_M = 100.0  # a lead and its neighbour, common practice
PIN_PF = 20.0
EACH_ON_BUS_PF = 15.0
SINK_MA = 3.0  # what an output that only pulls low should have to sink, as the I2C bus asks (UM10204)
MOST_OF_PULSE = 0.3  # share of the shortest pulse that a rising edge may take


def check_doubled(rig: Rig) -> Iterator[Result]:
    """One pin, one wire; only the lines of a bus are shared."""
    known: dict[str, Wire] = {}
    for wire in rig.wires:
        if pin_named(rig, wire.to) is None:
            continue
        first = known.setdefault(wire.to, wire)
        if first is wire or (pin_of(rig, wire).bus and pin_of(rig, wire).bus == pin_of(rig, first).bus):
            continue
        moved = first if pin_of(rig, wire).bus else wire  # the lines of a bus have nowhere else to go
        free = free_place(rig, moved)
        fix = (
            rewire(
                rig,
                f"Move to {free}",
                f"Move {signal_name(rig, moved)} to {free}, which is free.",
                replace(moved, to=free),
            )
            if free and free != moved.to
            else None
        )
        yield WiringFinding(
            "doubled-pin",
            "fault",
            wire.sensor,
            wire.pin,
            f"{signal_name(rig, first)} and {signal_name(rig, wire)} are both on {wire.to}: "
            "one pin, one wire.",
            f"two on {wire.to}",
            {},
            fix,
        )


class Anew:
    """How all pins of a rig would be assigned anew: worked out once, when it is first asked for."""

    def __init__(self, rig: Rig) -> None:
        self._rig = rig
        self.told = False  # the reason is said once, at the first wire that has no place

    @cached_property
    def found(self) -> Assignment:
        """The assignment, nothing fixed."""
        return assignment(replace(self._rig, wires=tuple(replace(w, fixed=False) for w in self._rig.wires)))


def check_place(rig: Rig, wire: Wire, spec: PinSpec, anew: Anew) -> Iterator[Result]:
    """Whether a signal is on a pin that can take it."""
    name, pin = rig.part(wire.sensor).name, pin_named(rig, wire.to)
    if pin is None:
        where = "on no pin" if not is_place(rig, wire.to) else f"on {wire.to}, which is no pin"
        yield WiringFinding(
            "unwired",
            "fault",
            wire.sensor,
            wire.pin,
            f"The {wire.pin} of {name} is {where}.{_why_not(rig, wire, anew)}",
            "on no pin",
            {},
            _move(rig, wire, anew),
        )
        return
    able = [need for need in spec.needs if need in pin.abilities]
    if not able:
        wants = " or ".join(ABLE[need] for need in spec.needs)
        yield WiringFinding(
            "pin-ability",
            "fault",
            wire.sensor,
            wire.pin,
            f"{pin.name} cannot take the {wire.pin} of {name}: it needs {wants}.{_why_not(rig, wire, anew)}",
            f"{pin.name} is not {spec.needs[0]}",
            {},
            _move(rig, wire, anew),
        )
    elif spec.polled and able == [spec.needs[-1]] and rig.board.python != "linux":
        better = free_place(rig, wire)
        timed = pin_named(rig, better)
        fix = _move(rig, wire, anew) if timed and set(spec.needs[:-1]) & set(timed.abilities) else None
        yield WiringFinding(
            "pin-ability",
            "hint",
            wire.sensor,
            wire.pin,
            f"{pin.name} can only be asked in a loop: the {wire.pin} of {name} is timed better on a pin with "
            f"{' or '.join(spec.needs[:-1])}.",
            f"{pin.name} is polled",
            {},
            fix,
        )
    else:
        yield Assurance("pin-ability", wire.sensor, f"{wire.pin} on {pin.name}")


def _move(rig: Rig, wire: Wire, anew: Anew) -> Fix | None:
    free = free_place(rig, wire)
    if free:
        return rewire(
            rig, f"Move to {free}", f"Move {signal_name(rig, wire)} to {free}.", replace(wire, to=free)
        )
    if anew.found.shortages:
        return _with_converter(rig, wire) if pin_of(rig, wire).analogue else None
    return Fix("Assign all pins anew", "Assign all pins anew: there is a way for every wire.", anew.found.rig)


FIRST_ADDRESS = 0x48  # a converter's usual ones are this and the three after it
MOST_CONVERTERS = 4


def _with_converter(rig: Rig, wire: Wire) -> Fix | None:
    """A converter on the bus, with its wires, where the board has no analogue input left."""
    have = [output for output in rig.outputs if output.kind == "i2c-adc"]
    names = {part.name for part in rig.fitted} | {part.id for part in rig.fitted}
    if len(have) == MOST_CONVERTERS:
        return None
    name = next(n for n in ("adc", *(f"adc{i}" for i in range(2, len(names) + 3))) if n not in names)
    fitted = Output(name, "i2c-adc", name, {"address": float(FIRST_ADDRESS + len(have))})
    fresh = place_free(complete(replace(rig, outputs=(*rig.outputs, fitted))))
    to = fresh.wire(wire.sensor, wire.pin).to
    if not to:
        return None
    return Fix(
        "Fit a converter",
        f"Fit a 4-channel converter on the I2C bus: {signal_name(rig, wire)} goes to its {to}.",
        fresh,
    )


def _why_not(rig: Rig, wire: Wire, anew: Anew) -> str:
    if free_place(rig, wire):
        return ""
    if not anew.found.reason or anew.told:
        return ""
    anew.told = True
    return f" {anew.found.reason}"


def line_pf(rig: Rig, wire: Wire) -> float:
    """Capacitance of a wire with the pin at its end, pF."""
    return PIN_PF + PF_PER_M * wire_length_mm(rig, wire) / 1000.0


def check_pull_up(rig: Rig, wire: Wire, spec: PinSpec) -> Iterator[Result]:
    """An output that only pulls low needs a pull-up: there, strong enough for the shortest pulse, not too
    strong."""
    name, part = rig.part(wire.sensor).name, wire.pull_up
    rail = rig.board.rail(part.rail) if part else None
    if (part is None or rail is None or rail.volts == 0) and spec.own_pull_up_ohm is None:
        new = pull_up(rig)
        yield WiringFinding(
            "pull-up",
            "fault",
            wire.sensor,
            wire.pin,
            f"The {wire.pin} of {name} only pulls low: without a pull-up it never reads high.",
            "no pull-up",
            {},
            rewire(
                rig,
                "Add pull-up",
                f"Put {plain_ohms(new.ohms)} from {wire.pin} to {new.rail}.",
                replace(wire, pull_up=new),
            ),
        )
        return
    both = [o for o in (part.ohms if part and rail else None, spec.own_pull_up_ohm) if o is not None]
    ohms = 1.0 / sum(1.0 / o for o in both)
    feed = supply_of(rig, wire.sensor)
    volts = rail.volts if rail else (feed[0] if feed else rig.board.logic_v)
    result = electrical.pull_up(ohms, line_pf(rig, wire) * 1e-12, volts)
    rise_us = result.rise_s * 1e6
    numbers = {"ohms": ohms, "rise_us": rise_us, "low_ma": result.low_ma}
    if spec.shortest_us is not None and rise_us > MOST_OF_PULSE * spec.shortest_us:
        right = _quicker(rig, wire, spec.shortest_us, volts)
        yield WiringFinding(
            "pull-up-slow",
            "fault",
            wire.sensor,
            wire.pin,
            f"{plain_ohms(ohms)} lifts the {wire.pin} of {name} in {rise_us:.1f} µs; its shortest pulse is "
            f"{spec.shortest_us:g} µs.",
            f"rises in {rise_us:.1f} µs",
            numbers | {"shortest_us": spec.shortest_us},
            right,
        )
    elif result.low_ma > SINK_MA:
        new = pull_up(rig)
        yield WiringFinding(
            "pull-up-strong",
            "hint",
            wire.sensor,
            wire.pin,
            f"Through {plain_ohms(ohms)} the {wire.pin} of {name} has to sink {result.low_ma:.1f} mA; many "
            f"outputs manage {SINK_MA:g} mA.",
            f"{result.low_ma:.1f} mA to sink",
            numbers,
            rewire(
                rig,
                f"Take {plain_ohms(new.ohms)}",
                f"Take {plain_ohms(new.ohms)} instead.",
                replace(wire, pull_up=new),
            )
            if part
            else None,
        )
    else:
        where = f"up to {part.rail} by {plain_ohms(part.ohms)}" if part else "up on its module"
        yield Assurance("pull-up", wire.sensor, f"{wire.pin} pulled {where}, rises in {rise_us:.1f} µs")


def _quicker(rig: Rig, wire: Wire, shortest_us: float, volts: float) -> Fix | None:
    for ohms in (4700.0, 2200.0, 1000.0):
        result = electrical.pull_up(ohms, line_pf(rig, wire) * 1e-12, volts)
        if result.rise_s * 1e6 <= MOST_OF_PULSE * shortest_us:
            new = pull_up(rig, ohms)
            return rewire(
                rig,
                f"Take {plain_ohms(ohms)}",
                f"Take {plain_ohms(ohms)} from {wire.pin} to {new.rail}.",
                replace(wire, pull_up=new),
            )
    return None


def check_timers(rig: Rig) -> Iterator[Result]:
    """Servo, tone and capture take a timer each; what else hangs on that timer stops working."""
    users: dict[str, list[tuple[Wire, str]]] = defaultdict(list)
    for wire in rig.wires:
        spec, pin = pin_of(rig, wire), pin_named(rig, wire.to)
        if spec.service and rig.board.timer_of(spec.service):
            users[rig.board.timer_of(spec.service)].append((wire, spec.service))
        elif pin is not None and pin.timer and (how := _timed(spec, pin)):
            users[pin.timer].append((wire, how))
    for timer, results in users.items():
        kinds = {how for _, how in results}
        if len(kinds) < 2:
            continue
        wire, how = next(((w, h) for w, h in results if h in ("capture", "pwm")), results[-1])
        other, other_how = next((w, h) for w, h in results if h != how)
        yield WiringFinding(
            "timer-shared",
            "fault",
            wire.sensor,
            wire.pin,
            f"{signal_name(rig, wire)} ({how}) and {signal_name(rig, other)} ({other_how}) both want "
            f"{timer}: one of them would stop working.",
            f"{timer} is wanted twice",
            {},
            _off_timer(rig, wire, timer),
        )


def _timed(spec: PinSpec, pin: Pin) -> str:
    """How a signal uses the timer behind its pin, or an empty string."""
    if spec.role is Role.INPUT and spec.needs[0] == "pwm" and "pwm" in pin.abilities:
        return "pwm"
    takes = next((need for need in spec.needs if need in pin.abilities), "")
    return "capture" if takes == "capture" else ""


def _off_timer(rig: Rig, wire: Wire, timer: str) -> Fix | None:
    taken = {w.to for w in rig.wires}
    for need in pin_of(rig, wire).needs:
        for pin in rig.board.pins:
            if need in pin.abilities and pin.name not in taken and pin.timer != timer:
                return rewire(
                    rig,
                    f"Move to {pin.name}",
                    f"Move {signal_name(rig, wire)} to {pin.name}, off {timer}.",
                    replace(wire, to=pin.name),
                )
    return None


def check_bus(rig: Rig) -> Iterator[Result]:
    """The I2C bus: no two parts of one address, pull-ups there, to the lower supply, within the limits of
    UM10204."""
    on_bus = [fitted for fitted in rig.fitted if part_of(fitted).address is not None]
    if not on_bus:
        return
    by_address: dict[int, list[str]] = defaultdict(list)
    for part in on_bus:
        by_address[part_of(part).address or 0].append(part.id)
    for index, ids in by_address.items():
        held = sum(any(p.name == "shutdown" for p in part_of(rig.part(i)).pins) for i in ids)
        if len(ids) < 2 or held >= len(ids) - 1:
            continue
        names = " and ".join(rig.part(i).name for i in ids)
        yield WiringFinding(
            "i2c-address",
            "fault",
            ids[-1],
            "data",
            f"{names} share the bus address 0x{index:02x}: neither can be read. Change one by its address "
            "pin, or wire its shutdown pin, hold it there at start and give the other a new address.",
            f"0x{index:02x} twice",
            {"address": float(index)},
        )
    for line in ("data", "clock"):
        yield from _bus_line(rig, [w for w in rig.wires if w.to and pin_of(rig, w).bus == f"i2c-{line}"])
    for part in on_bus:
        yield Assurance("i2c-address", part.id, f"bus address 0x{part_of(part).address:02x}")


def _bus_line(rig: Rig, wires: list[Wire]) -> Iterator[Result]:
    if not wires:
        return
    first, name = wires[0], wires[0].pin
    ohms = [pin_of(rig, w).own_pull_up_ohm for w in wires] + [w.pull_up.ohms for w in wires if w.pull_up]
    known = [o for o in ohms if o is not None]
    supply_v = rig.board.logic_v
    pf = PIN_PF + sum(EACH_ON_BUS_PF + PF_PER_M * wire_length_mm(rig, w) / 1000.0 for w in wires)
    new = pull_up(rig, 4700.0)
    fix = rewire(
        rig,
        "Add pull-up",
        f"Put {plain_ohms(new.ohms)} from {name} to {new.rail}, once for the whole bus.",
        replace(first, pull_up=new),
    )
    if not known:
        yield WiringFinding(
            "i2c-pull-up",
            "fault",
            first.sensor,
            first.pin,
            f"Nothing pulls the bus's {name} up: no part has a resistor of its own, and none is in the wire.",
            "no pull-up",
            {},
            fix,
        )
        return
    total = 1.0 / sum(1.0 / o for o in known)
    try:
        lowest, highest = electrical.i2c_pull_up_ohm(supply_v, pf)
    except BadInput as error:
        yield WiringFinding(
            "i2c-pull-up",
            "fault",
            first.sensor,
            first.pin,
            f"The bus is too long: {error.message}",
            "bus too long",
            {"bus_pf": pf},
        )
        return
    numbers = {"ohms": total, "min_ohm": lowest, "max_ohm": highest, "bus_pf": pf}
    all_of_them, most = plain_ohms(round(total)), plain_ohms(float(f"{highest:.4g}"))
    if total > highest:
        yield WiringFinding(
            "i2c-pull-up",
            "fault",
            first.sensor,
            first.pin,
            f"{all_of_them} in all pull the bus's {name} up; at {pf:.0f} pF it may be at most {most}.",
            f"{all_of_them} is too weak",
            numbers,
            fix,
        )
    elif total < lowest:
        yield WiringFinding(
            "i2c-pull-up",
            "hint",
            first.sensor,
            first.pin,
            f"{all_of_them} in all pull the bus's {name} up; less than {plain_ohms(round(lowest))} is "
            "more than a part must be able to pull down: take some off.",
            f"{all_of_them} is too strong",
            numbers,
        )
    else:
        yield Assurance("i2c-pull-up", first.sensor, f"bus {name} {all_of_them} of {most} at most")
    for wire in wires:
        rail = volts_at(rig, wire.pull_up.rail) if wire.pull_up else None
        lower = min(
            [supply_v] + [s[0] for w in wires if (s := supply_of(rig, w.sensor)) and pin_of(rig, w).bears_v]
        )
        if rail is not None and wire.pull_up is not None and rail[0] > lower + 0.2:
            right = next((r.name for r in rig.board.rails if abs(r.volts - lower) < 0.05 * lower), "")
            yield WiringFinding(
                "i2c-pull-up",
                "fault",
                wire.sensor,
                wire.pin,
                f"The bus's {name} is pulled up to {rail[0]:g} V, but {lower:g} V parts hang on it: "
                "pull-ups go to the lower supply.",
                f"pulled to {rail[0]:g} V",
                {"pulled_v": rail[0], "lower_v": lower},
                rewire(
                    rig,
                    f"Move wire to {right}",
                    f"Take the pull-up of {name} to {right}.",
                    replace(wire, pull_up=replace(wire.pull_up, rail=right)),
                )
                if right
                else None,
            )
