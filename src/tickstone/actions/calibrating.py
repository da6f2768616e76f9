"""Calibrating: steps are kept one by one and survive everything; what they say becomes the rig's own when it
is accepted."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions.constants import settled
from tickstone.actions.reading import Converter
from tickstone.actions.rigs import rig_fields
from tickstone.core.calibration import catalogue
from tickstone.core.calibration.procedure import (
    FittedConstant,
    Lack,
    Outcome,
    Procedure,
    Step,
    Steps,
    Taken,
    Want,
    Window,
)
from tickstone.core.checks import check_between
from tickstone.core.constants import Provenance, Values
from tickstone.core.line_row import conditions_said
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.wording import fixed
from tickstone.errors import BadInput, Conflict, NotFound
from tickstone.store import calibrations, constants, log, recordings, rigs, samples

MOMENT_US = 500_000  # a mark of a moment speaks of half a second before and after it
AIR_LOOK_BACK = 30
NUMBERED = re.compile(r"^(.*) (\d+)$")


def procedure_of(rig: Rig, sensor: str, name: str) -> Procedure[Any]:
    """A procedure that a sensor has. Raises NotFound, and BadInput for ``procedure``."""
    procedure = catalogue.procedure(name)
    if name not in kind(rig.sensor(sensor).kind).procedures:
        raise BadInput(f"The {rig.sensor(sensor).name} has no procedure “{procedure.title}”.", "procedure")
    return procedure


def step_of(procedure: Procedure[Taken], stored: Mapping[str, Any]) -> Step[Taken]:
    """A stored step as the core knows it."""
    return Step(
        stored["key"],
        stored["label"],
        stored["truth"],
        procedure.restored(stored["numbers"]),
        stored["n"],
        stored["held_s"],
        stored["air_c"],
        stored["supply_v"],
    )


def steps_of(mine: calibrations.StoredCalibration) -> list[Step[Any]]:
    """The held steps of a draft."""
    procedure = catalogue.procedure(mine.procedure)
    return [step_of(procedure, step) for step in mine.steps]


def draft(session: Session, slug: str, sensor: str, name: str) -> calibrations.StoredCalibration:
    """The open draft of a sensor's procedure, begun when there is none."""
    stored = rigs.rig_named(session, slug)
    procedure_of(stored.rig, sensor, name)
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor]
    calibration = calibrations.newest(session, sensor_id, name, "draft")
    return calibration or calibrations.calibration(session, calibrations.begin(session, sensor_id, name))


def wanted(procedure: Procedure[Any], key: str, steps: Steps[Any], values: Values) -> Want:
    """The want of that key. Raises BadInput for ``key``."""
    for want in procedure.wants(steps, values):
        if want.key == key:
            return want
    raise BadInput(f"There is no {key!r} to hold in “{procedure.title}”.", "key")


def checked(want: Want, truth: Mapping[str, float]) -> dict[str, float]:
    """What was typed for a want, complete and within bounds. Raises BadInput that names the field."""
    results = {}
    for field in want.fields:
        value = truth.get(field.name)
        if value is None:
            if field.needed:
                raise BadInput(f"{field.label}: a number is missing.", field.name)
            continue
        results[field.name] = check_between(value, field.low, field.high, field.name)
        if field.choices and value != int(value):
            raise BadInput(f"{field.label} is one of {', '.join(field.choices)}.", field.name)
        if field.whole and value != int(value):
            raise BadInput(f"{field.label} must be a whole number, not {value:g}.", field.name)
    return results


def add_step(
    session: Session, calibration_id: int, step: Mapping[str, Any], procedure: Procedure[Any], values: Values
) -> None:
    """A step held again takes the place of the one before; steps stand in working order."""
    mine = calibrations.calibration(session, calibration_id, lock=True)
    steps = [*(old for old in mine.steps if old["key"] != step["key"]), dict(step)]
    order = {
        want.key: i
        for i, want in enumerate(procedure.wants([step_of(procedure, step) for step in steps], values))
    }
    calibrations.set_steps(
        session, calibration_id, sorted(steps, key=lambda item: order.get(item["key"], len(order)))
    )


def new_step(
    key: str,
    label: str,
    truth: Mapping[str, float],
    numbers: Mapping[str, Any],
    by: str,
    *,
    n: int = 1,
    held_s: float = 0.0,
    air_c: float | None = None,
    supply_v: float | None = None,
    mark_id: int | None = None,
    recording_id: int | None = None,
) -> dict[str, Any]:
    """A step as it is stored."""
    return {
        "key": key,
        "label": label,
        "truth": dict(truth),
        "numbers": dict(numbers),
        "n": n,
        "held_s": held_s,
        "air_c": air_c,
        "supply_v": supply_v,
        "mark_id": mark_id,
        "recording_id": recording_id,
        "at": datetime.now(UTC).isoformat(),
        "by": by,
    }


