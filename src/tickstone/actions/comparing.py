"""What a calibration changes: an old recording before and after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from sqlalchemy.orm import Session

from tickstone.actions import calibrating
from tickstone.actions.constants import settled
from tickstone.actions.reading import Converter
from tickstone.core.calibration.procedure import FittedConstant
from tickstone.core.constants import Provenance, Value, Values
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Kind
from tickstone.core.wording import fixed
from tickstone.errors import BadInput
from tickstone.store import recordings, rigs, samples

MOST_ROWS = 100_000
POINTS = 240


@dataclass(frozen=True)
class BeforeAfter:
    """Converted readings of a stretch by the constants of today and by the fitted ones, each point the middle
    of its bin; NaN where there is none. ``said`` puts the difference into words."""

    times_s: npt.NDArray[np.float64]
    before: npt.NDArray[np.float64]
    after: npt.NDArray[np.float64]
    quantity: str
    unit: str
    said: str


def with_fitted(what: Kind, values: Values, fitted: Mapping[str, FittedConstant]) -> Values:
    """The constants as they would stand once the fitted ones are accepted; derived ones follow."""
    known = {name: value for name, value in values.items() if value.provenance is not Provenance.DERIVED}
    specs = what.specs
    for name, constant in fitted.items():
        spec = specs[name]
        old = known.get(name) or Value(
            name, spec.label, spec.unit, constant.value, constant.sd, Provenance.MEASURED, "", spec.station
        )
        known[name] = replace(
            old,
            value=constant.value,
            sd=constant.sd,
            provenance=Provenance.MEASURED,
            condition=dict(constant.condition),
            covariances=constant.covariances,
        )
    return what.settled(known)


def before_after(session: Session, slug: str, sensor: str, name: str, recording_id: int) -> BeforeAfter:
    """Convert a recording with today's constants and with those that the draft has fitted. Raises BadInput
    for ``recording_id`` when it has no such readings, and when nothing is fitted yet."""
    stored, recording = rigs.rig_named(session, slug), recordings.recording(session, recording_id)
    stream = next((stream for stream in recording.streams if stream.key == sensor and stream.n), None)
    if stream is None or recording.rig_id != stored.id:
        raise BadInput(
            f"Recording “{recording.name}” has no reading of the {stored.rig.sensor(sensor).name}.",
            "recording_id",
        )
    outcome = calibrating.outcome(session, slug, calibrating.draft(session, slug, sensor, name))
    if not outcome.constants:
        raise BadInput("Nothing is fitted yet: hold more first.", "procedure")
    values = settled(session, stored, sensor)
    after = with_fitted(
        kind(stored.rig.sensor(sensor).kind),
        values,
        {constant.name: constant for constant in outcome.constants},
    )
    times, raw = samples.rows_between(session, stream)
    times, raw = times[:MOST_ROWS], raw[:, :MOST_ROWS]
    worked = [Converter(session, recording, sensor, item).work(times, raw) for item in (values, after)]
    series = [np.where(rows.converted.valid, rows.converted.values, np.nan) for rows in worked]
    quantity = kind(stored.rig.sensor(sensor).kind).quantity
    at, old = _binned(worked[0].times / 1e6, series[0])
    _, new = _binned(worked[1].times / 1e6, series[1])
    return BeforeAfter(at, old, new, quantity.name, quantity.unit, _said(series[0], series[1], quantity.unit))


def _binned(
    times_s: npt.NDArray[np.float64], values: npt.NDArray[np.float64]
) -> tuple[np.ndarray, np.ndarray]:
    parts = min(POINTS, max(1, times_s.size))
    times, middle = [], []
    for t, v in zip(np.array_split(times_s, parts), np.array_split(values, parts), strict=True):
        known = v[np.isfinite(v)]
        times.append(float(t.mean()) if t.size else np.nan)
        middle.append(float(np.median(known)) if known.size else np.nan)
    return np.array(times), np.array(middle)


def _said(before: np.ndarray, after: np.ndarray, unit: str) -> str:
    """The change in words: how far readings move, and how many mean something now."""
    both = np.isfinite(before) & np.isfinite(after)
    good_before, good_after = int(np.isfinite(before).sum()), int(np.isfinite(after).sum())
    text = "No reading of this recording means anything with either set of constants."
    if both.any():
        moved = after[both] - before[both]
        middle = float(np.median(moved))
        digits = 0 if abs(middle) >= 10 else 1 if abs(middle) >= 1 else 2
        text = (
            f"Readings move by {fixed(middle, digits)} {unit} in the middle, at most "
            f"{fixed(float(np.abs(moved).max()), digits)}."
        )
    if good_after != good_before:
        text += f" {good_after} of {after.size} mean something, {good_before} before."
    return text
