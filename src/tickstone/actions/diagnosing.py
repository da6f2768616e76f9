"""Looking for faults in a recording."""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions.constants import all_settled
from tickstone.core.constants import Value, Values
from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import Finding
from tickstone.core.diagnosis.fitted import stream_of
from tickstone.core.diagnosis.lines import looks_garbled
from tickstone.core.diagnosis.record import Array, Record, Stream, Truth
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.usual import usual_values
from tickstone.store import recordings, rigs, samples

TICK_S = 1e-6  # in which boards tell their time, at best
PIECE_ROWS = 200_000  # of a stream that are looked at in one go
PIECES = 3  # of a long recording: its beginning, its middle, its end
MOST_ODD = 1000
KEPT = 32


@dataclass(frozen=True)
class Diagnosis:
    """Findings that accuse, the surest first, and which share of the recording was looked at."""

    findings: tuple[Finding, ...]
    looked_at: float


def of_recording(session: Session, recording_id: int) -> Diagnosis:
    """What is wrong in a recording, by the constants that stand now. A long one is looked at in pieces."""
    recording = recordings.recording(session, recording_id)
    marks = recordings.marks_of(session, recording_id)
    values = all_settled(session, rigs.rig_with_id(session, recording.rig_id))
    key = _rests_on(recording, marks, values)
    with _LOCK:
        if key in _KEPT:
            return _KEPT[key]
    diagnosis = _examined(session, recording, marks, values)
    with _LOCK:
        while len(_KEPT) >= KEPT:
            _KEPT.pop(next(iter(_KEPT)))
        _KEPT[key] = diagnosis
    return diagnosis


_KEPT: dict[object, Diagnosis] = {}
_LOCK = threading.Lock()


def _rests_on(
    recording: recordings.StoredRecording,
    marks: Sequence[recordings.StoredMark],
    values: Mapping[str, Mapping[str, Value]],
) -> object:
    """Everything that a diagnosis rests on and that may change."""
    return (
        recording.id,
        recording.started_at,
        tuple(stream.n for stream in recording.streams),
        tuple((mark.id, mark.t0, mark.t1, mark.label, str(mark.truth)) for mark in marks),
        tuple(
            sorted(
                (sensor, name, value.value) for sensor, each in values.items() for name, value in each.items()
            )
        ),
    )


def _examined(
    session: Session,
    recording: recordings.StoredRecording,
    marks: Sequence[recordings.StoredMark],
    values: Mapping[str, Values],
) -> Diagnosis:
    rig = rigs.rig_of_revision(session, recording.rig_revision_id)
    truths = tuple(truth_of(mark, 0) for mark in marks)
    odd = [line for line in recordings.odd_lines(session, recording.id, MOST_ODD) if looks_garbled(line.text)]
    longest = max((stream.n for stream in recording.streams), default=0)
    findings: list[Finding] = []
    for t0, t1 in _spans(recording, longest):
        streams, restarts = _streams(session, rig, recording, values, t0, t1)
        here = [line for line in odd if t0 <= line.t <= t1 or line.line is not None]
        readings = sum(stream.times_s.size for stream in streams)
        garbled_s, first = np.array([line.t / 1e6 for line in here]), here[0].text if here else ""
        findings += examine(
            Record(streams, truths, garbled_s, first, len(here), readings + len(here), restarts)
        )
    return Diagnosis(_surest(findings), min(1.0, PIECES * PIECE_ROWS / max(longest, 1)))


def _spans(recording: recordings.StoredRecording, longest: int) -> list[tuple[int, int]]:
    """The pieces that are looked at, µs: of a recording whose longest stream has so many rows."""
    streams = [stream for stream in recording.streams if stream.n]
    if not streams:
        return []
    begin, end = min(stream.t0 or 0 for stream in streams), max(stream.t1 or 0 for stream in streams)
    if longest <= PIECES * PIECE_ROWS:
        return [(begin, end)]
    size = round((end - begin) * PIECE_ROWS / longest)
    return [(round(at), round(at) + size) for at in np.linspace(begin, end - size, PIECES).tolist()]


def _surest(findings: Sequence[Finding]) -> tuple[Finding, ...]:
    """What accuses, each fault of a stream once, over all the time in which it was found."""
    kept: dict[tuple[str, str, str], Finding] = {}
    for finding in sorted(findings, key=lambda item: -item.confidence):
        key = finding.kind, finding.stream, finding.channel
        first = kept.get(key)
        if first is not None:
            kept[key] = replace(
                first, start_s=min(first.start_s, finding.start_s), end_s=max(first.end_s, finding.end_s)
            )
        elif finding.accuses:
            kept[key] = finding
    return tuple(kept.values())


def truth_of(mark: recordings.StoredMark, shift_us: int) -> Truth:
    """What was true at a mark, its times moved by ``shift_us``."""
    known = mark.truth or {}
    mm = (
        float(known["value"])
        if known.get("quantity") == "distance" and known.get("value") is not None
        else None
    )
    t0, t1 = mark.t0 + shift_us, (mark.t0 if mark.t1 is None else mark.t1) + shift_us
    return Truth(t0 / 1e6, t1 / 1e6, mark.label, mm, mark.sensor)


def _streams(
    session: Session,
    rig: Rig,
    recording: recordings.StoredRecording,
    values: Mapping[str, Values],
    t0: int,
    t1: int,
) -> tuple[tuple[Stream, ...], Array]:
    """The recording's streams between two times, and when the board began anew between them, s."""
    made, restarts = [], np.zeros(0)
    for stored in recording.streams:
        sensor = rig.find_sensor(stored.key)
        if sensor is None or not stored.n:
            continue
        times, rows, segments = samples.rows_with_segments(session, stored, t0, t1)
        if not times.size:
            continue
        columns = {column.channel: rows[index] for index, column in enumerate(stored.columns)}
        known = values.get(sensor.id) or usual_values(kind(sensor.kind), rig, sensor)
        made.append(stream_of(rig, sensor, times / 1e6, columns, known, TICK_S))
        anew = times[np.flatnonzero(np.diff(segments) > 0) + 1] / 1e6
        if anew.size > restarts.size and not recording.made_from:
            restarts = anew
    return tuple(made), restarts
