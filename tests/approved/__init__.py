"""What people read, read once with care and kept beside the tests: a change of words or numbers is a
difference to be read again. Numbers may differ in what rounding of another machine does to them, words may
not.

``TICK_STONE_APPROVE=1`` writes the kept texts anew; read what has changed before it is committed."""

from __future__ import annotations

import dataclasses
import json
import math
import os
import re
from collections.abc import Mapping, Sequence
from enum import Enum
from pathlib import Path

import numpy as np

FOLDER = Path(__file__).parent
LONG = 24  # more numbers than that are told by some of them
ALIKE = 2e-3
WIDTH = 200
NUMBER = re.compile(r"\d+(?:\.\d+)?")


def plain(thing: object) -> object:
    """A result as JSON holds it: numbers with six figures, long rows of them by their ends, middle and
    mean."""
    if dataclasses.is_dataclass(thing) and not isinstance(thing, type):
        return {field.name: plain(getattr(thing, field.name)) for field in dataclasses.fields(thing)}
    if isinstance(thing, Enum):
        return thing.value
    if isinstance(thing, bool | str | None):
        return thing
    if isinstance(thing, float | int | np.number):
        return _figure(float(thing))
    if isinstance(thing, Mapping):
        return {str(key): plain(value) for key, value in thing.items()}
    if isinstance(thing, np.ndarray):
        thing = thing.tolist()
    if isinstance(thing, Sequence | set | frozenset):
        row = sorted(thing) if isinstance(thing, set | frozenset) else list(thing)
        numbers = all(isinstance(one, float | int | np.number | tuple | list | np.ndarray) for one in row)
        return _short(row) if numbers and len(row) > LONG else [plain(one) for one in row]
    raise TypeError(f"{type(thing)} has no plain form")


def _figure(number: float) -> object:
    if not math.isfinite(number):
        return str(number)
    rounded = float(f"{number:.6g}")
    return int(rounded) if rounded == int(rounded) and abs(rounded) < 1e15 else rounded


def _short(row: list) -> object:
    places = [round(share * (len(row) - 1)) for share in (0, 0.25, 0.5, 0.75, 1)]
    found: dict[str, object] = {"rows": len(row), "some": [plain(row[at]) for at in places]}
    if all(isinstance(one, float | int) for one in row):
        found["mean"] = _figure(float(np.mean([float(one) for one in row])))
    return found


def differences(now: object, kept: object, where: str = "") -> list[str]:
    """Where a plain form is not what was kept."""
    if isinstance(now, dict) and isinstance(kept, dict):
        lost = [f"{where}.{key}: {'gone' if key in kept else 'new'}" for key in now.keys() ^ kept.keys()]
        return lost + [
            one
            for key in now.keys() & kept.keys()
            for one in differences(now[key], kept[key], f"{where}.{key}")
        ]
    if isinstance(now, list) and isinstance(kept, list):
        if len(now) != len(kept):
            return [f"{where}: {len(now)} of them, {len(kept)} kept: {now} / {kept}"]
        return [
            one
            for at, (a, b) in enumerate(zip(now, kept, strict=True))
            for one in differences(a, b, f"{where}[{at}]")
        ]
    return [] if _alike(now, kept) else [f"{where}: {now!r}, kept {kept!r}"]


def _alike(now: object, kept: object) -> bool:
    if isinstance(now, bool) or isinstance(kept, bool) or now is None or kept is None:
        return now is kept
    if isinstance(now, int | float) and isinstance(kept, int | float):
        return math.isclose(now, kept, rel_tol=ALIKE, abs_tol=1e-6)
    if not (isinstance(now, str) and isinstance(kept, str)) or NUMBER.split(now) != NUMBER.split(kept):
        return False
    pairs = zip(NUMBER.findall(now), NUMBER.findall(kept), strict=True)
    return all(abs(float(a) - float(b)) <= max(ALIKE * float(b), _last_place(b)) for a, b in pairs)


def _last_place(number: str) -> float:
    """What the last figure of a rounded number stands for; a count stands for itself."""
    places = len(number.partition(".")[2])
    return 10.0**-places * 1.001 if places else 0.0


def written(thing: object, indent: str = "") -> str:
    """JSON in lines that are filled: what is short stands beside its neighbours."""
    line = json.dumps(thing, ensure_ascii=False)
    if len(indent) + len(line) <= WIDTH or not isinstance(thing, dict | list) or not thing:
        return line
    deeper = indent + " "
    if isinstance(thing, dict):
        parts = [
            f"{json.dumps(key, ensure_ascii=False)}: {written(value, deeper)}" for key, value in thing.items()
        ]
    else:
        parts = [written(one, deeper) for one in thing]
    lines = [parts[0]]
    for part in parts[1:]:
        if "\n" in lines[-1] + part or len(indent) + len(lines[-1]) + len(part) > WIDTH:
            lines.append(part)
        else:
            lines[-1] += f", {part}"
    begin, end = "{}" if isinstance(thing, dict) else "[]"
    return f"{begin}\n{deeper}" + f",\n{deeper}".join(lines) + f"\n{indent}{end}"


def check(name: str, now: Mapping[str, object]) -> None:
    """Compare results with those that were kept under a name. ``TICK_STONE_APPROVE=1`` keeps them instead."""
    path = FOLDER / f"{name}.json"
    made = {key: plain(value) for key, value in now.items()}
    if "TICK_STONE_APPROVE" in os.environ:
        path.write_text(written(made) + "\n")
    kept = json.loads(path.read_text())
    found = differences(json.loads(json.dumps(made)), kept)
    assert not found, "\n".join(found[:20])
