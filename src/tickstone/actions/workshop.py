"""Everything that lives as long as the app: the database, the rigs that are live, the stand-ins, the
threads."""

from __future__ import annotations

import contextlib
import os
import tempfile
import threading
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, Protocol

from tickstone.actions import driving, reading
from tickstone.actions.bench_files import BenchFiles
from tickstone.actions.guests import Entrance, Guests
from tickstone.actions.jobs import Jobs
from tickstone.actions.known_ports import KnownPorts
from tickstone.actions.live.holding import Holds
from tickstone.actions.live.looking import Lookout
from tickstone.actions.live.recordings import Recordings
from tickstone.actions.live.rig import LiveRig
from tickstone.actions.live.rigs import LiveRigs
from tickstone.actions.tables import Tables
from tickstone.core.drive.request import RunProgress
from tickstone.core.rigs.rig import Rig
from tickstone.errors import Conflict, NotFound, TickStoneError
from tickstone.link.recorder import FLUSH_S
from tickstone.link.sources import LineSource
from tickstone.store import labels, log, rigs
from tickstone.store.database import Database
from tickstone.store.space import FULL, Space, space_of
from tickstone.supervised import Supervisor

LOOK_CPU_S = 60  # far more than the beginning of any file needs


class StandIn(Protocol):
    """A rig's stand-in seen from outside."""

    @property
    def serial_path(self) -> str: ...
    @property
    def tcp_address(self) -> tuple[str, int]: ...
    def hands(self, changes: dict[str, float] | None = None) -> list[dict[str, Any]]: ...
    def drive(self, drive: dict[str, Any] | None) -> None: ...
    def track(self) -> dict[str, Any] | None: ...


class StandIns(Protocol):
    """Where stand-ins come from."""

    def for_rig(self, slug: str, rig: Rig) -> StandIn: ...
    def running(self, slug: str) -> StandIn | None: ...
    def at_rest(self, rig: Rig) -> list[dict[str, Any]]: ...
    def end_unused(self, connected: Collection[str]) -> None: ...


