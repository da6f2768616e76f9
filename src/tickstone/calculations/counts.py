"""Counts to what they stand for: volts, units, reflectance, the place of a line."""

from __future__ import annotations

from tickstone.calculations.registry import Finite, Inputs, Numbers, Result, Whole, calculation, step
from tickstone.core import adc, surface


class AdcVoltsInputs(Inputs):
    counts: Finite
    bits: Whole = 10
    reference_v: Finite = 5.0


class AdcVoltsResult(Result):
    volts: float
    lsb_mv: float
    quantisation_mv: float
    clipped: bool
    volts_by_top_code: float


@calculation("adc-volts")
def adc_volts(given: AdcVoltsInputs) -> AdcVoltsResult:
    """Counts of a converter to volts."""
    level = float(adc.volts(given.counts, given.bits, given.reference_v))
    step_v = adc.lsb_v(given.bits, given.reference_v)
    pinned = bool(adc.clipped(given.counts, 0, 2**given.bits - 1))
    return AdcVoltsResult(
        volts=level,
        lsb_mv=1000 * step_v,
        quantisation_mv=1000 * adc.quantisation_v(given.bits, given.reference_v),
        clipped=pinned,
        volts_by_top_code=adc.volts_by_top_code(given.counts, given.bits, given.reference_v),
        steps=[
            step("one step", f"{given.reference_v:g} V ÷ 2^{given.bits}", 1000 * step_v, "mV"),
            step("volts", f"{given.counts:g} × {1000 * step_v:.4g} mV", level, "V"),
        ],
        assumptions=[
            f"2^{given.bits} steps; the other school divides by 2^{given.bits} − 1 (volts_by_top_code)"
        ],
        warnings=["The code is pinned at an end: the true level may lie beyond."] if pinned else [],
    )


class CountsToUnitsInputs(Inputs):
    counts: Finite
    full_scale: Finite
    bits: Whole = 16


class CountsToUnitsResult(Result):
    value: float
    step: float
    clipped: bool


@calculation("counts-to-units")
def counts_to_units(given: CountsToUnitsInputs) -> CountsToUnitsResult:
    """Signed counts (two's complement) to the unit of the full scale."""
    value = float(adc.units(given.counts, given.full_scale, given.bits))
    low, high = adc.signed_range(given.bits)
    pinned = bool(adc.clipped(given.counts, low, high))
    item = given.full_scale / 2 ** (given.bits - 1)
    return CountsToUnitsResult(
        value=value,
        step=item,
        clipped=pinned,
        steps=[
            step("one count", f"{given.full_scale:g} ÷ 2^{given.bits - 1}", item),
            step("value", f"{given.counts:g} × {item:.4g}", value),
        ],
        warnings=["The reading is pinned at full scale: choose a wider range; each count is then worth more."]
        if pinned
        else [],
    )


class ReflectanceInputs(Inputs):
    counts: Finite
    black: Finite
    white: Finite


class ReflectanceResult(Result):
    fraction: float
    percent: float


@calculation("reflectance")
def reflectance(given: ReflectanceInputs) -> ReflectanceResult:
    """Where a reading lies between a sensor's own black and white."""
    fraction = float(surface.reflectance(given.counts, given.black, given.white))
    raw = (given.counts - given.black) / (given.white - given.black)
    expression = f"({given.counts:g} − {given.black:g}) ÷ ({given.white:g} − {given.black:g})"
    return ReflectanceResult(
        fraction=fraction,
        percent=100 * fraction,
        steps=[step("fraction", expression, raw), step("held within 0 to 1", "", fraction)],
        warnings=[]
        if 0 <= raw <= 1
        else ["The reading lies outside black and white: calibrate again in this light."],
    )


class LinePositionInputs(Inputs):
    """Darkness from 0 (ground) to 1 (line), left to right."""

    darkness: Numbers
    pitch_mm: Finite


class LinePositionResult(Result):
    offset_mm: float | None
    width_seen: int
    state: str


@calculation("line-position")
def line_position(given: LinePositionInputs) -> LinePositionResult:
    """Where the line lies under a row of sensors, positive when it is to the right."""
    positions = surface.line_positions(given.darkness, given.pitch_mm)
    state = int(positions.state[0])
    offset = None if state == surface.LOST else float(positions.offset_mm[0])
    return LinePositionResult(
        offset_mm=offset,
        width_seen=int(positions.width_seen[0]),
        state=surface.STATES[state],
        steps=[step("offset", "Σ darkness × place ÷ Σ darkness", offset, "mm")],
        assumptions=[f"darkness below {surface.FAINT:g} counts as ground, from {surface.DARK:g} as line"],
    )
