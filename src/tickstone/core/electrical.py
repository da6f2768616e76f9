"""Circuits around sensors: dividers, LED resistors, pull-ups, RC corners."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tickstone.core.checks import check_between, check_not_negative, check_positive, check_whole
from tickstone.core.resistors import nearest_values, series_values
from tickstone.errors import BadInput


@dataclass(frozen=True)
class Divider:
    """Two resistors from ``vin`` to ground with the tap between them; min and max are the corners of the
    tolerance."""

    top_ohm: float
    bottom_ohm: float
    vout_v: float
    vout_min_v: float
    vout_max_v: float
    current_ma: float
    source_ohm: float


def divider(
    vin_v: float, top_ohm: float, bottom_ohm: float, tolerance_pct: float = 5.0, load_ohm: float | None = None
) -> Divider:
    """Output of a resistive divider, with the corner values of its tolerance.

    Parameters: vin_v, V; top_ohm and bottom_ohm, Ω, not both zero; tolerance_pct, 0 to 99 %; load_ohm, Ω from
    the tap to ground, or None. Returns: Divider; current is drawn from the input with the load. Source: Ohm's
    law.

    >>> d = divider(5, 10_000, 15_000)
    >>> round(d.vout_v, 2), round(d.vout_min_v, 2), round(d.vout_max_v, 2)
    (3.0, 2.88, 3.12)
    """
    check_not_negative(vin_v, "vin_v")
    check_not_negative(top_ohm, "top_ohm")
    check_not_negative(bottom_ohm, "bottom_ohm")
    check_positive(top_ohm + bottom_ohm, "bottom_ohm")
    check_between(tolerance_pct, 0.0, 99.0, "tolerance_pct")
    if load_ohm is not None:
        check_positive(load_ohm, "load_ohm")

    def loaded(bottom: float) -> float:
        return bottom if load_ohm is None else bottom * load_ohm / (bottom + load_ohm)

    def tap(top: float, bottom: float) -> float:
        return vin_v * loaded(bottom) / (top + loaded(bottom))

    off = tolerance_pct / 100.0
    low = tap(top_ohm * (1 + off), bottom_ohm * (1 - off))
    high = tap(top_ohm * (1 - off), bottom_ohm * (1 + off))
    current = 1000.0 * vin_v / (top_ohm + loaded(bottom_ohm))
    source = top_ohm * bottom_ohm / (top_ohm + bottom_ohm)
    return Divider(top_ohm, bottom_ohm, tap(top_ohm, bottom_ohm), low, high, current, source)


def design_divider(
    vin_max_v: float,
    limit_v: float,
    high_level_v: float = 0.0,
    *,
    series: str = "E24",
    tolerance_pct: float = 5.0,
    current_max_ma: float = 1.0,
    source_max_ohm: float | None = None,
    most: int = 10,
) -> list[Divider]:
    """Dividers that stay at or under ``limit_v`` and at or above ``high_level_v`` over tolerance, best first.

    Parameters: vin_max_v, limit_v, high_level_v, V; series, E6, E12 or E24, 100 Ω to 1 MΩ; tolerance_pct;
    current_max_ma; source_max_ohm, largest output resistance wanted, or None; most, how many at most.
    Returns: dividers by largest ``min(limit − vmax, vmin − high level)``, ties to the smaller current.
    Raises: BadInput for ``limit_v`` when none can hold. Source: IEC 60063 values, Ohm's law.

    >>> best = design_divider(5, 3.3, 2.0, series="E12", source_max_ohm=10_000)[0]
    >>> best.top_ohm, best.bottom_ohm
    (3300.0, 3900.0)
    """
    check_positive(vin_max_v, "vin_max_v")
    check_positive(limit_v, "limit_v")
    check_not_negative(high_level_v, "high_level_v")
    check_between(tolerance_pct, 0.0, 99.0, "tolerance_pct")
    check_positive(current_max_ma, "current_max_ma")
    if source_max_ohm is not None:
        check_positive(source_max_ohm, "source_max_ohm")
    values = np.array(series_values(series, 100.0, 1e6))
    top, bottom = np.meshgrid(values, values, indexing="ij")
    off = tolerance_pct / 100.0
    highest = vin_max_v * bottom * (1 + off) / (top * (1 - off) + bottom * (1 + off))
    lowest = vin_max_v * bottom * (1 - off) / (top * (1 + off) + bottom * (1 - off))
    current = 1000.0 * vin_max_v / (top + bottom)
    fits = (highest <= limit_v) & (lowest >= high_level_v) & (current <= current_max_ma)
    if source_max_ohm is not None:
        fits &= top * bottom / (top + bottom) <= source_max_ohm
    if not fits.any():
        raise BadInput(
            f"limit_v {limit_v:g} V and high level {high_level_v:g} V leave no {series} "
            f"pair of ±{tolerance_pct:g} % that holds both from {vin_max_v:g} V: use closer "
            "tolerance or a level shifter.",
            "limit_v",
        )
    margin = np.round(np.minimum(limit_v - highest, lowest - high_level_v), 9)
    rows = np.argwhere(fits)
    order = np.lexsort((current[fits], -margin[fits]))[:most]
    return [divider(vin_max_v, float(values[i]), float(values[j]), tolerance_pct) for i, j in rows[order]]


RISE_10_90 = math.log(9.0)  # time constants from 10 to 90 % of a step
RATINGS_W = (0.125, 0.25, 0.5, 1.0)
RATING_USED = 0.6  # a resistor in a closed box lasts when it carries no more than this share of its rating


@dataclass(frozen=True)
class LedResistor:
    """A series resistor for LEDs: ``actual_ma`` in all, ``each_ma`` per string; ``rating_w`` is None above 1
    W."""

    exact_ohm: float
    resistor_ohm: float
    actual_ma: float
    each_ma: float
    power_mw: float
    rating_w: float | None


def led_resistor(
    supply_v: float,
    forward_v: float,
    current_ma: float,
    in_series: int = 1,
    in_parallel: int = 1,
    resistor_ohm: float | None = None,
) -> LedResistor:
    """The resistor that LEDs need: ``(supply − n·forward) / current``, then the next E24 value up.

    Parameters: supply_v and forward_v, V; current_ma, mA in each string; in_series, LEDs in a string;
    in_parallel, strings that share the resistor; resistor_ohm, the one at hand instead of the next E24 value.
    Returns: LedResistor; the rating is the smallest of 1/8, 1/4, 1/2, 1 W of which 60 % covers the power.
    Raises: BadInput for ``forward_v`` when the supply cannot light the string. Source: Ohm's law, IEC 60063.

    >>> led_resistor(5, 2, 20).resistor_ohm
    150.0
    """
    check_positive(supply_v, "supply_v")
    check_positive(forward_v, "forward_v")
    check_positive(current_ma, "current_ma")
    check_whole(in_series, 1, "in_series")
    check_whole(in_parallel, 1, "in_parallel")
    left = supply_v - in_series * forward_v
    if left <= 0:
        raise BadInput(
            f"forward_v: {in_series} × {forward_v:g} V in a string leaves nothing of "
            f"{supply_v:g} V for a resistor.",
            "forward_v",
        )
    exact = 1000.0 * left / (current_ma * in_parallel)
    chosen = (
        nearest_values(exact)[1] if resistor_ohm is None else check_positive(resistor_ohm, "resistor_ohm")
    )
    total = 1000.0 * left / chosen
    power = total * left
    rating = next((watts for watts in RATINGS_W if power <= 1000.0 * RATING_USED * watts), None)
    return LedResistor(exact, chosen, total, total / in_parallel, power, rating)


def rise_time_s(ohms: float, farads: float) -> float:
    """Time from 10 to 90 % of a step through R and C, s: ``ln 9·R·C``.

    >>> round(rise_time_s(1000, 1e-7) * 1e6, 1)
    219.7
    """
    return RISE_10_90 * check_positive(ohms, "ohms") * check_positive(farads, "farads")


def cutoff_hz(ohms: float, farads: float) -> float:
    """Corner frequency of R and C, Hz: ``1/(2π·R·C)``.

    >>> round(cutoff_hz(10_000, 1e-7), 1)
    159.2
    """
    return 1.0 / (2.0 * math.pi * check_positive(ohms, "ohms") * check_positive(farads, "farads"))


@dataclass(frozen=True)
class PullUp:
    """Rise time (10 to 90 %), the fastest square wave that passes, and the current of a low level."""

    rise_s: float
    max_hz: float
    low_ma: float


def pull_up(ohms: float, farads: float, supply_v: float = 5.0) -> PullUp:
    """What a pull-up resistor makes of a wire of some capacitance: a pulse must outlast its own rise.

    >>> pull = pull_up(10_000, 100e-12)
    >>> round(pull.max_hz), pull.low_ma
    (227560, 0.5)
    """
    rise = rise_time_s(ohms, farads)
    return PullUp(rise, 1.0 / (2.0 * rise), 1000.0 * check_positive(supply_v, "supply_v") / ohms)


@dataclass(frozen=True)
class BusMode:
    """Limits of an I2C speed: slowest rise allowed, largest bus capacitance, sink current of a low output."""

    rise_s: float
    bus_max_pf: float
    sink_ma: float


# UM10204 (I2C-bus specification), section 7.1 and table 10.
BUS_MODES = {
    "standard": BusMode(1000e-9, 400.0, 3.0),
    "fast": BusMode(300e-9, 400.0, 3.0),
    "fast-plus": BusMode(120e-9, 550.0, 20.0),
}


def i2c_pull_up_ohm(supply_v: float, bus_pf: float, mode: str = "standard") -> tuple[float, float]:
    """Smallest and largest pull-up of an I2C bus, Ω.

    Parameters: supply_v, V; bus_pf, capacitance of the bus, pF; mode, standard, fast or fast-plus.
    Raises: BadInput for ``bus_pf`` when no resistor can hold both. Source: UM10204, section 7.1: the low
    level must be sunk, ``(supply − V_OL)/I_OL``, and 0.3 to 0.7 of the supply must be passed in time,
    ``t_r/(ln(7/3)·C)``.

    >>> [round(ohms) for ohms in i2c_pull_up_ohm(3.3, 100, "fast")]
    [967, 3541]
    """
    check_positive(supply_v, "supply_v")
    check_positive(bus_pf, "bus_pf")
    if mode not in BUS_MODES:
        raise BadInput(f"mode must be one of {', '.join(BUS_MODES)}, not {mode}.", "mode")
    limits = BUS_MODES[mode]
    low_v = 0.4 if supply_v > 2.0 else 0.2 * supply_v
    least = 1000.0 * (supply_v - low_v) / limits.sink_ma
    most = limits.rise_s / (math.log(7.0 / 3.0) * bus_pf * 1e-12)
    if least > most:
        raise BadInput(
            f"bus_pf of {bus_pf:g} pF is too much for {mode} mode at {supply_v:g} V: the pull-up would have "
            f"to be above {least:.0f} Ω and below {most:.0f} Ω. Shorten the bus or slow it down.",
            "bus_pf",
        )
    return least, most