def drop(session: Session, calibration_id: int, key: str) -> None:
    """Take a held step out of the draft; its span stays marked in the recording."""
    mine = calibrations.calibration(session, calibration_id, lock=True)
    calibrations.set_steps(session, calibration_id, [step for step in mine.steps if step["key"] != key])


def type_step(
    session: Session, slug: str, sensor: str, name: str, key: str, truth: Mapping[str, float]
) -> None:
    """A step that is only read off and typed. Raises BadInput that names the field."""
    stored = rigs.rig_named(session, slug)
    procedure, values = procedure_of(stored.rig, sensor, name), settled(session, stored, sensor)
    mine = draft(session, slug, sensor, name)
    want = wanted(procedure, key, steps_of(mine), values)
    if want.watched:
        raise BadInput(f"{want.label} is held, not typed.", "key")
    given = checked(want, truth)
    procedure.check_typed(given, [step for step in steps_of(mine) if step.key != key], values)
    step = new_step(
        procedure.key_of(want, given), procedure.label_of(want, given), given, {}, "read off and typed"
    )
    add_step(session, mine.id, step, procedure, values)


def notebook(session: Session, slug: str, sensor: str, name: str, rows: Sequence[Mapping[str, float]]) -> int:
    """Lines from a notebook: steps of the draft, with a hand recording and marks where they hold raw
    readings. Returns how many. Raises BadInput that names the field."""
    stored = rigs.rig_named(session, slug)
    procedure, values = procedure_of(stored.rig, sensor, name), settled(session, stored, sensor)
    if not rows or not procedure.notebook:
        raise BadInput("There is nothing to take in: type at least one line.", "rows")
    results = []
    mine = draft(session, slug, sensor, name)
    before = list(steps_of(mine))
    for row in rows:
        given = checked(Want("row", "row", "", procedure.notebook), row)
        procedure.check_typed(given, before, values)
        results.append((procedure.from_notebook(given, values), procedure.notebook_channels(given)))
        before.append(results[-1][0])
    recording_id = _hand_recording(session, stored, sensor, [channels for _, channels in results])
    for index, (step, channels) in enumerate(results):
        mark = None
        if recording_id is not None and channels:
            mark = recordings.add_mark(
                session,
                recording_id,
                index * 1_000_000,
                None,
                step.label,
                sensor_id=mine.sensor_id,
                truth=truth_of(step.truth),
            )
        key, label = _free(calibrations.calibration(session, mine.id).steps, step)
        add_step(
            session,
            mine.id,
            new_step(
                key,
                label,
                step.truth,
                procedure.stored(step.taken),
                "typed from a notebook",
                n=step.n,
                mark_id=mark,
                recording_id=recording_id if channels else None,
            ),
            procedure,
            values,
        )
    return len(results)


def _free(steps: Sequence[Mapping[str, Any]], step: Step[Any]) -> tuple[str, str]:
    """A repeated run gets the next number that is free."""
    numbered = NUMBERED.match(step.key)
    if numbered is None:
        return step.key, step.label
    taken, number = {step["key"] for step in steps}, int(numbered[2])
    while f"{numbered[1]} {number}" in taken:
        number += 1
    return f"{numbered[1]} {number}", f"{numbered[1]} {number}"


def _hand_recording(
    session: Session, stored: rigs.StoredRig, sensor: str, rows: Sequence[Mapping[str, float]]
) -> int | None:
    if not any(rows):
        return None
    fitted = stored.rig.sensor(sensor)
    channels = kind(fitted.kind).channels_of(fitted.options)
    count = f"{len(rows)} lines"
    recording_id = recordings.begin(
        session,
        rig_id=stored.id,
        revision_id=stored.revision_id,
        name=f"Notebook, {count}",
        origin="hand",
        source="typed",
        clock="hand",
        streams=[recordings.NewStream(sensor, sensor, channels)],
    )
    times = [second * 1_000_000 for second in range(len(rows))]
    table = [[row.get(channel.name, np.nan) for row in rows] for channel in channels]
    recordings.write_rows(session, recording_id, sensor, times, table)
    recordings.close(session, recording_id)
    log.write_entry(session, stored.id, "recording", f"{count} typed from a notebook", recording=recording_id)
    return recording_id


def truth_of(truth: Mapping[str, float]) -> dict[str, Any] | None:
    """What a mark says is true: a distance by the ruler, or whatever was typed."""
    if "true_mm" in truth:
        return {"quantity": "distance", "value": truth["true_mm"], "unit": "mm", "sd": 1.0}
    return {"quantity": "typed", **truth} if truth else None


