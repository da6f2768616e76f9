"""Where a wire may go: the board's pins with those that converters add, rails, supplies, and other parts'
pins."""

from __future__ import annotations

from tickstone.core.rigs.catalogue import part_of
from tickstone.core.rigs.outputs import added_inputs
from tickstone.core.rigs.part import PinSpec, Role
from tickstone.core.rigs.rig import GROUND, Board, Pin, Rig, Wire


def all_pins(rig: Rig) -> tuple[Pin, ...]:
    """The board's pins, then the inputs that converters on the bus add."""
    return (*rig.board.pins, *(Pin(name, ("analogue",)) for name in added_inputs(rig)))


def pin_named(rig: Rig, name: str) -> Pin | None:
    """The pin of that label, the board's or a converter's, or None."""
    return next((pin for pin in all_pins(rig) if pin.name == name), None)


def is_place(rig: Rig, name: str) -> bool:
    """Whether a wire can go there at all."""
    return bool(pin_named(rig, name) or rig.board.rail(name) or rig.supply(name) or neighbour(rig, name))


def neighbour(rig: Rig, to: str) -> Wire | None:
    """The wire of the other part's pin that ``to`` names as "id.pin", or None."""
    part, dot, pin = to.partition(".")
    return next((w for w in rig.wires if dot and (w.sensor, w.pin) == (part, pin)), None)


def end_of(rig: Rig, wire: Wire) -> str:
    """Where a wire ends up, following it from part to part; empty when it hangs free or goes round in a
    circle."""
    known: set[tuple[str, str]] = set()
    while (after := neighbour(rig, wire.to)) is not None:
        if (wire.sensor, wire.pin) in known:
            return ""
        known.add((wire.sensor, wire.pin))
        wire = after
    return wire.to


def volts_at(rig: Rig, name: str) -> tuple[float, float] | None:
    """Nominal and highest volts of a rail or supply, or None for anything else."""
    rail, supply = rig.board.rail(name), rig.supply(name)
    if rail is not None:
        return rail.volts, rail.volts
    return (supply.volts, supply.most_v) if supply is not None else None


def rail_of(board: Board, volts: float) -> str:
    """The label of the rail that gives ``volts``, or an empty string."""
    return next((rail.name for rail in board.rails if abs(rail.volts - volts) < 0.05 * volts), "")


def logic_rail(board: Board) -> str:
    """The label of the rail that the board's own pins work on."""
    return rail_of(board, board.logic_v)


def own_supplies(rig: Rig, spec: PinSpec) -> list[str]:
    """Supplies beside the board that a supply pin can take, those that give enough first."""
    draw = spec.draw
    if draw is None:
        return []
    supplies = [s for s in rig.supplies if draw.low_v <= s.volts and s.most_v <= draw.high_v]
    return [s.name for s in sorted(supplies, key=lambda s: s.ma < draw.ma)]


def supplies_for(rig: Rig, spec: PinSpec) -> list[str]:
    """Rails and supplies that a supply pin can take, best first: one's own supply where it wants one, else
    the rail nearest to the board's logic, so that levels fit."""
    draw = spec.draw
    if draw is None:
        return []
    rails = [r for r in rig.board.rails if r.volts > 0 and draw.low_v <= r.volts <= draw.high_v]
    rails.sort(key=lambda r: abs(r.volts - rig.board.logic_v))
    names = [r.name for r in rails]
    return [*own_supplies(rig, spec), *names] if draw.own else [*names, *own_supplies(rig, spec)]


def supply_of(rig: Rig, part_id: str) -> tuple[float, float] | None:
    """Nominal and highest volts that a part's electronics are fed with, or None."""
    pin = part_of(rig.part(part_id)).supply
    if pin is None:
        return None
    wire = next((w for w in rig.wires_of(part_id) if w.pin == pin.name), None)
    result = volts_at(rig, end_of(rig, wire)) if wire else None
    return result if result and result[0] > 0 else None


def supply_colour(rig: Rig, name: str) -> str:
    """Insulation for a supply wire: red for 5 V and more, orange for what is lower (common practice)."""
    result = volts_at(rig, name)
    return "orange" if result is not None and result[0] < 4.5 else "red"


def grounds(rig: Rig) -> set[str]:
    """The labels that are the board's ground."""
    return {rail.name for rail in rig.board.rails if rail.volts == 0} or {GROUND}


def power_pins(rig: Rig, role: Role) -> list[tuple[Wire, PinSpec]]:
    """The wires of every pin of a role (supply or ground), with the pin."""
    results = []
    for part in rig.fitted:
        for pin in part_of(part).pins:
            if pin.role is role:
                results += [(wire, pin) for wire in rig.wires_of(part.id) if wire.pin == pin.name]
    return results
