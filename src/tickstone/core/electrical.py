"""Resistors: E series, colour bands, dividers."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tickstone.core.checks import check_between, check_not_negative, check_positive
from tickstone.errors import BadInput

# IEC 60063: the series have rounded values of their own, so they are tables and not formulas.
E_SERIES: dict[str, tuple[float, ...]] = {
    "E6": (1.0, 1.5, 2.2, 3.3, 4.7, 6.8),
    "E12": (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2),
    "E24": (
        1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0,
        3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1,
    ),
}  # fmt: skip

# IEC 60062: colours of the digits 0 to 9, of the powers of ten, and of the tolerances in percent.
DIGITS = ("black", "brown", "red", "orange", "yellow", "green", "blue", "violet", "grey", "white")
MULTIPLIERS = {**dict(enumerate(DIGITS)), -1: "gold", -2: "silver", -3: "pink"}
TOLERANCES = {1.0: "brown", 2.0: "red", 0.5: "green", 0.25: "blue", 0.1: "violet", 5.0: "gold", 10.0: "silver"}


def series_values(series: str, low_ohm: float, high_ohm: float) -> list[float]:
    """All values of an E series within ``low_ohm``…``high_ohm``, rising. Raises BadInput for field ``series``."""
    if series not in E_SERIES:
        raise BadInput(f"series must be one of {', '.join(E_SERIES)}, not {series}.", "series")
    decades = range(math.floor(math.log10(low_ohm)), math.floor(math.log10(high_ohm)) + 1)
    values = [round(digit * 10.0**decade, 6) for decade in decades for digit in E_SERIES[series]]
    return [value for value in values if low_ohm <= value <= high_ohm]


def colour_bands(ohms: float, tolerance_pct: float = 5.0, bands: int = 4) -> tuple[str, ...]:
    """Colour bands of a resistor: two digits (3 or 4 bands) or three (5 bands), multiplier, tolerance (not with 3).

    Raises BadInput for ``ohms`` when its digits do not fit, and for ``tolerance_pct`` when no colour stands for it.
    Source: IEC 60062.

    >>> colour_bands(220)
    ('red', 'red', 'brown', 'gold')
    """
    check_positive(ohms, "ohms")
    if bands not in (3, 4, 5):
        raise BadInput(f"bands must be 3, 4 or 5, not {bands}.", "bands")
    if bands > 3 and tolerance_pct not in TOLERANCES:
        raise BadInput(f"tolerance_pct has no colour for {tolerance_pct:g} %.", "tolerance_pct")
    count = 3 if bands == 5 else 2
    power = math.floor(math.log10(ohms) + 1e-12) - (count - 1)
    digits = round(ohms / 10.0**power)
    if power not in MULTIPLIERS or not math.isclose(digits * 10.0**power, ohms, rel_tol=1e-9):
        raise BadInput(f"ohms must have {count} digits that the bands can show, but is {ohms:g}.", "ohms")
    colours = (*(DIGITS[int(d)] for d in str(digits)), MULTIPLIERS[power])
    return colours if bands == 3 else (*colours, TOLERANCES[tolerance_pct])


@dataclass(frozen=True)
class Divider:
    """Two resistors from ``vin`` to ground with the tap between them; min and max are the corners of the tolerance."""

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

    Parameters: vin_v, V; top_ohm and bottom_ohm, Ω, not both zero; tolerance_pct, 0 to 99 %; load_ohm, Ω from the tap to
    ground, or None. Returns: Divider; current is drawn from the input with the load. Source: Ohm's law.

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

    Parameters: vin_max_v, limit_v, high_level_v, V; series, E6, E12 or E24, 100 Ω to 1 MΩ; tolerance_pct; current_max_ma;
    source_max_ohm, largest output resistance wanted, or None; most, how many at most.
    Returns: dividers by largest ``min(limit − vmax, vmin − high level)``, ties to the smaller current.
    Raises: BadInput for ``limit_v`` when none can hold. Source: IEC 60063 values, Ohm's law.

    >>> [(d.top_ohm, d.bottom_ohm) for d in design_divider(5, 3.3, 2.0, series="E12", source_max_ohm=10_000)][:1]
    [(3300.0, 3900.0)]
    """
    check_positive(vin_max_v, "vin_max_v")
    check_positive(limit_v, "limit_v")
    check_not_negative(high_level_v, "high_level_v")
    check_between(tolerance_pct, 0.0, 99.0, "tolerance_pct")
    check_positive(current_max_ma, "current_max_ma")
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
            f"limit_v {limit_v:g} V and high level {high_level_v:g} V leave no {series} pair of ±{tolerance_pct:g} % "
            f"that holds both from {vin_max_v:g} V: use closer tolerance or a level shifter.",
            "limit_v",
        )
    margin = np.round(np.minimum(limit_v - highest, lowest - high_level_v), 9)
    rows = np.argwhere(fits)
    order = np.lexsort((current[fits], -margin[fits]))[:most]
    return [divider(vin_max_v, float(values[i]), float(values[j]), tolerance_pct) for i, j in rows[order]]


def nearest_values(ohms: float, series: str = "E24") -> tuple[float, float, float]:
    """Nearest value of an E series by ratio, the next at or above, and the next at or below, Ω.

    >>> nearest_values(230.0)
    (240.0, 240.0, 220.0)
    """
    check_positive(ohms, "ohms")
    values = series_values(series, ohms / 20, ohms * 20)
    near = 1e-9
    up = min(v for v in values if v >= ohms * (1 - near))
    down = max(v for v in values if v <= ohms * (1 + near))
    return min((up, down), key=lambda v: abs(math.log(v / ohms))), up, down