def from_recording(
    session: Session, slug: str, sensor: str, name: str, recording_id: int
) -> tuple[int, list[str]]:
    """Steps from the marks of a recording: how many were taken, and sentences about those that were not.
    Raises BadInput for ``recording_id`` when none of its marks speaks of this procedure."""
    stored = rigs.rig_named(session, slug)
    procedure, values = procedure_of(stored.rig, sensor, name), settled(session, stored, sensor)
    recording = recordings.recording(session, recording_id)
    if recording.rig_id != stored.id:
        raise NotFound(f"{stored.rig.title} has no recording {recording_id}.")
    stream = next((stream for stream in recording.streams if stream.key == sensor and stream.n), None)
    if stream is None:
        raise BadInput(
            f"Recording “{recording.name}” has no reading of the {stored.rig.sensor(sensor).name}.",
            "recording_id",
        )
    mine, taken, refused, spoken = draft(session, slug, sensor, name), 0, [], 0
    converter = Converter(session, recording, sensor)
    for mark in recordings.marks_of(session, recording_id):
        said = procedure.of_mark(mark.label, mark.truth) if mark.sensor in (None, sensor) else None
        if said is None:
            continue
        spoken += 1
        t0, t1 = (mark.t0 - MOMENT_US, mark.t0 + MOMENT_US) if mark.t1 is None else (mark.t0, mark.t1)
        key, truth = said
        truth = {**truth, **conditions_said(mark.conditions, ("height_mm", "lamp"))}
        window = _window(session, stream, converter, t0, t1)
        steps = steps_of(calibrations.calibration(session, mine.id))
        want = next(
            (want for want in procedure.wants(steps, values) if want.key == key), Want(key, mark.label, "")
        )
        if mark.t1 is not None:
            judged = procedure.judge(window, want, truth, [s for s in steps if s.key != key], values)
            if not judged.ready and judged.lacks is not Lack.TIME:
                refused.append(f"{mark.label} at {mark.t0 / 1e6:.1f} s: {judged.why_not}")
                continue
        try:
            numbers = procedure.stored(procedure.take(window, key, values))
        except BadInput as error:
            refused.append(f"{mark.label} at {mark.t0 / 1e6:.1f} s: {error}")
            continue
        add_step(
            session,
            mine.id,
            new_step(
                procedure.key_of(want, truth),
                procedure.label_of(want, truth),
                truth,
                numbers,
                "from a mark",
                n=int(window.times_s.size),
                held_s=window.span_s,
                air_c=window.air_c,
                mark_id=mark.id,
                recording_id=recording_id,
            ),
            procedure,
            values,
        )
        taken += 1
    if not spoken:
        raise BadInput(f"No mark of “{recording.name}” speaks of {procedure.title.lower()}.", "recording_id")
    return taken, refused


def _window(session: Session, stream: samples.StreamInfo, converter: Converter, t0: int, t1: int) -> Window:
    times, raw = samples.rows_between(session, stream, t0, t1)
    channels = dict(zip(converter.columns, raw, strict=True))
    values = converter.work(times, raw).converted.values if times.size else np.zeros(0)
    air = converter.air_at(times)
    return Window(times / 1e6, channels, values, np.zeros(0) if air is None else air[-AIR_LOOK_BACK:])


def outcome(session: Session, slug: str, mine: calibrations.StoredCalibration) -> Outcome:
    """What the held steps say together."""
    stored = rigs.rig_named(session, slug)
    return catalogue.procedure(mine.procedure).fit(steps_of(mine), settled(session, stored, mine.sensor))


def accepted_constants(result: Outcome, extras: Sequence[str]) -> dict[str, FittedConstant]:
    """The constants to take over, those of the chosen extras in place of plain ones. Raises BadInput for
    ``extras``."""
    known = {extra.name: extra for extra in result.extras}
    unknown = [name for name in extras if name not in known]
    if unknown:
        raise BadInput(f"There is no {unknown[0]!r} to take over.", "extras")
    return {
        constant.name: constant
        for some in (result.constants, *(known[name].constants for name in extras))
        for constant in some
    }


