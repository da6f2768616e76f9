"""Parts in the wires, each with the reason why it is there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from tickstone.core.rigs.catalogue import pin_of
from tickstone.core.rigs.rig import Rig, Wire
from tickstone.core.wiring.findings import NEAR
from tickstone.core.wiring.levels import source_v
from tickstone.core.wiring.schedule import part_in_wire

InWire = Literal["divider", "series", "pull_up"]
IN_WIRES: tuple[InWire, ...] = ("divider", "series", "pull_up")


@dataclass(frozen=True)
class WirePart:
    """A part in the wire of a pin: what it is, in words with its values, and why it is there."""

    sensor: str
    pin: str
    what: InWire
    words: str
    because: str


def parts_in_wires(rig: Rig) -> Iterator[WirePart]:
    """Every part in the wires of a rig, in the order of its wires."""
    for wire in rig.wires:
        for what in IN_WIRES:
            alone = wire
            for other in IN_WIRES:
                alone = alone if other == what else without(alone, other)
            words = part_in_wire(alone)
            if words:
                yield WirePart(wire.sensor, wire.pin, what, words, _because(rig, wire, what))


def without(wire: Wire, what: InWire) -> Wire:
    """A wire without one of the parts in it."""
    if what == "divider":
        return replace(wire, divider=None)
    return replace(wire, series=None) if what == "series" else replace(wire, pull_up=None)


def _because(rig: Rig, wire: Wire, what: InWire) -> str:
    spec, limit = pin_of(rig, wire), rig.board.limit_v
    if what == "divider":
        source = source_v(rig, wire, spec)
        if source is not None and source > limit + NEAR:
            return f"{source:.1f} V into pins that bear {limit:.1f} V"
        if spec.analogue and source is not None:
            top = rig.board.adc_reference_v or limit
            return f"{source:.1f} V to be measured by a converter up to {top:.1f} V"
        return "nothing asks for it as the rig is wired now"
    if what == "series":
        return f"it keeps the current of {rig.part(wire.sensor).name} small enough for both"
    return f"{wire.pin} only pulls low: something must bring it high again"
