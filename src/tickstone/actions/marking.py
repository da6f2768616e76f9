"""Marks: moments and spans of a recording, with what was true there and under what conditions."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy.orm import Session

from tickstone.core.checks import check_finite, check_not_negative
from tickstone.errors import BadInput, Conflict
from tickstone.store import earlier, recordings, rigs

MOST_CONDITIONS = 20


@dataclass(frozen=True)
class MarkText:
    """What a mark says beside its times: label, the sensor it is about (None: all), truth {quantity, value,
    unit, sd}, and conditions {lamp, height_mm, supply_v …}."""

    label: str = "mark"
    sensor: str | None = None
    truth: dict[str, Any] | None = None
    conditions: dict[str, Any] | None = None


def add(session: Session, recording_id: int, t0_us: int, t1_us: int | None, mark: MarkText) -> int:
    """Mark a moment (``t1_us`` None) or a span; returns the mark's id. Raises BadInput naming the field."""
    recording = recordings.recording(session, recording_id)
    check_span(t0_us, t1_us)
    return recordings.add_mark(
        session,
        recording_id,
        t0_us,
        t1_us,
        mark.label.strip() or "mark",
        sensor_id=_sensor_id(session, recording, mark.sensor),
        truth=check_truth(mark.truth),
        conditions=check_conditions(mark.conditions),
    )


def change(session: Session, mark_id: int, changes: dict[str, Any], seen: int | None = None) -> None:
    """Change what a mark says: t0 and t1 (µs), label, sensor, truth, conditions; archived puts it away or
    brings it back. ``seen`` is the last change of its recording that was known. What a constant was measured
    from keeps its times and its truth. Raises BadInput naming the field, and Conflict."""
    recordings.hold(session, [recording_of(session, mark_id)])
    old = recordings.mark(session, mark_id)
    earlier.replace(session, old.recording_id, mark_id, asdict(old), changes, seen)
    new = dict(changes)
    if "archived" in new:
        recordings.set_mark_archived(session, mark_id, new.pop("archived"))
    if {"t0", "t1", "truth", "sensor"} & set(new) and recordings.rests_on_mark(session, mark_id):
        raise Conflict(
            "A constant was measured from this mark: its times and its truth stay. Add another mark.", "mark"
        )
    if "t0" in new or "t1" in new:
        check_span(new.get("t0", old.t0), new.get("t1", old.t1))
    if "truth" in new:
        new["truth"] = check_truth(new["truth"])
    if "conditions" in new:
        new["conditions"] = check_conditions(new["conditions"])
    if "sensor" in new:
        new["sensor_id"] = _sensor_id(
            session, recordings.recording(session, old.recording_id), new.pop("sensor")
        )
    if new:
        recordings.change_mark(session, mark_id, **new)


def recording_of(session: Session, mark_id: int) -> int:
    """The recording that a mark stands in. Raises NotFound."""
    return recordings.mark(session, mark_id).recording_id


def check_span(t0_us: int, t1_us: int | None) -> None:
    """Raises BadInput for times that no mark can have."""
    if t0_us < 0:
        raise BadInput("A mark cannot lie before the recording begins.", "t0_s")
    if t1_us is not None and t1_us <= t0_us:
        raise BadInput("A span must end after it begins.", "t1_s")


def check_truth(truth: dict[str, Any] | None) -> dict[str, Any] | None:
    """The truth with its number checked, or BadInput naming the field."""
    if truth is None:
        return None
    check_finite(truth["value"], "truth.value")
    if truth.get("sd") is not None:
        check_not_negative(truth["sd"], "truth.sd")
    return truth


def check_conditions(conditions: dict[str, Any] | None) -> dict[str, Any]:
    """The conditions, or BadInput when there are far too many."""
    results = conditions or {}
    if len(results) > MOST_CONDITIONS:
        raise BadInput(f"At most {MOST_CONDITIONS} conditions a mark.", "conditions")
    return results


def _sensor_id(session: Session, recording: recordings.StoredRecording, sensor: str | None) -> int | None:
    if sensor is None:
        return None
    ids = rigs.sensor_ids(session, recording.rig_id)
    if sensor not in ids:
        raise BadInput(f"This rig has no sensor {sensor!r}.", "sensor")
    return ids[sensor]
