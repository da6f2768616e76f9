"""The rigs that are live, and every change of what is stored about one."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy.orm import Session

from tickstone.actions.constants import all_settled
from tickstone.actions.live.rig import LiveRig
from tickstone.errors import StoreAway
from tickstone.store import labels, recordings, rigs
from tickstone.store.database import Database
from tickstone.supervised import Supervisor


class LiveRigs:
    """A rig becomes live when somebody first asks for it."""

    def __init__(self, database: Database, supervisor: Supervisor) -> None:
        self._database, self._supervisor = database, supervisor
        self._live: dict[str, LiveRig] = {}
        self._lock = threading.Lock()

    @property
    def all(self) -> list[LiveRig]:
        """Those that are live."""
        return list(self._live.values())

    def of(self, slug: str) -> LiveRig:
        """A rig, live. Raises NotFound for one that is not there."""
        if slug not in self._live:
            with self._database.transaction() as session:
                stored = rigs.rig_named(session, slug)
                made = LiveRig(
                    stored.rig,
                    all_settled(session, stored),
                    labels.meanings(session, stored.id),
                    self._supervisor,
                    slug=slug,
                )
            with self._lock:
                self._live.setdefault(slug, made)
        return self._live[slug]

    def version(self, slug: str) -> int:
        """A number that rises with every stored change of a rig."""
        live = self._live.get(slug)
        return 0 if live is None else live.version

    @contextmanager
    def change(self, slug: str) -> Iterator[Session]:
        """A transaction in which something stored about a rig changes: once it is kept, what is live takes it
        over and its windows fetch it anew."""
        with self._database.transaction() as session:
            yield session
        self.changed(slug)

    @contextmanager
    def change_recording(self, recording_id: int) -> Iterator[Session]:
        """The same, for the rig that a recording is of. Raises NotFound."""
        with self._database.transaction() as session:
            slug = rigs.rig_with_id(session, recordings.recording(session, recording_id).rig_id).slug
            yield session
        self.changed(slug)

    def changed(self, slug: str) -> None:
        """Take over what was changed, here or by another process."""
        live = self._live.get(slug)
        if live is None:
            return
        with contextlib.suppress(StoreAway), self._database.transaction() as session:
            stored = rigs.rig_named(session, slug)
            live.refresh(stored.rig, all_settled(session, stored), labels.meanings(session, stored.id))
        live.version += 1
