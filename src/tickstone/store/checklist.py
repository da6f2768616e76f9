"""Ticks of the checklist: which steps are ticked, when and by whom."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from tickstone.store import tables


@dataclass(frozen=True)
class Tick:
    """A step that is ticked: when, and by whom where that was said."""

    step: str
    at: datetime
    by: str


def ticks(session: Session, rig_id: int) -> dict[str, Tick]:
    """The ticks that stand, by step."""
    rows = session.scalars(
        select(tables.ChecklistTickRow)
        .where(tables.ChecklistTickRow.rig_id == rig_id, tables.ChecklistTickRow.taken_back_at.is_(None))
        .order_by(tables.ChecklistTickRow.id)
    )
    return {row.step: Tick(row.step, row.at, row.by) for row in rows}


def tick(session: Session, rig_id: int, step: str, text: str, by: str) -> None:
    """Tick a step; one that is ticked already stays as it was."""
    if step not in ticks(session, rig_id):
        session.add(tables.ChecklistTickRow(rig_id=rig_id, step=step, text=text, by=by))
        session.flush()


def take_back(session: Session, rig_id: int, step: str) -> None:
    """Take a step's tick back."""
    session.execute(
        update(tables.ChecklistTickRow)
        .where(
            tables.ChecklistTickRow.rig_id == rig_id,
            tables.ChecklistTickRow.step == step,
            tables.ChecklistTickRow.taken_back_at.is_(None),
        )
        .values(taken_back_at=datetime.now(UTC))
    )
