"""The timeline of a rig: what was done, and what a person notes."""

from __future__ import annotations

from sqlalchemy.orm import Session

from tickstone.store import log, rigs


def entries(session: Session, slug: str, search: str = "") -> list[log.StoredEntry]:
    """What was done, newest first; ``search`` finds words and beginnings of words. Raises NotFound."""
    return log.entries(session, rigs.rig_named(session, slug).id, search)


def note(session: Session, slug: str, text: str) -> None:
    """Write a note into the timeline. Raises NotFound."""
    log.write_entry(session, rigs.rig_named(session, slug).id, "note", text.strip())
