"""Worlds of the app, and the runs that were kept with a rig."""

from __future__ import annotations

from dataclasses import dataclass, fields
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tickstone.errors import NotFound
from tickstone.store import tables


@dataclass(frozen=True)
class NewTrial:
    """A run to be kept, with all that it takes to repeat it: ``asked`` is what was asked for beside the
    behaviour and the world, ``constants`` those of every sensor by name."""

    rig_revision_id: int
    note: str
    behaviour: str
    world: dict[str, Any]
    asked: dict[str, Any]
    constants: dict[str, Any]
    score: dict[str, Any]
    verdict: str
    why: str


@dataclass(frozen=True)
class Trial(NewTrial):
    """A run that was kept: its number on the rig, and when."""

    number: int
    at: datetime


def worlds(session: Session) -> dict[str, dict[str, Any]]:
    """The documents of all worlds by name, in the order of their names."""
    rows = session.scalars(select(tables.WorldRow).order_by(tables.WorldRow.name))
    return {row.name: row.document for row in rows}


def world(session: Session, name: str) -> dict[str, Any] | None:
    """The document of a world, or None."""
    return session.scalar(select(tables.WorldRow.document).where(tables.WorldRow.name == name))


def put_world(session: Session, name: str, document: dict[str, Any]) -> None:
    """Keep a world under its name, in place of what was kept there."""
    row = session.scalar(select(tables.WorldRow).where(tables.WorldRow.name == name))
    if row is None:
        session.add(tables.WorldRow(name=name, document=document))
    else:
        row.document, row.changed_at = document, datetime.now(UTC)


def drop_world(session: Session, name: str) -> None:
    """Take a world away; runs in it keep a copy. Raises NotFound."""
    row = session.scalar(select(tables.WorldRow).where(tables.WorldRow.name == name))
    if row is None:
        raise NotFound(f"There is no world {name!r} of your own.")
    session.delete(row)


def keep_trial(session: Session, rig_id: int, new: NewTrial) -> int:
    """Keep a run; returns its number. The rig row is locked so that two get two numbers."""
    session.get_one(tables.RigRow, rig_id, with_for_update=True)
    of_rig = tables.TrialRow.rig_id == rig_id
    number = (session.scalar(select(func.max(tables.TrialRow.number)).where(of_rig)) or 0) + 1
    session.add(tables.TrialRow(rig_id=rig_id, number=number, **vars(new)))
    return number


def trials(session: Session, rig_id: int) -> list[Trial]:
    """The kept runs of a rig, newest first."""
    rows = session.scalars(
        select(tables.TrialRow)
        .where(tables.TrialRow.rig_id == rig_id, tables.TrialRow.archived_at.is_(None))
        .order_by(tables.TrialRow.number.desc())
    )
    return [_trial(row) for row in rows]


def trial(session: Session, rig_id: int, number: int) -> Trial:
    """A kept run by its number. Raises NotFound."""
    return _trial(_row(session, rig_id, number))


def put_away(session: Session, rig_id: int, number: int, away: bool) -> None:
    """Put a kept run away, or take it out again. Raises NotFound."""
    _row(session, rig_id, number).archived_at = datetime.now(UTC) if away else None


def _row(session: Session, rig_id: int, number: int) -> tables.TrialRow:
    of_these = (tables.TrialRow.rig_id == rig_id, tables.TrialRow.number == number)
    row = session.scalar(select(tables.TrialRow).where(*of_these))
    if row is None:
        raise NotFound(f"This rig has no run {number}.")
    return row


def _trial(row: tables.TrialRow) -> Trial:
    kept = {field.name: getattr(row, field.name) for field in fields(Trial)}
    return Trial(**kept)
