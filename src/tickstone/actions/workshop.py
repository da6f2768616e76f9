"""Everything that lives as long as the app: the database, the feeds, the stand-ins, the thread that flushes."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import partial
from typing import Any, Protocol

from tickstone.actions import marking, reading
from tickstone.actions.bench_files import BenchFiles
from tickstone.actions.constants import all_settled
from tickstone.actions.diagnosing import Finder, heard
from tickstone.actions.feed import Feed
from tickstone.actions.holding import Hold, has_moved, judge_now, keep_step, next_hold
from tickstone.actions.jobs import Jobs
from tickstone.core.calibration.procedure import Holding
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.motor_check import Stretch
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.errors import Conflict, NotConnected, NotFound, StoreAway, TickStoneError
from tickstone.link.recorder import FLUSH_S, Recorder
from tickstone.link.sources import Source
from tickstone.store import labels, log, recordings, rigs
from tickstone.store.database import Database
from tickstone.store.samples import SampleSink
from tickstone.supervised import Supervisor


class StandIn(Protocol):
    """A rig's stand-in seen from outside."""

    @property
    def serial_path(self) -> str: ...
    @property
    def tcp_address(self) -> tuple[str, int]: ...
    def hands(self, changes: dict[str, float] | None = None) -> list[dict[str, Any]]: ...


class StandIns(Protocol):
    """Where stand-ins come from."""

    def for_rig(self, slug: str, rig: Rig) -> StandIn: ...


LOOK_S = 1.0  # between two looks for faults
REST = 6.0  # times what a look took, so that on a slow machine it takes no more than a seventh of a core
GRACE_S = 5.0  # a plug that comes back within so long goes on in the same recording, as a new segment


@dataclass(frozen=True)
class Taken:
    """The step that was taken last: in which recording, of which sensor, under which key, and when, s of the feed's time."""

    recording_id: int | None
    sensor: str
    key: str
    at_s: float


