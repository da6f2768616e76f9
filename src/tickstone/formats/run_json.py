"""Runs as JSON: what is asked for, and what came of it; the trace as CSV."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from pydantic import BaseModel, FiniteFloat, TypeAdapter, ValidationError

from tickstone.core.behaviours.behaviour import Behaviour
from tickstone.core.behaviours.catalogue import BEHAVIOURS, behaviour
from tickstone.core.constants import Provenance, Value, Values
from tickstone.core.drive import loop
from tickstone.core.drive.request import Run, RunRequest
from tickstone.core.drive.worlds import WORLDS, world
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig
from tickstone.core.rigs.templates import template
from tickstone.core.rigs.usual import usual_values
from tickstone.errors import BadInput
from tickstone.formats.documents import parsed
from tickstone.formats.rig_json import rig_from_json, rig_to_json
from tickstone.formats.world_json import world_of, world_to_plain

MOST_PLACES = 500
FIELDS = (
    "rig",
    "template",
    "world",
    "behaviour",
    "set",
    "seconds",
    "seed",
    "step_ms",
    "real",
    "numbers",
    "constants",
)
NUMBERS = ("float", "integer")


class KeptConstant(BaseModel):
    """A constant as a run had it."""

    value: FiniteFloat
    sd: FiniteFloat | None = None
    provenance: Provenance = Provenance.CHOSEN


_CONSTANTS: TypeAdapter[dict[str, dict[str, KeptConstant]]] = TypeAdapter(dict[str, dict[str, KeptConstant]])


def request_of(document: Mapping[str, Any]) -> RunRequest:
    """What a RUN document asks for. Raises BadInput naming the field that is missing or cannot be."""
    for name in document:
        if name not in FIELDS:
            raise BadInput(f"A run has no field {name!r}; it has {', '.join(FIELDS)}.", name)
    if ("rig" in document) == ("template" in document):
        raise BadInput("A run needs either a rig or a template.", "rig")
    if "template" in document:
        rig = template(str(document["template"]))
    else:
        rig = rig_from_json(json.dumps(document["rig"]))
    place = document.get("world")
    if not isinstance(place, str | dict):
        raise BadInput(f"A run needs a world: one of {', '.join(WORLDS)}, or a world's document.", "world")
    what = behaviour(str(document.get("behaviour", "")))
    numbers = document.get("numbers", "float")
    if numbers not in NUMBERS:
        raise BadInput(f"numbers must be float or integer, not {numbers!r}.", "numbers")
    return RunRequest(
        rig,
        world(place) if isinstance(place, str) else world_of(place),
        what.id,
        _given(document.get("set", {}), what),
        _number(document, "seconds", 20.0),
        int(_number(document, "seed", 1.0)),
        _number(document, "step_ms", 1.0),
        bool(document.get("real", False)),
        numbers == "integer",
        constants_of(rig, document["constants"]) if "constants" in document else None,
    )


def request_to_plain(request: RunRequest) -> dict[str, Any]:
    """A RUN document that asks for the same run, number by number."""
    document = {
        "rig": json.loads(rig_to_json(request.rig)),
        "world": world_to_plain(request.world),
        "behaviour": request.behaviour,
        "set": dict(request.given),
        "seconds": request.seconds,
        "seed": request.seed,
        "step_ms": request.step_ms,
        "real": request.real,
        "numbers": NUMBERS[request.integers],
    }
    if request.values is not None:
        document["constants"] = constants_to_plain(request.values)
    return document


def constants_to_plain(every: Mapping[str, Values]) -> dict[str, Any]:
    """The constants of each sensor: value, standard uncertainty, provenance."""
    return {
        sensor: {
            name: {"value": value.value, "sd": value.sd, "provenance": str(value.provenance)}
            for name, value in values.items()
        }
        for sensor, values in every.items()
    }


def constants_of(rig: Rig, document: Any) -> dict[str, Values]:
    """The constants of each sensor of a rig; what a document leaves out stands as usual. Raises BadInput for
    ``constants`` where they cannot be."""
    try:
        kept = _CONSTANTS.validate_python(document)
    except ValidationError as error:
        raise BadInput(f"constants: {error.errors()[0]['msg']}.", "constants") from error
    results: dict[str, Values] = {}
    for sensor in rig.sensors:
        what = kind(sensor.kind)
        usual = dict(usual_values(what, rig, sensor))
        for name, entry in kept.get(sensor.id, {}).items():
            spec = what.specs.get(name)
            label, unit = (spec.label, spec.unit) if spec else (name.replace("_", " "), "")
            base = usual.get(name) or Value(name, label, unit, 0.0, None, Provenance.ASSUMED, "")
            usual[name] = replace(base, value=entry.value, sd=entry.sd, provenance=entry.provenance)
        results[sensor.id] = usual
    return results


def request_from_json(text: str) -> RunRequest:
    """What a RUN file asks for. Raises BadInput naming the field that is missing or cannot be."""
    return request_of(parsed(text, "run"))


def _number(document: Mapping[str, Any], name: str, usual: float) -> float:
    value = document.get(name, usual)
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise BadInput(f"{name} must be a number, not {value!r}.", name)
    return float(value)


def _given(settings: Any, what: Behaviour) -> dict[str, float]:
    """Numbers by name; a choice may be named by its words."""
    if not isinstance(settings, dict):
        raise BadInput("set must be an object of numbers by name.", "set")
    words = {setting.name: setting.choices for setting in what.settings}
    given = {}
    for name, value in settings.items():
        if isinstance(value, str) and value in words.get(name, ()):
            given[name] = float(words[name].index(value))
        else:
            given[name] = _number(settings, name, 0.0)
    return given


def run_to_plain(run: Run) -> dict[str, Any]:
    """What came of a run, as JSON has it: score, events, why, assumed, path."""
    judged = run.judged
    return {
        "score": dict(judged.score),
        "verdict": judged.verdict,
        "events": [{"t_s": round(e.t_s, 4), "kind": e.kind, "words": e.words} for e in judged.events],
        "why": judged.why,
        "assumed": list(run.assumed),
        "path": path_of(run),
    }


def path_of(run: Run, most: int = MOST_PLACES) -> list[list[float]]:
    """Where it was: t_s, x_mm, y_mm, heading_deg, at most so many places."""
    if not run.trace.shape[0]:
        return []
    rows = np.unique(np.linspace(0, run.trace.shape[0] - 1, min(most, run.trace.shape[0])).astype(int))
    some = run.trace[rows][:, [loop.T_S, loop.X, loop.Y, loop.HEADING]]
    some[:, 3] = np.degrees(some[:, 3])
    return [[round(value, 3) for value in place] for place in some.tolist()]


def trace_csv(run: Run) -> Iterator[str]:
    """Every loop as CSV, in pieces: t_us, raw readings, commands, pose, state."""
    outputs = run.behaviour.outputs[: loop.MOST_OUTPUTS]
    heads = [
        "t_us",
        *(c.name for c in run.columns),
        *(o.name for o in outputs),
        "x_mm",
        "y_mm",
        "heading_deg",
        "offset_mm",
        "state",
    ]
    yield ",".join(heads) + "\n"
    for first in range(0, run.trace.shape[0], 4096):
        out = io.StringIO()
        write = csv.writer(out, lineterminator="\n")
        for row in run.trace[first : first + 4096].tolist():
            readings = row[loop.READINGS : loop.READINGS + len(run.columns)]
            commands = row[loop.OUTPUTS : loop.OUTPUTS + len(outputs)]
            write.writerow(
                [
                    round(1e6 * row[loop.T_S]),
                    *(_cell(value) for value in (*readings, *commands)),
                    *(_cell(value) for value in (row[loop.X], row[loop.Y])),
                    _cell(math.degrees(row[loop.HEADING])),
                    _cell(row[loop.OFFSET]),
                    run.behaviour.states[int(row[loop.STATE])],
                ]
            )
        yield out.getvalue()


def _cell(value: float) -> str:
    return "" if value != value else f"{round(value, 4):.10g}"


def behaviours_to_plain() -> list[dict[str, Any]]:
    """All behaviours with their settings."""
    return [
        {
            "id": what.id,
            "title": what.title,
            "words": what.words,
            "reads": what.reads,
            "moves": list(what.moves),
            "outputs": [output.name for output in what.outputs],
            "states": list(what.states),
            "settings": [
                {
                    "name": setting.name,
                    "label": setting.label,
                    "unit": setting.unit,
                    "usual": setting.usual,
                    "low": setting.low,
                    "high": setting.high,
                    "choices": list(setting.choices),
                    "constant": setting.constant or None,
                }
                for setting in what.settings
            ],
        }
        for what in BEHAVIOURS.values()
    ]
