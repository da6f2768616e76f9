"""Digital levels both ways: too high for the pin that reads, too low to be read; and the divider that mends
it."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from dataclasses import replace

from tickstone.core import electrical, resistors
from tickstone.core.rigs.catalogue import pin_of
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.part import PinSpec, Role
from tickstone.core.rigs.rig import DividerPart, Pin, Rig, Wire
from tickstone.core.wiring.findings import NEAR, Assurance, Fix, Result, WiringFinding, plain_ohms, rewire
from tickstone.core.wiring.places import supply_of
from tickstone.errors import BadInput

TOLERANCE_PCT = 5.0
DIVIDER_SOURCE_OHM = 10_000.0  # above this the divider and the pin's capacitance round off a pulse's edges
WORTH_USING = 0.75  # share of a converter's range that a divider should leave in use
ABOVE_OWN_SUPPLY = (
    1.02  # a divider's nominal level may lie this far above the supply that the pin itself works on
)


def check_to_part(rig: Rig, wire: Wire, spec: PinSpec) -> Iterator[Result]:
    """The level that the board gives to an input of a part."""
    name, gives = rig.part(wire.sensor).name, rig.board.logic_v
    if spec.bears_v is not None and gives > spec.bears_v + NEAR:
        yield WiringFinding(
            "level-too-high",
            "fault",
            wire.sensor,
            wire.pin,
            f"The board gives {gives:g} V; the {wire.pin} of {name} bears {spec.bears_v:g} V.",
            f"{gives:g} V into {spec.bears_v:g} V",
            {"source_v": gives, "limit_v": spec.bears_v},
        )
    elif gives < spec.high_needs_v:
        yield WiringFinding(
            "level-too-low",
            "fault",
            wire.sensor,
            wire.pin,
            f"The board gives {gives:g} V; the {wire.pin} of {name} needs {spec.high_needs_v:g} V to see it.",
            f"{gives:g} V, needs {spec.high_needs_v:g} V",
            {"gives_v": gives, "needs_v": spec.high_needs_v},
        )
    else:
        yield Assurance("level", wire.sensor, f"{wire.pin} {gives:.1f} V, needs {spec.high_needs_v:.1f} V")


def source_v(rig: Rig, wire: Wire, spec: PinSpec) -> float | None:
    """The most that a part's output gives, V: its share of its supply, or less where the part keeps it
    lower."""
    supply = supply_of(rig, wire.sensor)
    if supply is None:
        return None
    level = supply[1] * spec.share
    return level if spec.most_v is None else min(level, spec.most_v)


def check_to_board(rig: Rig, wire: Wire, spec: PinSpec) -> Iterator[Result]:
    """The level that a part's output brings to a pin of the board, through the divider in the wire if there
    is one."""
    board, name, source = rig.board, rig.part(wire.sensor).name, source_v(rig, wire, spec)
    if source is None:
        return  # without a supply there is no level to judge; the supply's own finding says so
    part = wire.divider
    if part is None:
        low = high = nominal = source
    else:
        tap = electrical.divider(source, part.top_ohm, part.bottom_ohm, part.tolerance_pct)
        low, high, nominal = tap.vout_min_v, tap.vout_max_v, tap.vout_v
    numbers = {
        "source_v": source,
        "arrives_v": nominal,
        "lowest_v": low,
        "highest_v": high,
        "limit_v": board.limit_v,
        "high_level_v": board.high_level_v,
    }
    spread = "" if part is None else f" ({low:.2f} to {high:.2f} V with {part.tolerance_pct:g} % parts)"
    if high > board.limit_v + NEAR:
        yield WiringFinding(
            "level-too-high",
            "fault",
            wire.sensor,
            wire.pin,
            f"The {wire.pin} of {name} brings {nominal:.{1 if part is None else 2}f} V{spread}; this "
            f"board's pins bear {board.limit_v:.1f} V.",
            f"{nominal:.{1 if part is None else 2}f} V into {board.limit_v:.1f} V",
            numbers,
            _divider_fix(rig, wire, source),
        )
    elif part is not None and nominal > board.logic_v * ABOVE_OWN_SUPPLY:
        yield WiringFinding(
            "level-too-high",
            "fault",
            wire.sensor,
            wire.pin,
            f"{nominal:.2f} V{spread} of the {wire.pin} of {name} arrives, above the {board.logic_v:g} V "
            "that the pin itself works on.",
            f"{nominal:.2f} V above {board.logic_v:g} V",
            numbers,
            _divider_fix(rig, wire, source),
        )
    elif not spec.analogue and low < board.high_level_v - NEAR:
        yield WiringFinding(
            "level-too-low",
            "fault",
            wire.sensor,
            wire.pin,
            f"Only {nominal:.2f} V{spread} of the {wire.pin} of {name} arrives; this board surely reads "
            f"high from {board.high_level_v:.2f} V.",
            f"{nominal:.2f} V, high from {board.high_level_v:.2f} V",
            numbers,
            _divider_fix(rig, wire, source),
        )
    elif not spec.analogue:
        yield Assurance(
            "level",
            wire.sensor,
            f"{wire.pin} {nominal:.1f} V: high from {board.high_level_v:.1f} V, "
            f"pin bears {board.limit_v:.1f} V",
        )


def _divider_fix(rig: Rig, wire: Wire, source: float) -> Fix | None:
    """A straight wire where that holds, else a divider: E12 values when they do, since they are in every
    drawer."""
    board = rig.board
    if wire.divider is not None and board.high_level_v <= source <= board.limit_v:
        return rewire(
            rig,
            "Remove divider",
            "Take the divider out: the level fits as it is.",
            replace(wire, divider=None),
        )
    best = None
    limit, least = board.limit_v, board.high_level_v
    if pin_of(rig, wire).analogue:  # the converter's range is to be used, not a level to be reached
        limit = min(limit, (converter_of(rig, wire.sensor) or (0, limit))[1])
        least = WORTH_USING * limit
    for series in ("E12", "E24"):
        with contextlib.suppress(BadInput):
            best = (
                best
                or electrical.design_divider(
                    source,
                    limit,
                    least,
                    series=series,
                    tolerance_pct=TOLERANCE_PCT,
                    source_max_ohm=DIVIDER_SOURCE_OHM,
                    most=1,
                )[0]
            )
    if best is None:
        return None
    part = DividerPart(
        best.top_ohm,
        best.bottom_ohm,
        TOLERANCE_PCT,
        resistors.colour_bands(best.top_ohm),
        resistors.colour_bands(best.bottom_ohm),
    )
    sentence = (
        f"Put {plain_ohms(best.top_ohm)} in the {wire.pin} wire and {plain_ohms(best.bottom_ohm)} from the "
        f"pin to ground: {best.vout_v:.1f} V."
    )
    return rewire(rig, "Add divider", sentence, replace(wire, divider=part))


def check_open(rig: Rig, wire: Wire, spec: PinSpec, pin: Pin) -> Iterator[Result]:
    """The level of an output that only pulls low: what its pull-up brings. ``pin`` is the board's."""
    board, name, part = rig.board, rig.part(wire.sensor).name, wire.pull_up
    rail = board.rail(part.rail) if part else None
    own = source_v(rig, wire, spec) if spec.own_pull_up_ohm is not None else None
    highest = max([v for v in (rail.volts if rail else None, own) if v is not None], default=None)
    if highest is None or spec.role is not Role.OPEN:
        return  # no pull-up at all is its own finding
    numbers = {"source_v": highest, "limit_v": board.limit_v, "high_level_v": board.high_level_v}
    if highest > board.limit_v + NEAR:
        fix = None
        if own is None and part is not None:
            right = replace(part, rail=next(r.name for r in board.rails if r.volts == board.logic_v))
            fix = rewire(
                rig,
                f"Move wire to {right.rail}",
                f"Take the pull-up of {wire.pin} to {right.rail}.",
                replace(wire, pull_up=right),
            )
        yield WiringFinding(
            "level-too-high",
            "fault",
            wire.sensor,
            wire.pin,
            f"The pull-up of {name} {wire.pin} goes to {highest:g} V; this board's pins bear "
            f"{board.limit_v:g} V.",
            f"{highest:g} V into {board.limit_v:g} V",
            numbers,
            fix,
        )
    elif highest < board.high_level_v - NEAR:
        yield WiringFinding(
            "level-too-low",
            "fault",
            wire.sensor,
            wire.pin,
            f"{name} {wire.pin} is pulled up to {highest:g} V; {pin.name} surely reads high from "
            f"{board.high_level_v:.2f} V.",
            f"{highest:g} V, high from {board.high_level_v:.2f} V",
            numbers,
        )
    if spec.bears_v is not None and rail is not None and rail.volts > spec.bears_v + NEAR:
        yield WiringFinding(
            "level-too-high",
            "fault",
            wire.sensor,
            wire.pin,
            f"The pull-up of {name} {wire.pin} goes to {rail.volts:g} V; the part bears {spec.bears_v:g} V.",
            f"{rail.volts:g} V into {spec.bears_v:g} V",
            {"source_v": rail.volts, "limit_v": spec.bears_v},
        )
