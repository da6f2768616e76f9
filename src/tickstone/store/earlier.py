"""What marks, and names and notes of recordings, were before they were changed, and who was first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tickstone.errors import Conflict
from tickstone.store import tables
from tickstone.store.recordings import hold


@dataclass(frozen=True)
class Earlier:
    """What a mark (None: the recording itself) was until ``at``, by field."""

    id: int
    mark_id: int | None
    before: dict[str, Any]
    at: datetime


def of_recording(session: Session, recording_id: int) -> list[Earlier]:
    """Every change of a recording and of its marks, newest first."""
    rows = session.scalars(
        select(tables.EarlierRow)
        .where(tables.EarlierRow.recording_id == recording_id)
        .order_by(tables.EarlierRow.id.desc())
    )
    return [Earlier(row.id, row.mark_id, row.before, row.at) for row in rows]


def replace(
    session: Session,
    recording_id: int,
    mark_id: int | None,
    present: Mapping[str, Any],
    changes: Mapping[str, Any],
    seen: int | None,
) -> None:
    """Keep what fields were before ``changes``; those that stay as they are do not count. ``seen`` is the
    last change that was known when they were made (None: whatever there is). Nobody else changes the
    recording until the transaction ends. Raises Conflict when one of the fields was changed since."""
    hold(session, [recording_id])
    changed = [name for name, value in changes.items() if value != present[name]]
    if not changed:
        return
    if seen is not None:
        for change in of_recording(session, recording_id):
            both = [name for name in changed if name in change.before]
            if change.id > seen and change.mark_id == mark_id and both:
                raise Conflict(
                    "It was changed in another window meanwhile: look at it again, then repeat your change.",
                    both[0],
                )
    before = {name: present[name] for name in changed}
    session.add(tables.EarlierRow(recording_id=recording_id, mark_id=mark_id, before=before))
    session.flush()
