"""Calibrations: held steps survive everything; a result is accepted or not, never edited."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from tickstone.errors import Conflict, NotFound
from tickstone.store import tables


@dataclass(frozen=True)
class StoredCalibration:
    """A calibration of one sensor."""

    id: int
    sensor_id: int
    sensor: str
    rig_id: int
    procedure: str
    state: str
    steps: list[dict[str, Any]]
    result: dict[str, Any] | None
    made_at: datetime
    ended_at: datetime | None


def _stored(row: tables.CalibrationRow, sensor: tables.SensorRow) -> StoredCalibration:
    return StoredCalibration(
        row.id,
        row.sensor_id,
        sensor.key,
        sensor.rig_id,
        row.procedure,
        row.state,
        list(row.steps),
        row.result,
        row.made_at,
        row.ended_at,
    )


def newest(session: Session, sensor_id: int, procedure: str, state: str) -> StoredCalibration | None:
    """The latest calibration of a sensor's procedure in a state (draft, accepted, rejected), if there is
    one."""
    calibrations = of_procedure(session, sensor_id, procedure, state, most=1)
    return calibrations[0] if calibrations else None


def of_procedure(
    session: Session, sensor_id: int, procedure: str, state: str, most: int = 50
) -> list[StoredCalibration]:
    """Calibrations of a sensor's procedure in a state, newest first."""
    rows = session.execute(
        select(tables.CalibrationRow, tables.SensorRow)
        .join(tables.SensorRow, tables.SensorRow.id == tables.CalibrationRow.sensor_id)
        .where(
            tables.CalibrationRow.sensor_id == sensor_id,
            tables.CalibrationRow.procedure == procedure,
            tables.CalibrationRow.state == state,
        )
        .order_by(tables.CalibrationRow.id.desc())
        .limit(most)
    ).all()
    return [_stored(*row) for row in rows]


def drafts_of(session: Session, sensor_id: int) -> list[StoredCalibration]:
    """The open drafts of a sensor."""
    rows = session.execute(
        select(tables.CalibrationRow, tables.SensorRow)
        .join(tables.SensorRow, tables.SensorRow.id == tables.CalibrationRow.sensor_id)
        .where(tables.CalibrationRow.sensor_id == sensor_id, tables.CalibrationRow.state == "draft")
    ).all()
    return [_stored(*row) for row in rows]


def accepted_of(session: Session, sensor_id: int) -> list[str]:
    """The procedures that have been accepted for a sensor."""
    where = (tables.CalibrationRow.sensor_id == sensor_id, tables.CalibrationRow.state == "accepted")
    return list(session.scalars(select(tables.CalibrationRow.procedure).where(*where).distinct()))


def begin(session: Session, sensor_id: int, procedure: str) -> int:
    """Open a draft; returns its id."""
    row = tables.CalibrationRow(sensor_id=sensor_id, procedure=procedure, state="draft", steps=[])
    session.add(row)
    session.flush()
    return row.id


def calibration(session: Session, calibration_id: int, *, lock: bool = False) -> StoredCalibration:
    """The calibration of that id. Raises NotFound."""
    row = session.get(tables.CalibrationRow, calibration_id, with_for_update=lock)
    if row is None:
        raise NotFound(f"There is no calibration {calibration_id}.")
    return _stored(row, session.get_one(tables.SensorRow, row.sensor_id))


def set_steps(session: Session, calibration_id: int, steps: list[dict[str, Any]]) -> None:
    """Replace the held steps of a draft. Raises Conflict when it is no draft any more."""
    row = session.get_one(tables.CalibrationRow, calibration_id, with_for_update=True)
    if row.state != "draft":
        raise Conflict("This calibration is finished: begin a new one.", "calibration")
    row.steps = steps


def reopen(session: Session, calibration_id: int) -> None:
    """Make an archived one a draft again. Raises Conflict when it was accepted, or is a draft."""
    row = session.get_one(tables.CalibrationRow, calibration_id, with_for_update=True)
    if row.state != "rejected":
        raise Conflict("Only what was archived can be brought back.", "calibration")
    row.state, row.result, row.ended_at = "draft", None, None


def finish(session: Session, calibration_id: int, state: str, result: dict[str, Any] | None) -> None:
    """Accept or reject a draft. Raises Conflict when it is no draft any more."""
    row = session.get_one(tables.CalibrationRow, calibration_id, with_for_update=True)
    if row.state != "draft":
        raise Conflict("This calibration is finished: begin a new one.", "calibration")
    row.state, row.result, row.ended_at = state, result, datetime.now(UTC)
