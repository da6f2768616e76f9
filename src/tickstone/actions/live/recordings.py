"""Recording what live rigs send: begun, marked, flushed, and closed when it ends, however it does."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.orm import Session

from tickstone.actions import marking
from tickstone.actions.live.rig import LiveRig
from tickstone.actions.live.rigs import LiveRigs
from tickstone.core.rigs.commands import command_labels
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.errors import Conflict, DiskFull, NotConnected, StoreAway
from tickstone.formats.mapping import OTHER
from tickstone.link import journal
from tickstone.link.journal import Journal, Waiting
from tickstone.link.recorder import Recorder
from tickstone.store import log, recordings, rigs
from tickstone.store.database import Database
from tickstone.store.samples import SampleSink
from tickstone.supervised import LOG

WAITED = "Its last readings waited in a file while the database was away."
GRACE_S = 5.0  # a plug that comes back within so long goes on in the same recording, as a new segment


def _streams(rig: Rig) -> list[recordings.NewStream]:
    """What a rig sends: the readings of each sensor, and what its program commands."""
    streams = [recordings.NewStream(s.id, s.id, kind(s.kind).channels_of(s.options)) for s in rig.sensors]
    commands = tuple(command_labels(rig).values())
    return [*streams, recordings.NewStream(OTHER, None, commands)] if commands else streams


@dataclass(frozen=True)
class Ended:
    """A recording that has ended and is not closed in the store yet."""

    slug: str
    recorder: Recorder
    status: str
    why: str


class Recordings:
    """The recordings of all rigs that are live, at most one of each. Rows that wait for the store are kept in
    journals in ``folder``."""

    def __init__(self, database: Database, live_rigs: LiveRigs, folder: Path) -> None:
        self._database, self._rigs, self._folder = database, live_rigs, folder
        self._left = self._left_behind()
        self._ended: list[Ended] = []
        self._lock = threading.Lock()
        self._beginning = threading.Lock()
        self._recovered = False

    def recover(self) -> None:
        """Take in what waits from an earlier run and close what it left open; tried again while the store is
        away."""
        if self._recovered:
            return
        try:
            while self._left:
                self._take_in(self._left[0])
                self._left.pop(0)
            with self._beginning, self._database.transaction() as session:
                recordings.close_orphans(session, [recorder.recording_id for recorder in self._recorders])
        except StoreAway:
            return
        self._recovered = True

    @property
    def waiting(self) -> int:
        """Rows that the store has not taken yet, of recordings that run, have ended, or were left behind."""
        held = sum(recorder.progress.waiting for recorder in self._recorders if recorder.progress.away)
        return held + sum(left.count for left in self._left)

    @property
    def disk_full(self) -> bool:
        """Whether rows wait because the database has no room."""
        return any(recorder.progress.away == DiskFull.code for recorder in self._recorders)

    @property
    def _recorders(self) -> list[Recorder]:
        running = [recording.recorder for live in self._rigs.all if (recording := live.recording) is not None]
        with self._lock:
            return [*running, *(recording.recorder for recording in self._ended)]

    def _left_behind(self) -> list[Waiting]:
        read = [(path, journal.read(path)) for path in journal.waiting_in(self._folder)]
        for path, waiting in read:
            if waiting is None:
                LOG.error("%s cannot be read: it stays where it is", path)
        left = [waiting for _, waiting in read if waiting is not None]
        for waiting in left:
            LOG.warning("%d rows of recording %d wait for the store", waiting.count, waiting.recording_id)
        return left

    def _take_in(self, left: Waiting) -> None:
        with self._database.transaction() as session:
            known = recordings.began(session, left.recording_id)
        if known is None or known != datetime.fromisoformat(left.began):
            LOG.error("%s belongs to another database: it stays where it is", left.path)
            return
        sink = SampleSink(self._database)
        for batch in left.batches:
            sink.append(left.recording_id, batch)
        status, why = left.ending or ("cut", recordings.STOPPED)
        with self._database.transaction() as session:
            self._close_stored(session, left.recording_id, status, f"{why} {WAITED}".strip())
        left.path.unlink(missing_ok=True)
        LOG.warning("%d rows of recording %d are stored", left.count, left.recording_id)

    def begin(self, slug: str, name: str = "") -> int:
        """Begin a recording of everything the rig sends; returns its id. Raises NotConnected, and Conflict
        when one runs."""
        live = self._rigs.of(slug)
        with self._beginning:
            if live.recording is not None:
                raise Conflict("A recording is running already.", "recording")
            if not live.connection.open:
                raise NotConnected("Connect the board or the stand-in first.")
            with self._database.transaction() as session:
                stored = rigs.rig_named(session, slug)
                began = datetime.now(UTC)
                title = name.strip() or f"{stored.rig.title}, {began:%d %b %H:%M}"
                recording_id = recordings.begin(
                    session,
                    rig_id=stored.id,
                    revision_id=stored.revision_id,
                    name=title,
                    origin="live",
                    source=live.connection.source,
                    clock="device",
                    streams=_streams(stored.rig),
                    started_at=began,
                )
                log.write_entry(
                    session, stored.id, "recording", f"Recording begun: {title}", recording=recording_id
                )
            kept = Journal(self._folder, recording_id, began.isoformat())
            live.begin(Recorder(recording_id, SampleSink(self._database), kept), title)
        self._rigs.changed(slug)
        return recording_id

    def mark(self, slug: str, text: marking.MarkText, lasted_s: float = 0.0) -> int:
        """Mark this moment in the running recording, or the span of the last ``lasted_s``; returns the mark's
        id."""
        live = self._rigs.of(slug)
        recording = live.recording
        if recording is None:
            raise Conflict("Marks belong to a recording: press Record first.", "recording")
        now = recording.time_us(live.view.now_s())
        begun = max(0, now - round(lasted_s * 1e6))
        with self._rigs.change(slug) as session:
            return marking.add(session, recording.id, begun, now if begun < now else None, text)

    def stop(self, slug: str) -> int:
        """End the running recording; returns its id. Raises Conflict when there is none."""
        recording = self._rigs.of(slug).recording
        if recording is None:
            raise Conflict("No recording is running.", "recording")
        self.end(slug, "closed", "")
        self.close_ended()
        return recording.id

    def end(self, slug: str, status: str, why: str) -> None:
        """No row goes into the rig's recording any more; it is closed when the store has taken what waits."""
        recorder = self._rigs.of(slug).end()
        if recorder is not None:
            with self._lock:
                self._ended.append(Ended(slug, recorder, status, why))

    def flush(self, live: LiveRig) -> None:
        """Hand what waits to the store; end the recording of a source that has gone for good."""
        state, recording = live.view.state(), live.recording
        if recording is None:
            return
        recording.recorder.flush()
        if state.status == "idle" or (state.status == "lost" and state.lost_for_s > GRACE_S):
            self.end(live.slug, "cut", state.why)

    def close_ended(self) -> None:
        """Flush and close recordings that have ended; those the store cannot take yet stay in line, and in
        their journals."""
        with self._lock:
            ended, self._ended = self._ended, []
        for recording in ended:
            try:
                self._close(recording)
            except StoreAway:
                recording.recorder.rest(recording.status, recording.why)
                with self._lock:
                    self._ended.append(recording)

    def _close(self, ended: Ended) -> None:
        if not ended.recorder.flush():
            raise StoreAway("")
        with self._rigs.change(ended.slug) as session:
            self._close_stored(session, ended.recorder.recording_id, ended.status, ended.why)
        ended.recorder.settled()

    @staticmethod
    def _close_stored(session: Session, recording_id: int, status: str, why: str) -> None:
        recordings.close(session, recording_id, status=status, why=why)
        stored = recordings.recording(session, recording_id)
        how = "Recording kept" if status == "closed" else "Recording cut short, kept"
        rows = sum(stream.n for stream in stored.streams)
        text = f"{how}: {stored.name}, {stored.duration_s:.1f} s, {rows} readings. {why}".strip()
        log.write_entry(session, stored.rig_id, "recording", text, recording=stored.id)
