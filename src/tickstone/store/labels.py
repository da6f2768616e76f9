"""What a person said about the labels on a rig's line."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tickstone.core.rigs.meanings import Meaning
from tickstone.store import tables


def meanings(session: Session, rig_id: int) -> dict[str, Meaning]:
    """The meanings that are settled, by label."""
    where = tables.LineLabelRow.rig_id == rig_id
    rows = session.execute(select(tables.LineLabelRow.label, tables.LineLabelRow.meaning).where(where))
    return {row.label: Meaning(**row.meaning) for row in rows}


def settle(session: Session, rig_id: int, label: str, meaning: Meaning) -> None:
    """Keep what a label means; the latest word holds."""
    new = insert(tables.LineLabelRow).values(rig_id=rig_id, label=label, meaning=asdict(meaning))
    changed = new.on_conflict_do_update(
        index_elements=["rig_id", "label"], set_={"meaning": new.excluded.meaning}
    )
    session.execute(changed)


def forget(session: Session, rig_id: int, label: str) -> None:
    """Let a label be guessed again."""
    session.execute(
        delete(tables.LineLabelRow).where(
            tables.LineLabelRow.rig_id == rig_id, tables.LineLabelRow.label == label
        )
    )
