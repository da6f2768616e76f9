"""The fault finder: how fast 200 000 rows of six signals are looked at, and how often it is right
(docs/diagnosis.md)."""

from __future__ import annotations

import time

import numpy as np
from tests.simulated.faults import FAULTS
from tests.simulated.scenes import EXTREMES, SCENES
from tests.simulated.score import NOTHING, SEVERITIES, answer, confusion, healthy

from benchmarks.common import report
from tickstone.core.diagnosis.examine import examine
from tickstone.formats.examined import columns_record
from tickstone.launch.folders import ROOT

ROWS = 200_000
SEEDS = range(60)


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


def accuracy() -> str:
    """The table of what was put in and what was named first, and how many healthy recordings were accused."""
    table = confusion(SEEDS)
    columns = [*FAULTS, NOTHING]
    right, count = sum(table[kind][kind] for kind in FAULTS), len(FAULTS) * len(SEEDS)
    accused: dict[str, int] = dict.fromkeys(SCENES | EXTREMES, 0)
    for name, _, scene in healthy(SEEDS):
        accused[name] += answer(scene) is not None
    clean, wrong = len(accused) * len(SEEDS), sum(accused.values())
    lines = [
        "# What the fault finder names",
        "",
        "`./tick-stone benchmark faults` writes this page. Simulated recordings with one fault each "
        f"(`tests/simulated`, which shares nothing with the stand-in): {len(SEEDS)} of each kind, at "
        f"{len(SEVERITIES)} severities, with sensors, rates and lengths drawn anew for each. Rows are what "
        "was put in, columns what was named first.",
        "",
        f"**{right} of {count} ({100 * right / count:.1f} %) are named right first.**",
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
        *(f"| {name} | {len(SEEDS)} | {count or ''} |" for name, count in accused.items()),
        "",
    ]
    return "\n".join(lines)


if __name__ == "__main__":
    speed()
    (ROOT / "docs" / "diagnosis.md").write_text(accuracy())
