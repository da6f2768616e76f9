"""The obstacle guard: where the cart must begin to stop, from its constants and a recording's own noise."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from tickstone.actions import reading
from tickstone.actions.constants import settled
from tickstone.actions.rigs import rig_fields
from tickstone.core import deciding, ranging
from tickstone.core.checks import check_between, check_order
from tickstone.core.constants import Provenance, Value
from tickstone.core.rigs.kinds import kind
from tickstone.errors import BadInput
from tickstone.store import constants, log, recordings, rigs

SIGMAS = 3.0
ENOUGH_READINGS = 50
COMMON_MM = (90.0, 100.0, 600.0)  # common practice: thresholds people type in
RESTS_ON = (
    "drive_speed", "ping_interval", "votes", "reaction", "braking", "gap", "hysteresis", "set_back", "offset",
)  # fmt: skip


@dataclass(frozen=True)
class Obstacle:
    """What it takes to stop in time, and what has been chosen."""

    stop: deciding.StopDistance
    sigma_mm: float
    sigma_from: str
    recording_id: int | None
    noise: reading.Noise | None
    reach_mm: float
    values: dict[str, Value]
    chosen_trip: Value | None
    chosen_clear: Value | None
    heading: str
    sentences: tuple[str, ...]


def obstacle(session: Session, slug: str, sensor: str, recording_id: int | None) -> Obstacle:
    """Compute trip and clear. Without a recording the noise is the jitter's; the newest live one is used by default."""
    stored = rigs.rig_named(session, slug)
    if "obstacle" not in kind(stored.rig.sensor(sensor).kind).decisions:
        raise BadInput(f"The {sensor} decides nothing about obstacles.", "sensor")
    values = settled(session, stored, sensor)
    if recording_id is None:
        recording_id = _newest(session, stored.id, sensor)
    seen = reading.noise(session, recording_id, sensor) if recording_id is not None else None
    if seen is not None and seen.sd is not None:
        sigma, said = seen.sd, f"{seen.readings - seen.dropouts} readings of the recording"
    else:
        sigma = values["jitter"].value * values["sound"].value / 2000.0
        said, recording_id = "the jitter constant: no recording yet", None
    stop = deciding.stop_distance(
        speed_m_s=values["drive_speed"].value, sample_s=values["ping_interval"].value,
        votes=round(values["votes"].value), reaction_s=values["reaction"].value,
        deceleration_m_s2=values["braking"].value, gap_mm=values["gap"].value, sigma_mm=sigma, sigmas=SIGMAS,
        hysteresis_mm=values["hysteresis"].value, blind_mm=values["set_back"].value,
    )  # fmt: skip
    reach = values["farthest"].value
    trip, clear = values.get("trip"), values.get("clear")
    return Obstacle(stop, sigma, said, recording_id, seen, reach, values, trip, clear,
                    _heading(stop, trip, reach, values["drive_speed"].value), _sentences(stop, trip, seen, values, reach))  # fmt: skip


def _newest(session: Session, rig_id: int, sensor: str) -> int | None:
    for recording in recordings.recordings_of(session, rig_id):
        finished = recording.origin == "live" and recording.status != "live"
        if finished and any(s.key == sensor and s.n >= ENOUGH_READINGS for s in recording.streams):
            return recording.id
    return None


def _heading(stop: deciding.StopDistance, trip: Value | None, reach: float, speed: float) -> str:
    if stop.trip_mm > reach:
        return f"At {speed:g} m/s the cart cannot stop within the ranger's reach"
    if trip is None:
        return f"At {speed:g} m/s the cart must begin to stop at {stop.trip_mm:.0f} mm"
    spare = trip.value - stop.trip_mm
    if spare < -0.5:
        return f"Tripping at {trip.value:.0f} mm is {-spare:.0f} mm too late at {speed:g} m/s"
    return f"Tripping at {trip.value:.0f} mm stops the cart with {stop.parts_mm['gap'] + spare:.0f} mm to spare"


def _sentences(
    stop: deciding.StopDistance, trip: Value | None, seen: reading.Noise | None, values: dict[str, Value], reach: float
) -> tuple[str, ...]:
    del trip
    said = []
    if stop.trip_mm > reach:
        said.append(f"{stop.trip_mm:.0f} mm is beyond the reach of {reach:.0f} mm: drive slower or brake harder.")
    late = [mm for mm in COMMON_MM if mm < stop.trip_mm]
    if late:
        said.append(f"The usual {_list(late)} would be too late at this speed.")
    if seen is not None and seen.dropouts:
        said.append(
            f"{seen.dropouts} of {seen.readings} pings were dropouts or out of reach: never take them for clear."
        )
    low = ranging.footprint_mm(stop.trip_mm, values["cone"].value)
    said.append(f"At the trip distance the beam is {low:.0f} mm wide; a post beside it is not seen.")
    floor = values.get("floor_from")
    if floor is not None and floor.value < stop.clear_mm:
        said.append(
            f"The beam meets the floor from {floor.value:.0f} mm on: mount it higher, or the floor may trip it."
        )
    return tuple(said)


def _list(values: list[float]) -> str:
    said = [f"{value / 10:g} cm" for value in values]
    return said[0] if len(said) == 1 else ", ".join(said[:-1]) + " or " + said[-1]


def choose(session: Session, slug: str, sensor: str, trip_mm: float, clear_mm: float, recording_id: int | None) -> None:
    """Make trip and clear the person's choice, remembering what it was chosen from. Raises BadInput for the fields."""
    found = obstacle(session, slug, sensor, recording_id)
    check_between(trip_mm, found.values["nearest"].value, found.reach_mm, "trip_mm")
    check_between(clear_mm, 0, found.reach_mm * 1.5, "clear_mm")
    check_order(trip_mm, clear_mm, "trip_mm", "clear_mm")
    stored = rigs.rig_named(session, slug)
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor]
    inputs = [constants.Input(value_id=found.values[n].value_id, name=n) for n in RESTS_ON]
    inputs += [constants.Input(name=name, seen=seen) for name, seen in rig_fields(stored.rig, sensor).items()]
    if found.recording_id is not None:
        inputs.append(constants.Input(recording_id=found.recording_id))
    source = f"chosen; {found.stop.trip_mm:.0f} mm needed at {found.values['drive_speed'].value:g} m/s"
    for name, value in (("trip", trip_mm), ("clear", clear_mm)):
        constants.add(session, stored.id, sensor_id, constants.NewValue(
            name, value, "mm", None, Provenance.CHOSEN, source, {}, tuple(inputs)))  # fmt: skip
    name = stored.rig.sensor(sensor).name
    log.write_entry(session, stored.id, "constant", f"{name}: trip {trip_mm:.0f} mm, clear {clear_mm:.0f} mm {source}",
                    sensor=sensor, name="trip")  # fmt: skip
