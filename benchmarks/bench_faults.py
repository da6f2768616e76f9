"""The fault finder: how fast 200 000 rows of six signals are looked at, and how often it is right
(docs/diagnosis.md)."""

from __future__ import annotations

import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise

import numpy as np
from tests.simulated.faults import FAULTS
from tests.simulated.lookalikes import LOOK_ALIKES
from tests.simulated.scenes import EXTREMES, SCENES
from tests.simulated.score import FAINT, MODERATE, NOTHING, SEVERITIES, seeded, simulated, surest

from benchmarks.common import report
from tickstone.core.diagnosis.examine import examine
from tickstone.core.diagnosis.finding import ACCUSES
from tickstone.formats.examined import columns_record
from tickstone.launch.folders import ROOT

ROWS = 200_000
SEEDS = range(4000, 4060)
BOUNDS = (
    0.0,
    0.3,
    0.5,
    0.7,
    0.85,
    0.93,
    0.96,
    1.0,
)  # of confidence, between which findings are counted together
BAR = 20  # signs that a whole bar is long


def looked_at(name: str, columns: dict[str, np.ndarray]) -> None:  # type: ignore[type-arg]
    """Measure one look at six signals of ROWS rows, beside a bare sort of each of them."""
    begun = time.perf_counter()
    for values in columns.values():
        np.sort(values)
    sorted_s = time.perf_counter() - begun
    record = columns_record({"t_us": np.arange(ROWS) * 1000.0} | columns, ("t_us", 1.0))
    begun = time.perf_counter()
    found = [one for one in examine(record) if one.accuses]
    took_s = time.perf_counter() - begun
    report(f"{name}, {ROWS} × {len(columns)}", s=took_s, sorts=took_s / sorted_s, findings=len(found))


def speed() -> None:
    """Six axes, and six sensors of a row."""
    random = np.random.default_rng(1)
    t = np.arange(ROWS) / 1000.0
    axes = {
        name: np.round(random.normal(0, 50, ROWS) + (3000 if name[0] == "g" else 0) * np.sin(2.5 * t + i))
        for i, name in enumerate(("ax", "ay", "gx", "gy", "gz"))
    }
    looked_at("axes", axes | {"az": np.round(16_384 + random.normal(0, 50, ROWS))})
    row = {
        f"line{i}_adc": np.round(400 + 300 * np.sin(2 * t + i) + random.normal(0, 4, ROWS))
        for i in range(1, 7)
    }
    looked_at("row", row)


def _of_fault(kind: str) -> tuple[dict[float | None, Counter[str]], list[tuple[float, bool]]]:
    """What is named first where this fault was put in, by its severity, and how sure each finding was and
    whether it is right."""
    named: dict[float | None, Counter[str]] = {None: Counter(), MODERATE: Counter(), FAINT: Counter()}
    judged = []
    for seed in SEEDS:
        for severity, counted in named.items():
            found = surest(simulated(kind, seed, severity))
            counted[found.kind if found and found.accuses else NOTHING] += 1
            if found:
                judged.append((found.confidence, found.kind == kind))
    return named, judged


def _of_healthy(name: str) -> list[float]:
    """How sure the surest finding of each healthy recording is; 0 where there is none."""
    scenes = ((SCENES | EXTREMES | LOOK_ALIKES)[name](seeded(name, seed)) for seed in SEEDS)
    return [found.confidence if found else 0.0 for found in map(surest, scenes)]


def _reliability(judged: list[tuple[float, bool]]) -> list[str]:
    """The diagram: of findings that were so sure, how many are true."""
    lines = ["| confidence | findings | mean confidence | true | |", "|---|---:|---:|---:|---|"]
    for low, high in pairwise(BOUNDS):
        here = [
            (sure, right) for sure, right in judged if low <= sure < high or (high == 1.0 and sure == 1.0)
        ]
        if here:
            mean = sum(sure for sure, _ in here) / len(here)
            true = sum(right for _, right in here) / len(here)
            bar = "█" * round(BAR * true)
            lines.append(f"| {low:g} to {high:g} | {len(here)} | {mean:.2f} | {true:.2f} | {bar} |")
    return lines


def accuracy() -> str:
    """The table of what was put in and what was named first, how many healthy recordings were accused, and
    how true confidence is."""
    healthy, alike = list(SCENES | EXTREMES), list(LOOK_ALIKES)
    with ProcessPoolExecutor() as pool:
        found, clean_found = (
            list(pool.map(_of_fault, FAULTS)),
            list(pool.map(_of_healthy, [*healthy, *alike])),
        )
    table = {kind: named[None] for kind, (named, _) in zip(FAULTS, found, strict=True)}
    moderate = sum(named[MODERATE][kind] for kind, (named, _) in zip(FAULTS, found, strict=True))
    judged = [item for _, each in found for item in each]
    judged += [(sure, False) for each in clean_found for sure in each if sure]
    columns = [*FAULTS, NOTHING]
    right, count = sum(table[kind][kind] for kind in FAULTS), len(FAULTS) * len(SEEDS)
    accused = {
        name: sum(sure >= ACCUSES for sure in each)
        for name, each in zip([*healthy, *alike], clean_found, strict=True)
    }
    clean, wrong = len(healthy) * len(SEEDS), sum(accused[name] for name in healthy)
    lines = [
        "# What the fault finder names",
        "",
        "`./tick-stone benchmark faults` writes this page. Simulated recordings with one fault each "
        f"(`tests/simulated`, which shares nothing with the stand-in): {len(SEEDS)} of each kind, at "
        f"{len(SEVERITIES)} severities, with sensors, rates and lengths drawn anew for each. Rows are what "
        "was put in, columns what was named first.",
        "",
        f"**{right} of {count} ({100 * right / count:.1f} %) are named right first.** Of as many moderate "
        f"ones, which one must look for: {moderate} ({100 * moderate / count:.1f} %).",
        "",
        "| put in | " + " | ".join(columns) + " |",
        "|---|" + "---:|" * len(columns),
        *(
            f"| {kind} | " + " | ".join(str(table[kind][one] or "") for one in columns) + " |"
            for kind in FAULTS
        ),
        "",
        f"Healthy recordings, extremes among them: **{wrong} of {clean} "
        f"({100 * wrong / clean:.1f} %) are accused.**",
        "",
        "| healthy | recordings | accused |",
        "|---|---:|---:|",
        *(f"| {name} | {len(SEEDS)} | {accused[name] or ''} |" for name in healthy),
        "",
        "Recordings without a fault that look as if there was one (`tests/simulated/lookalikes.py`), many of "
        "them as much as a real fault does:",
        "",
        "| looks like a fault | recordings | accused |",
        "|---|---:|---:|",
        *(f"| {name} | {len(SEEDS)} | {accused[name] or ''} |" for name in alike),
        "",
        "## What confidence means",
        "",
        "The surest finding of each of these recordings, of as many with a moderate fault and with one that "
        "is hardly there, and of those that only look as if there was one: how sure it was, and how often it "
        f"is what was put in. From {ACCUSES:g} on it accuses.",
        "",
        *_reliability(judged),
        "",
    ]
    return "\n".join(lines)


if __name__ == "__main__":
    speed()
    (ROOT / "docs" / "diagnosis.md").write_text(accuracy())
