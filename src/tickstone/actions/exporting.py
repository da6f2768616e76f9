"""A recording, or a span of it, as a file: raw columns as they were recorded, converted ones beside them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions.constants import as_of
from tickstone.actions.reading import Converter
from tickstone.core.rigs.labels import labels
from tickstone.errors import BadInput
from tickstone.formats.about import SEGMENT_COLUMN, TIME_COLUMN, About, AboutColumn, AboutLine, AboutMark
from tickstone.formats.cells import guarded_name
from tickstone.formats.columns import apart, result_name
from tickstone.formats.export import FORMS, ExportedRows, Sheet
from tickstone.formats.mapping import OTHER
from tickstone.store import recordings, rigs, samples
from tickstone.store.database import Database

STRETCH_ROWS = 200_000
MOST_ODD = 1000


@dataclass(frozen=True)
class ExportRequest:
    """What is wanted of a recording: the form of the file, the span, µs (None: all of it), whether converted
    columns stand beside the raw ones, and by which stone (None: with the constants as they stand)."""

    form: str = "csv"
    t0: int | None = None
    t1: int | None = None
    converted: bool = True
    stone: int | None = None


@dataclass(frozen=True)
class File:
    """A file to be given out: its name, its media type, its bytes piece by piece."""

    name: str
    media: str
    pieces: Iterator[bytes]


def export(database: Database, recording_id: int, request: ExportRequest) -> File:
    """A recording as a file. Raises NotFound, and BadInput naming ``form``, ``t0`` or ``stone``."""
    if request.form not in FORMS:
        raise BadInput(f"form must be one of {', '.join(FORMS)}, not {request.form!r}.", "form")
    if request.t0 is not None and request.t1 is not None and request.t0 > request.t1:
        raise BadInput("The span must end after it begins.", "t0")
    form = FORMS[request.form]
    with database.transaction() as session:
        recording = recordings.recording(session, recording_id)
        stored = rigs.rig_with_id(session, recording.rig_id)
        if recording.status == "live":
            raise BadInput("This recording is still running: stop it first.", "recording")
        if not any(stream.n for stream in recording.streams):
            raise BadInput("This recording is empty: there is nothing to export.", "recording")
        exporting = _Exporting(session, database, recording, stored, request)
        sheet = exporting.sheet(session)
    name = "".join(
        item if item.isalnum() and item.isascii() else "-" for item in recording.name.lower()
    ).strip("-")
    return File(
        f"{stored.slug}-{recording.id}-{name or 'recording'}{form.suffix}", form.media, form.write(sheet)
    )


class _Exporting:
    def __init__(
        self,
        session: Session,
        database: Database,
        recording: recordings.StoredRecording,
        stored: rigs.StoredRig,
        request: ExportRequest,
    ) -> None:
        self._database, self._found, self._stored, self._asked = database, recording, stored, request
        self._streams = [stream for stream in recording.streams if stream.n]
        rig = rigs.rig_of_revision(session, recording.rig_revision_id)
        label_of = labels(rig)
        self._names: dict[tuple[str, int], str] = {}
        taken = {TIME_COLUMN, SEGMENT_COLUMN}
        for stream in self._streams:
            for column in stream.columns:
                name = guarded_name(label_of.get((stream.key, column.channel), column.label))
                self._names[stream.key, column.position] = apart(name, taken)
        self._converters: dict[str, Converter] = {}
        self._results: dict[str, tuple[str, str, dict[str, str]]] = {}
        known = {sensor.id for sensor in rig.sensors}
        for stream in self._streams:
            if not request.converted or request.form == "value-change-dump" or stream.key not in known:
                continue
            values = None if request.stone is None else as_of(session, stored, stream.key, request.stone, rig)
            made = self._converters[stream.key] = Converter(session, recording, stream.key, values)
            self._results[stream.key] = self._result_names(made, stream, taken)
        self.words = tuple(reason for _, reason, _ in self._results.values() if reason)

    def _result_names(
        self, made: Converter, stream: samples.StreamInfo, taken: set[str]
    ) -> tuple[str, str, dict[str, str]]:
        """Names of a sensor's converted column, of the reasons beside it (or nothing), and of its further
        results."""
        kind, key = made.kind, stream.key
        nothing = np.zeros((len(stream.columns), 0))
        _, more = made.rows(np.zeros(0, np.int64), nothing, {})
        value = apart(result_name(key, kind.quantity.name, kind.quantity.unit), taken)
        reason = (
            apart(result_name(key, f"{kind.quantity.name} reason", ""), taken) if any(kind.reasons) else ""
        )
        return (
            value,
            reason,
            {series.name: apart(result_name(key, series.name, series.unit), taken) for series in more},
        )

    def sheet(self, session: Session) -> Sheet:
        """The whole as formats take it."""
        recording, stored = self._found, self._stored
        raw = [
            AboutColumn(
                self._names[stream.key, column.position],
                column.sensor,
                column.channel,
                column.form,
                column.unit,
            )
            for stream in self._streams
            for column in stream.columns
        ]
        converted = [
            name
            for value, reason, more in self._results.values()
            for name in (value, reason, *more.values())
            if name
        ]
        # what is kept beside the readings may lie before the first and after the last of them
        request = self._asked
        t0, t1 = request.t0 if request.t0 is not None else 0, request.t1 if request.t1 is not None else 2**62
        marks = tuple(
            AboutMark(mark.t0, mark.t1, mark.label, mark.sensor, mark.truth, mark.conditions)
            for mark in recordings.marks_of(session, recording.id)
            if mark.t0 <= t1 and (mark.t1 or mark.t0) >= t0
        )
        odd = tuple(
            AboutLine(line.t, line.text, line.why, line.line)
            for line in recordings.odd_lines(session, recording.id, MOST_ODD)
            if line.line is not None or t0 <= line.t <= t1
        )
        about = About(
            name=recording.name,
            note=recording.note,
            rig=stored.slug,
            rig_title=stored.rig.title,
            revision=rigs.number_of_revision(session, recording.rig_revision_id),
            source=recording.source,
            clock=recording.clock,
            started_at=recording.started_at,
            ended_at=recording.ended_at,
            ended_why=recording.ended_why,
            constants="the constants as they stand"
            if self._asked.stone is None
            else f"stone {self._asked.stone}",
            columns=tuple(raw),
            converted=tuple(converted),
            marks=marks,
            odd=odd,
        )
        segmented = any(stream.segments > 1 for stream in self._streams)
        return Sheet(
            about, tuple([column.name for column in raw] + converted), self.words, self._stretches, segmented
        )

    def _span(self) -> tuple[int, int]:
        first = min(stream.t0 or 0 for stream in self._streams)
        last = max(stream.t1 or 0 for stream in self._streams)
        request = self._asked
        return (first if request.t0 is None else max(first, request.t0)), (
            last if request.t1 is None else min(last, request.t1)
        )

    def _stretches(self) -> Iterator[list[ExportedRows]]:
        """The rows of all streams, a stretch of time after the other, each of about STRETCH_ROWS rows."""
        t0, t1 = self._span()
        whole = max(
            1,
            max(stream.t1 or 0 for stream in self._streams) - min(stream.t0 or 0 for stream in self._streams),
        )
        step = max(1, round(whole * STRETCH_ROWS / sum(stream.n for stream in self._streams)))
        notebooks: dict[str, dict[str, float]] = {stream.key: {} for stream in self._streams}
        for start in range(t0, t1 + 1, step):
            end = min(t1, start + step - 1)
            with self._database.transaction() as session:
                yield [
                    self._part(session, stream, start, end, notebooks[stream.key]) for stream in self._streams
                ]

    def _part(
        self, session: Session, stream: samples.StreamInfo, t0: int, t1: int, notebook: dict[str, float]
    ) -> ExportedRows:
        times, values, segments = samples.rows_with_segments(session, stream, t0, t1)
        numbers = {self._names[stream.key, index]: column for index, column in enumerate(values)}
        words: dict[str, list[str]] = {}
        converter = self._converters.get(stream.key)
        if converter is not None:
            value, reason, names = self._results[stream.key]
            converted, more = converter.rows(times, values, notebook)
            numbers[value] = np.where(converted.valid, converted.values, np.nan)
            numbers |= {names[series.name]: series.values for series in more if series.name in names}
            if reason:
                words[reason] = np.array(converter.kind.reasons, dtype=object)[converted.codes].tolist()
        return ExportedRows(stream.key if stream.key != OTHER else "", times, segments, numbers, words)
