"""Wiring checks: each finding is a sentence with its numbers, on the wire it concerns, with a fix where there is one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from tickstone.core import electrical, resistors
from tickstone.core.rigs.boards import GROUND
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Kind, PinSpec, Role
from tickstone.core.rigs.rig import DividerPart, Rig, Wire
from tickstone.core.wiring.assign import pull_up, supply_rail
from tickstone.errors import BadInput

TOLERANCE_PCT = 5.0
DIVIDER_SOURCE_OHM = 10_000.0  # above this the divider and the pin's capacitance round off a pulse's edges
NEAR = 1e-9


@dataclass(frozen=True)
class Fix:
    """What to change: a label for the button, the sentence, and the wire as it will be."""

    label: str
    sentence: str
    wire: Wire


@dataclass(frozen=True)
class Finding:
    """``severity`` is fault or hint; ``numbers`` are those of the sentence, with their unit in the name."""

    kind: str
    severity: str
    sensor: str
    pin: str
    sentence: str
    short: str
    numbers: dict[str, float]
    fix: Fix | None = None


@dataclass(frozen=True)
class Assurance:
    """A check that holds, in a few words with its numbers."""

    kind: str
    sensor: str
    sentence: str


@dataclass(frozen=True)
class Report:
    """All findings, faults first, and what was found to be in order."""

    findings: tuple[Finding, ...]
    assurances: tuple[Assurance, ...]

    @property
    def faults(self) -> tuple[Finding, ...]:
        """The findings that must be mended before power."""
        return tuple(finding for finding in self.findings if finding.severity == "fault")


def plain_ohms(ohms: float) -> str:
    """A resistance as people write it: 4.7 kΩ."""
    for unit, size in (("MΩ", 1e6), ("kΩ", 1e3)):
        if ohms >= size:
            return f"{ohms / size:g}\u2009{unit}"
    return f"{ohms:g}\u2009Ω"


def check(rig: Rig) -> Report:
    """Check a whole rig: abilities, doubled pins, supplies, grounds, levels both ways, pull-ups, supply budget."""
    results = [*_doubled(rig), *_budget(rig)]
    for wire in rig.wires:
        sensor = rig.sensor(wire.sensor)
        what = kind(sensor.kind)
        spec = what.pin(wire.pin)
        if spec.role in (Role.SUPPLY, Role.GROUND):
            results += _supply(rig, wire, what, spec)
        else:
            results += _signal(rig, wire, what, spec)
    findings = sorted((r for r in results if isinstance(r, Finding)), key=lambda f: f.severity != "fault")
    return Report(tuple(findings), tuple(r for r in results if isinstance(r, Assurance)))


Result = Finding | Assurance


def _doubled(rig: Rig) -> Iterator[Result]:
    seen: dict[str, Wire] = {}
    rails = {rail.name for rail in rig.board.rails}
    for wire in rig.wires:
        if not wire.to or wire.to in rails:
            continue
        first = seen.setdefault(wire.to, wire)
        if first is wire:
            continue
        names = f"{rig.sensor(first.sensor).name} {first.pin} and {rig.sensor(wire.sensor).name} {wire.pin}"
        free = _free_pin(rig, wire)
        fix = None
        if free:
            fix = Fix(f"Move to {free}", f"Move {wire.pin} to {free}, which is free.", replace(wire, to=free))
        yield Finding("doubled-pin", "fault", wire.sensor, wire.pin,
                      f"{names} are both on {wire.to}: one pin, one wire.", f"two on {wire.to}", {}, fix)  # fmt: skip


def _free_pin(rig: Rig, wire: Wire) -> str:
    spec = kind(rig.sensor(wire.sensor).kind).pin(wire.pin)
    taken = {other.to for other in rig.wires}
    for ability in spec.needs:
        for pin in rig.board.pins:
            if ability in pin.abilities and pin.name not in taken:
                return pin.name
    return ""


def _budget(rig: Rig) -> Iterator[Result]:
    drawn = sum(kind(sensor.kind).supply_ma for sensor in rig.sensors)
    allowed = rig.board.supply_ma
    for sensor in rig.sensors:
        if drawn > allowed:
            yield Finding("supply-budget", "fault", sensor.id, "supply",
                          f"All sensors together draw {drawn:g} mA; this board can give {allowed:g} mA.",
                          f"{drawn:g} of {allowed:g} mA", {"drawn_ma": drawn, "allowed_ma": allowed})  # fmt: skip
        else:
            yield Assurance("supply-budget", sensor.id, f"{drawn:g} of {allowed:g} mA in all")


def _supply(rig: Rig, wire: Wire, what: Kind, spec: PinSpec) -> Iterator[Result]:
    name = rig.sensor(wire.sensor).name
    if spec.role is Role.GROUND:
        if wire.to == GROUND:
            yield Assurance("common-ground", wire.sensor, "ground shared with the board")
        else:
            yield Finding("common-ground", "fault", wire.sensor, wire.pin,
                          f"The ground of {name} is not on the board's ground: no reading can be trusted.",
                          "ground not shared", {},
                          Fix("Join the grounds", "Take it to the ground rail.", replace(wire, to=GROUND)))  # fmt: skip
        return
    rail = rig.board.rail(wire.to)
    wants = supply_rail(rig.board, what.supply_v)
    fix = Fix(f"Take it to {wants}", f"Take the supply of {name} to the {wants} rail.",
              replace(wire, to=wants)) if wants else None  # fmt: skip
    has_open = any(pin.role is Role.OPEN for pin in what.pins)
    if rail is None or rail.volts == 0:
        yield Finding("supply", "fault", wire.sensor, wire.pin, f"The supply of {name} is on no supply rail.",
                      "no supply", {}, fix)  # fmt: skip
    elif rail.volts < what.supply_v * 0.9 and not has_open:
        yield Finding("supply", "fault", wire.sensor, wire.pin,
                      f"{name} wants {what.supply_v:g} V, but its supply is on the {wire.to} rail.",
                      f"{rail.volts:g} V, wants {what.supply_v:g} V",
                      {"supply_v": rail.volts, "wanted_v": what.supply_v}, fix)  # fmt: skip
    else:
        yield Assurance("supply", wire.sensor, f"supply {rail.volts:.1f} V, {what.supply_ma:g} mA")


def _signal(rig: Rig, wire: Wire, what: Kind, spec: PinSpec) -> Iterator[Result]:
    name = rig.sensor(wire.sensor).name
    pin = rig.board.pin(wire.to)
    free = _free_pin(rig, wire)
    move = Fix(f"Move to {free}", f"Move {wire.pin} to {free}.", replace(wire, to=free)) if free else None
    if pin is None:
        yield Finding("unwired", "fault", wire.sensor, wire.pin, f"The {wire.pin} of {name} is on no pin.",
                      "on no pin", {}, move)  # fmt: skip
        return
    if not set(spec.needs) & set(pin.abilities):
        yield Finding("pin-ability", "fault", wire.sensor, wire.pin,
                      f"{pin.name} cannot take the {wire.pin} of {name}: it needs a pin that is {spec.needs[0]}.",
                      f"{pin.name} is not {spec.needs[0]}", {}, move)  # fmt: skip
    elif spec.role is Role.OUTPUT and spec.needs[-1] in pin.abilities and not set(spec.needs[:-1]) & set(pin.abilities):
        yield Finding("pin-ability", "hint", wire.sensor, wire.pin,
                      f"{pin.name} can only be asked in a loop: the {wire.pin} of {name} is timed better on a pin with "
                      f"{' or '.join(spec.needs[:-1])}.", f"{pin.name} is polled", {},
                      move if free and _timed(rig, free, spec) else None)  # fmt: skip
    else:
        yield Assurance("pin-ability", wire.sensor, f"{wire.pin} on {pin.name}")
    if spec.role is Role.INPUT:
        yield from _level_to_sensor(rig, wire, spec, name)
    elif spec.role is Role.OUTPUT:
        yield from _level_to_board(rig, wire, what, name)
    else:
        yield from _pull_up(rig, wire, name)


def _timed(rig: Rig, pin_name: str, spec: PinSpec) -> bool:
    pin = rig.board.pin(pin_name)
    return pin is not None and bool(set(spec.needs[:-1]) & set(pin.abilities))


def _level_to_sensor(rig: Rig, wire: Wire, spec: PinSpec, name: str) -> Iterator[Result]:
    gives, needs = rig.board.logic_v, spec.high_needs_v
    if gives < needs:
        yield Finding("level-too-low", "fault", wire.sensor, wire.pin,
                      f"The board gives {gives:g} V; the {wire.pin} of {name} needs {needs:g} V to see it.",
                      f"{gives:g} V, needs {needs:g} V", {"gives_v": gives, "needs_v": needs})  # fmt: skip
    else:
        yield Assurance("level", wire.sensor, f"{wire.pin} {gives:.1f} V, needs {needs:.1f} V")


def _level_to_board(rig: Rig, wire: Wire, what: Kind, name: str) -> Iterator[Result]:
    board = rig.board
    supply = rig.board.rail(rig.wire(wire.sensor, _supply_pin(what)).to)
    source_v = supply.volts if supply and supply.volts > 0 else what.supply_v
    part = wire.divider
    if part is None:
        low = high = nominal = source_v
    else:
        tap = electrical.divider(source_v, part.top_ohm, part.bottom_ohm, part.tolerance_pct)
        low, high, nominal = tap.vout_min_v, tap.vout_max_v, tap.vout_v
    level = f"{nominal:.1f} V" if part is None else f"{nominal:.1f} V ({low:.2f} to {high:.2f})"
    numbers = {"source_v": source_v, "arrives_v": nominal, "limit_v": board.limit_v, "high_level_v": board.high_level_v}
    if high > board.limit_v + NEAR:
        yield Finding("level-too-high", "fault", wire.sensor, wire.pin,
                      f"The {wire.pin} of {name} brings {high:.1f} V; this board's pins bear {board.limit_v:.1f} V.",
                      f"{high:.1f} V into {board.limit_v:.1f} V", numbers,
                      _divider_fix(rig, wire, source_v))  # fmt: skip
    elif low < board.high_level_v - NEAR:
        yield Finding("level-too-low", "fault", wire.sensor, wire.pin,
                      f"Only {low:.2f} V of the {wire.pin} of {name} arrives; this board reads high from "
                      f"{board.high_level_v:.2f} V.", f"{low:.2f} V, high from {board.high_level_v:.2f} V", numbers,
                      _divider_fix(rig, wire, source_v))  # fmt: skip
    else:
        yield Assurance("level", wire.sensor,
                        f"{wire.pin} {level}: high from {board.high_level_v:.1f} V, "
                        f"pin bears {board.limit_v:.1f} V")  # fmt: skip


def _supply_pin(what: Kind) -> str:
    return next(pin.name for pin in what.pins if pin.role is Role.SUPPLY)


def _divider_fix(rig: Rig, wire: Wire, source_v: float) -> Fix | None:
    """A straight wire where that holds, else a divider: E12 values when they do, since they are in every drawer."""
    board = rig.board
    if board.high_level_v <= source_v <= board.limit_v:
        return Fix("Take it out", "Take the divider out: the level fits as it is.", replace(wire, divider=None))
    best = None
    for series in ("E12", "E24"):
        try:
            best = electrical.design_divider(
                source_v, board.limit_v, board.high_level_v, series=series, tolerance_pct=TOLERANCE_PCT,
                source_max_ohm=DIVIDER_SOURCE_OHM, most=1,
            )[0]  # fmt: skip
            break
        except BadInput:
            continue
    if best is None:
        return None
    part = DividerPart(best.top_ohm, best.bottom_ohm, TOLERANCE_PCT,
                       resistors.colour_bands(best.top_ohm), resistors.colour_bands(best.bottom_ohm))  # fmt: skip
    sentence = (
        f"Put {plain_ohms(best.top_ohm)} in the {wire.pin} wire and {plain_ohms(best.bottom_ohm)} from the pin to "
        f"ground: {best.vout_v:.1f} V."
    )
    return Fix("Put them in", sentence, replace(wire, divider=part))


def _pull_up(rig: Rig, wire: Wire, name: str) -> Iterator[Result]:
    part = wire.pull_up
    rail = rig.board.rail(part.rail) if part else None
    mend = Fix("Put it in", f"Put {plain_ohms(pull_up(rig.board).ohms)} from {wire.pin} to {pull_up(rig.board).rail}.",
               replace(wire, pull_up=pull_up(rig.board)))  # fmt: skip
    if part is None or rail is None:
        yield Finding("pull-up", "fault", wire.sensor, wire.pin,
                      f"The {wire.pin} of {name} only pulls low: without a pull-up it never reads high.",
                      "no pull-up", {}, mend)  # fmt: skip
    elif rail.volts > rig.board.limit_v + NEAR:
        yield Finding("level-too-high", "fault", wire.sensor, wire.pin,
                      f"The pull-up of {name} goes to {rail.volts:g} V; this board's pins bear "
                      f"{rig.board.limit_v:g} V.", f"{rail.volts:g} V into {rig.board.limit_v:g} V",
                      {"source_v": rail.volts, "limit_v": rig.board.limit_v}, mend)  # fmt: skip
    else:
        yield Assurance("pull-up", wire.sensor, f"{wire.pin} pulled up to {part.rail} by {plain_ohms(part.ohms)}")


def mend(rig: Rig, kind_id: str, sensor: str, pin: str) -> tuple[Rig, str]:
    """The rig with the fix of one finding applied, and what was done. Raises BadInput when there is no such fix."""
    for finding in check(rig).findings:
        if (finding.kind, finding.sensor, finding.pin) == (kind_id, sensor, pin) and finding.fix:
            return rig.with_wire(finding.fix.wire), finding.fix.sentence
    raise BadInput("There is no such fault on this rig any more.", "kind")


def verdict(report: Report) -> str:
    """The heading: what would happen if power came on now."""
    burning = [f for f in report.faults if f.kind in ("level-too-high", "supply", "supply-budget")]
    number = ("No", "One", "Two", "Three", "Four", "Five")
    if burning:
        count = number[len(burning)] if len(burning) < len(number) else str(len(burning))
        return f"{count} wire{'s' if len(burning) > 1 else ''} would harm the board"
    if report.faults:
        count = number[len(report.faults)] if len(report.faults) < len(number) else str(len(report.faults))
        return f"{count} wire{'s' if len(report.faults) > 1 else ''} would not work"
    return "Nothing burns, and every wire can be read"
