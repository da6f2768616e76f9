"""The units that readings come in: how large one of each is, and what they are called in the names of columns
and constants."""

from __future__ import annotations

import re

LENGTHS_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, "inches": 25.4, "ft": 304.8}
TIMES_US = {"us": 1.0, "µs": 1.0, "μs": 1.0, "ms": 1000.0, "s": 1e6, "sec": 1e6}
VOLTS = {"V": 1.0, "mV": 0.001}
CELSIUS = ("", "°C", "C", "degC")
FAHRENHEIT = ("°F", "F", "degF")

COLUMNS = {  # what ends the name of a column: front_mm
    "mm": "mm",
    "m/s": "m_s",
    "rpm": "rpm",
    "°": "deg",
    "°C": "c",
    "°/s": "dps",
    "g": "g",
    "V": "v",
    "mV": "mv",
    "%": "pct",
    "Hz": "hz",
    "1/s": "per_s",
    "µA": "ua",
    "dB": "db",
    "steps": "steps",
    "counts": "counts",
    "": "",
}
CONSTANTS = {  # what ends the name of a constant in a program: FRONT_OFFSET_MM
    "mm": "MM",
    "µs": "US",
    "m/s": "M_PER_S",
    "mm/s": "MM_PER_S",
    "m/s²": "M_PER_S2",
    "°C": "C",
    "K": "K",
    "%": "PCT",
    "°": "DEG",
    "s": "S",
    "": "",
    "×": "",
    "counts": "COUNTS",
    "bits": "BITS",
    "V": "V",
    "mV": "MV",
    "V·mm": "V_MM",
    "V/g": "V_PER_G",
    "g": "G",
    "°/s": "DEG_PER_S",
    "°/√s": "DEG_PER_ROOT_S",
    "Ω": "OHM",
    "rpm": "RPM",
    "/h": "PER_H",
    "kg": "KG",
    "turn": "TURN",
    "turns": "TURNS",
    "ms": "MS",
    "1/s": "PER_S",
    "%/mm": "PCT_PER_MM",
    "%/(mm·s)": "PCT_PER_MM_S",
    "%·s/mm": "PCT_S_PER_MM",
}

_AT_THE_END = re.compile(r"(?:[\s_]|\(|\[)(mm|cm|m|in|us|ms|s|mV|V|C|F|degC|degF|pct|adc|g|dps)(?:\)|\])?$")
_SPELT = {"degC": "°C", "C": "°C", "degF": "°F", "F": "°F", "pct": "%", "adc": "counts"}


def without_unit(label: str) -> tuple[str, str]:
    """A label without the unit at its end, and that unit; empty where there is none.

    >>> without_unit("front (cm)"), without_unit("air_C"), without_unit("bumper")
    (('front', 'cm'), ('air', '°C'), ('bumper', ''))
    """
    match = _AT_THE_END.search(label)
    if match is None:
        return label, ""
    return label[: match.start()].strip(" _"), _SPELT.get(match[1], match[1])
