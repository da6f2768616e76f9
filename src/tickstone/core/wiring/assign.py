"""Pin assignment: each sensor pin on the first free board pin that can do what it needs, best ability first."""

from __future__ import annotations

from dataclasses import replace

from tickstone.core import resistors
from tickstone.core.rigs.boards import GROUND
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import PinSpec, Role
from tickstone.core.rigs.rig import Board, PullUpPart, Rig, Wire

PULL_UP_OHM = 10_000.0  # common practice for a data line on a bench


def supply_rail(board: Board, volts: float) -> str:
    """The label of the rail that gives ``volts``, or an empty string."""
    return next((rail.name for rail in board.rails if abs(rail.volts - volts) < 0.05 * volts), "")


def supply_colour(board: Board, rail: str) -> str:
    """Insulation for a supply wire: red for 5 V, orange for what is lower (common practice)."""
    found = board.rail(rail)
    return "orange" if found is not None and found.volts < 4.5 else "red"


def logic_rail(board: Board) -> str:
    """The label of the rail that the board's own pins work on."""
    return supply_rail(board, board.logic_v)


def pull_up(board: Board) -> PullUpPart:
    """The usual pull-up to the board's logic rail, with its colour bands."""
    return PullUpPart(PULL_UP_OHM, logic_rail(board), resistors.colour_bands(PULL_UP_OHM))


SCARCE = {"analogue", "i2c-data", "i2c-clock"}  # what other sensors of a rig will want


def _worth(board: Board, name: str) -> tuple[bool, int]:
    """How much is lost by using a pin: a scarce ability first, then how many it has."""
    pin = board.pin(name)
    abilities = set(pin.abilities) if pin else set()
    return bool(abilities & SCARCE), len(abilities)


def _place(board: Board, spec: PinSpec, supply_v: float, taken: set[str], logic_supply: bool) -> str:
    if spec.role is Role.GROUND:
        return GROUND
    if spec.role is Role.SUPPLY:
        return logic_rail(board) if logic_supply else supply_rail(board, supply_v)
    for ability in spec.needs:
        able = [pin.name for pin in board.pins if ability in pin.abilities and pin.name not in taken]
        if able:
            return min(able, key=lambda name: _worth(board, name))
    return ""


def assign(rig: Rig) -> Rig:
    """The rig with every wire placed: supplies and grounds on rails, signals on free pins that can take them.

    Pins with the fewest abilities are used first, so that the able ones stay free. A pin that nothing fits stays
    unwired (``to`` empty), which the checks then name. Parts in the wires are put back to what the place needs.
    """
    taken: set[str] = set()
    placed: list[Wire] = []
    for wire in rig.wires:
        what = kind(rig.sensor(wire.sensor).kind)
        spec = what.pin(wire.pin)
        has_open = any(pin.role is Role.OPEN for pin in what.pins)
        to = _place(rig.board, spec, what.supply_v, taken, logic_supply=has_open)
        if spec.role not in (Role.GROUND, Role.SUPPLY):
            taken.add(to)
        part = pull_up(rig.board) if spec.role is Role.OPEN else None
        colour = supply_colour(rig.board, to) if spec.role is Role.SUPPLY else wire.colour
        placed.append(replace(wire, to=to, colour=colour, divider=None, pull_up=part))
    return replace(rig, wires=tuple(placed))
