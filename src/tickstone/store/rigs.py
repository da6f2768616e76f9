"""Rigs and their revisions. The rig document is the rig JSON itself."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from tickstone.core.rigs.rig import SCHEMA, Rig
from tickstone.errors import Conflict, NotFound
from tickstone.store import tables

RIG_DOCUMENT: TypeAdapter[Rig] = TypeAdapter(Rig)

_PARENT = aliased(tables.RigRevisionRow)
_CURRENT = (
    select(
        tables.RigRow.id, tables.RigRow.slug, tables.RigRow.archived_at, tables.RigRevisionRow, _PARENT.number
    )
    .join(tables.RigRevisionRow, tables.RigRevisionRow.id == tables.RigRow.current_revision_id)
    .outerjoin(_PARENT, _PARENT.id == tables.RigRevisionRow.parent_id)
)


@dataclass(frozen=True)
class StoredRig:
    """A rig at its current revision."""

    id: int
    slug: str
    revision_id: int
    revision: int
    parent: int | None
    why: str
    at: datetime
    rig: Rig
    archived: bool = False


def _document(rig: Rig) -> dict[str, Any]:
    plain: dict[str, Any] = RIG_DOCUMENT.dump_python(rig, mode="json")
    return plain


def all_rigs(session: Session, archived: bool = False) -> list[StoredRig]:
    """Every rig on the bench, or every archived one, by slug."""
    gone = tables.RigRow.archived_at.is_not(None) if archived else tables.RigRow.archived_at.is_(None)
    return [_stored(*row) for row in session.execute(_CURRENT.where(gone).order_by(tables.RigRow.slug))]


def rig_named(session: Session, slug: str) -> StoredRig:
    """The rig of that slug at its current revision. Raises NotFound."""
    result = session.execute(_CURRENT.where(tables.RigRow.slug == slug)).one_or_none()
    if result is None:
        raise NotFound(f"There is no rig {slug!r}.")
    return _stored(*result)


def _stored(
    rig_id: int, slug: str, archived_at: datetime | None, revision: tables.RigRevisionRow, parent: int | None
) -> StoredRig:
    return StoredRig(
        rig_id,
        slug,
        revision.id,
        revision.number,
        parent,
        revision.why,
        revision.at,
        _rig(revision.document),
        archived_at is not None,
    )


def rig_with_id(session: Session, rig_id: int) -> StoredRig:
    """The rig of that database id at its current revision. Raises NotFound."""
    slug = session.scalars(select(tables.RigRow.slug).where(tables.RigRow.id == rig_id)).one_or_none()
    return rig_named(session, slug or "")


def rig_of_revision(session: Session, revision_id: int) -> Rig:
    """The rig as it was at a revision (revisions never change)."""
    document = session.scalars(
        select(tables.RigRevisionRow.document).where(tables.RigRevisionRow.id == revision_id)
    ).one_or_none()
    if document is None:
        raise NotFound(f"There is no rig revision {revision_id}.")
    return _rig(document)


def _rig(document: dict[str, Any]) -> Rig:
    # older documents lack only what has a default
    return RIG_DOCUMENT.validate_python(document | {"schema": SCHEMA})


def revision_numbered(session: Session, rig_id: int, number: int) -> int | None:
    """The id of a rig's revision, or None when the rig has none of that number."""
    where = (tables.RigRevisionRow.rig_id == rig_id, tables.RigRevisionRow.number == number)
    return session.scalar(select(tables.RigRevisionRow.id).where(*where))


def number_of_revision(session: Session, revision_id: int) -> int | None:
    """The number of a revision."""
    return session.scalar(select(tables.RigRevisionRow.number).where(tables.RigRevisionRow.id == revision_id))


def new_rig(session: Session, slug: str, rig: Rig, why: str) -> StoredRig:
    """Store a new rig with its sensors. Raises Conflict when the slug is taken."""
    if session.scalar(select(tables.RigRow.id).where(tables.RigRow.slug == slug)):
        raise Conflict(f"There is a rig {slug!r} already.", "slug")
    row = tables.RigRow(slug=slug)
    session.add(row)
    session.flush()
    revise(session, row.id, None, rig, why)
    return rig_named(session, slug)


def revise(session: Session, rig_id: int, seen_revision: int | None, rig: Rig, why: str) -> None:
    """Make a new current revision. Raises Conflict when ``seen_revision`` is no longer the current one."""
    row = session.get_one(tables.RigRow, rig_id, with_for_update=True)
    current = session.get(tables.RigRevisionRow, row.current_revision_id) if row.current_revision_id else None
    if current is not None and seen_revision != current.number:
        raise Conflict(
            f"Somebody changed this rig first (revision {current.number}, you saw {seen_revision}). "
            "Look at it again, then repeat your change.",
            "revision",
        )
    number = (
        session.scalar(
            select(func.max(tables.RigRevisionRow.number)).where(tables.RigRevisionRow.rig_id == rig_id)
        )
        or 0
    )
    fresh = tables.RigRevisionRow(
        rig_id=rig_id,
        number=number + 1,
        parent_id=current.id if current else None,
        document=_document(rig),
        schema_version=SCHEMA,
        why=why,
    )
    session.add(fresh)
    session.flush()
    row.current_revision_id = fresh.id
    _know_sensors(session, rig_id, rig)


def _know_sensors(session: Session, rig_id: int, rig: Rig) -> None:
    """Give every sensor of a rig its lasting identity; one that is taken off keeps it."""
    stored = {
        row.key: row
        for row in session.scalars(select(tables.SensorRow).where(tables.SensorRow.rig_id == rig_id))
    }
    for sensor in rig.sensors:
        row = stored.get(sensor.id)
        if row is None:
            session.add(tables.SensorRow(rig_id=rig_id, key=sensor.id, kind=sensor.kind, name=sensor.name))
        else:
            row.name = sensor.name
    session.flush()


def hold(session: Session, rig_id: int) -> None:
    """Nobody else who asks for it changes this rig until the transaction ends."""
    session.get_one(tables.RigRow, rig_id, with_for_update=True)


def set_archived(session: Session, rig_id: int, archived: bool) -> None:
    """Take a rig off the bench, or put it back."""
    session.get_one(tables.RigRow, rig_id).archived_at = datetime.now(UTC) if archived else None


def step_back(session: Session, rig_id: int, seen_revision: int) -> str:
    """Make the current revision's parent current again; returns why the undone revision had been made."""
    row = session.get_one(tables.RigRow, rig_id, with_for_update=True)
    current = session.get_one(tables.RigRevisionRow, row.current_revision_id)
    if current.number != seen_revision:
        raise Conflict(
            f"Somebody changed this rig first (revision {current.number}, you saw {seen_revision}).",
            "revision",
        )
    if current.parent_id is None:
        raise Conflict("There is nothing to undo on this rig.", "revision")
    row.current_revision_id = current.parent_id
    return current.why


def sensor_ids(session: Session, rig_id: int) -> dict[str, int]:
    """The database ids of a rig's sensors by key."""
    rows = session.execute(
        select(tables.SensorRow.key, tables.SensorRow.id).where(tables.SensorRow.rig_id == rig_id)
    )
    return {row[0]: row[1] for row in rows}
