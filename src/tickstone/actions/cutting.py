"""Recordings cut and joined: always as new recordings, the old ones are archived and never lost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy.orm import Session

from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput, Conflict
from tickstone.store import log, recordings, rigs, samples

GAP_US = 1_000_000  # between two recordings joined whose own times do not follow each other
MOST_JOINED = 50
MOST_ODD = 1000


@dataclass(frozen=True)
class CutResult:
    """What was made, and what was archived for it: undoing is archiving the one and bringing back the
    other."""

    made: list[int]
    put_away: list[int]


@dataclass(frozen=True)
class _Piece:
    """A span of a recording, µs, and where it begins in the new one."""

    recording: recordings.StoredRecording
    t0: int
    t1: int
    shift_us: int


def trim(session: Session, recording_id: int, t0: int, t1: int) -> CutResult:
    """Keep only a span, µs, of a recording; the whole is archived. Raises BadInput naming ``t0`` or
    ``t1``."""
    recordings.hold(session, [recording_id])
    recording = _settled(session, recording_id)
    begin, end = _extent(recording)
    _check_span(t0, t1, begin, end)
    made = _make(session, [_Piece(recording, t0, t1, 0)], f"{recording.name}, trimmed", "trimmed")
    return _replaced(session, [recording], [made])


def split(session: Session, recording_id: int, t: int) -> CutResult:
    """Make two recordings of one, cut before a time, µs; the whole is archived. Raises BadInput for ``t``."""
    recordings.hold(session, [recording_id])
    recording = _settled(session, recording_id)
    begin, end = _extent(recording)
    if not begin < t <= end:
        raise BadInput(
            f"t must lie within the recording, after {begin / 1e6:g} s and up to {end / 1e6:g} s.", "t_s"
        )
    pieces = ((begin, t - 1, "first part"), (t, end, "second part"))
    made = [
        _make(session, [_Piece(recording, t0, t1, 0)], f"{recording.name}, {which}", which)
        for t0, t1, which in pieces
    ]
    return _replaced(session, [recording], made)


def join(session: Session, slug: str, recording_ids: Sequence[int]) -> CutResult:
    """Make one recording of several of a rig, in the order of their beginnings; they are archived. Their
    distance in time stays, where one begins after the one before has ended; each begins a new segment. Raises
    BadInput."""
    if not 2 <= len(set(recording_ids)) <= MOST_JOINED:
        raise BadInput(f"Choose from 2 to {MOST_JOINED} recordings to join.", "recordings")
    recordings.hold(session, recording_ids)
    every = [_settled(session, recording_id) for recording_id in dict.fromkeys(recording_ids)]
    every.sort(key=lambda item: item.started_at)
    if {item.rig_id for item in every} != {rigs.rig_named(session, slug).id}:
        raise BadInput("These recordings are of different rigs.", "recordings")
    boards = {_electrical(rigs.rig_of_revision(session, item.rig_revision_id)) for item in every}
    if len(boards) > 1:
        raise BadInput(
            "The board or a sensor was changed between these recordings: their readings do "
            "not mean the same.",
            "recordings",
        )
    pieces: list[_Piece] = []
    end = 0
    for recording in every:
        begin, last = _extent(recording)
        index = begin
        if pieces:
            apart = round((recording.started_at - every[0].started_at) / timedelta(microseconds=1)) + begin
            index = apart if apart > end else end + GAP_US
        pieces.append(_Piece(recording, begin, last, index))
        end = index + last - begin
    made = _make(session, pieces, f"{every[0].name} and {len(every) - 1} more", "joined")
    return _replaced(session, every, [made])


def _electrical(rig: Rig) -> tuple[object, ...]:
    """What the meaning of raw readings rests on."""
    sensors = tuple((sensor.id, sensor.kind, tuple(sorted(sensor.options.items()))) for sensor in rig.sensors)
    return rig.board.adc_bits, rig.board.adc_reference_v, sensors


def _settled(session: Session, recording_id: int) -> recordings.StoredRecording:
    recording = recordings.recording(session, recording_id)
    if recording.status == "live":
        raise Conflict("This recording is still running: stop it first.", "recording")
    if recording.archived_at is not None:
        raise Conflict(
            "This recording is archived: bring it back first, or open what took its place.", "recording"
        )
    if not any(stream.n for stream in recording.streams):
        raise BadInput("This recording is empty: there is nothing to cut.", "recording")
    return recording


def _extent(recording: recordings.StoredRecording) -> tuple[int, int]:
    known = [
        (stream.t0, stream.t1)
        for stream in recording.streams
        if stream.t0 is not None and stream.t1 is not None
    ]
    return min(t0 for t0, _ in known), max(t1 for _, t1 in known)


def _check_span(t0: int, t1: int, begin: int, end: int) -> None:
    if t0 >= t1:
        raise BadInput("The span must end after it begins.", "t1_s")
    if t1 < begin or t0 > end:
        raise BadInput(
            f"The span lies outside of the recording, which goes from {begin / 1e6:g} to {end / 1e6:g} s.",
            "t0_s",
        )


def _make(session: Session, pieces: list[_Piece], name: str, how: str) -> int:
    first = pieces[0].recording
    streams: dict[str, samples.StreamInfo] = {}
    for piece in pieces:
        for stream in piece.recording.streams:
            known = streams.setdefault(stream.key, stream)
            if [(c.channel, c.unit) for c in known.columns] != [(c.channel, c.unit) for c in stream.columns]:
                raise BadInput(f"{stream.key} holds other channels in {piece.recording.name}.", "recordings")
    recording_id = recordings.begin(
        session,
        rig_id=first.rig_id,
        revision_id=first.rig_revision_id,
        name=name[:120],
        origin=first.origin,
        source=first.source,
        clock=first.clock,
        note=first.note,
        streams=[
            recordings.NewStream(
                key, next((c.sensor for c in stream.columns), None), recordings.specs_of(stream)
            )
            for key, stream in streams.items()
        ],
        made_from=[{"recording": p.recording.id, "t0": p.t0, "t1": p.t1, "how": how} for p in pieces],
        started_at=first.started_at + timedelta(microseconds=pieces[0].t0 - pieces[0].shift_us),
    )
    writer = samples.ChunkWriter(session, recording_id)
    segment = end = 0
    for piece in pieces:
        shift = piece.shift_us - piece.t0
        segments = 0
        for stream in piece.recording.streams:
            for times, values, its in samples.blocks_between(session, stream, piece.t0, piece.t1):
                writer.add(stream.key, times + shift, its + segment, values)
                end = max(end, int(times[-1]) + shift)
            segments = max(segments, stream.segments)
        segment += segments
        _carry(session, piece, recording_id, shift)
    writer.finish()
    recordings.close(
        session,
        recording_id,
        status="closed",
        ended_at=first.started_at + timedelta(microseconds=end + pieces[0].t0 - pieces[0].shift_us),
    )
    return recording_id


def _carry(session: Session, piece: _Piece, recording_id: int, shift: int) -> None:
    """Take over what is kept beside the readings: marks cut at the ends of the span, and lines not
    understood."""
    ids = rigs.sensor_ids(session, piece.recording.rig_id)
    for mark in recordings.marks_of(session, piece.recording.id):
        t1 = mark.t0 if mark.t1 is None else mark.t1
        if t1 < piece.t0 or mark.t0 > piece.t1:
            continue
        t0, t1 = max(mark.t0, piece.t0), min(t1, piece.t1)
        recordings.add_mark(
            session,
            recording_id,
            t0 + shift,
            t1 + shift if mark.t1 is not None and t1 > t0 else None,
            mark.label,
            sensor_id=ids.get(mark.sensor or ""),
            truth=mark.truth,
            conditions=mark.conditions,
        )
    odd = recordings.odd_lines(session, piece.recording.id, MOST_ODD)
    recordings.add_odd_lines(
        session,
        recording_id,
        [
            recordings.StoredOddLine(line.t if line.line else line.t + shift, line.text, line.why, line.line)
            for line in odd
            if line.line or piece.t0 <= line.t <= piece.t1
        ],
    )


def _replaced(session: Session, old: list[recordings.StoredRecording], made: list[int]) -> CutResult:
    for recording in old:
        recordings.set_archived(session, recording.id, True)
    names = ", ".join(result.name for result in old)
    became = ", ".join(recordings.recording(session, recording_id).name for recording_id in made)
    log.write_entry(session, old[0].rig_id, "recording", f"{names} became {became}", recording=made[0])
    return CutResult(made, [result.id for result in old])
