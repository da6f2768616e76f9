"""Driving: what a rig can be run with, and runs with its constants as they stand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from tickstone.actions.constants import all_settled
from tickstone.core.behaviours.behaviour import Behaviour
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.drive.parts import sensors_of
from tickstone.core.drive.request import Run, RunRequest
from tickstone.core.drive.rolling import COMPILED_FROM
from tickstone.core.drive.run import run
from tickstone.core.drive.vehicle import SPECS, VehicleSpec
from tickstone.core.drive.worlds import world
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import fern
from tickstone.errors import BadInput
from tickstone.store import rigs

USUAL_WORLD = {  # where each behaviour is at home; the one that a rig is begun with first
    "follow-pid": "path",
    "follow-table": "path",
    "follow-two": "path",
    "follow-edge": "path",
    "wander": "greenhouse",
    "edge-guard": "table",
    "stop-warn": "bench",
    "hold-distance": "beam",
    "indicate": "bench",
}
MOST_S = 120.0  # of a run that somebody waits for


@dataclass(frozen=True)
class AbleBehaviour:
    """A behaviour, the world where it is at home, and what the rig lacks for it (empty: nothing)."""

    behaviour: Behaviour
    world: str
    lacks: str


@dataclass(frozen=True)
class DrivenRun:
    """A run with what it was worked out for: its request, and the vehicle's numbers in words."""

    request: RunRequest
    run: Run
    vehicle: tuple[VehicleSpec, ...] = SPECS

    def label_of(self, name: str) -> str:
        """What a number that nobody has measured is called."""
        known = {spec.name: spec.label for spec in SPECS}
        return known.get(name, name.replace("_", " "))

    def sensor_of(self, name: str) -> str:
        """The id of the sensor whose constant nobody has measured; empty for a number of the vehicle or of
        what it moves."""
        sensor = sensors_of(self.request.rig, self.run.behaviour)[0]
        return sensor.id if name in kind(sensor.kind).specs else ""


def able(session: Session, slug: str) -> list[AbleBehaviour]:
    """Every behaviour, those first that the rig can be run with. Raises NotFound."""
    rig = rigs.rig_named(session, slug).rig
    results = []
    for behaviour in BEHAVIOURS.values():
        lacks = ""
        try:
            sensors_of(rig, behaviour)
        except BadInput as refused:
            lacks = refused.message
        results.append(AbleBehaviour(behaviour, _home(rig, behaviour), lacks))
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


def drive(
    session: Session,
    slug: str,
    behaviour: str,
    world_name: str,
    given: Mapping[str, float],
    seconds: float,
    seed: int,
    real: bool = False,
) -> DrivenRun:
    """Run a rig with its constants as they stand. Raises BadInput naming the field that cannot be."""
    if seconds > MOST_S:
        raise BadInput(f"A run on the screen lasts at most {MOST_S:g} s.", "seconds")
    stored = rigs.rig_named(session, slug)
    request = RunRequest(
        stored.rig,
        world(world_name),
        behaviour,
        given,
        seconds,
        seed,
        real=real,
        values=all_settled(session, stored),
    )
    return DrivenRun(request, run(request))
