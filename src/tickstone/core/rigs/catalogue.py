"""Everything that can be fitted to a rig, sensor or output, as one: its title, its questions, its electrical
side."""

from __future__ import annotations

from functools import lru_cache

from tickstone.core.rigs.kinds import KINDS, kind
from tickstone.core.rigs.kinds.base import Kind
from tickstone.core.rigs.outputs import OUTPUTS, OutputKind, output
from tickstone.core.rigs.part import Part, PinSpec, check_options
from tickstone.core.rigs.rig import FittedPart, Output, Rig, Sensor, Wire
from tickstone.errors import BadInput


def known(fitted: FittedPart) -> Kind | OutputKind:
    """The kind of a fitted part. Raises BadInput for field ``kind``."""
    return output(fitted.kind) if isinstance(fitted, Output) else kind(fitted.kind)


def part_of(fitted: FittedPart) -> Part:
    """The electrical side of a fitted part, with its options chosen."""
    if isinstance(fitted, Output):
        return output(fitted.kind).part_of(fitted.options)
    return _part(fitted.kind, tuple(sorted(fitted.options.items())))


@lru_cache(maxsize=1024)  # checks ask for the same few parts thousands of times
def _part(kind_id: str, options: tuple[tuple[str, str | float], ...]) -> Part:
    return kind(kind_id).part_of(dict(options))


def pin_of(rig: Rig, wire: Wire) -> PinSpec:
    """The part's pin that a wire begins at."""
    return part_of(rig.part(wire.sensor)).pin(wire.pin)


def fit(kind_id: str, part_id: str, name: str, options: dict[str, str | float]) -> FittedPart:
    """A part of a kind, sensor or output, with its options checked. Raises BadInput naming what cannot be."""
    options = {name: said if isinstance(said, str) else float(said) for name, said in options.items()}
    if kind_id in KINDS:
        what: Kind | OutputKind = KINDS[kind_id]
        fitted: FittedPart = Sensor(part_id, kind_id, name, options)
    elif kind_id in OUTPUTS:
        what, fitted = OUTPUTS[kind_id], Output(part_id, kind_id, name, options)
    else:
        raise BadInput(f"kind must be one of {', '.join((*KINDS, *OUTPUTS))}, not {kind_id!r}.", "kind")
    check_options(what.options, options, what.title)
    return fitted


def bare_wires(fitted: FittedPart) -> tuple[Wire, ...]:
    """A wire for every pin of a part, none of them placed yet."""
    return tuple(Wire(fitted.id, pin.name, "", pin.colour) for pin in part_of(fitted).pins)
