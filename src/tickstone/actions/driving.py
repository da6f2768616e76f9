"""Driving: what a rig can be run with, runs with its constants as they stand, and settings that are chosen
by a run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from tickstone.actions import worlds
from tickstone.actions.constants import all_settled, settled
from tickstone.actions.recorded import told_by_recordings
from tickstone.actions.rigs import rig_fields
from tickstone.core.behaviours.behaviour import MOST_SENSORS, ROW, Behaviour, Setting
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.behaviours.catalogue import behaviour as behaviour_named
from tickstone.core.checks import check_between
from tickstone.core.constants import Provenance, Value
from tickstone.core.drive.assumed import Assumed, assumed_of
from tickstone.core.drive.hands import NUMBERS
from tickstone.core.drive.parts import lacking, sensors_of
from tickstone.core.drive.request import Run, RunProgress, RunRequest
from tickstone.core.drive.rolling import COMPILED_FROM
from tickstone.core.drive.run import run
from tickstone.core.drive.vehicle import SPECS, VehicleSpec, specs_of
from tickstone.core.drive.worlds import world
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import fern
from tickstone.errors import BadInput
from tickstone.formats.world_json import world_to_plain
from tickstone.store import constants, log, rigs

USUAL_WORLD = {  # where each behaviour is at home; the one that a rig is begun with first
    "follow-pid": "path",
    "follow-table": "path",
    "follow-two": "path",
    "follow-edge": "path",
    "wander": "greenhouse",
    "follow-wall": "track",
    "edge-guard": "table",
    "stop-warn": "bench",
    "hold-distance": "beam",
    "indicate": "bench",
}
LEAST_S, MOST_S = 0.1, 600.0  # of a run that somebody waits for


@dataclass(frozen=True)
class AbleBehaviour:
    """A behaviour, the world where it is at home, the sensor that it reads (the first of several), and what
    the rig lacks for it (empty: nothing)."""

    behaviour: Behaviour
    world: str
    sensor: str
    lacks: str


@dataclass(frozen=True)
class DrivenRun:
    """A run with what it was worked out for."""

    request: RunRequest
    run: Run

    @property
    def vehicle(self) -> tuple[VehicleSpec, ...]:
        """The vehicle's numbers in words."""
        return specs_of(self.request.rig)

    @property
    def assumed(self) -> list[Assumed]:
        """What nobody has measured."""
        sensor = sensors_of(self.request.rig, self.run.behaviour)[0]
        return [assumed_of(name, self.request.rig, sensor) for name in self.run.assumed]

    def value_of(self, setting: Setting) -> Value | None:
        """The constant that a setting is, as it stands on the rig; None where nobody has settled it."""
        sensor = sensors_of(self.request.rig, self.run.behaviour)[0]
        values = (self.request.values or {}).get(sensor.id, {})
        return values.get(self.run.behaviour.constant_of(setting))

    def keeps(self, setting: Setting) -> bool:
        """Whether a setting can be kept as a chosen constant of the rig."""
        sensor = sensors_of(self.request.rig, self.run.behaviour)[0]
        spec = kind(sensor.kind).specs.get(self.run.behaviour.constant_of(setting))
        return spec is not None and spec.typed_as is Provenance.CHOSEN


def able(session: Session, slug: str) -> list[AbleBehaviour]:
    """Every behaviour, those first that the rig can be run with. Raises NotFound."""
    rig = rigs.rig_named(session, slug).rig
    results = []
    for behaviour in BEHAVIOURS.values():
        lacks = lacking(rig, behaviour)
        sensor = "" if lacks else sensors_of(rig, behaviour)[0].id
        results.append(AbleBehaviour(behaviour, _home(rig, behaviour), sensor, lacks))
    order = list(USUAL_WORLD)
    return sorted(results, key=lambda each: (each.lacks != "", order.index(each.behaviour.id)))


