"""Behaviours driven through every world that fits them, as they were approved: where each run ended, what its
trace holds on the average, how it was judged; and the worlds themselves."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest

from tests import approved
from tests.core.drive.test_runs import rover
from tickstone.core.behaviours.catalogue import BEHAVIOURS
from tickstone.core.drive.request import Run, RunRequest
from tickstone.core.drive.run import run
from tickstone.core.drive.worlds import WORLDS
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import TEMPLATES, template
from tickstone.errors import BadInput
from tickstone.formats.run_json import behaviours_to_plain

SECONDS = 8.0
ALIKE = ("T15",)  # differs from T09 by nothing that drives
OFTEN = ("T13", "T16", "T19")  # they stop and warn as T06 does: one world is enough
BY_RANGER = ("wander", "stop-warn", "follow-wall")
ROOMS = ["room", "corridor", "curtain", "greenhouse", "table", "path"]  # the others have no wall to see


def told(result: Run) -> dict[str, object]:
    """A run in a few lines."""
    trace = np.asarray(result.trace)
    finite = np.where(np.isfinite(trace), trace, 0.0)
    judged = result.judged
    return {
        "end": finite[-1].tolist()[:24],
        "mean": finite.mean(axis=0).tolist()[:24],
        "aboard": finite.std(axis=0).tolist()[24:],
        "events": " ".join(f"{event.kind}@{event.t_s:.2f}" for event in judged.events[:20]),
        "score": dict(judged.score),
        "why": judged.why,
        "verdict": judged.verdict,
        "assumed": len(result.assumed),
    }


def rigs() -> Iterator[tuple[str, Rig]]:
    """Everything that drives."""
    yield from ((name, template(name)) for name in TEMPLATES if name not in ALIKE)
    yield "three rangers", rover(0.0, 90.0, -90.0)


def driven(behaviour: str) -> dict[str, object]:
    """Every run of a behaviour that can be had; refusals are the same for many, and told once."""
    results: dict[str, object] = {}
    for number, (name, rig) in enumerate(rigs()):
        worlds = ["room"] if name in OFTEN else ROOMS if behaviour in BY_RANGER else list(WORLDS)
        for place in worlds:
            request = RunRequest(
                rig, WORLDS[place], behaviour, {}, SECONDS, seed=number + 1, real=number % 2 == 0
            )
            try:
                results[f"{name}, {place}"] = told(run(request))
                if place == worlds[0]:
                    results[f"{name}, {place}, whole numbers"] = told(run(replace(request, integers=True)))
            except BadInput as error:
                results.setdefault(f"refused: {error.message}", error.path)
    return results


@pytest.mark.slow
@pytest.mark.parametrize("behaviour", BEHAVIOURS)
def test_runs_as_approved(behaviour: str) -> None:
    approved.check(f"driven-{behaviour}", driven(behaviour))


def test_worlds_and_behaviours_as_approved() -> None:
    approved.check("worlds", {**WORLDS, "behaviours": behaviours_to_plain()})
