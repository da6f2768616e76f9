"""Small rigs for tests."""

from __future__ import annotations

from dataclasses import replace

from tickstone.core.rigs import boards
from tickstone.core.rigs.catalogue import fit
from tickstone.core.rigs.rig import FittedPart, Mount, Rig, Supply
from tickstone.core.rigs.templates import rig_of
from tickstone.core.wiring.assign import assign

PACK = Supply("pack", 7.4, 8.4, 3000.0)


def part(kind: str, part_id: str, **options: str | float) -> FittedPart:
    """A part with its name made from its id."""
    return fit(kind, part_id, part_id.replace("-", " "), options)


def placed(kind: str, part_id: str, mount: Mount, **options: str | float) -> FittedPart:
    """A part in its place on the vehicle."""
    return replace(part(kind, part_id, **options), mount=mount)


def rig(*parts: FittedPart, board: str = "small-5v", supplies: tuple[Supply, ...] = ()) -> Rig:
    """A rig of these parts, wired and mended."""
    return rig_of("Fern", "greenhouse tray cart", board, parts, supplies)


def ranger_and_air(board: str = "small-5v") -> Rig:
    """A rig of one ranger and an air sensor on the small board, put on another board as it is."""
    made = rig(part("ultrasonic-ranger", "front-ranger"), part("air-temperature", "air"))
    return made if board == "small-5v" else assign(replace(made, board=boards.board(board)))


def rewired(made: Rig, part_id: str, pin: str, **changes: object) -> Rig:
    """The same rig with one wire changed."""
    return made.with_wire(replace(made.wire(part_id, pin), **changes))  # type: ignore[arg-type]
