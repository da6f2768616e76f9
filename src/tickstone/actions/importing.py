"""Files of readings become recordings: a look before, then the whole in one transaction."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions import labelling
from tickstone.actions.file_intake import FileIntake
from tickstone.core.checks import check_between
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.meanings import CHANNEL, Meaning
from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput
from tickstone.formats.about import About, about_of
from tickstone.formats.mapping import (
    AIR,
    ColumnMapping,
    StreamPlan,
    channels_with_air,
    mapped,
    streams,
    wanting,
)
from tickstone.formats.opening import open_readings
from tickstone.formats.readings import CLOCK, Block, FileSource, Named
from tickstone.store import labels, log, recordings, rigs, samples
from tickstone.store.database import Database

SHOWN_ROWS = 8
SHOWN_BAD = 20
RATE_HZ = (1e-6, 1e6)
MOST_NAME = 120
EMPTY = "There is no reading in this file."


@dataclass(frozen=True)
class Wish:
    """How a file is to be taken in: its name, what columns mean where the guess will not do, and the rows'
    rate, Hz, where no column is their time. ``modified`` is when the file was last changed; a table typed
    from a notebook is ``by_hand``."""

    name: str
    meanings: Mapping[str, Meaning] = field(default_factory=dict)
    rate_hz: float | None = None
    modified: datetime | None = None
    by_hand: bool = False


@dataclass(frozen=True)
class ColumnLook:
    """A column of a file: what it is taken for, whether that is guessed, and its first cells as they
    stand."""

    name: str
    unit: str
    type: str
    meaning: Meaning | None
    guessed: bool
    cells: list[str]


@dataclass(frozen=True)
class Look:
    """The beginning of a file as it would be taken in. ``rate_hz`` is how fast its first rows come by their
    times (None: no times); ``bad`` are the first lines not understood; ``wanting`` says what a person must
    still say."""

    format: str
    encoding: str
    own: bool
    name: str
    columns: list[ColumnLook]
    lines: list[int]
    time: str
    rate_hz: float | None
    sensors: list[str]
    bad_count: int
    bad: list[tuple[int, str, str]]
    wanting: str


def look(database: Database, slug: str, path: Path, wish: Wish) -> Look:
    """The beginning of a file, as it would be taken in. Raises BadInput for a file that holds no reading."""
    with database.transaction() as session:
        stored = rigs.rig_named(session, slug)
        remembered = labels.meanings(session, stored.id)
    with path.open("rb") as file:
        source = open_readings(file)
        about = about_of(source.about)
        made = _mapped(stored.rig, source, remembered, wish, about)
        block = next(source.blocks(), None)
        if block is None:
            raise BadInput(EMPTY, "file")
    return Look(
        source.format,
        source.encoding,
        about is not None,
        about.name if about else wish.name,
        [
            ColumnLook(
                column.name,
                column.unit,
                column.type,
                made.meanings[column.name],
                made.guessed[column.name],
                _cells(block, column),
            )
            for column in source.columns
        ],
        block.lines[:SHOWN_ROWS].tolist(),
        made.time[0] if made.time else "",
        _rate(block, made),
        [plan.key for plan in streams(stored.rig, source, made, about) if plan.sensor],
        source.bad.count,
        [(line.line, line.text, line.why) for line in source.bad.first[:SHOWN_BAD]],
        wanting(made, wish.rate_hz),
    )


def _mapped(
    rig: Rig, source: FileSource, remembered: Mapping[str, Meaning], wish: Wish, about: About | None
) -> ColumnMapping:
    names = [column.name for column in source.columns]
    every = channels_with_air(rig)
    before = {}
    for name in names if about is None else []:  # our own exports know better than what other files were
        meaning = remembered.get(_kept_as(name, source))
        if meaning is not None and (meaning.role != CHANNEL or (meaning.sensor, meaning.channel) in every):
            before[name] = meaning  # the rig may have lost the sensor since
    return mapped(rig, source, before | {n: m for n, m in wish.meanings.items() if n in names}, about)


def _kept_as(name: str, source: FileSource) -> str:
    """The name under which a column's meaning is remembered: a place alone says nothing of files of another
    width."""
    return f"{name} of {len(source.columns)}" if name.isdigit() else name


def _cells(block: Block, column: Named) -> list[str]:
    if column.name in block.texts:
        return block.texts[column.name][:SHOWN_ROWS]
    values = block.numbers[column.name][:SHOWN_ROWS].tolist()
    if column.type == CLOCK:
        return [
            "" if v != v else datetime.fromtimestamp(v / 1e6, UTC).isoformat(" ", "milliseconds")[:23]
            for v in values
        ]
    return ["" if value != value else f"{value:.10g}" for value in values]


def _rate(block: Block, made: ColumnMapping) -> float | None:
    if made.time is None or made.doubt:
        return None
    times = block.numbers[made.time[0]] * made.time[1] / 1e6
    steps = np.diff(times[np.isfinite(times)])
    rising = steps[steps > 0]
    return float(1 / np.median(rising)) if rising.size else None


Progress = Callable[[int, int], None]  # bytes read, rows taken; raises to stop


def take_in(database: Database, slug: str, path: Path, wish: Wish, progress: Progress | None = None) -> int:
    """Take a file in as a recording of a rig, whole or not at all; returns its id. What was said of its
    columns is remembered for the rig. Raises BadInput with a sentence, and whatever ``progress`` raises."""
    if wish.rate_hz is not None:
        check_between(wish.rate_hz, *RATE_HZ, "rate_hz")
    with path.open("rb") as file, database.transaction() as session:
        stored = rigs.rig_named(session, slug)
        source = open_readings(file)
        about = about_of(source.about)
        made = _mapped(stored.rig, source, labels.meanings(session, stored.id), wish, about)
        if wanting(made, wish.rate_hz):
            raise BadInput(wanting(made, wish.rate_hz), "columns")
        for column, meaning in wish.meanings.items():
            if meaning.sensor == AIR:  # only files tell it
                labels.settle(session, stored.id, _kept_as(column, source), meaning)
            else:
                labelling.say(session, slug, _kept_as(column, source), meaning)
        plans = streams(stored.rig, source, made, about)
        recording_id = _begin(session, stored, wish, plans, made, about)
        intake = FileIntake(
            source, made, plans, wish.rate_hz, about, samples.ChunkWriter(session, recording_id)
        )
        for block in source.blocks():
            intake.take(block)
            if progress is not None:
                progress(source.taken, intake.rows)
        if not intake.rows:
            raise BadInput(EMPTY, "file")
        _finish(session, stored, recording_id, intake, plans, wish, about)
    return recording_id


def _begin(
    session: Session,
    stored: rigs.StoredRig,
    wish: Wish,
    plans: list[StreamPlan],
    made: ColumnMapping,
    about: About | None,
) -> int:
    revision = stored.revision_id
    if about is not None and about.rig == stored.slug and about.revision is not None:
        revision = rigs.revision_numbered(session, stored.id, about.revision) or revision  # that day's board
    return recordings.begin(
        session,
        rig_id=stored.id,
        revision_id=revision,
        name=_name(wish, about),
        origin="hand" if wish.by_hand else "import",
        source=_source(wish, about),
        clock="hand" if wish.by_hand else "device" if made.time else "rate",
        streams=[recordings.NewStream(plan.key, plan.sensor, plan.channels) for plan in plans],
        note=about.note if about else "",
    )


def _source(wish: Wish, about: About | None) -> str:
    return about.source if about else "a notebook" if wish.by_hand else wish.name[:MOST_NAME]


def _name(wish: Wish, about: About | None) -> str:
    return (about.name if about else wish.name).strip()[:MOST_NAME] or "imported"


def _finish(
    session: Session,
    stored: rigs.StoredRig,
    recording_id: int,
    intake: FileIntake,
    plans: list[StreamPlan],
    wish: Wish,
    about: About | None,
) -> None:
    samples_of = [plan.sensor for plan in plans if plan.sensor]
    rangers = [item for item in samples_of if kind(stored.rig.sensor(item).kind).quantity.name == "distance"]
    ids = rigs.sensor_ids(session, stored.id)
    for mark in intake.marks(rangers[0] if len(rangers) == 1 else None):
        recordings.add_mark(
            session,
            recording_id,
            mark.t0,
            mark.t1,
            mark.label,
            sensor_id=ids.get(mark.sensor or ""),
            truth=mark.truth,
            conditions=mark.conditions,
        )
    odd = [recordings.StoredOddLine(line.t, line.text, line.why, line.line) for line in intake.odd()]
    recordings.add_odd_lines(session, recording_id, odd)
    intake.finish()
    started = intake.started_at(wish.modified)
    ended = about.ended_at if about else None
    if started is not None and ended is None:
        ended = started + timedelta(microseconds=intake.end_us)
    recordings.set_times(session, recording_id, started, ended)
    recordings.close(session, recording_id, why=intake.sentence(), ended_at=ended)
    log.write_entry(
        session,
        stored.id,
        "recording",
        f"{_name(wish, about)} {'typed in' if wish.by_hand else 'taken in from a file'}: {intake.rows} rows",
        recording=recording_id,
    )
