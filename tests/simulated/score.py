"""How often the fault finder names what was put in: the confusion table."""

from __future__ import annotations

import io
import zlib
from collections import Counter
from collections.abc import Iterator

import numpy as np

from tests.simulated.faults import FAULTS
from tests.simulated.lookalikes import LOOK_ALIKES
from tests.simulated.scenes import EXTREMES, SCENES, Scene
from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import Finding
from tickstone.formats.examined import columns_record, record_of
from tickstone.formats.opening import open_readings

SEVERITIES = (0.0, 0.35, 0.7, 1.0)
MODERATE, FAINT = -0.05, -0.1  # a fault that one must look for, and one that is hardly there
NOTHING = "nothing"


def seeded(*of: object) -> np.random.Generator:
    """A generator of random numbers that is the same on every machine for the same words."""
    return np.random.default_rng(zlib.crc32(repr(of).encode()))


def simulated(kind: str, seed: int, severity: float | None = None) -> Scene:
    """A recording with a single fault of this kind, as strong as the seed says, or as is said."""
    rng = seeded(kind, seed)
    makers = FAULTS[kind]
    strong = SEVERITIES[seed % len(SEVERITIES)] if severity is None else severity
    return makers[seed % len(makers)](rng, strong)


def looking_alike(seeds: range) -> Iterator[tuple[str, int, Scene]]:
    """Recordings without a fault that look as if there was one."""
    for name, make in LOOK_ALIKES.items():
        for seed in seeds:
            yield name, seed, make(seeded(name, seed))


def healthy(seeds: range) -> Iterator[tuple[str, int, Scene]]:
    """Recordings without a fault, ordinary ones and extremes."""
    for name, make in (SCENES | EXTREMES).items():
        for seed in seeds:
            yield name, seed, make(seeded(name, seed))


def answer(scene: Scene) -> Finding | None:
    """The finding that accuses with the greatest confidence, the first among equals."""
    found = surest(scene)
    return found if found is not None and found.accuses else None


def surest(scene: Scene) -> Finding | None:
    """The finding of the greatest confidence, also one too faint to accuse."""
    if scene.garbled:
        record = record_of(open_readings(io.BytesIO(as_file(scene).encode("utf-8", "surrogateescape"))))
    else:
        record = columns_record(scene.columns, scene.time, scene.marks)
    return next(iter(examine(record)), None)


def as_file(scene: Scene) -> str:
    """The scene as a table of text, some of its lines garbled: a character changed, or the end of the line
    lost."""
    rng = seeded("lines", len(scene.columns), scene.garbled)
    rows = zip(*scene.columns.values(), strict=True)
    lines = [",".join(f"{value:.10g}" for value in row) for row in rows]
    for at in np.flatnonzero(rng.random(len(lines)) < scene.garbled).tolist():
        place = int(rng.integers(1, max(2, len(lines[at]))))
        changed = lines[at][:place] + "~}#"[int(rng.integers(0, 3))] + lines[at][place + 1 :]
        lines[at] = changed if rng.random() < 0.6 else lines[at][: min(place, 4)]
    return "\n".join([",".join(scene.columns), *lines]) + "\n"


def confusion(seeds: range, severity: float | None = None) -> dict[str, Counter[str]]:
    """For each fault that was put in, as strong as the seed says or as is said, how often each kind was named
    first."""
    table: dict[str, Counter[str]] = {}
    for kind in FAULTS:
        table[kind] = Counter()
        for seed in seeds:
            said = answer(simulated(kind, seed, severity))
            table[kind][said.kind if said else NOTHING] += 1
    return table
