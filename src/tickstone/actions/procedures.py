"""The procedures of a sensor as they stand: what is wanted and held, what that says, what earlier
calibrations said, and which recordings could be used."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from tickstone.actions import calibrating
from tickstone.actions.constants import settled
from tickstone.core.calibration import catalogue
from tickstone.core.calibration.procedure import Outcome, Procedure, Want
from tickstone.core.constants import ConstantSpec, Values
from tickstone.core.rigs.kinds import kind
from tickstone.core.uncertainty import plus_minus
from tickstone.store import calibrations, recordings, rigs


@dataclass(frozen=True)
class ListedProcedure:
    """A procedure in the list: how many steps are held in its draft, and when it was accepted last."""

    procedure: str
    title: str
    held: int
    last_at: datetime | None


@dataclass(frozen=True)
class ConstantNow:
    """A constant as it forms, with its ± (95 %), beside the one that holds today (None: there is none)."""

    name: str
    label: str
    unit: str
    value: float
    plus_minus: float | None
    before: float | None
    before_provenance: str | None


@dataclass(frozen=True)
class PastCalibration:
    """A calibration that was accepted, and what it said."""

    id: int
    at: datetime
    verdict: str


@dataclass(frozen=True)
class Drift:
    """How a constant moved from one accepted calibration to the next: times, values and ± (95 %) of each."""

    name: str
    label: str
    unit: str
    at: tuple[datetime, ...]
    values: tuple[float, ...]
    plus_minus: tuple[float | None, ...]


@dataclass(frozen=True)
class UsableRecording:
    """A recording that has readings of the sensor; ``marks`` of them speak of the procedure."""

    id: int
    name: str
    marks: int


@dataclass(frozen=True)
class OpenProcedure:
    """A procedure with its open draft; ``steps`` are as they are stored."""

    id: int
    procedure: Procedure[Any]
    wants: tuple[Want, ...]
    steps: Sequence[Mapping[str, Any]]
    outcome: Outcome
    constants: tuple[ConstantNow, ...]
    past: tuple[PastCalibration, ...]
    drifts: tuple[Drift, ...]
    recordings: tuple[UsableRecording, ...]


def listed(session: Session, slug: str, sensor: str) -> list[ListedProcedure]:
    """The procedures of a sensor."""
    stored = rigs.rig_named(session, slug)
    fitted = stored.rig.sensor(sensor)
    sensor_id = rigs.sensor_ids(session, stored.id)[fitted.id]
    results = []
    for name in kind(fitted.kind).procedures:
        draft = calibrations.newest(session, sensor_id, name, "draft")
        last = calibrations.newest(session, sensor_id, name, "accepted")
        held = len(draft.steps) if draft else 0
        results.append(
            ListedProcedure(name, catalogue.procedure(name).title, held, last.ended_at if last else None)
        )
    return results


def opened(session: Session, slug: str, sensor: str, name: str) -> OpenProcedure:
    """A procedure of a sensor with its draft, begun when there is none. Raises NotFound and BadInput."""
    stored = rigs.rig_named(session, slug)
    procedure = calibrating.procedure_of(stored.rig, sensor, name)
    mine = calibrating.draft(session, slug, sensor, name)
    values, steps = settled(session, stored, sensor), calibrating.steps_of(mine)
    outcome = procedure.fit(steps, values)
    accepted = calibrations.of_procedure(session, mine.sensor_id, name, "accepted")[::-1]
    return OpenProcedure(
        mine.id,
        procedure,
        tuple(procedure.wants(steps, values)),
        mine.steps,
        outcome,
        _constants(outcome, values, kind(stored.rig.sensor(sensor).kind).specs_of(values)),
        tuple(
            PastCalibration(
                past.id, past.ended_at or past.made_at, str((past.result or {}).get("verdict", ""))
            )
            for past in accepted
        ),
        tuple(drifts(accepted)),
        tuple(_usable(session, stored.id, sensor, procedure)),
    )


def _constants(
    outcome: Outcome, values: Values, specs: Mapping[str, ConstantSpec]
) -> tuple[ConstantNow, ...]:
    results = []
    for constant in outcome.constants:
        spec, before = specs[constant.name], values.get(constant.name)
        results.append(
            ConstantNow(
                constant.name,
                spec.label,
                spec.unit,
                constant.value,
                plus_minus(constant.sd),
                before.value if before else None,
                before.provenance.value if before else None,
            )
        )
    return tuple(results)


def drifts(accepted: Sequence[calibrations.StoredCalibration]) -> list[Drift]:
    """How constants moved over calibrations, oldest first; none of those that only one of them has."""
    if not accepted:
        return []
    results = []
    for name in _constants_of(accepted[-1]):
        with_it = [past for past in accepted if name in _constants_of(past)]
        if len(with_it) < 2:
            continue
        series = [_constants_of(past)[name] for past in with_it]
        results.append(
            Drift(
                name,
                series[-1]["label"],
                series[-1]["unit"],
                tuple(past.ended_at or past.made_at for past in with_it),
                tuple(float(item["value"]) for item in series),
                tuple(plus_minus(item["sd"]) for item in series),
            )
        )
    return results


def _constants_of(past: calibrations.StoredCalibration) -> Mapping[str, Mapping[str, Any]]:
    constants: Mapping[str, Mapping[str, Any]] = (past.result or {}).get("constants", {})
    return constants


def _usable(session: Session, rig_id: int, sensor: str, procedure: Procedure[Any]) -> list[UsableRecording]:
    usable = [
        recording
        for recording in recordings.recordings_of(session, rig_id)
        if any(stream.key == sensor and stream.n for stream in recording.streams)
    ]
    marks = recordings.marks_of_all(session, [recording.id for recording in usable])
    return [
        UsableRecording(
            recording.id,
            recording.name,
            sum(
                mark.sensor in (None, sensor) and procedure.of_mark(mark.label, mark.truth) is not None
                for mark in marks[recording.id]
            ),
        )
        for recording in usable
    ]
