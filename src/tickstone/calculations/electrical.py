"""Electrical calculations: dividers, E series, colour bands."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from tickstone.calculations.registry import Finite, Inputs, Result, Step, calculation
from tickstone.core import electrical


class DividerInputs(Inputs):
    vin_v: Finite
    top_ohm: Finite
    bottom_ohm: Finite
    tolerance_pct: Finite = 5.0
    load_ohm: Finite | None = None


class DividerResult(Result):
    vout_v: float
    vout_min_v: float
    vout_max_v: float
    current_ma: float
    source_ohm: float


@calculation("divider")
def divider(given: DividerInputs) -> DividerResult:
    """What comes out of two resistors, with the corners of their tolerance."""
    d = electrical.divider(given.vin_v, given.top_ohm, given.bottom_ohm, given.tolerance_pct, given.load_ohm)
    total = f"({given.top_ohm:g} Ω + {given.bottom_ohm:g} Ω)"
    return DividerResult(
        vout_v=d.vout_v, vout_min_v=d.vout_min_v, vout_max_v=d.vout_max_v, current_ma=d.current_ma,
        source_ohm=d.source_ohm,
        steps=[Step(name="output", expression=f"{given.vin_v:g} V × {given.bottom_ohm:g} Ω ÷ {total}",
                    value=d.vout_v, unit="V")],
        assumptions=[] if given.load_ohm is None else [f"{given.load_ohm:g} Ω beside the lower resistor"],
    )  # fmt: skip


class DividerDesignInputs(Inputs):
    vin_max_v: Finite
    limit_v: Finite
    high_level_v: Finite = 0.0
    series: Literal["E6", "E12", "E24"] = "E24"
    tolerance_pct: Finite = 5.0
    current_max_ma: Finite = 1.0
    source_max_ohm: Finite | None = None


class DividerPair(BaseModel):
    top_ohm: float
    bottom_ohm: float
    vout_v: float
    vout_min_v: float
    vout_max_v: float


class DividerDesignResult(Result):
    pairs: list[DividerPair]


@calculation("divider-design")
def divider_design(given: DividerDesignInputs) -> DividerDesignResult:
    """Pairs of resistors that stay under a limit and above a high level, best first."""
    found = electrical.design_divider(
        given.vin_max_v, given.limit_v, given.high_level_v, series=given.series, tolerance_pct=given.tolerance_pct,
        current_max_ma=given.current_max_ma, source_max_ohm=given.source_max_ohm,
    )  # fmt: skip
    pairs = [DividerPair(top_ohm=d.top_ohm, bottom_ohm=d.bottom_ohm, vout_v=d.vout_v, vout_min_v=d.vout_min_v,
                         vout_max_v=d.vout_max_v) for d in found]  # fmt: skip
    best = found[0]
    step = Step(name="best output", value=best.vout_v, unit="V",
                expression=f"{given.vin_max_v:g} V × {best.bottom_ohm:g} ÷ ({best.top_ohm:g} + {best.bottom_ohm:g})")  # fmt: skip
    return DividerDesignResult(pairs=pairs, steps=[step], assumptions=["values from 100 Ω to 1 MΩ"])


class NearestValueInputs(Inputs):
    ohms: Finite
    series: Literal["E6", "E12", "E24"] = "E24"


class NearestValueResult(Result):
    nearest_ohm: float
    next_up_ohm: float
    next_down_ohm: float


@calculation("nearest-value")
def nearest_value(given: NearestValueInputs) -> NearestValueResult:
    """The nearest value of an E series, by ratio, and its neighbours."""
    near, up, down = electrical.nearest_values(given.ohms, given.series)
    return NearestValueResult(nearest_ohm=near, next_up_ohm=up, next_down_ohm=down)


class ResistorCodeInputs(Inputs):
    ohms: Finite
    tolerance_pct: Finite = 5.0
    bands: Literal[3, 4, 5] = 4


class ResistorCodeResult(Result):
    colours: list[str]


@calculation("resistor-code")
def resistor_code(given: ResistorCodeInputs) -> ResistorCodeResult:
    """Colour bands of a resistor."""
    return ResistorCodeResult(colours=list(electrical.colour_bands(given.ohms, given.tolerance_pct, given.bands)))
