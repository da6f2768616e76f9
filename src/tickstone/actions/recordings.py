"""The recordings of a rig: listed, opened, renamed, noted, archived and brought back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from tickstone.actions import lanes, reading
from tickstone.store import earlier, recordings, rigs
from tickstone.store.earlier import Earlier as Earlier
from tickstone.store.recordings import StoredMark as StoredMark
from tickstone.store.recordings import StoredRecording as StoredRecording


@dataclass(frozen=True)
class OpenedRecording:
    """A recording with its marks, what was not understood, and everything of it that can be a lane."""

    recording: StoredRecording
    marks: Sequence[StoredMark]
    odd: Sequence[recordings.StoredOddLine]
    earlier: Sequence[Earlier]
    shown: Sequence[lanes.Shown]


@dataclass(frozen=True)
class ListedRecordings:
    """Recordings, newest first; ``slow`` are the streams (recording's id, sensor) that take their time to
    open."""

    newest_first: Sequence[StoredRecording]
    slow: Sequence[tuple[int, str]]


def listed(session: Session, slug: str, archived: bool = False) -> ListedRecordings:
    """A rig's recordings, or archived ones. Raises NotFound."""
    stored = rigs.rig_named(session, slug)
    newest_first = recordings.recordings_of(session, stored.id, archived)
    return ListedRecordings(newest_first, reading.slow_to_open(stored.rig, newest_first))


def opened(session: Session, recording_id: int) -> OpenedRecording:
    """A recording, to be looked at. Raises NotFound."""
    recording = recordings.recording(session, recording_id)
    rig = rigs.rig_of_revision(session, recording.rig_revision_id)
    return OpenedRecording(
        recording,
        recordings.marks_of(session, recording_id),
        recordings.odd_lines(session, recording_id),
        earlier.of_recording(session, recording_id),
        lanes.everything(rig, recording),
    )


def change(
    session: Session,
    recording_id: int,
    name: str | None = None,
    note: str | None = None,
    archived: bool | None = None,
    seen: int | None = None,
) -> None:
    """Rename a recording, note something about it, put it away or bring it back; what is None stays. ``seen``
    is the last change of it that was known. Raises NotFound, and Conflict while it is going on, or when
    somebody else changed the same first."""
    recordings.hold(session, [recording_id])
    old = recordings.recording(session, recording_id)
    present = {"name": old.name, "note": old.note, "archived": old.archived_at is not None}
    given = {"name": name, "note": note, "archived": archived}
    changes = {field: value for field, value in given.items() if value is not None}
    earlier.replace(session, recording_id, None, present, changes, seen)
    if name is not None:
        recordings.rename(session, recording_id, name)
    if note is not None:
        recordings.set_note(session, recording_id, note)
    if archived is not None:
        recordings.set_archived(session, recording_id, archived)