def accept(session: Session, slug: str, calibration_id: int, extras: Sequence[str] = ()) -> None:
    """Make the fitted constants the rig's own. Raises Conflict while they are not to be had, and BadInput
    that names the constant when one lies outside what can be."""
    mine = calibrations.calibration(session, calibration_id, lock=True)
    stored = rigs.rig_named(session, slug)
    procedure, values = catalogue.procedure(mine.procedure), settled(session, stored, mine.sensor)
    result = procedure.fit(steps_of(mine), values)
    if not result.can_accept:
        raise Conflict(result.why_not or "There is nothing to accept.", "calibration")
    taken = accepted_constants(result, extras)
    specs = kind(stored.rig.sensor(mine.sensor).kind).specs_of(values)
    evidence = tuple(
        constants.Input(recording_id=step["recording_id"], mark_id=step["mark_id"])
        for step in mine.steps
        if step["recording_id"] is not None
    )
    fields = tuple(
        constants.Input(name=name, seen=seen) for name, seen in rig_fields(stored.rig, mine.sensor).items()
    )
    rests = [name for name in procedure.rests_on if name in specs and name not in taken]
    known = {name: values[name].value_id if name in values else None for name in rests}
    inputs = (
        *evidence,
        *fields,
        *(constants.Input(value_id=value_id, name=name) for name, value_id in known.items()),
    )
    around = _conditions(mine.steps)
    order = sorted(taken, key=lambda name: name not in procedure.rests_on)  # what others rest on comes first
    source = f"{procedure.title.lower()}, {len(mine.steps)} held"
    for name in order:
        constant, spec = taken[name], specs[name]
        check_between(constant.value, spec.low, spec.high, name)
        value_id = constants.add(
            session,
            stored.id,
            mine.sensor_id,
            constants.NewValue(
                name,
                constant.value,
                spec.unit,
                constant.sd,
                Provenance.MEASURED,
                source,
                {**around, **constant.condition},
                inputs,
                mine.id,
                covariances=constant.covariances,
            ),
        )
        if name in procedure.rests_on:
            inputs = (*inputs, constants.Input(value_id=value_id, name=name))
    calibrations.finish(
        session,
        calibration_id,
        "accepted",
        {
            "verdict": result.verdict,
            "heading": result.heading,
            "constants": {
                name: {
                    "value": item.value,
                    "sd": item.sd,
                    "unit": specs[name].unit,
                    "label": specs[name].label,
                }
                for name, item in taken.items()
            },
            **around,
        },
    )
    fitted = stored.rig.sensor(mine.sensor).name
    text = ", ".join(
        _said(specs[name].label, item, specs[name].unit) for name, item in list(taken.items())[:6]
    )
    log.write_entry(
        session,
        stored.id,
        "calibration",
        f"{fitted}, {procedure.title.lower()}: {text}. {result.verdict}",
        calibration=calibration_id,
        sensor=mine.sensor,
    )


def _said(label: str, constant: FittedConstant, unit: str) -> str:
    spread = 2 * (constant.sd or 0.0)
    digits = (
        0
        if spread >= 20 or (not spread and constant.value == round(constant.value))
        else 1
        if spread >= 0.2
        else 3
    )
    return (
        f"{label} {fixed(constant.value, digits)}"
        + (f" ± {fixed(spread, digits)}" if spread else "")
        + f" {unit}".rstrip()
    )


def _conditions(steps: Sequence[Mapping[str, Any]]) -> dict[str, float]:
    """Mean air and supply while the steps were held."""
    results = {}
    for name, digits in (("air_c", 2), ("supply_v", 2)):
        seen = [step[name] for step in steps if step[name] is not None]
        if seen:
            results[name] = round(float(np.mean(seen)), digits)
    return results


def reject(session: Session, slug: str, calibration_id: int) -> None:
    """Put a draft away without taking anything from it."""
    mine = calibrations.calibration(session, calibration_id)
    calibrations.finish(session, calibration_id, "rejected", None)
    stored = rigs.rig_named(session, slug)
    title = catalogue.procedure(mine.procedure).title
    log.write_entry(
        session,
        stored.id,
        "calibration",
        f"{title}: {len(mine.steps)} held, archived",
        calibration=calibration_id,
    )


def bring_back(session: Session, slug: str, sensor: str, name: str, calibration_id: int) -> None:
    """Make what was archived the open draft again. Raises NotFound for one of another sensor or procedure,
    and Conflict while something is held in a newer draft."""
    mine = calibrations.calibration(session, calibration_id)
    stored = rigs.rig_named(session, slug)
    if (mine.rig_id, mine.sensor, mine.procedure) != (stored.id, sensor, name):
        raise NotFound(f"There is no calibration {calibration_id} of this sensor.")
    newer = calibrations.newest(session, mine.sensor_id, name, "draft")
    if newer is not None and newer.steps:
        raise Conflict("Something is held anew already: archive that first.", "calibration")
    if newer is not None:
        calibrations.finish(session, newer.id, "rejected", None)
    calibrations.reopen(session, calibration_id)
    title = catalogue.procedure(name).title
    log.write_entry(
        session,
        stored.id,
        "calibration",
        f"{title}: {len(mine.steps)} held, brought back",
        calibration=calibration_id,
    )
