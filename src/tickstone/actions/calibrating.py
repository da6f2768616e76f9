"""The ruler procedure: hold places one by one, see what they say, accept. Held places survive everything."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions.constants import live_air, settled
from tickstone.actions.feed import Feed
from tickstone.actions.rigs import rig_fields
from tickstone.core import ruler
from tickstone.core.checks import check_between
from tickstone.core.constants import Provenance
from tickstone.core.noise import sample_sd, without_spikes
from tickstone.core.rigs.kinds import kind
from tickstone.core.wording import fixed
from tickstone.errors import BadInput, Conflict, NotConnected
from tickstone.store import calibrations, constants, log, recordings, rigs

PROCEDURE = "ruler"
LEAST_MM, MOST_MM = 20.0, 6000.0


@dataclass(frozen=True)
class Hold:
    """A place that is being watched for: what the ruler says, and what is held already."""

    calibration_id: int
    sensor: str
    sensor_id: int
    true_mm: float
    held: tuple[ruler.Place, ...]
    jitter_us: float


def place_of(step: dict[str, Any]) -> ruler.Place:
    """A stored step as the core knows it."""
    return ruler.Place(step["true_mm"], step["echo_us"], step["sd_us"], step["n"], step["ruler_sd_mm"], step["air_c"])


def draft(session: Session, slug: str, sensor: str) -> calibrations.StoredCalibration:
    """The open draft of a ranger's ruler procedure, begun when there is none."""
    stored = rigs.rig_named(session, slug)
    if PROCEDURE not in kind(stored.rig.sensor(sensor).kind).procedures:
        raise BadInput(f"The {sensor} is not calibrated by a ruler.", "sensor")
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor]
    found = calibrations.draft_of(session, sensor_id, PROCEDURE)
    return found or calibrations.calibration(session, calibrations.begin(session, sensor_id, PROCEDURE))


def prepare(session: Session, slug: str, sensor: str, true_mm: float) -> Hold:
    """Get ready to watch for a place. Raises BadInput for ``true_mm``."""
    check_between(true_mm, LEAST_MM, MOST_MM, "true_mm")
    stored = rigs.rig_named(session, slug)
    mine = draft(session, slug, sensor)
    held = tuple(place_of(step) for step in mine.steps if step["true_mm"] != true_mm)
    jitter = settled(session, stored, sensor)["jitter"].value
    return Hold(mine.id, sensor, mine.sensor_id, true_mm, held, jitter)


def look(feed: Feed, hold: Hold) -> ruler.Holding:
    """Judge the feed's last seconds against a place that is being watched for."""
    recent = feed.last_seconds(hold.sensor, ruler.HOLD_S)
    echoes = np.where(np.isnan(recent.values), np.nan, recent.raw)
    return ruler.judge_hold(
        recent.times_s, echoes, true_mm=hold.true_mm, said_mm=recent.values, held=hold.held, jitter_us=hold.jitter_us
    )


def keep(session: Session, feed: Feed, hold: Hold, *, forced: bool) -> None:
    """Store the feed's last seconds as a held place: a marked span with its truth, and a step of the draft."""
    recent = feed.last_seconds(hold.sensor, ruler.HOLD_S)
    good = ~np.isnan(recent.values)
    recorder = feed.recorder
    if recorder is None:
        raise NotConnected("The recording has ended: connect again and hold the place anew.")
    echoes = without_spikes(recent.raw[good])
    if echoes.size < 2:
        raise Conflict("There is no echo to take: point the ranger at the target.", "true_mm")
    span = (
        feed.recording_time_us(float(recent.times_s[0])) or 0,
        feed.recording_time_us(float(recent.times_s[-1])) or 0,
    )
    truth = {"quantity": "distance", "value": hold.true_mm, "unit": "mm", "sd": ruler.RULER_SD_MM}
    air = feed.air_c
    conditions = {} if air is None else {"air_c": round(air, 2)}
    mark = recordings.add_mark(
        session, recorder.recording_id, max(span[0], 0), span[1], f"{hold.true_mm:g} mm", sensor_id=hold.sensor_id,
        truth=truth, conditions=conditions,
    )  # fmt: skip
    step = {
        "true_mm": hold.true_mm, "ruler_sd_mm": ruler.RULER_SD_MM, "echo_us": float(echoes.mean()),
        "sd_us": sample_sd(echoes), "n": int(echoes.size), "air_c": air, "mark_id": mark,
        "recording_id": recorder.recording_id, "held_s": float(recent.times_s[-1] - recent.times_s[0]),
        "at": datetime.now(UTC).isoformat(), "by": "taken at once" if forced else "taken when still",
    }  # fmt: skip
    _add_step(session, hold.calibration_id, step)


def _add_step(session: Session, calibration_id: int, step: dict[str, Any]) -> None:
    """A place held again takes the place of the one before."""
    mine = calibrations.calibration(session, calibration_id, lock=True)
    steps = [old for old in mine.steps if old["true_mm"] != step["true_mm"]]
    calibrations.set_steps(session, calibration_id, sorted([*steps, step], key=lambda s: float(s["true_mm"])))


def drop(session: Session, calibration_id: int, true_mm: float) -> None:
    """Take a held place out of the draft; its span stays marked in the recording."""
    mine = calibrations.calibration(session, calibration_id, lock=True)
    calibrations.set_steps(session, calibration_id, [s for s in mine.steps if s["true_mm"] != true_mm])