class Workshop:
    """The rooms of the app, and what runs in them until it is closed. ``folder`` is where its data lies;
    ``any_address`` lets boards beyond this machine's own network be connected."""

    def __init__(
        self,
        database: Database,
        standins: StandIns | None = None,
        folder: Path | None = None,
        supervisor: Supervisor | None = None,
        any_address: bool = False,
    ) -> None:
        self.database, self.standins, self.any_address = database, standins, any_address
        self._folder = folder or Path(tempfile.gettempdir()) / f"tick-stone-{os.getpid()}"
        self.supervisor = supervisor or Supervisor()
        self.rigs = LiveRigs(database, self.supervisor)
        self.recordings = Recordings(database, self.rigs, self._folder / "waiting")
        self.holds = Holds(self.rigs, self.recordings)
        self.ports = KnownPorts(self._folder / "ports.json")
        self.guests = Guests(self._folder / "guests.json")
        self.entrance: Entrance | None = None  # set when other devices can come in
        self.looks = Jobs(LOOK_CPU_S)  # none waits for a file that is taken in
        self.files = BenchFiles(database, self.looks, self.rigs.changed)
        self.tables = Tables(database, self.looks)
        self.change, self.change_recording = self.rigs.change, self.rigs.change_recording
        self._runs: dict[str, list[RunProgress]] = {}
        self._stop = threading.Event()
        self._warming, self._compiling = threading.Lock(), threading.Lock()
        self._threads: list[threading.Thread] = []

    def open(self) -> None:
        """Close what an earlier run left open, and begin to flush, to hold and to look for faults."""
        self.recordings.recover()
        lookout = Lookout(self.database, self.rigs, self.supervisor)
        start = self.supervisor.start
        self._threads = [
            start("flush", self._run, self._stop),
            start("find", partial(lookout.run, self._stop), self._stop),
        ]

    def close(self) -> None:
        """End every recording cleanly and let all sources go."""
        self._stop.set()
        for thread in self._threads:
            thread.join(timeout=5)
        for live in self.rigs.all:
            self.recordings.end(live.slug, "closed", "Tick Stone was stopped.")
            live.disconnect()
        self.recordings.close_ended()
        self.looks.close()
        self.files.close()
        self.tables.close()

    def _run(self) -> None:
        turn = self.supervisor.turn
        while not self._stop.wait(FLUSH_S):
            turn("taking up what was left open", self.recordings.recover)
            for live in self.rigs.all:
                turn(f"flushing {live.slug}", partial(self.recordings.flush, live))
            for live in self.rigs.all:
                if live.holding.hold is not None:
                    turn(f"holding on {live.slug}", partial(self.holds.take, live.slug, forced=False))
            turn("closing recordings", self.recordings.close_ended)
            if self.standins is not None:
                turn("ending stand-ins", partial(self.standins.end_unused, self._on_standins()))

    def _on_standins(self) -> list[str]:
        return [live.slug for live in self.rigs.all if live.connection.standin]

    def space(self) -> Space:
        """The room on the disk of the data; full where the database says so."""
        space = space_of(self._folder)
        return replace(space, state=FULL) if self.recordings.disk_full else space

    # Rigs ---------------------------------------------------------------------------------------------------

    def live(self, slug: str) -> LiveRig:
        """A rig, live. Raises NotFound for one that is not there."""
        return self.rigs.of(slug)

    def still(self, slug: str, doing: str) -> None:
        """Raise Conflict while a rig records: its parts must not change under a recording."""
        if self.live(slug).recording is not None:
            raise Conflict(f"A recording is running: stop it before {doing}.", "recording")

    def connect(self, slug: str, source: LineSource) -> None:
        """Connect a rig to a source. Raises SourceLost when it cannot be opened."""
        live = self.live(slug)
        if not live.connection.open:  # the thread that would end its recording has perhaps not come round yet
            self.recordings.end(slug, "cut", live.connection.why)
        with self.database.transaction() as session:
            meanings = labels.meanings(session, rigs.rig_named(session, slug).id)
        live.connect(source, meanings)
        self.rigs.changed(slug)

    def disconnect(self, slug: str) -> None:
        """Let a rig's source go; a running recording ends cleanly first."""
        self.recordings.end(slug, "closed", "")
        self.live(slug).disconnect()
        self.rigs.changed(slug)

    def note(self, slug: str, text: str) -> None:
        """Write a line into a rig's log."""
        with self.change(slug) as session:
            log.write_entry(session, rigs.rig_named(session, slug).id, "note", text)

    def standin(self, slug: str) -> StandIn:
        """The stand-in of a rig, as the rig is wired now. Raises NotFound when there are no stand-ins."""
        if self.standins is None:
            raise NotFound("The stand-in is not running.")
        with self.database.transaction() as session:
            rig = rigs.rig_named(session, slug).rig
        return self.standins.for_rig(slug, rig)

    def hands(self, slug: str) -> list[dict[str, Any]]:
        """The hands of a rig's stand-in, as they are set; looking starts none. Raises NotFound when there are
        no stand-ins."""
        if self.standins is None:
            raise NotFound("The stand-in is not running.")
        running = self.standins.running(slug)
        if running is not None:
            return running.hands()
        with self.database.transaction() as session:
            rig = rigs.rig_named(session, slug).rig
        return self.standins.at_rest(rig)

    def track(self, slug: str) -> dict[str, Any] | None:
        """How a rig's stand-in stands on the track; None while it is on the bench, or not there yet. Raises
        NotFound when there are no stand-ins."""
        if self.standins is None:
            raise NotFound("The stand-in is not running.")
        standin = self.standins.running(slug)
        return None if standin is None else standin.track()

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

    @contextlib.contextmanager
    def run_of(self, slug: str) -> Iterator[RunProgress]:
        """A run of a rig that is worked out meanwhile: it can be looked at and stopped."""
        progress = RunProgress()
        self._runs.setdefault(slug, []).append(progress)
        try:
            yield progress
        finally:
            self._runs[slug].remove(progress)

    def runs(self, slug: str) -> list[RunProgress]:
        """The runs of a rig that are being worked out."""
        return list(self._runs.get(slug, ()))

    def compile_runs(self) -> None:
        """Get ready, once and beside everything else, to work runs out fast."""
        if self._compiling.acquire(blocking=False):
            self.supervisor.start("compile runs", driving.warm, again=False)
