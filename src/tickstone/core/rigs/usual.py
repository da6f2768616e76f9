"""The usual constants of a kind: defaults, what the rig's board tells, and what a person says instead."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tickstone.core.checks import check_between
from tickstone.core.constants import ConstantSpec, Provenance, Value, Values, assumed, settle
from tickstone.core.rigs.kinds.base import Kind
from tickstone.core.rigs.rig import Board
from tickstone.errors import BadInput


def told_by_board(board: Board, specs: tuple[ConstantSpec, ...]) -> dict[str, Value]:
    """The constants that a board's own record gives, as certain in proportion as their defaults."""
    found = {}
    for spec in specs:
        told, usual = getattr(board, spec.board) if spec.board else None, assumed(spec)
        if told is not None and usual is not None:
            sd = None if usual.sd is None else usual.sd * float(told) / usual.value
            found[spec.name] = replace(usual, value=float(told), sd=sd, source=board.title)
    return found


def usual_values(what: Kind, board: Board | None = None, said: Mapping[str, float] | None = None) -> Values:
    """All constants of a kind of which nothing is measured.

    Parameters: what, the kind; board, of the rig, if there is one; said, constants by name that a person gives.
    Returns: values by name. Raises: BadInput naming a constant that the kind does not have, or that cannot be so.
    """
    known = {} if board is None else told_by_board(board, what.constants)
    specs = {spec.name: spec for spec in what.constants}
    for name, number in (said or {}).items():
        if name not in specs:
            raise BadInput(f"{what.title} has no constant {name!r}; it has {', '.join(specs)}.", name)
        spec = specs[name]
        check_between(number, spec.low, spec.high, name)
        usual = assumed(replace(spec, default=number))
        if usual is not None:
            sd = spec.sd if spec.typed_as is Provenance.MEASURED else None
            known[name] = replace(usual, provenance=spec.typed_as, sd=sd, source="typed here")
    return settle(what.constants, what.derived, known)
