"""Tables of raw readings that get converted columns, in a process of their own: a look at the first rows, and
the whole as it is written."""

from __future__ import annotations

import tempfile
import threading
import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from tickstone import scratch
from tickstone.actions import constants
from tickstone.actions.jobs import DONE, RUNNING, WAITING, Jobs, Progress
from tickstone.core.rigs.kinds import kind
from tickstone.formats import columns, converted
from tickstone.formats.converted import Converting
from tickstone.formats.opening import open_table
from tickstone.store import rigs
from tickstone.store.database import Database

PIECE = 1 << 18  # bytes sent at a time
LOOK_AGAIN_S = 0.02  # while nothing more is written yet


@dataclass(frozen=True)
class ColumnRole:
    """What a column is taken for: a ``target`` (sensor.channel), and its ``role``: time, channel, plain (a
    formula that needs no sensor), or nothing."""

    name: str
    target: str
    role: str


@dataclass(frozen=True)
class Workable:
    """A sensor of a table whose rows can be worked one by one: the raw numbers of the first rows."""

    sensor: str
    kind: str
    rows: list[dict[str, float]]


@dataclass(frozen=True)
class Preview:
    """The first rows of a table with their converted columns; ``targets`` is everything that a column can be
    said to be, ``ragged`` counts rows with too few or too many cells."""

    columns: list[ColumnRole]
    targets: list[str]
    header: list[str]
    rows: list[list[str]]
    workable: list[Workable]
    ragged: int


class Tables:
    """The tables that are handed over. ``looks`` is where the first rows are read."""

    def __init__(self, database: Database, looks: Jobs) -> None:
        self._database, self._looks, self._jobs = database, looks, Jobs()
        self._folder: Path | None = None
        self._lock = threading.Lock()

    def room(self) -> BinaryIO:
        """An empty file to receive bytes; who asked for it takes it away."""
        self._looks.warm()
        with self._lock:
            if self._folder is None:
                self._folder = scratch.folder("tables")
        return tempfile.NamedTemporaryFile(dir=self._folder, delete=False)  # type: ignore[return-value]

    def preview(self, path: Path, slug: str, meanings: Mapping[str, str]) -> Preview:
        """The first rows of a table (or of its beginning), converted. Raises BadInput and NotFound."""
        work = self._looks.start(previewed, self._database.url, path, slug, dict(meanings))
        preview: Preview = self._looks.result(work)
        return preview

    def converted(self, path: Path, slug: str, meanings: Mapping[str, str]) -> Iterator[bytes]:
        """The table as CSV with its converted columns, sent while it is written. Its beginning, a PIECE, is
        there before this returns: a small one is refused whole. Raises BadInput and NotFound."""
        made = path.with_name(f"{path.name}-converted")
        made.touch()
        work = self._jobs.start(written, self._database.url, path, made, slug, dict(meanings))
        while self._jobs.state(work).state in (WAITING, RUNNING) and made.stat().st_size < PIECE:
            time.sleep(LOOK_AGAIN_S)
        if self._jobs.state(work).error is not None:
            made.unlink()
            self._jobs.result(work)
        return self._sent(work, made)

    def _sent(self, work: int, made: Path) -> Iterator[bytes]:
        try:
            with made.open("rb") as file:
                while True:
                    going = self._jobs.state(work).state in (WAITING, RUNNING)
                    if piece := file.read(PIECE):
                        yield piece
                    elif going:
                        time.sleep(LOOK_AGAIN_S)
                    else:
                        break
            self._jobs.result(work)  # what broke in the middle breaks the answer too
        finally:
            if self._jobs.state(work).state != DONE:
                self._jobs.stop(work)
            made.unlink(missing_ok=True)

    def close(self) -> None:
        """End what goes on, and take everything away."""
        self._jobs.close()
        if self._folder is not None:
            scratch.remove(self._folder)


def opened(
    database: Database, file: BinaryIO, slug: str, meanings: Mapping[str, str]
) -> tuple[Converting, list[str]]:
    """A table of raw readings, about to be converted: with a rig's constants as they stand, or as of loose
    parts.

    Parameters: file, the table; slug, of the rig, empty for none; meanings, column name to what it is.
    Returns: the conversion, and everything that a column can be said to be. Raises BadInput and NotFound.
    """
    if slug:
        with database.transaction() as session:
            stored = rigs.rig_named(session, slug)
            settled = constants.all_settled(session, stored)
            candidates = [
                columns.SensorCandidate(s.id, kind(s.kind), settled[s.id], prefix=s.id)
                for s in stored.rig.sensors
            ] + columns.air_candidates(stored.rig)
    else:
        candidates = columns.bare_candidates({})
    table = open_table(file)
    return Converting(table, columns.plan(table, candidates, meanings)), sorted(columns.targets(candidates))


def previewed(url: str, path: Path, slug: str, meanings: Mapping[str, str], _: Progress) -> Preview:
    """What the process does for a look."""
    database = Database(url)
    try:
        with path.open("rb") as file:
            making, targets = opened(database, file, slug, meanings)
            first = next(converted.frames(making))
    finally:
        database.close()
    plan = making.plan
    plain = {position for each in plan.plain for position in each.columns}
    time_at = None if plan.time is None else plan.time[0]
    roles = []
    for index, name in enumerate(making.names):
        target = plan.target.get(name, "")
        role = "time" if index == time_at else "channel" if target else "plain" if index in plain else ""
        roles.append(ColumnRole(name, target, role))
    return Preview(
        roles,
        targets,
        first.columns,
        [list(row) for row in first.head(converted.FIRST_ROWS).rows()],
        [
            Workable(each.candidate.name, each.candidate.kind.id, making.first_asked[each.candidate.name])
            for each in plan.mapped
        ],
        making.table.ragged.count,
    )


def written(
    url: str, path: Path, made: Path, slug: str, meanings: Mapping[str, str], progress: Progress
) -> None:
    """What the process does for the whole: write it, a block at a time."""
    database = Database(url)
    try:
        with path.open("rb") as file, made.open("wb") as result:
            making, _ = opened(database, file, slug, meanings)
            blocks = converted.csv_blocks(making)
            header = next(blocks)
            for text in blocks:  # the header goes out with the first rows: what cannot be is refused whole
                result.write((header + text).encode())
                result.flush()
                header = ""
                progress(making.table.taken, making.rows)
    finally:
        database.close()
