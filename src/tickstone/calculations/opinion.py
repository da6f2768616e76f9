"""A second opinion over several instruments."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from tickstone.calculations.registry import Finite, Inputs, Result, ResultPart, calculation, step
from tickstone.core import opinion


class ReadingInput(Inputs):
    label: Annotated[str, Field(max_length=80)]
    value: Finite
    uncertainty: Finite


class SecondOpinionInputs(Inputs):
    """Readings of one thing with their standard uncertainties (k = 1)."""

    readings: Annotated[list[ReadingInput], Field(min_length=1, max_length=opinion.MOST_READINGS)]


class OutlierPart(ResultPart):
    label: str
    ratio: float | None
    causes: list[str]


class SecondOpinionResult(Result):
    consensus: float | None
    uncertainty: float | None
    members: list[str]
    outliers: list[OutlierPart]


@calculation("second-opinion")
def second_opinion(given: SecondOpinionInputs) -> SecondOpinionResult:
    """Which of several readings agree, and what the odd ones' ratios betray."""
    result = opinion.second_opinion(
        [
            opinion.InstrumentReading(reading.label, reading.value, reading.uncertainty)
            for reading in given.readings
        ]
    )
    steps, warnings = [], []
    if result.consensus is None:
        warnings.append("No two readings agree: the ratios are to the one that is surest of itself.")
    else:
        steps.append(
            step("consensus", f"Σ(x ÷ u²) ÷ Σ(1 ÷ u²) over {', '.join(result.members)}", result.consensus)
        )
    steps += [
        step(outlier.label, "reading ÷ the group's mean, or the surest reading", outlier.ratio)
        for outlier in result.outliers
    ]
    return SecondOpinionResult(
        consensus=result.consensus,
        uncertainty=result.uncertainty,
        members=list(result.members),
        outliers=[OutlierPart(label=o.label, ratio=o.ratio, causes=list(o.causes)) for o in result.outliers],
        steps=steps,
        warnings=warnings,
        assumptions=["two readings agree when they differ by at most 2·√(u₁² + u₂²)"],
    )
