"""Files that were handed over and wait on the bench: looked at, then taken in or taken away."""

from __future__ import annotations

import contextlib
import itertools
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import BinaryIO

from tickstone import scratch
from tickstone.actions import importing
from tickstone.actions.importing import Look, Wish
from tickstone.actions.jobs import DONE, Jobs, JobState, Progress
from tickstone.errors import BadInput, Conflict, NotFound
from tickstone.store.database import Database

MOST_FILES = 50
GONE = NotFound("This file is not on the bench any more: choose it again.", "file")


@dataclass(frozen=True)
class BenchFile:
    """A file on the bench: for which rig, its name and size, the wish it goes by, and its job once it is
    taken in."""

    id: int
    slug: str
    path: Path
    size: int
    wish: Wish
    job: int | None = None


class BenchFiles:
    """All files on the bench, in a folder of their own that ends with the app. ``looks`` is where their
    beginnings are read."""

    def __init__(self, database: Database, looks: Jobs, changed: Callable[[str], None]) -> None:
        self._database, self._looks, self._changed = database, looks, changed
        self._jobs = Jobs()
        self._folder: Path | None = None
        self._files: dict[int, BenchFile] = {}
        self._numbers = itertools.count(1)
        self._lock = threading.Lock()

    def room(self) -> BinaryIO:
        """An empty file to receive bytes. Raises Conflict when there are too many files."""
        self._looks.warm()
        with self._lock:
            done = [file for file in self._files.values() if self._is_done(file)]
            if len(self._files) - len(done) >= MOST_FILES:
                raise Conflict(f"{MOST_FILES} files wait already: store or discard some first.", "file")
            for old in done[:-MOST_FILES]:
                del self._files[old.id]
            if self._folder is None:
                self._folder = scratch.folder("bench")
        return tempfile.NamedTemporaryFile(dir=self._folder, delete=False)  # type: ignore[return-value]

    def put(self, slug: str, file: BinaryIO, wish: Wish) -> BenchFile:
        """Lay a received file on the bench of a rig."""
        path = Path(file.name)
        file.close()
        size = path.stat().st_size
        if not size:
            path.unlink()
            raise BadInput("The file is empty.", "file")
        with self._lock:
            result = BenchFile(next(self._numbers), slug, path, size, wish)
            self._files[result.id] = result
        return result

    def file(self, file_id: int) -> BenchFile:
        """The file of that number. Raises NotFound."""
        file = self._files.get(file_id)
        if file is None:
            raise GONE
        return file

    def of_rig(self, slug: str) -> list[BenchFile]:
        """The files of a rig's bench, the newest of those that are done among them."""
        return [file for file in self._files.values() if file.slug == slug]

    def look(self, file_id: int, wish: Wish) -> Look:
        """The beginning of a file as it would be taken in; the wish is kept. Raises BadInput."""
        file = self._settle(file_id, wish)
        work = self._looks.start(looked_at, self._database.url, file.slug, file.path, file.wish)
        look: Look = self._looks.result(work)
        return look

    def begin(self, file_id: int, wish: Wish) -> BenchFile:
        """Begin to take a file in. Raises Conflict when that goes on already."""
        file = self._settle(file_id, wish)
        job = self._jobs.start(
            taken_in,
            self._database.url,
            file.slug,
            file.path,
            file.wish,
            then=lambda: self._ended(file_id),
        )
        with self._lock:
            self._files[file_id] = file = replace(file, job=job)
        return file

    def _is_done(self, file: BenchFile) -> bool:
        """Whether a file is a recording by now: it waits no longer."""
        state = self.state(file)
        return state is not None and state.state == DONE

    def _ended(self, file_id: int) -> None:
        """The taking in has ended, however it did; of a file that is a recording now nothing is kept but how
        it went."""
        file = self._files.get(file_id)
        if file is None:
            return
        if self._is_done(file):
            with contextlib.suppress(OSError):
                file.path.unlink()
        self._changed(file.slug)

    def _settle(self, file_id: int, wish: Wish) -> BenchFile:
        file = self.file(file_id)
        state = self.state(file)
        if state is not None and state.state in ("waiting", "running", DONE):
            raise Conflict("This file is being taken in already.", "file")
        with self._lock:
            if file_id not in self._files:
                raise GONE
            self._files[file_id] = file = replace(
                file, wish=replace(wish, modified=file.wish.modified, by_hand=file.wish.by_hand)
            )
        return file

    def state(self, file: BenchFile) -> JobState | None:
        """How the taking in of a file stands; None before it begins."""
        return None if file.job is None else self._jobs.state(file.job)

    def remove(self, file_id: int) -> None:
        """Take a file away; what is not whole in yet is not kept."""
        file = self.file(file_id)
        if file.job is not None:
            self._jobs.stop(file.job)
        with self._lock:
            self._files.pop(file_id, None)
        with contextlib.suppress(OSError):
            file.path.unlink()

    def close(self) -> None:
        """Take all files away, and end what is done with them."""
        self._jobs.close()
        if self._folder is not None:
            scratch.remove(self._folder)


def looked_at(url: str, slug: str, path: Path, wish: Wish, _: Progress) -> Look:
    """What the worker process does before: look at a file, with a connection of its own."""
    database = Database(url)
    try:
        return importing.look(database, slug, path, wish)
    except FileNotFoundError:
        raise GONE from None
    finally:
        database.close()


def taken_in(url: str, slug: str, path: Path, wish: Wish, progress: Progress) -> int:
    """What the worker process does: take a file in, with a connection of its own; returns the recording's
    id."""
    database = Database(url)
    try:
        return importing.take_in(database, slug, path, wish, progress)
    finally:
        database.close()