def warm() -> None:
    """Compile the loop of runs on wheels: each run after it answers in milliseconds. It takes seconds where
    nothing was kept of an earlier time."""
    run(RunRequest(fern(), world("path"), "follow-pid", {"loop_ms": 1.0}, COMPILED_FROM / 1000.0, 1))


def _home(rig: Rig, behaviour: Behaviour) -> str:
    """The world that a rig is begun with: what a motor driver holds is a float over its fan, not a ball."""
    servo = any(output.kind == "servo" for output in rig.outputs)
    return "tube" if behaviour.id == "hold-distance" and not servo else USUAL_WORLD[behaviour.id]


@dataclass(frozen=True)
class Asked:
    """What a person asks to be run: ``given`` are numbers by name, for this run alone."""

    behaviour: str
    world: str
    given: Mapping[str, float]
    seconds: float = 20.0
    seed: int = 1
    real: bool = False
    integers: bool = False


def requested(session: Session, slug: str, asked: Asked) -> RunRequest:
    """What is run: the rig with its constants as they stand, in that world. Raises NotFound, and BadInput
    naming the field that cannot be."""
    check_between(asked.seconds, LEAST_S, MOST_S, "seconds")
    stored = rigs.rig_named(session, slug)
    values, read = all_settled(session, stored), sensors_of(stored.rig, behaviour_named(asked.behaviour))
    recorded = told_by_recordings(session, stored, read, values)
    return RunRequest(
        stored.rig,
        worlds.find(session, asked.world),
        asked.behaviour,
        asked.given,
        asked.seconds,
        asked.seed,
        real=asked.real,
        integers=asked.integers,
        values={sensor: known | recorded.get(sensor, {}) for sensor, known in values.items()},
        recorded=tuple(value for told in recorded.values() for value in told.values()),
    )


def drive(request: RunRequest, progress: RunProgress | None = None) -> DrivenRun:
    """Work a run out. Raises BadInput naming the field that cannot be, Conflict when it was stopped."""
    return DrivenRun(request, run(request, progress))


# ways to drive a course: a behaviour, with what is set for it (of a row, how many sensors it reads)
WAYS: tuple[tuple[str, dict[str, float]], ...] = (
    ("follow-edge", {"side": 0.0}),
    ("follow-edge", {"side": 1.0}),
    ("follow-two", {}),
    ("follow-table", {"read_sensors": 3.0}),
    ("follow-table", {}),
    ("follow-pid", {"read_sensors": 3.0}),
    ("follow-pid", {}),
    ("wander", {}),
    ("follow-wall", {"side": 0.0}),
    ("follow-wall", {"side": 1.0}),
)


@dataclass(frozen=True)
class Way:
    """A way to drive a course, in words what is set for it, the numbers it was given, and how it went."""

    behaviour: Behaviour
    words: str
    given: Mapping[str, float]
    run: Run


def ways(request: RunRequest) -> list[Way]:
    """Every way in which the rig can drive a course like the one that is asked for, in the same world, with
    the same seed and hands. Numbers of a behaviour stand as they are on the rig."""
    asked = behaviour_named(request.behaviour)
    common = {name for name in NUMBERS if name != "read_sensors"} | {spec.name for spec in SPECS}
    given = {name: value for name, value in request.given.items() if name in common}
    results = []
    for name, own in WAYS:
        behaviour = behaviour_named(name)
        if (behaviour.follows, behaviour.reads) != (asked.follows, asked.reads):
            continue
        if lacking(request.rig, behaviour) or own.get("read_sensors", 0.0) >= _fitted(request, behaviour):
            continue  # the rig cannot, or it is the same as all of them
        numbers = given | own
        done = run(replace(request, behaviour=name, given=numbers))
        results.append(Way(behaviour, _way_words(behaviour, own, done), numbers, done))
    return results


def _way_words(behaviour: Behaviour, own: Mapping[str, float], done: Run) -> str:
    """What is set for a way: the side, or how many sensors of a row."""
    sides = next((setting.choices for setting in behaviour.settings if setting.name == "side"), ())
    if sides:
        return sides[int(own.get("side", 0.0))]
    count = 0 if behaviour.id == "follow-two" else done.flags.shape[1]  # that has it in its title
    return f"{count} sensors" if count else ""