class Workshop:
    """The one place that knows which feeds there are. ``version(slug)`` rises with every change that windows show."""

    def __init__(self, database: Database, standins: StandIns | None = None) -> None:
        self.database, self.standins = database, standins
        self._feeds: dict[str, Feed] = {}
        self._versions: dict[str, int] = {}
        self._begun_by_hold: set[str] = set()
        self._holds: dict[str, Hold] = {}
        self._taken: dict[str, Taken] = {}
        self._rests: dict[str, tuple[list[Stretch], float]] = {}
        self._closing: list[tuple[str, Recorder, str, str]] = []
        self._lock = threading.RLock()
        self._stop = threading.Event()
        self._warming = threading.Lock()
        self._recovered = False
        self.supervisor = Supervisor()
        self.jobs = Jobs()
        self.files = BenchFiles(database, self.jobs, self.changed)
        self._finders: dict[str, Finder] = {}
        self._threads: list[threading.Thread] = []

    def open(self) -> None:
        """Close what an earlier run left open, and begin to flush."""
        self._recover()
        start = self.supervisor.start
        self._threads = [start("flush", self._run, self._stop), start("find", self._look_on, self._stop)]

    def close(self) -> None:
        """End every recording cleanly and let all sources go."""
        self._stop.set()
        for thread in self._threads:
            thread.join(timeout=5)
        for slug in list(self._feeds):
            self._finish(slug, "closed", "Tick Stone was stopped.")
            self._feeds[slug].disconnect()
        self._close_ended()
        self.jobs.close()
        self.files.close()

    # Feeds ----------------------------------------------------------------------------------------------------------

    def feed(self, slug: str) -> Feed:
        """The feed of a rig, made on first use. Raises NotFound for a rig that is not there."""
        with self._lock:
            if slug not in self._feeds:
                with self.database.transaction() as session:
                    stored = rigs.rig_named(session, slug)
                    values, said = all_settled(session, stored), labels.meanings(session, stored.id)
                    self._feeds[slug] = Feed(stored.rig, values, said, self.supervisor)
            return self._feeds[slug]

    def changed(self, slug: str) -> None:
        """Say that something stored about a rig changed: its feed takes it over, its windows fetch it anew."""
        with self._lock:
            self._versions[slug] = self._versions.get(slug, 0) + 1
            feed = self._feeds.get(slug)
        if feed is None:
            return
        with contextlib.suppress(StoreAway), self.database.transaction() as session:
            stored = rigs.rig_named(session, slug)
            feed.refresh(stored.rig, all_settled(session, stored), labels.meanings(session, stored.id))

    def warm(self, streams: Sequence[tuple[int, str]]) -> None:
        """Get ready, beside everything else, for streams that are slow to open."""

        def run() -> None:
            try:
                with contextlib.suppress(TickStoneError):
                    reading.warm(self.database, streams)
            finally:
                self._warming.release()

        if streams and self._warming.acquire(blocking=False):
            self.supervisor.start("warm", run, again=False)

    def still(self, slug: str, doing: str) -> None:
        """Raise Conflict while a rig records: its parts must not change under a recording."""
        if self.feed(slug).recorder is not None:
            raise Conflict(f"A recording is running: stop it before {doing}.", "recording")

    def version(self, slug: str) -> int:
        """A number that rises with every stored change of a rig."""
        return self._versions.get(slug, 0)

    def connect(self, slug: str, source: Source) -> None:
        """Connect a rig to a source. Raises SourceLost when it cannot be opened."""
        feed = self.feed(slug)
        state = feed.state()
        if not feed.connected and feed.recorder is not None:
            self._finish(slug, "cut", state.why)  # the thread that would have done it has not come round yet
        with self.database.transaction() as session:
            said = labels.meanings(session, rigs.rig_named(session, slug).id)
        feed.connect(source, said)

    def disconnect(self, slug: str) -> None:
        """Let a rig's source go; a running recording ends cleanly first."""
        self._finish(slug, "closed", "")
        self.feed(slug).disconnect()

    # Recording ------------------------------------------------------------------------------------------------------

    def record(self, slug: str, name: str = "") -> int:
        """Begin a recording of everything the rig sends; returns its id."""
        feed = self.feed(slug)
        with self._lock:
            if feed.recorder is not None:
                raise Conflict("A recording is running already.", "recording")
            if not feed.connected:
                raise NotConnected("Connect the board or the stand-in first.")
            with self.database.transaction() as session:
                stored = rigs.rig_named(session, slug)
                title = name.strip() or f"{stored.rig.title}, {datetime.now(UTC):%d %b %H:%M}"
                recording_id = recordings.begin(
                    session, rig_id=stored.id, revision_id=stored.revision_id, name=title, origin="live",
                    source=feed.state().source, clock="device",
                    streams=[
                        recordings.NewStream(s.id, s.id, kind(s.kind).channels_of(s.options)) for s in stored.rig.sensors
                    ],
                )  # fmt: skip
                log.write_entry(session, stored.id, "recording", f"Recording begun: {title}", recording=recording_id)
            feed.begin(Recorder(recording_id, SampleSink(self.database)), title)
        self.changed(slug)
        return recording_id

    def stop(self, slug: str) -> int:
        """End the running recording; returns its id. Raises Conflict when there is none."""
        recorder = self.feed(slug).recorder
        if recorder is None:
            raise Conflict("No recording is running.", "recording")
        self._finish(slug, "closed", "")
        self._close_ended()
        return recorder.recording_id

    def _finish(self, slug: str, status: str, why: str) -> None:
        recorder = self._feeds[slug].end() if slug in self._feeds else None
        if recorder is not None:
            with self._lock:
                self._holds.pop(slug, None)
                self._begun_by_hold.discard(slug)
                self._closing.append((slug, recorder, status, why))

    def _close_ended(self) -> None:
        """Flush and close recordings that have ended; those the store cannot take yet stay in line."""
        with self._lock:
            ended, self._closing = self._closing, []
        for slug, recorder, status, why in ended:
            try:
                if not recorder.flush():
                    raise StoreAway("")
                with self.database.transaction() as session:
                    recordings.close(session, recorder.recording_id, status=status, why=why)
                    done = recordings.recording(session, recorder.recording_id)
                    how = "Recording kept" if status == "closed" else "Recording cut short, kept"
                    rows = sum(stream.n for stream in done.streams)
                    text = f"{how}: {done.name}, {done.duration_s:.1f} s, {rows} readings. {why}".strip()
                    log.write_entry(session, done.rig_id, "recording", text, recording=done.id)
                self.changed(slug)
            except StoreAway:
                with self._lock:
                    self._closing.append((slug, recorder, status, why))

    def mark(self, slug: str, said: marking.MarkText, lasted_s: float = 0.0) -> int:
        """Mark this moment in the running recording, or the span of the last ``lasted_s``; returns the mark's id."""
        feed = self.feed(slug)
        recorder = feed.recorder
        if recorder is None:
            raise Conflict("Marks belong to a recording: press Record first.", "recording")
        now = max(0, feed.recording_time_us(feed.now_s()) or 0)
        begun = max(0, now - round(lasted_s * 1e6))
        t1 = now if begun < now else None
        with self.database.transaction() as session:
            mark_id = marking.add(session, recorder.recording_id, begun, t1, said)
        self.changed(slug)
        return mark_id

    # The check with motors --------------------------------------------------------------------------------------------

    def keep_rest(self, slug: str, rest: list[Stretch], garbled: float) -> None:
        """Keep what a rig said at rest, until it is held against what it says with motors."""
        with self._lock:
            self._rests[slug] = rest, garbled

    def rest_of(self, slug: str) -> tuple[list[Stretch], float]:
        """What the rig said at rest. Raises Conflict when nothing was kept."""
        with self._lock:
            if slug not in self._rests:
                raise Conflict("Take the stretch at rest first, with the motors off.", "step")
            return self._rests[slug]

    def note(self, slug: str, text: str) -> None:
        """Write a line into a rig's log."""
        with self.database.transaction() as session:
            log.write_entry(session, rigs.rig_named(session, slug).id, "note", text)
        self.changed(slug)

    # Holding ----------------------------------------------------------------------------------------------------------

    def hold(self, slug: str, hold: Hold) -> None:
        """Watch for a want of a procedure; a recording begins when none is running."""
        if self.feed(slug).recorder is None:
            self._begun_by_hold.add(slug)
            self.record(slug, f"{hold.procedure.title}, {datetime.now(UTC):%d %b %H:%M}")
        with self._lock:
            taken = self._taken.get(slug)
            same = taken is not None and (taken.recording_id, taken.sensor) == (self._recording_of(slug), hold.sensor)
            if taken is not None and same and hold.own_key != taken.key:  # one that is held again need not have moved
                hold = replace(hold, moved=False, before_s=taken.at_s)
            self._holds[slug] = hold

    def _recording_of(self, slug: str) -> int | None:
        recorder = self.feed(slug).recorder
        return None if recorder is None else recorder.recording_id

    def holding(self, slug: str) -> Hold | None:
        """What is being watched for, if anything is."""
        return self._holds.get(slug)

    def look(self, slug: str) -> tuple[Hold, Holding] | None:
        """What is being watched for, and how it stands this moment; None when nothing is."""
        hold = self.holding(slug)
        return None if hold is None else (hold, judge_now(self._feeds[slug], hold))

    def let_go(self, slug: str) -> None:
        """Watch no longer."""
        with self._lock:
            self._holds.pop(slug, None)

    def end_holding(self, slug: str) -> None:
        """End the recording that holding began; one that a person began goes on."""
        self.let_go(slug)
        if slug in self._begun_by_hold and self.feed(slug).recorder is not None:
            self.stop(slug)

    def take(self, slug: str, *, forced: bool) -> bool:
        """Take what is held if it may be taken (or must be), and go on to the next; returns whether it was taken."""
        found = self.look(slug)
        if found is None:
            raise Conflict("Nothing is being watched for: begin to hold first.", "key")
        hold, judged = found
        if not judged.ready and not hold.moved and not forced:
            self._moved(slug, hold)
        if not (judged.ready or forced):
            return False
        feed = self.feed(slug)
        with self.database.transaction() as session:
            key = keep_step(session, feed, hold, judged, forced=forced)
            following = next_hold(session, hold, feed.told_s)
        with self._lock:
            self._taken[slug] = Taken(self._recording_of(slug), hold.sensor, key, feed.told_s)
            if self._holds.get(slug) is hold:
                if following is None:
                    del self._holds[slug]
                else:
                    self._holds[slug] = following
        self.changed(slug)
        return True

    def _moved(self, slug: str, hold: Hold) -> None:
        """Something has moved since the step before, so that the next one is not its copy."""
        if not has_moved(self._feeds[slug], hold):
            return
        with self._lock:
            if self._holds.get(slug) is hold:
                self._holds[slug] = replace(hold, moved=True)

    # The thread -------------------------------------------------------------------------------------------------------

    def _run(self) -> None:
        while not self._stop.wait(FLUSH_S):
            self.supervisor.turn("taking up what was left open", self._recover)
            for slug in list(self._feeds):
                self.supervisor.turn(f"flushing {slug}", partial(self._flush, slug))
            for slug in list(self._holds):
                self.supervisor.turn(f"holding on {slug}", partial(self.take, slug, forced=False))
            self.supervisor.turn("closing recordings", self._close_ended)

    def _recover(self) -> None:
        if self._recovered:
            return
        try:
            with self.database.transaction() as session:
                recordings.close_orphans(session)
            self._recovered = True
        except StoreAway:
            return

    def _flush(self, slug: str) -> None:
        feed = self._feeds[slug]
        state = feed.state()
        if feed.recorder is not None:
            feed.recorder.flush()
        over = state.status == "idle" or (state.status == "lost" and state.lost_for_s > GRACE_S)
        if over and feed.recorder is not None:
            self._finish(slug, "cut", state.why)

    # Faults -----------------------------------------------------------------------------------------------------------

    def findings(self, slug: str) -> tuple[Finding, ...]:
        """What looks wrong in what comes live."""
        finder = self._finders.get(slug)
        return () if finder is None else finder.findings

    def _look_on(self) -> None:
        """A thread of its own: what it works out must not hold up what is being recorded."""
        rest_s = LOOK_S
        while not self._stop.wait(rest_s):
            begun = time.thread_time()
            for slug in list(self._feeds):
                self.supervisor.turn(f"looking for faults of {slug}", partial(self._look, slug))
            rest_s = max(LOOK_S, REST * (time.thread_time() - begun))

    def _look(self, slug: str) -> None:
        feed, finder = self._feeds[slug], self._finders.setdefault(slug, Finder())
        if not feed.connected:
            finder.clear()
            return
        recorder = feed.recorder
        marks: list[recordings.StoredMark] = []
        if recorder is not None:
            with contextlib.suppress(StoreAway), self.database.transaction() as session:
                marks = recordings.marks_of(session, recorder.recording_id)
        told = heard(feed, marks)
        if told is not None:
            finder.look(*told)

    def standin(self, slug: str) -> StandIn:
        """The stand-in of a rig, as the rig is wired now. Raises NotFound when there are no stand-ins."""
        if self.standins is None:
            raise NotFound("The stand-in is not running.")
        with self.database.transaction() as session:
            rig = rigs.rig_named(session, slug).rig
        return self.standins.for_rig(slug, rig)