def type_pairs(session: Session, slug: str, sensor: str, pairs: Sequence[tuple[float, float]]) -> int:
    """Pairs (true mm, echo µs) from a notebook: a hand recording with marks, and steps of the draft. Returns its id."""
    if not pairs:
        raise BadInput("pairs needs at least one line of distance and echo time.", "pairs")
    for true_mm, echo_us in pairs:
        check_between(true_mm, LEAST_MM, MOST_MM, "pairs")
        check_between(echo_us, 1.0, 400_000.0, "pairs")
    stored = rigs.rig_named(session, slug)
    mine = draft(session, slug, sensor)
    channels = kind(stored.rig.sensor(sensor).kind).channels
    recording_id = recordings.begin(
        session, rig_id=stored.id, revision_id=stored.revision_id, name=f"Notebook, {len(pairs)} pairs", origin="hand",
        source="typed", clock="hand", streams=[recordings.NewStream(sensor, sensor, channels)],
    )  # fmt: skip
    times = [second * 1_000_000 for second in range(len(pairs))]
    recordings.write_rows(session, recording_id, sensor, times, [[echo for _, echo in pairs]])
    for at, (true_mm, echo_us) in zip(times, pairs, strict=True):
        truth = {"quantity": "distance", "value": true_mm, "unit": "mm", "sd": ruler.RULER_SD_MM}
        mark = recordings.add_mark(session, recording_id, at, None, f"{true_mm:g} mm", sensor_id=mine.sensor_id,
                                   truth=truth)  # fmt: skip
        _add_step(session, mine.id, {
            "true_mm": true_mm, "ruler_sd_mm": ruler.RULER_SD_MM, "echo_us": echo_us, "sd_us": 0.0, "n": 1,
            "air_c": None, "mark_id": mark, "recording_id": recording_id, "held_s": 0.0,
            "at": datetime.now(UTC).isoformat(), "by": "typed from a notebook"})  # fmt: skip
    recordings.close(session, recording_id)
    log.write_entry(
        session, stored.id, "recording", f"{len(pairs)} pairs typed from a notebook", recording=recording_id
    )
    return recording_id


def outcome(session: Session, slug: str, mine: calibrations.StoredCalibration) -> ruler.Outcome:
    """What the held places say together."""
    humidity = settled(session, rigs.rig_named(session, slug), mine.sensor)["humidity"].value
    return ruler.outcome([place_of(step) for step in mine.steps], len(ruler.PLACES_MM), humidity)


def accept(session: Session, slug: str, calibration_id: int) -> None:
    """Make the fitted constants the rig's own. Raises Conflict when too few places are held."""
    mine = calibrations.calibration(session, calibration_id, lock=True)
    found = outcome(session, slug, mine)
    if not found.can_accept or found.fit is None:
        raise Conflict("Hold at least three places at different distances before accepting.", "calibration")
    stored = rigs.rig_named(session, slug)
    values = settled(session, stored, mine.sensor)
    air = found.air_c if found.air_c is not None else values["air"].value
    fit = found.fit
    condition = {"air_c": round(air, 2), "covariance_with_offset": fit.covariance or 0.0}
    inputs = tuple(
        constants.Input(recording_id=step["recording_id"], mark_id=step["mark_id"]) for step in mine.steps
    ) + tuple(constants.Input(name=name, seen=seen) for name, seen in rig_fields(stored.rig, mine.sensor).items())
    source = f"ruler, {len(mine.steps)} places"
    new = [
        constants.NewValue("sound", fit.speed_m_s, "m/s", fit.speed_sd, Provenance.MEASURED, source, condition, inputs,
                           mine.id),
        constants.NewValue("offset", fit.offset_mm, "mm", fit.offset_sd, Provenance.MEASURED, source, {}, inputs, mine.id),
    ]  # fmt: skip
    if found.jitter_us:
        new.append(constants.NewValue("jitter", found.jitter_us, "µs", found.jitter_sd_us, Provenance.MEASURED,
                                      "mean of the held spans", {}, inputs, mine.id))  # fmt: skip
    if found.air_c is not None:
        new.append(constants.NewValue("air", round(found.air_c, 2), "°C", live_air(session, stored, found.air_c, 1).sd,
                                      Provenance.MEASURED, "mean while held", {}, inputs, mine.id))  # fmt: skip
    for value in new:
        constants.add(session, stored.id, mine.sensor_id, value)
    result = {
        "speed_m_s": fit.speed_m_s, "speed_sd": fit.speed_sd, "offset_mm": fit.offset_mm, "offset_sd": fit.offset_sd,
        "covariance": fit.covariance, "residual_sd_mm": fit.residual_sd_mm, "residuals_mm": list(fit.residuals_mm),
        "verdict": found.verdict, "air_c": air,
    }  # fmt: skip
    calibrations.finish(session, calibration_id, "accepted", result)
    two_sd = (
        f"sound {fixed(fit.speed_m_s, 1)} ± {fixed(2 * (fit.speed_sd or 0), 1)} m/s, "
        f"offset {fixed(fit.offset_mm, 1)} ± {fixed(2 * (fit.offset_sd or 0), 1)} mm"
    )
    name = stored.rig.sensor(mine.sensor).name
    log.write_entry(session, stored.id, "calibration", f"{name} calibrated by ruler: {two_sd}. {found.verdict}",
                    calibration=calibration_id, sensor=mine.sensor)  # fmt: skip


def reject(session: Session, slug: str, calibration_id: int) -> None:
    """Put a draft away without taking anything from it."""
    calibrations.finish(session, calibration_id, "rejected", None)
    stored = rigs.rig_named(session, slug)
    log.write_entry(session, stored.id, "calibration", "Ruler places put away", calibration=calibration_id)