def _fitted(request: RunRequest, behaviour: Behaviour) -> int:
    """How many sensors the row has that a behaviour reads; more than any where it reads none."""
    if behaviour.reads != ROW:
        return MOST_SENSORS + 1
    values = (request.values or {}).get(sensors_of(request.rig, behaviour_named(request.behaviour))[0].id, {})
    return int(values["sensors"].value) if "sensors" in values else MOST_SENSORS + 1


def on_track(request: RunRequest) -> dict[str, Any]:
    """What a stand-in on the track is told: the behaviour, the world, and the constants that the board's
    program would have."""
    values = request.values or {}
    return {
        "behaviour": request.behaviour,
        "world": world_to_plain(request.world),
        "given": dict(request.given),
        "constants": {
            sensor: {name: value.value for name, value in every.items()} for sensor, every in values.items()
        },
    }


RESTS_ON = ("white", "black", "threshold", "band", "table_", "act_", "trip", "clear", "offset", "pitch")


def choose(session: Session, slug: str, asked: Asked, verdict: str) -> int:
    """Keep the settings of a behaviour that were given for a run as chosen constants of the sensor that it
    reads. They remember what the run rested on. Returns the id of the last one, by which the choice can be
    taken back. Raises BadInput for ``given`` where none of them can be chosen."""
    stored = rigs.rig_named(session, slug)
    behaviour = behaviour_named(asked.behaviour)
    sensor = sensors_of(stored.rig, behaviour)[0]
    specs, values = kind(sensor.kind).specs, settled(session, stored, sensor.id)
    wanted = {}
    for setting in behaviour.settings:
        spec = specs.get(behaviour.constant_of(setting))
        if setting.name in asked.given and spec is not None and spec.typed_as is Provenance.CHOSEN:
            value = check_between(asked.given[setting.name], spec.low, spec.high, setting.name)
            wanted[spec.name] = (setting, value)
    if not wanted:
        raise BadInput(
            "None of the numbers that were changed is one of the behaviour's own to keep.", "given"
        )
    rests = [name for name in values if name.startswith(RESTS_ON) and name not in wanted]
    inputs = [constants.Input(value_id=values[name].value_id, name=name) for name in rests]
    inputs += [constants.Input(name=n, seen=seen) for n, seen in rig_fields(stored.rig, sensor.id).items()]
    last = 0
    sensor_id = rigs.sensor_ids(session, stored.id)[sensor.id]
    for name, (_, value) in wanted.items():
        new = constants.NewValue(
            name,
            value,
            specs[name].unit,
            None,
            Provenance.CHOSEN,
            f"chosen by a run in {asked.world}: {verdict.lower()}",
            {},
            tuple(inputs),
        )
        last = constants.add(session, stored.id, sensor_id, new)
    text = ", ".join(f"{s.label} {_words(s, value)}" for s, value in wanted.values())
    log.write_entry(
        session, stored.id, "constant", f"{behaviour.title} in {asked.world}: {text}", sensor=sensor.id
    )
    return last


def take_back(session: Session, slug: str, name: str, upto: int) -> None:
    """Take the last choice of a behaviour's settings back; ``upto`` is the value by which it is known. Raises
    Conflict when something was chosen since."""
    stored = rigs.rig_named(session, slug)
    behaviour = behaviour_named(name)
    sensor = sensors_of(stored.rig, behaviour)[0]
    names = [behaviour.constant_of(setting) for setting in behaviour.settings]
    constants.take_back(session, rigs.sensor_ids(session, stored.id)[sensor.id], names, upto)
    log.write_entry(
        session, stored.id, "constant", f"{behaviour.title}: the choice was taken back", sensor=sensor.id
    )


def _words(setting: Setting, value: float) -> str:
    """A setting's value as a person reads it."""
    return setting.choices[int(value)] if setting.choices else f"{value:g} {setting.unit}".rstrip()
