"""Stones and the timeline."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from tickstone.core.stones import StoneConstant
from tickstone.errors import NotFound
from tickstone.store import tables
from tickstone.store.conditions import condition_of, covariances_of, written


@dataclass(frozen=True)
class StoredStone:
    """A frozen version of all constants of a rig."""

    id: int
    rig_id: int
    number: int
    why: str
    cut_at: datetime
    rig_revision_id: int
    lines: tuple[StoneConstant, ...]

    def count(self, provenance: str) -> int:
        """How many of its constants are of that provenance."""
        return sum(line.provenance == provenance for line in self.lines)


@dataclass(frozen=True)
class StoredEntry:
    """One line of the timeline."""

    id: int
    at: datetime
    kind: str
    reference: dict[str, Any]
    text: str


def write_entry(session: Session, rig_id: int, kind: str, text: str, **reference: Any) -> None:
    """Add a line to the timeline, in the action's own transaction."""
    session.add(tables.EntryRow(rig_id=rig_id, kind=kind, text=text, reference=reference))


def entries(session: Session, rig_id: int, search: str = "", most: int = 200) -> list[StoredEntry]:
    """The timeline, newest first; ``search`` finds whole words and beginnings of words."""
    query = select(tables.EntryRow).where(tables.EntryRow.rig_id == rig_id)
    words = ["".join(c for c in word if c.isalnum()) for word in search.split()]
    terms = " & ".join(f"{word}:*" for word in words if word)
    if terms:
        query = query.where(tables.EntryRow.search.op("@@")(func.to_tsquery("simple", terms)))
    rows = session.scalars(query.order_by(tables.EntryRow.at.desc(), tables.EntryRow.id.desc()).limit(most))
    return [StoredEntry(row.id, row.at, row.kind, row.reference, row.text) for row in rows]


def next_stone_number(session: Session, rig_id: int) -> int:
    """The number that the next stone of a rig will have."""
    return (
        session.scalar(select(func.max(tables.StoneRow.number)).where(tables.StoneRow.rig_id == rig_id)) or 0
    ) + 1


def cut_stone(session: Session, rig_id: int, revision_id: int, why: str, lines: list[StoneConstant]) -> int:
    """Store a stone; returns its number. The rig row is locked so that two cuts get two numbers."""
    session.get_one(tables.RigRow, rig_id, with_for_update=True)
    number = next_stone_number(session, rig_id)
    row = tables.StoneRow(rig_id=rig_id, number=number, why=why, rig_revision_id=revision_id)
    session.add(row)
    session.flush()
    for position, line in enumerate(lines):
        session.add(
            tables.StoneLineRow(
                stone_id=row.id,
                position=position,
                sensor_key=line.sensor,
                name=line.name,
                label=line.label,
                value=line.value,
                unit=line.unit,
                sd=line.sd,
                provenance=line.provenance,
                source=line.source,
                made_at=line.made_at,
                condition=written(line.condition, line.covariances),
                stale=line.stale,
                value_id=line.value_id,
                warning=line.warning,
            )
        )
    return number


def stones_of(session: Session, rig_id: int) -> list[StoredStone]:
    """All stones of a rig, newest first."""
    return _stones(session, select(tables.StoneRow).where(tables.StoneRow.rig_id == rig_id))


def newest_stone(session: Session, rig_id: int) -> StoredStone | None:
    """The last stone of a rig; None before the first."""
    return next(
        iter(_stones(session, select(tables.StoneRow).where(tables.StoneRow.rig_id == rig_id).limit(1))), None
    )


def stone(session: Session, rig_id: int, number: int) -> StoredStone:
    """The stone of that number. Raises NotFound."""
    stones = _stones(
        session,
        select(tables.StoneRow).where(tables.StoneRow.rig_id == rig_id, tables.StoneRow.number == number),
    )
    if not stones:
        raise NotFound(f"This rig has no stone {number}.")
    return stones[0]


def _stones(session: Session, wanted: Select[tables.StoneRow]) -> list[StoredStone]:
    """Stones with their lines, newest first; the lines of all of them are asked for at once."""
    rows = session.scalars(wanted.order_by(tables.StoneRow.number.desc())).all()
    lines: dict[int, list[StoneConstant]] = defaultdict(list)
    of_these = tables.StoneLineRow.stone_id.in_([row.id for row in rows])
    for r in session.scalars(
        select(tables.StoneLineRow).where(of_these).order_by(tables.StoneLineRow.position)
    ):
        lines[r.stone_id].append(
            StoneConstant(
                r.sensor_key,
                r.name,
                r.label,
                r.value,
                r.unit,
                r.sd,
                r.provenance,
                r.source,
                r.made_at,
                condition_of(r.condition),
                r.stale,
                r.value_id,
                r.warning,
                covariances_of(r.condition),
            )
        )
    return [
        StoredStone(
            row.id, row.rig_id, row.number, row.why, row.cut_at, row.rig_revision_id, tuple(lines[row.id])
        )
        for row in rows
    ]
