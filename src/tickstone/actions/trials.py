"""Runs that are kept with a rig: with the rig, the constants, the world and the seed they were made of, so
that each can be repeated as it was, and two be held beside each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from sqlalchemy.orm import Session

from tickstone.actions import driving
from tickstone.core.drive.request import RunRequest
from tickstone.core.drive.scores import SCORES
from tickstone.core.rigs.kinds import kind
from tickstone.formats.run_json import constants_of, constants_to_plain
from tickstone.formats.world_json import world_of, world_to_plain
from tickstone.store import drive, log, rigs

ASKED = ("seconds", "seed", "step_ms", "real", "integers")
MOST_NOTE = 200


@dataclass(frozen=True)
class Difference:
    """A number that is not the same in two runs; None where a run has none. ``what`` it is: asked for, a
    constant (then of ``sensor``), or a score."""

    what: str
    sensor: str
    name: str
    label: str
    unit: str
    before: Any
    after: Any


def keep(session: Session, slug: str, driven: driving.DrivenRun, note: str) -> int:
    """Keep a run with its rig; returns its number."""
    stored = rigs.rig_named(session, slug)
    request, judged = driven.request, driven.run.judged
    number = drive.keep_trial(
        session,
        stored.id,
        drive.NewTrial(
            stored.revision_id,
            note.strip()[:MOST_NOTE],
            request.behaviour,
            world_to_plain(request.world),
            {"given": dict(request.given)} | {name: getattr(request, name) for name in ASKED},
            constants_to_plain(request.values or {}),
            dict(judged.score),
            judged.verdict,
            judged.why,
        ),
    )
    log.write_entry(
        session,
        stored.id,
        "trial",
        f"Run {number}, {driven.run.behaviour.title.lower()} in {request.world.name}: {judged.verdict}",
        trial=number,
    )
    return number


def all_of(session: Session, slug: str) -> list[drive.Trial]:
    """The kept runs of a rig, newest first. Raises NotFound."""
    return drive.trials(session, rigs.rig_named(session, slug).id)


def again(session: Session, slug: str, number: int) -> RunRequest:
    """What it takes to repeat a kept run exactly. Raises NotFound."""
    trial = drive.trial(session, rigs.rig_named(session, slug).id, number)
    rig = rigs.rig_of_revision(session, trial.rig_revision_id)
    asked = trial.asked
    return RunRequest(
        rig,
        world_of(trial.world),
        trial.behaviour,
        asked["given"],
        values=constants_of(rig, trial.constants),
        **{name: asked[name] for name in ASKED},
    )


def beside(session: Session, slug: str, number: int, before: int) -> list[Difference]:
    """What is not the same in two kept runs: what was asked for, constants, scores. Raises NotFound."""
    rig_id = rigs.rig_named(session, slug).id
    new, old = drive.trial(session, rig_id, number), drive.trial(session, rig_id, before)
    asked = ({"behaviour": trial.behaviour, "world": trial.world["name"]} for trial in (old, new))
    results = _differences("asked", "", {}, *asked)
    flat = ({**trial.asked, **trial.asked["given"], "given": None} for trial in (old, new))
    results += _differences("asked", "", {}, *flat)
    kinds = {sensor.id: kind(sensor.kind).specs for sensor in again(session, slug, number).rig.sensors}
    for sensor in dict.fromkeys((*old.constants, *new.constants)):
        values = (
            {name: entry["value"] for name, entry in trial.constants.get(sensor, {}).items()}
            for trial in (old, new)
        )
        results += _differences("constant", sensor, kinds.get(sensor, {}), *values)
    return results + _differences("score", "", SCORES, old.score, new.score)


def put_away(session: Session, slug: str, number: int, away: bool) -> None:
    """Put a kept run away, or take it out again. Raises NotFound."""
    drive.put_away(session, rigs.rig_named(session, slug).id, number, away)


class Labelled(Protocol):
    """What tells a number's label and unit."""

    @property
    def label(self) -> str: ...
    @property
    def unit(self) -> str: ...


def _differences(
    what: str,
    sensor: str,
    specs: Mapping[str, Labelled],
    old: Mapping[str, Any],
    new: Mapping[str, Any],
) -> list[Difference]:
    results = []
    for name in dict.fromkeys((*old, *new)):
        before, after = old.get(name), new.get(name)
        if before != after:
            spec = specs.get(name)
            label, unit = (spec.label, spec.unit) if spec else (name.replace("_", " "), "")
            results.append(Difference(what, sensor, name, label, unit, before, after))
    return results
