"""What recordings of a rig tell of its sensors for a run: how noisy they are, how often they answer, how many
of their readings are lost. Of what is measured or chosen otherwise nothing is replaced."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt
from sqlalchemy.orm import Session

from tickstone.actions.reading import Converter
from tickstone.core.constants import Provenance, Value, Values
from tickstone.core.drive.sensing import LOST_SHARE
from tickstone.core.lost import lost_share
from tickstone.core.noise import step_noise
from tickstone.core.rigs.rig import Sensor
from tickstone.store import recordings, rigs, samples

LEAST_ROWS, MOST_ROWS = 50, 4000
NOISE = {"distance": "jitter", "surface": "noise"}  # the constant that is the noise of a family's raw numbers


def told_by_recordings(
    session: Session, stored: rigs.StoredRig, sensors: Sequence[Sensor], values: Mapping[str, Values]
) -> dict[str, dict[str, Value]]:
    """What the newest recording of each sensor that is read tells, in place of what nobody has measured."""
    ended = [each for each in recordings.recordings_of(session, stored.id) if each.status != "live"]
    results = {}
    for sensor in sensors:
        for recording in ended:
            stream = next((s for s in recording.streams if s.key == sensor.id and s.n >= LEAST_ROWS), None)
            if stream is not None:
                results[sensor.id] = _told(session, recording, stream, sensor, values[sensor.id])
                break
    return results


def _told(
    session: Session,
    recording: recordings.StoredRecording,
    stream: samples.StreamInfo,
    sensor: Sensor,
    values: Values,
) -> dict[str, Value]:
    converter = Converter(session, recording, sensor.id, values)
    first = stream.t0 or 0
    if stream.n > MOST_ROWS and stream.t1 is not None:
        first = round(stream.t1 - (stream.t1 - first) * MOST_ROWS / stream.n)
    times, raw = samples.rows_between(session, stream, first, None)
    if times.size < LEAST_ROWS:
        return {}
    converted, _ = converter.rows(times, raw, {})
    told: dict[str, float | None] = {}
    family = converter.kind.family
    if family == "distance":
        told["ping_interval"] = float(np.median(np.diff(times))) / 1e6
        told[LOST_SHARE] = lost_share(converted.valid)
    if family in NOISE:
        told[NOISE[family]] = _quietest(raw)
    results = {}
    for name, value in told.items():
        known = values.get(name)
        if value is not None and value > 0 and (known is None or known.provenance is Provenance.ASSUMED):
            label, unit = (known.label, known.unit) if known else ("readings lost", "")
            source = f"recording {recording.name}"
            results[name] = Value(name, label, unit, value, None, Provenance.MEASURED, source)
    return results


def _quietest(raw: npt.NDArray[np.float64]) -> float | None:
    """The noise of the channel that moves least."""
    noises = [noise for noise in map(step_noise, raw) if noise is not None]
    return min(noises, default=None)
