"""Constants of a rig: the latest of each name, what they rest on, and whether that still holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from tickstone.core.constants import ConstantSpec, Covariance, Provenance, Value
from tickstone.errors import Conflict
from tickstone.store import tables
from tickstone.store.conditions import condition_of, covariances_of, written


@dataclass(frozen=True)
class Input:
    """One thing that a value rests on; exactly what applies is set. ``seen`` is what stood there at the
    time."""

    value_id: int | None = None
    recording_id: int | None = None
    mark_id: int | None = None
    name: str | None = None
    seen: Any = None


@dataclass(frozen=True)
class NewValue:
    """A constant to be added."""

    name: str
    value: float
    unit: str
    sd: float | None
    provenance: Provenance
    source: str
    condition: dict[str, float]
    inputs: tuple[Input, ...] = ()
    calibration_id: int | None = None
    warning: str = ""
    covariances: tuple[Covariance, ...] = ()


@dataclass(frozen=True)
class OldValue:
    """A value in the history of a constant."""

    id: int
    value: float
    unit: str
    sd: float | None
    provenance: str
    source: str
    made_at: datetime


def add(session: Session, rig_id: int, sensor_id: int, new: NewValue) -> int:
    """Add a value; the one before it stays. Returns its id."""
    row = tables.ConstantValueRow(
        rig_id=rig_id,
        sensor_id=sensor_id,
        name=new.name,
        condition=written(new.condition, new.covariances),
        value=new.value,
        unit=new.unit,
        sd=new.sd,
        provenance=str(new.provenance),
        source=new.source,
        calibration_id=new.calibration_id,
        warning=new.warning,
    )
    session.add(row)
    session.flush()
    for rest in new.inputs:
        session.add(
            tables.ValueInputRow(
                value_id=row.id,
                input_value_id=rest.value_id,
                recording_id=rest.recording_id,
                mark_id=rest.mark_id,
                name=rest.name,
                seen=rest.seen,
            )
        )
    return row.id


def take_back(session: Session, sensor_id: int, names: Sequence[str], newest: int) -> list[str]:
    """Take back what was chosen together of these constants: what held before holds again, or nothing.
    Returns their names. Raises Conflict when ``newest`` is not the last value that was chosen of them."""
    of_these = (tables.ConstantValueRow.sensor_id == sensor_id, tables.ConstantValueRow.name.in_(names))
    last = session.scalars(
        select(tables.ConstantValueRow).where(*of_these).order_by(tables.ConstantValueRow.id.desc()).limit(1)
    ).one_or_none()
    if last is None or last.id != newest:
        raise Conflict(
            "Something was chosen or measured since: this choice cannot be taken back any more.", "upto"
        )
    together = session.scalars(
        select(tables.ConstantValueRow)
        .where(*of_these, tables.ConstantValueRow.made_at == last.made_at)
        .order_by(tables.ConstantValueRow.id)
    ).all()
    for row in together:
        before = session.scalars(
            select(tables.ConstantValueRow)
            .where(
                tables.ConstantValueRow.sensor_id == sensor_id,
                tables.ConstantValueRow.name == row.name,
                tables.ConstantValueRow.id < together[0].id,
            )
            .order_by(tables.ConstantValueRow.id.desc())
            .limit(1)
        ).one_or_none()
        _again(session, before if before is not None else row, withdrawn=before is None or before.withdrawn)
    return [row.name for row in together]


def _again(session: Session, row: tables.ConstantValueRow, *, withdrawn: bool) -> None:
    """The same value once more, resting on the same, or the word that none holds."""
    fresh = tables.ConstantValueRow(
        rig_id=row.rig_id,
        sensor_id=row.sensor_id,
        name=row.name,
        condition=row.condition,
        value=row.value,
        unit=row.unit,
        sd=row.sd,
        provenance=row.provenance,
        source=row.source,
        warning=row.warning,
        withdrawn=withdrawn,
        restores_id=row.restores_id or row.id,
        calibration_id=row.calibration_id,
    )
    session.add(fresh)
    session.flush()
    for rest in _inputs(session, [row.id]).get(row.id, []):
        session.add(
            tables.ValueInputRow(
                value_id=fresh.id,
                input_value_id=rest.input_value_id,
                recording_id=rest.recording_id,
                mark_id=rest.mark_id,
                name=rest.name,
                seen=rest.seen,
            )
        )


def latest(session: Session, rig_fields: Mapping[int, Mapping[str, Any]]) -> dict[int, dict[str, Value]]:
    """The value that holds of each constant of some sensors, by the sensor's id and the constant's name;
    ``label`` and ``station`` are the catalogue's to give. ``rig_fields`` are, for each sensor's id, the
    fields of the rig as it is now, for values that rest on what was seen there."""
    newest = (
        select(func.max(tables.ConstantValueRow.id))
        .where(tables.ConstantValueRow.sensor_id.in_(rig_fields))
        .group_by(tables.ConstantValueRow.sensor_id, tables.ConstantValueRow.name)
    )
    holds = (tables.ConstantValueRow.id.in_(newest), ~tables.ConstantValueRow.withdrawn)
    rows = session.scalars(select(tables.ConstantValueRow).where(*holds)).all()
    inputs = _inputs(session, [row.id for row in rows])
    return {
        sensor_id: _values([row for row in rows if row.sensor_id == sensor_id], inputs, fields)
        for sensor_id, fields in rig_fields.items()
    }


def _values(
    rows: Sequence[tables.ConstantValueRow],
    inputs: Mapping[int, Sequence[tables.ValueInputRow]],
    rig_fields: Mapping[str, Any],
) -> dict[str, Value]:
    current = {row.name: row.restores_id or row.id for row in rows}
    values = {}
    for row in rows:
        mine = inputs.get(row.id, [])
        values[row.name] = Value(
            row.name,
            row.name,
            row.unit,
            float(row.value),
            row.sd,
            Provenance(row.provenance),
            row.source,
            condition=condition_of(row.condition),
            covariances=covariances_of(row.condition),
            rests_on=tuple(dict.fromkeys(i.name for i in mine if i.name)),
            stale=", ".join(_changed(mine, current, rig_fields)),
            value_id=current[row.name],
            made_at=row.made_at.isoformat(),
            recording_id=next((i.recording_id for i in mine if i.recording_id), None),
            warning=row.warning,
        )
    return values


def _inputs(session: Session, value_ids: Sequence[int]) -> dict[int, list[tables.ValueInputRow]]:
    results: dict[int, list[tables.ValueInputRow]] = {}
    rows = session.scalars(select(tables.ValueInputRow).where(tables.ValueInputRow.value_id.in_(value_ids)))
    for row in rows.all():
        results.setdefault(row.value_id, []).append(row)
    return results


def _changed(
    inputs: Sequence[tables.ValueInputRow], current: Mapping[str, int], rig_fields: Mapping[str, Any]
) -> list[str]:
    """Names of what a value rests on that has a newer value (or had none and has one now), or is a changed
    rig field."""
    changed = []
    for rest in inputs:
        if rest.name is None:
            continue
        if rest.seen is not None:
            if rig_fields.get(rest.name) != rest.seen:
                changed.append(rest.name)
        elif current.get(rest.name) != rest.input_value_id:
            changed.append(rest.name)
    return list(dict.fromkeys(changed))


def history(session: Session, sensor_id: int, name: str) -> list[OldValue]:
    """Every value that a constant ever had, newest first."""
    rows = session.scalars(
        select(tables.ConstantValueRow)
        .where(
            tables.ConstantValueRow.sensor_id == sensor_id,
            tables.ConstantValueRow.name == name,
            ~tables.ConstantValueRow.withdrawn,
        )
        .order_by(tables.ConstantValueRow.id.desc())
    )
    return [OldValue(r.id, float(r.value), r.unit, r.sd, r.provenance, r.source, r.made_at) for r in rows]


def dressed(value: Value, specs: Mapping[str, ConstantSpec]) -> Value:
    """The same value with what the catalogue knows of it, and the names of what makes it stale as a
    sentence."""
    spec = specs[value.name]
    changed = [specs[name].label if name in specs else name for name in value.stale.split(", ") if name]
    stale = f"{', '.join(changed)} changed since" if changed else ""
    return replace(
        value,
        label=spec.label,
        station=spec.station,
        shown_at=spec.shown_at,
        typed=(spec.low, spec.high),
        stale=stale,
    )
