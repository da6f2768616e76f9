"""Judging a run on wheels by where it was driven."""

from __future__ import annotations

from tickstone.core.behaviours.behaviour import ROW
from tickstone.core.drive.judging.field import of_field
from tickstone.core.drive.judging.line import of_line
from tickstone.core.drive.judging.rolled import Rolled
from tickstone.core.drive.judging.room import of_room
from tickstone.core.drive.judging.table import of_table
from tickstone.core.drive.request import RunVerdict
from tickstone.core.drive.world import TableWorld


def of_roll(rolled: Rolled) -> RunVerdict:
    """Judge a run on wheels."""
    if isinstance(rolled.world, TableWorld):
        return of_table(rolled)
    if rolled.behaviour.follows:
        return of_line(rolled)
    return of_field(rolled) if rolled.behaviour.reads == ROW else of_room(rolled)
