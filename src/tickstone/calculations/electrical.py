"""Electrical calculations: dividers, LEDs, pull-ups, corners."""

from __future__ import annotations

from typing import Literal

from tickstone.calculations.registry import (
    ArithmeticStep,
    Finite,
    Inputs,
    Result,
    ResultPart,
    Whole,
    calculation,
    step,
)
from tickstone.core import electrical
from tickstone.core.checks import check_positive

Series = Literal["E3", "E6", "E12", "E24", "E48", "E96", "E192"]


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
        vout_v=d.vout_v,
        vout_min_v=d.vout_min_v,
        vout_max_v=d.vout_max_v,
        current_ma=d.current_ma,
        source_ohm=d.source_ohm,
        steps=[
            ArithmeticStep(
                name="output",
                expression=f"{given.vin_v:g} V × {given.bottom_ohm:g} Ω ÷ {total}",
                value=d.vout_v,
                unit="V",
            )
        ],
        assumptions=[] if given.load_ohm is None else [f"{given.load_ohm:g} Ω beside the lower resistor"],
    )


class DividerDesignInputs(Inputs):
    vin_max_v: Finite
    limit_v: Finite
    high_level_v: Finite = 0.0
    series: Series = "E24"
    tolerance_pct: Finite = 5.0
    current_max_ma: Finite = 1.0
    source_max_ohm: Finite | None = None


class DividerPair(ResultPart):
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
    dividers = electrical.design_divider(
        given.vin_max_v,
        given.limit_v,
        given.high_level_v,
        series=given.series,
        tolerance_pct=given.tolerance_pct,
        current_max_ma=given.current_max_ma,
        source_max_ohm=given.source_max_ohm,
    )
    pairs = [
        DividerPair(
            top_ohm=d.top_ohm,
            bottom_ohm=d.bottom_ohm,
            vout_v=d.vout_v,
            vout_min_v=d.vout_min_v,
            vout_max_v=d.vout_max_v,
        )
        for d in dividers
    ]
    best = dividers[0]
    step = ArithmeticStep(
        name="best output",
        value=best.vout_v,
        unit="V",
        expression=f"{given.vin_max_v:g} V × {best.bottom_ohm:g} ÷ ({best.top_ohm:g} + {best.bottom_ohm:g})",
    )
    return DividerDesignResult(pairs=pairs, steps=[step], assumptions=["values from 100 Ω to 1 MΩ"])


class LedResistorInputs(Inputs):
    """``resistor_ohm`` is the one at hand; without it the next E24 value up is taken."""

    supply_v: Finite
    forward_v: Finite
    current_ma: Finite
    in_series: Whole = 1
    in_parallel: Whole = 1
    resistor_ohm: Finite | None = None


class LedResistorResult(Result):
    exact_ohm: float
    resistor_ohm: float
    actual_ma: float
    each_ma: float
    power_mw: float
    rating_w: float | None


@calculation("led-resistor")
def led_resistor(given: LedResistorInputs) -> LedResistorResult:
    """The resistor that LEDs need, the current it really gives, and how strong it must be."""
    resistor = electrical.led_resistor(**given.model_dump())
    left = f"({given.supply_v:g} V − {given.in_series} × {given.forward_v:g} V)"
    warnings = []
    if given.in_parallel > 1:
        warnings.append(
            "Strings that share one resistor share it unevenly: the one of the lowest voltage takes most."
        )
    if resistor.rating_w is None:
        warnings.append(
            f"{resistor.power_mw / 1000:.2g} W is more than 60 % of a 1 W resistor: use "
            "several, or less current."
        )
    return LedResistorResult(
        exact_ohm=resistor.exact_ohm,
        resistor_ohm=resistor.resistor_ohm,
        actual_ma=resistor.actual_ma,
        each_ma=resistor.each_ma,
        power_mw=resistor.power_mw,
        rating_w=resistor.rating_w,
        warnings=warnings,
        steps=[
            step(
                "exact", f"{left} ÷ ({given.current_ma:g} mA × {given.in_parallel})", resistor.exact_ohm, "Ω"
            ),
            step(
                "resistor",
                "next E24 value up" if given.resistor_ohm is None else "at hand",
                resistor.resistor_ohm,
                "Ω",
            ),
            step("current", f"{left} ÷ {resistor.resistor_ohm:g} Ω", resistor.actual_ma, "mA"),
            step("power", f"{left} × {resistor.actual_ma:.4g} mA", resistor.power_mw, "mW"),
        ],
        assumptions=["the forward voltage does not move with the current", "a rating is used to 60 %"],
    )


