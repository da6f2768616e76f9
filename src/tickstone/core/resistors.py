"""Resistors as they are sold: E series and colour bands."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tickstone.core.checks import check_between, check_positive
from tickstone.errors import BadInput

# IEC 60063: up to E24 the series have rounded values of their own, so they are tables and not formulas.
E_SERIES: dict[str, tuple[float, ...]] = {
    "E3": (1.0, 2.2, 4.7),
    "E6": (1.0, 1.5, 2.2, 3.3, 4.7, 6.8),
    "E12": (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2),
    "E24": (
        1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0,
        3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1,
    ),
}  # fmt: skip
# From E48 they are the rounded geometric series, with 9.20 in E192 as the one exception (IEC 60063).
for _count in (48, 96, 192):
    _digits = [round(100 * 10 ** (i / _count)) for i in range(_count)]
    E_SERIES[f"E{_count}"] = tuple((920 if (d, _count) == (919, 192) else d) / 100 for d in _digits)

# IEC 60062:2016: colours of the digits 0 to 9, of the powers of ten, of the tolerances in percent and of the
# temperature
# coefficients in ppm/K (from memory). Older lists give orange, yellow and grey other tolerances.
DIGITS = ("black", "brown", "red", "orange", "yellow", "green", "blue", "violet", "grey", "white")
MULTIPLIERS = {**dict(enumerate(DIGITS)), -1: "gold", -2: "silver", -3: "pink"}
TOLERANCES = {
    1.0: "brown", 2.0: "red", 0.05: "orange", 0.02: "yellow", 0.5: "green", 0.25: "blue", 0.1: "violet",
    0.01: "grey", 5.0: "gold", 10.0: "silver",
}  # fmt: skip
COEFFICIENTS = {
    250.0: "black", 100.0: "brown", 50.0: "red", 15.0: "orange", 25.0: "yellow", 20.0: "green", 10.0: "blue",
    5.0: "violet", 1.0: "grey",
}  # fmt: skip
NO_BAND_PCT = 20.0  # three bands, no fourth


def series_values(series: str, low_ohm: float, high_ohm: float) -> list[float]:
    """All values of an E series within ``low_ohm``…``high_ohm``, rising. Raises BadInput for field
    ``series``."""
    if series not in E_SERIES:
        raise BadInput(f"series must be one of {', '.join(E_SERIES)}, not {series}.", "series")
    decades = range(math.floor(math.log10(low_ohm)), math.floor(math.log10(high_ohm)) + 1)
    values = [float(f"{digit}e{decade}") for decade in decades for digit in E_SERIES[series]]
    return [value for value in values if low_ohm <= value <= high_ohm]


def nearest_values(ohms: float, series: str = "E24") -> tuple[float, float, float]:
    """Nearest value of an E series by ratio, the next at or above, and the next at or below, Ω.

    >>> nearest_values(230.0)
    (240.0, 240.0, 220.0)
    """
    check_between(ohms, 1e-3, 1e12, "ohms")
    values = series_values(series, ohms / 20, ohms * 20)
    near = 1e-9
    up = min(v for v in values if v >= ohms * (1 - near))
    down = max(v for v in values if v <= ohms * (1 + near))
    return min((up, down), key=lambda v: abs(math.log(v / ohms))), up, down


def colour_bands(
    ohms: float, tolerance_pct: float = 5.0, bands: int = 4, ppm_per_k: float = 100.0
) -> tuple[str, ...]:
    """Colour bands of a resistor: two digits (3 or 4 bands) or three (5 or 6), multiplier, tolerance (not
    with 3), and temperature coefficient (6).

    Raises BadInput for ``ohms`` when its digits do not fit, and for ``tolerance_pct`` or ``ppm_per_k`` when
    no colour stands for it. Source: IEC 60062:2016.

    >>> colour_bands(220)
    ('red', 'red', 'brown', 'gold')
    """
    check_positive(ohms, "ohms")
    if bands not in (3, 4, 5, 6):
        raise BadInput(f"bands must be 3, 4, 5 or 6, not {bands}.", "bands")
    if bands > 3 and tolerance_pct not in TOLERANCES:
        raise BadInput(f"tolerance_pct has no colour for {tolerance_pct:g} %.", "tolerance_pct")
    if bands == 6 and ppm_per_k not in COEFFICIENTS:
        raise BadInput(f"ppm_per_k has no colour for {ppm_per_k:g} ppm/K.", "ppm_per_k")
    count = 2 if bands < 5 else 3
    power = math.floor(math.log10(ohms) + 1e-12) - (count - 1)
    digits = round(ohms / 10.0**power)
    if power not in MULTIPLIERS or not math.isclose(digits * 10.0**power, ohms, rel_tol=1e-9):
        raise BadInput(f"ohms must have {count} digits that the bands can show, but is {ohms:g}.", "ohms")
    colours = (*(DIGITS[int(d)] for d in str(digits)), MULTIPLIERS[power])
    if bands > 3:
        colours = (*colours, TOLERANCES[tolerance_pct])
    return (*colours, COEFFICIENTS[ppm_per_k]) if bands == 6 else colours


@dataclass(frozen=True)
class Resistor:
    """What colour bands say; ``tolerance_pct`` is None for a zero-ohm link, ``ppm_per_k`` without a sixth
    band."""

    ohms: float
    tolerance_pct: float | None
    ppm_per_k: float | None


def band_choices(bands: int) -> tuple[tuple[tuple[str, str], ...], ...]:
    """For each band of a resistor, the colours that can stand there and what each means; one band alone is a
    link.

    >>> band_choices(4)[0][0], band_choices(4)[3][0]
    (('brown', '1'), ('brown', '1 %'))
    """
    if bands == 1:
        return ((("black", "a link"),),)
    digits = tuple((colour, str(digit)) for digit, colour in enumerate(DIGITS))
    powers = tuple((colour, f"× {10.0**power:g}") for power, colour in sorted(MULTIPLIERS.items()))
    tolerances = tuple((colour, f"{percent:g} %") for percent, colour in TOLERANCES.items())
    coefficients = tuple((colour, f"{ppm:g} ppm/K") for ppm, colour in COEFFICIENTS.items())
    places = [digits[1:], *[digits] * (1 if bands < 5 else 2), powers]
    places += [tolerances] if bands > 3 else []
    return tuple(places + ([coefficients] if bands > 5 else []))


def decode_bands(colours: Sequence[str]) -> Resistor:
    """Value of a resistor from its colour bands, read from the end the first digit is nearer to.

    Parameters: colours, 3 to 6 names, or one black band for a zero-ohm link.
    Raises: BadInput for ``colours`` with the band and what could stand there. Source: IEC 60062:2016.

    >>> decode_bands(["yellow", "violet", "red", "gold"])
    Resistor(ohms=4700.0, tolerance_pct=5.0, ppm_per_k=None)
    """
    names = [colour.strip().lower() for colour in colours]
    if names == ["black"]:
        return Resistor(0.0, None, None)
    if not 3 <= len(names) <= 6:
        raise BadInput(
            f"colours must be 3 to 6 bands (or one black band, a link), not {len(names)}.", "colours"
        )
    count = 2 if len(names) < 5 else 3
    digits = [
        _stands_for(name, {c: d for d, c in enumerate(DIGITS)}, place + 1, "a digit")
        for place, name in enumerate(names[:count])
    ]
    if digits[0] == 0:
        raise BadInput("colours: band 1 is never black; read the bands from the other end.", "colours")
    power = _stands_for(names[count], {c: p for p, c in MULTIPLIERS.items()}, count + 1, "a multiplier")
    tolerance = NO_BAND_PCT
    if len(names) > 3 and not (len(names) == 4 and names[3] == "none"):
        tolerance = _stands_for(
            names[count + 1], {c: t for t, c in TOLERANCES.items()}, count + 2, "a tolerance"
        )
    coefficient = None
    if len(names) == 6:
        coefficient = _stands_for(
            names[5], {c: k for k, c in COEFFICIENTS.items()}, 6, "a temperature coefficient"
        )
    whole = int("".join(str(int(digit)) for digit in digits))
    ohms = whole * 10.0**power if power >= 0 else whole / 10.0**-power
    return Resistor(ohms, tolerance, coefficient)


def _stands_for(name: str, meanings: dict[str, float] | dict[str, int], band: int, what: str) -> float:
    if name not in meanings:
        raise BadInput(
            f"colours: band {band} is {name}, which is not {what}; {', '.join(meanings)} are.", "colours"
        )
    return meanings[name]
