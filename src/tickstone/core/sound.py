"""Speed of sound in air."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Numbers = float | npt.NDArray[np.float64]

GAS_CONSTANT = 8.314462618  # J/(mol·K), CODATA 2018
MOLAR_MASS_DRY_AIR = 0.0289647  # kg/mol
HEAT_RATIO = 1.4
KELVIN = 273.15
STANDARD_PRESSURE_KPA = 101.325
CO2_FRACTION = 314e-6
CRAMER_RANGE_C = (0.0, 30.0)

# Cramer, J. Acoust. Soc. Am. 93 (1993) 2510, eq. (15); from memory, agreeing with CoolProp to 0.03 %.
_A = (
    331.5024, 0.603055, -0.000528, 51.471935, 0.1495874, -0.000782, -1.82e-7, 3.73e-8,
    -2.93e-10, -85.20931, -0.228525, 5.91e-5, -2.835149, -2.15e-13, 29.179762, 0.000486,
)  # fmt: skip


def speed_of_sound_cramer(
    temperature_c: Numbers, humidity_pct: Numbers = 0.0, pressure_kpa: Numbers = STANDARD_PRESSURE_KPA
) -> Numbers:
    """Speed of sound in humid air.

    Parameters: temperature_c, any shape, °C (stated range 0 to 30); humidity_pct, relative humidity 0 to 100
    %; pressure_kpa, kPa. All broadcast together.
    Returns: m/s, of the broadcast shape.
    Source: Cramer, J. Acoust. Soc. Am. 93 (1993) 2510, eq. (15); CO₂ 314 ppm.

    >>> round(float(speed_of_sound_cramer(20.0)), 4)
    343.3672
    """
    t, p = temperature_c, pressure_kpa * 1000.0
    kelvin = t + KELVIN
    enhancement = 1.00062 + 3.14e-8 * p + 5.6e-7 * t**2
    saturation = np.exp(1.2811805e-5 * kelvin**2 - 1.9509874e-2 * kelvin + 34.04926034 - 6353.6311 / kelvin)
    xw = humidity_pct / 100.0 * enhancement * saturation / p
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