class PullUpInputs(Inputs):
    ohms: Finite
    capacitance_pf: Finite
    supply_v: Finite = 5.0
    sink_ma_max: Finite = 20.0


class PullUpResult(Result):
    rise_us: float
    max_hz: float
    low_ma: float


@calculation("pull-up")
def pull_up(given: PullUpInputs) -> PullUpResult:
    """How fast a pulled-up wire rises, and what its low level must sink."""
    check_positive(given.capacitance_pf, "capacitance_pf")
    result = electrical.pull_up(given.ohms, given.capacitance_pf * 1e-12, given.supply_v)
    check_positive(given.sink_ma_max, "sink_ma_max")
    warnings = []
    if result.low_ma > given.sink_ma_max:
        warnings.append(
            f"A low level would have to sink {result.low_ma:.3g} mA, more than {given.sink_ma_max:g} mA."
        )
    rise, low = result.rise_s * 1e6, result.low_ma
    return PullUpResult(
        rise_us=rise,
        max_hz=result.max_hz,
        low_ma=low,
        warnings=warnings,
        steps=[
            step("rise, 10 to 90 %", f"ln 9 × {given.ohms:g} Ω × {given.capacitance_pf:g} pF", rise, "µs"),
            step("fastest", f"1 ÷ (2 × {rise:.4g} µs)", result.max_hz, "Hz"),
            step("low level", f"{given.supply_v:g} V ÷ {given.ohms:g} Ω", low, "mA"),
        ],
    )


class RcInputs(Inputs):
    ohms: Finite
    farads: Finite


class RcResult(Result):
    tau_s: float
    rise_s: float
    cutoff_hz: float


@calculation("rc")
def rc(given: RcInputs) -> RcResult:
    """Time constant, rise time and corner frequency of a resistor and a capacitor."""
    rise, corner = (
        electrical.rise_time_s(given.ohms, given.farads),
        electrical.cutoff_hz(given.ohms, given.farads),
    )
    tau = given.ohms * given.farads
    return RcResult(
        tau_s=tau,
        rise_s=rise,
        cutoff_hz=corner,
        steps=[
            step("time constant", f"{given.ohms:g} Ω × {given.farads:g} F", tau, "s"),
            step("rise, 10 to 90 %", "ln 9 × time constant", rise, "s"),
            step("corner", "1 ÷ (2π × time constant)", corner, "Hz"),
        ],
    )


class I2cPullUpInputs(Inputs):
    supply_v: Finite
    bus_pf: Finite
    mode: Literal["standard", "fast", "fast-plus"] = "standard"


class I2cPullUpResult(Result):
    min_ohm: float
    max_ohm: float


@calculation("i2c-pull-up")
def i2c_pull_up(given: I2cPullUpInputs) -> I2cPullUpResult:
    """Between which resistances an I2C bus's pull-ups must lie (UM10204, section 7.1)."""
    least, most = electrical.i2c_pull_up_ohm(given.supply_v, given.bus_pf, given.mode)
    limits = electrical.BUS_MODES[given.mode]
    return I2cPullUpResult(
        min_ohm=least,
        max_ohm=most,
        assumptions=["all pull-ups on the bus taken together"],
        warnings=[]
        if given.bus_pf <= limits.bus_max_pf
        else [f"{given.bus_pf:g} pF is above the {limits.bus_max_pf:g} pF that {given.mode} mode allows."],
        steps=[
            step("least", f"low level sunk with {limits.sink_ma:g} mA", least, "Ω"),
            step("most", f"{limits.rise_s * 1e9:g} ns ÷ (ln(7/3) × {given.bus_pf:g} pF)", most, "Ω"),
        ],
    )
