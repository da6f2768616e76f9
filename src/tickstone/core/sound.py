"""Speed of sound in air."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from tickstone.core.checks import check_between
from tickstone.errors import BadInput

Numbers = float | npt.NDArray[np.float64]

GAS_CONSTANT = 8.314462618  # J/(mol·K), CODATA 2018
MOLAR_MASS_DRY_AIR = 0.0289647  # kg/mol
HEAT_RATIO = 1.4
KELVIN = 273.15
STANDARD_PRESSURE_KPA = 101.325
CO2_FRACTION = 314e-6
# What Cramer's formula was stated for, and how far beyond it its polynomials still follow the ideal gas.
# Stated: Cramer (1993), section II; from memory.
CRAMER_RANGE_C, CRAMER_MOST_C = (0.0, 30.0), (-60.0, 100.0)
CRAMER_RANGE_KPA, CRAMER_MOST_KPA = (75.0, 102.0), (30.0, 120.0)
CRAMER_RANGE_WATER, CRAMER_MOST_WATER = 0.06, 0.25  # share of the molecules
IDEAL_RANGE_C = (-60.0, 150.0)  # where the heat ratio of dry air is 1.4 within half a percent
LINE_RANGE_C = (-15.0, 30.0)  # where the straight line is within 0.15 % of the ideal gas

# Cramer, J. Acoust. Soc. Am. 93 (1993) 2510, eq. (15); from memory, agreeing with CoolProp to 0.03 %.
_A = (
    331.5024, 0.603055, -0.000528, 51.471935, 0.1495874, -0.000782, -1.82e-7, 3.73e-8,
    -2.93e-10, -85.20931, -0.228525, 5.91e-5, -2.835149, -2.15e-13, 29.179762, 0.000486,
)  # fmt: skip


def water_share(
    temperature_c: Numbers, humidity_pct: Numbers, pressure_kpa: Numbers = STANDARD_PRESSURE_KPA
) -> Numbers:
    """Share of the molecules of humid air that are water, 0 to 1.

    Parameters: as of `speed_of_sound_cramer`, of which this is the appendix.

    >>> round(float(water_share(20.0, 50.0)), 4)
    0.0116
    """
    p, kelvin = pressure_kpa * 1000.0, temperature_c + KELVIN
    enhancement = 1.00062 + 3.14e-8 * p + 5.6e-7 * temperature_c**2
    saturation = np.exp(1.2811805e-5 * kelvin**2 - 1.9509874e-2 * kelvin + 34.04926034 - 6353.6311 / kelvin)
    share: Numbers = humidity_pct / 100.0 * enhancement * saturation / p
    return share


def check_cramer(
    temperature_c: float,
    humidity_pct: float = 0.0,
    pressure_kpa: float = STANDARD_PRESSURE_KPA,
    temperature: str = "temperature_c",
) -> list[str]:
    """Sentences for air that Cramer's formula was not stated for.

    Raises: BadInput naming the field, ``temperature`` that of the temperature, for air in which it says
    nothing.
    """
    check_between(temperature_c, *CRAMER_MOST_C, temperature)
    check_between(humidity_pct, 0, 100, "humidity_pct")
    check_between(pressure_kpa, *CRAMER_MOST_KPA, "pressure_kpa")
    water = float(water_share(temperature_c, humidity_pct, pressure_kpa))
    if water > CRAMER_MOST_WATER:
        raise BadInput(
            f"{temperature} of {temperature_c:g} °C at {humidity_pct:g} % humidity is air of "
            f"{100 * water:.0f} % water; the formula goes up to {100 * CRAMER_MOST_WATER:g} %.",
            temperature,
        )
    warnings = out_of_range(temperature_c, CRAMER_RANGE_C, "°C")
    warnings += out_of_range(pressure_kpa, CRAMER_RANGE_KPA, "kPa")
    if water > CRAMER_RANGE_WATER:
        warnings.append(
            f"Air of {100 * water:.0f} % water is outside the formula's stated range, up to "
            f"{100 * CRAMER_RANGE_WATER:g} %."
        )
    return warnings


def out_of_range(number: float, stated: tuple[float, float], unit: str) -> list[str]:
    """The sentence for a number outside the range that a formula was stated for."""
    low, high = stated
    if low <= number <= high:
        return []
    return [f"{number:g} {unit} is outside the formula's stated range of {low:g} to {high:g} {unit}."]


def speed_of_sound_cramer(
    temperature_c: Numbers, humidity_pct: Numbers = 0.0, pressure_kpa: Numbers = STANDARD_PRESSURE_KPA
) -> Numbers:
    """Speed of sound in humid air.

    Parameters: temperature_c, any shape, °C; humidity_pct, relative humidity 0 to 100 %; pressure_kpa, kPa.
    All broadcast together. `check_cramer` knows what it was stated for.
    Returns: m/s, of the broadcast shape.
    Source: Cramer, J. Acoust. Soc. Am. 93 (1993) 2510, eq. (15); CO₂ 314 ppm.

    >>> round(float(speed_of_sound_cramer(20.0)), 4)
    343.3672
    """
    t, p = temperature_c, pressure_kpa * 1000.0
    xw = water_share(temperature_c, humidity_pct, pressure_kpa)
    xc = CO2_FRACTION
    a = _A
    speed: Numbers = (
        a[0]
        + a[1] * t
        + a[2] * t**2
        + (a[3] + a[4] * t + a[5] * t**2) * xw
        + (a[6] + a[7] * t + a[8] * t**2) * p
        + (a[9] + a[10] * t + a[11] * t**2) * xc
        + a[12] * xw**2
        + a[13] * p**2
        + a[14] * xc**2
        + a[15] * xw * p * xc
    )
    return speed


def speed_of_sound_ideal(temperature_c: Numbers) -> Numbers:
    """Speed of sound in dry air as an ideal gas, ``sqrt(γ·R·T/M)``.

    Parameters: temperature_c, any shape, °C. Returns: m/s, same shape.
    Source: ISO 2533:1975 (standard atmosphere).

    >>> round(float(speed_of_sound_ideal(20.0)), 1)
    343.2
    """
    speed: Numbers = np.sqrt(HEAT_RATIO * GAS_CONSTANT * np.add(temperature_c, KELVIN) / MOLAR_MASS_DRY_AIR)
    return speed


def speed_of_sound_linear(temperature_c: Numbers) -> Numbers:
    """First-order rule ``331.3 + 0.606·θ``.

    Parameters: temperature_c, any shape, °C. Returns: m/s, same shape. Source: common practice.

    >>> speed_of_sound_linear(20.0)
    343.42
    """
    return 331.3 + 0.606 * temperature_c


def temperature_of_ideal_speed(speed_m_s: float) -> float:
    """Temperature, °C, at which dry ideal air has ``speed_m_s``: the inverse of speed_of_sound_ideal.

    >>> round(temperature_of_ideal_speed(float(speed_of_sound_ideal(20.0))), 6)
    20.0
    """
    return speed_m_s**2 * MOLAR_MASS_DRY_AIR / (HEAT_RATIO * GAS_CONSTANT) - KELVIN


def temperatures_of_cramer_speeds(
    speeds_m_s: npt.ArrayLike, humidity_pct: float, low_c: float, high_c: float
) -> npt.NDArray[np.float64]:
    """Temperatures, °C, within ``low_c``…``high_c`` at which Cramer's formula gives each speed; NaN where
    none does.

    Read off a table of the formula in steps of about 1 K, then mended twice by the table's slope there.

    >>> temperatures_of_cramer_speeds([343.3672, 200.0], 0.0, -20, 60).round(2).tolist()
    [20.0, nan]
    """
    wanted = np.asarray(speeds_m_s, dtype=np.float64)
    air = np.linspace(low_c, high_c, round(high_c - low_c) + 2)
    table = np.asarray(speed_of_sound_cramer(air, humidity_pct))
    result = np.interp(wanted, table, air, left=np.nan, right=np.nan)
    slope = np.gradient(table, air)[np.searchsorted(table, wanted).clip(0, air.size - 1)]
    for _ in range(2):
        result = result + (wanted - np.asarray(speed_of_sound_cramer(result, humidity_pct))) / slope
    return result


def sensitivity_m_s_per_k(temperature_c: float, humidity_pct: float = 0.0) -> float:
    """Change of Cramer's speed per kelvin at a temperature, m/s/K, by central difference over ±0.01 K.

    >>> round(sensitivity_m_s_per_k(20.0), 2)
    0.58
    """
    step = 0.01
    above = float(speed_of_sound_cramer(temperature_c + step, humidity_pct))
    below = float(speed_of_sound_cramer(temperature_c - step, humidity_pct))
    return (above - below) / (2 * step)
