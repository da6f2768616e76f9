"""Deciding: recordings are read as the core's decisions look at them, and what is chosen remembers what it
was chosen from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions.constants import settled
from tickstone.actions.reading import Converter
from tickstone.actions.rigs import rig_fields
from tickstone.core.checks import check_between
from tickstone.core.constants import ConstantSpec, Provenance, Value, Values
from tickstone.core.decisions import catalogue
from tickstone.core.decisions.decision import (
    Decided,
    Decision,
    Evidence,
    Marked,
    Question,
    chosen_by,
    warning_of,
)
from tickstone.core.rigs.kinds import kind, thermometers
from tickstone.core.rigs.rig import Rig
from tickstone.errors import BadInput, NotFound
from tickstone.store import constants, log, recordings, rigs, samples

MOST_ROWS = 200_000  # of a recording: longer ones are judged by their end
NEWEST = 3  # recordings that a decision by marks is made on, where none are named


@dataclass(frozen=True)
class SourceRecording:
    """A recording that a decision may be made on; ``used`` when it is."""

    id: int
    name: str
    used: bool


@dataclass(frozen=True)
class WorkedDecision:
    """A decision worked out for a sensor: what can be chosen, from which recordings, with which constants and
    what the catalogue says of them; why what was chosen before no longer holds (empty while it does, or while
    something else is picked)."""

    decision: Decision
    decided: Decided
    sources: tuple[SourceRecording, ...]
    test_id: int | None
    values: dict[str, Value]
    specs: Mapping[str, ConstantSpec]
    stale: str = ""

    @property
    def heading(self) -> str:
        """What the decision comes to, or why it is to be made again."""
        return f"Choose again: {self.stale}" if self.stale else self.decided.heading

    @property
    def next(self) -> str:
        """What to do now."""
        again = "look at the odds as they are now, then choose again."
        return again if self.stale else self.decided.next

    def warning(self, name: str) -> str:
        """What speaks against a choice; empty when nothing does."""
        return warning_of(self.decided, name)


def decision_of(rig: Rig, sensor: str, name: str) -> Decision:
    """A decision that a sensor has. Raises NotFound, and BadInput for ``decision``."""
    decision = catalogue.decision(name)
    if name not in kind(rig.sensor(sensor).kind).decisions:
        raise BadInput(
            f"The {rig.sensor(sensor).name} has nothing to decide about “{decision.title}”.", "decision"
        )
    return decision


def standing(session: Session, slug: str, sensor: str) -> list[tuple[Decision, str]]:
    """The decisions of a sensor, each open, chosen or stale."""
    stored = rigs.rig_named(session, slug)
    values = settled(session, stored, sensor)
    results = []
    for name in kind(stored.rig.sensor(sensor).kind).decisions:
        decision = catalogue.decision(name)
        made = chosen_by(decision, values)
        results.append(
            (decision, "open" if not made else "stale" if any(value.stale for value in made) else "chosen")
        )
    return results


def work(
    session: Session,
    slug: str,
    sensor: str,
    name: str,
    from_ids: Sequence[int] | None = None,
    test_id: int | None = None,
    picked: Mapping[str, float] | None = None,
) -> WorkedDecision:
    """Work a decision out: on the recordings named, or on the newest that speak to it. ``picked`` are values
    of its choices and of its inputs that are tried and not yet set.

    Raises NotFound for a recording of another rig, BadInput that names the field otherwise.
    """
    stored = rigs.rig_named(session, slug)
    decision, values = decision_of(stored.rig, sensor, name), settled(session, stored, sensor)
    specs = kind(stored.rig.sensor(sensor).kind).specs_of(values)
    choices, inputs = _picked(decision, values, picked or {})
    for constant, value in inputs.items():
        check_between(value, specs[constant].low, specs[constant].high, constant)
        values[constant] = replace(values[constant], value=value)
    usable = _usable(session, stored.id, sensor, decision)
    known = {recording.id for recording in usable}
    for item in (*(from_ids or ()), *(() if test_id is None else (test_id,))):
        if item not in known:
            raise NotFound(f"Recording {item} says nothing to “{decision.title}” of this sensor.")
    if from_ids is None:
        live = [
            recording.id for recording in usable if recording.origin != "hand" and recording.id != test_id
        ]
        from_ids = live[: min(decision.most, NEWEST if decision.marked else 1)]
    if test_id is not None and test_id in from_ids:
        raise BadInput("Test on a recording that the choice is not made on.", "test")
    if len(from_ids) > decision.most:
        raise BadInput(f"At most {decision.most} recordings at a time.", "from")
    by_id = {recording.id: recording for recording in usable}
    evidence = [seen_of(session, by_id[entry], sensor) for entry in from_ids]
    test = None if test_id is None else seen_of(session, by_id[test_id], sensor)
    air_measured = bool(thermometers(stored.rig))
    decided = decision.work(Question(evidence, test, choices, air_measured), values)
    sources = tuple(
        SourceRecording(recording.id, recording.name, recording.id in from_ids) for recording in usable
    )
    stale = next((value.stale for value in chosen_by(decision, values) if value.stale), "")
    return WorkedDecision(decision, decided, sources, test_id, values, specs, "" if picked else stale)


def _picked(
    decision: Decision, values: Values, picked: Mapping[str, float]
) -> tuple[dict[str, float], dict[str, float]]:
    """What is picked, apart: choices, and what they are worked from."""
    choices, inputs = decision.sets(values), [name for name in decision.inputs if name in values]
    _check_known(decision, picked, (*choices, *inputs))
    return (
        {name: value for name, value in picked.items() if name in choices},
        {name: value for name, value in picked.items() if name not in choices},
    )


def _check_known(decision: Decision, picked: Iterable[str], known: Iterable[str]) -> None:
    unknown = set(picked) - set(known)
    if unknown:
        raise BadInput(f"There is no {min(unknown)!r} to choose at “{decision.title}”.", "pick")


def _usable(
    session: Session, rig_id: int, sensor: str, decision: Decision
) -> list[recordings.StoredRecording]:
    least = 1 if decision.marked else decision.least
    ended = [
        recording for recording in recordings.recordings_of(session, rig_id) if recording.status != "live"
    ]
    held = [
        recording
        for recording in ended
        if any(stream.key == sensor and stream.n >= least for stream in recording.streams)
    ]
    if not decision.marked:
        return held
    marks = recordings.marks_of_all(session, [recording.id for recording in held])
    return [recording for recording in held if decision.speaks(_marks(marks[recording.id], sensor))]


def _marks(marks: Sequence[recordings.StoredMark], sensor: str) -> tuple[Marked, ...]:
    return tuple(
        Marked(
            mark.t0 / 1e6,
            (mark.t0 if mark.t1 is None else mark.t1) / 1e6,
            mark.label,
            mark.truth,
            mark.conditions,
            mark.id,
        )
        for mark in marks
        if mark.sensor in (None, sensor)
    )


def seen_of(session: Session, recording: recordings.StoredRecording, sensor: str) -> Evidence:
    """A recording of a sensor as a decision looks at it, converted with the constants as they stand."""
    stream = recording.stream_of(sensor)
    first = stream.t0
    if stream.n > MOST_ROWS and stream.t0 is not None and stream.t1 is not None:
        first = round(stream.t1 - (stream.t1 - stream.t0) * MOST_ROWS / stream.n)
    times, raw = samples.rows_between(session, stream, first, None)
    converter = Converter(session, recording, sensor)
    inputs = converter.ask(times, raw, {})
    converted, _ = converter.rows(times, raw, {})
    channels = dict(zip(converter.columns, raw, strict=True))
    valid = converted.valid & np.isfinite(converted.values)
    return Evidence(
        recording.id,
        recording.name,
        times / 1e6,
        channels,
        inputs,
        converted.values,
        valid,
        _marks(recordings.marks_of(session, recording.id), sensor),
    )


def choose(
    session: Session,
    slug: str,
    sensor: str,
    name: str,
    wanted: Mapping[str, float],
    from_ids: Sequence[int] | None = None,
) -> int:
    """Make values a person's choice, remembering the recordings, marks and constants they were chosen from,
    and what speaks against them. Returns the id of the last value, by which the choice can be taken back.
    Raises BadInput that names the constant, or ``choice`` while nothing can be chosen."""
    worked = work(session, slug, sensor, name, from_ids, None, wanted)
    _check_known(worked.decision, wanted, worked.decision.sets(worked.values))
    if worked.decided.why_not:
        raise BadInput(worked.decided.why_not, "choice")
    if not wanted:
        raise BadInput("There is nothing to choose.", "choice")
    stored = rigs.rig_named(session, slug)
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor]
    specs = worked.specs
    offered = {choice.name: choice for choice in worked.decided.choices}
    rests = [
        n for n in (*worked.decision.inputs, *worked.decision.rests_on) if n in specs and n not in wanted
    ]
    inputs = [
        constants.Input(value_id=worked.values[n].value_id if n in worked.values else None, name=n)
        for n in rests
    ]
    inputs += [constants.Input(name=n, seen=seen) for n, seen in rig_fields(stored.rig, sensor).items()]
    inputs += [constants.Input(recording_id=entry) for entry in worked.decided.used]
    inputs += [constants.Input(mark_id=entry) for entry in worked.decided.marks_used]
    for item, value in wanted.items():
        check_between(value, specs[item].low, specs[item].high, item)
    warnings = {entry: worked.warning(entry) for entry in wanted}
    last = 0
    for item, value in wanted.items():
        last = constants.add(
            session,
            stored.id,
            sensor_id,
            constants.NewValue(
                item,
                value,
                specs[item].unit,
                None,
                Provenance.CHOSEN,
                f"chosen; {offered[item].why}",
                {},
                tuple(inputs),
                warning=warnings[item],
            ),
        )
    text = ", ".join(
        f"{specs[n].label} {value:g} {specs[n].unit}".rstrip() for n, value in list(wanted.items())[:6]
    )
    sensor_name = stored.rig.sensor(sensor).name
    against = "; ".join(
        dict.fromkeys(f"{specs[n].label}: {warning}" for n, warning in warnings.items() if warning)
    )
    log.write_entry(
        session,
        stored.id,
        "constant",
        f"{sensor_name}, {worked.decision.title.lower()}: {text}"
        + (f". Warning: {against}" if against else ""),
        sensor=sensor,
        name=next(iter(wanted)),
    )
    return last


def take_back(session: Session, slug: str, sensor: str, name: str, upto: int) -> None:
    """Take the last choice of a decision back; ``upto`` is the value by which it is known. Raises Conflict
    when something was chosen since."""
    stored = rigs.rig_named(session, slug)
    decision = decision_of(stored.rig, sensor, name)
    names = decision.sets(settled(session, stored, sensor))
    constants.take_back(session, rigs.sensor_ids(session, stored.id)[sensor], names, upto)
    log.write_entry(
        session,
        stored.id,
        "constant",
        f"{stored.rig.sensor(sensor).name}, {decision.title.lower()}: the choice was taken back",
        sensor=sensor,
    )
