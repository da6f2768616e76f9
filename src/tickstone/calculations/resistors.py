"""Resistors: E series and colour bands."""

from __future__ import annotations

import contextlib
from typing import Annotated, Literal

from pydantic import Field

from tickstone.calculations.electrical import Series
from tickstone.calculations.registry import Finite, Inputs, Result, ResultPart, calculation, step
from tickstone.core import resistors
from tickstone.errors import BadInput


class NearestValueInputs(Inputs):
    ohms: Finite
    series: Series = "E24"


class NearestValueResult(Result):
    nearest_ohm: float
    next_up_ohm: float
    next_down_ohm: float


@calculation("nearest-value")
def nearest_value(given: NearestValueInputs) -> NearestValueResult:
    """The nearest value of an E series, by ratio, and its neighbours."""
    near, up, down = resistors.nearest_values(given.ohms, given.series)
    return NearestValueResult(
        nearest_ohm=near,
        next_up_ohm=up,
        next_down_ohm=down,
        steps=[step("nearest", f"of {down:g} Ω and {up:g} Ω, by ratio to {given.ohms:g} Ω", near, "Ω")],
    )


class ResistorCodeInputs(Inputs):
    """``ppm_per_k`` counts with six bands."""

    ohms: Finite
    tolerance_pct: Finite = 5.0
    bands: Literal[3, 4, 5, 6] = 4
    ppm_per_k: Finite = 100.0


class ResistorCodeResult(Result):
    colours: list[str]


@calculation("resistor-code")
def resistor_code(given: ResistorCodeInputs) -> ResistorCodeResult:
    """Colour bands of a resistor (IEC 60062)."""
    colours = resistors.colour_bands(given.ohms, given.tolerance_pct, given.bands, given.ppm_per_k)
    choices = resistors.band_choices(len(colours))
    steps = [
        step(f"band {place}", f"{colour}: {dict(meanings)[colour]}", None)
        for place, (colour, meanings) in enumerate(zip(colours, choices, strict=True), 1)
    ]
    return ResistorCodeResult(
        colours=list(colours), steps=steps, assumptions=["read from the end nearer to a band"]
    )


class ResistorDecodeInputs(Inputs):
    colours: Annotated[list[Annotated[str, Field(max_length=20)]], Field(min_length=1, max_length=6)]


class BandChoice(ResultPart):
    colour: str
    meaning: str


class ResistorDecodeResult(Result):
    """``other_way_ohm`` is what the bands say read from the other end, null when they say nothing;
    ``choices`` are the colours that can stand in each band."""

    ohms: float
    tolerance_pct: float | None
    ppm_per_k: float | None
    low_ohm: float
    high_ohm: float
    other_way_ohm: float | None
    choices: list[list[BandChoice]]


@calculation("resistor-decode")
def resistor_decode(given: ResistorDecodeInputs) -> ResistorDecodeResult:
    """Value, tolerance and temperature coefficient from colour bands (IEC 60062)."""
    resistor = resistors.decode_bands(given.colours)
    spread = (resistor.tolerance_pct or 0.0) / 100
    other = None
    with contextlib.suppress(BadInput):
        other = resistors.decode_bands(given.colours[::-1]).ohms
    choices = resistors.band_choices(len(given.colours))
    steps = [
        step(f"band {place}", f"{colour}: {dict(meanings).get(colour.strip().lower(), 'no band')}", None)
        for place, (colour, meanings) in enumerate(zip(given.colours, choices, strict=True), 1)
    ]
    return ResistorDecodeResult(
        ohms=resistor.ohms,
        tolerance_pct=resistor.tolerance_pct,
        ppm_per_k=resistor.ppm_per_k,
        low_ohm=resistor.ohms * (1 - spread),
        high_ohm=resistor.ohms * (1 + spread),
        other_way_ohm=other,
        steps=[*steps, step("value", "digits × multiplier", resistor.ohms, "Ω")],
        assumptions=["read from the end nearer to a band"],
        choices=[
            [BandChoice(colour=colour, meaning=meaning) for colour, meaning in place] for place in choices
        ],
    )
