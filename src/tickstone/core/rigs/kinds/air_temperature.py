"""Air temperature sensor, three pins: a single data line that the sensor only pulls low."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core.constants import ConstantSpec, Provenance, Values
from tickstone.core.rigs.kinds.base import (
    Array,
    ChannelSpec,
    Converted,
    Kind,
    Moment,
    PinSpec,
    Quantity,
    Role,
    Surroundings,
)

OUTSIDE = 1
REASONS = ("", "outside the sensor's range")
LOWEST_C, HIGHEST_C = -40.0, 85.0


def convert(raw: Mapping[str, Array], values: Values, around: Surroundings) -> Converted:
    """Raw °C to air temperature, °C, with the sensor's offset added."""
    del around
    air = raw["air"]
    outside = ~((air >= LOWEST_C) & (air <= HIGHEST_C))
    return Converted(
        np.where(outside, np.nan, air + values["offset"].value), np.where(outside, OUTSIDE, 0).astype(np.int8)
    )


def words(moment: Moment, values: Values) -> str:
    """What the sensor says, in a sentence."""
    del values
    good = moment.converted.values[moment.converted.valid]
    if good.size == 0:
        return "No temperature yet."
    return f"Air at {good[-30:].mean():.1f} °C over the last {min(30, good.size)} readings."


KIND = Kind(
    id="air-temperature",
    title="air temperature sensor, 3 pins",
    supply_v=5.0,
    supply_ma=1.5,
    pins=(
        PinSpec("supply", Role.SUPPLY, "red"),
        PinSpec("data", Role.OPEN, "white", ("digital",)),
        PinSpec("ground", Role.GROUND, "black"),
    ),
    channels=(ChannelSpec("air", "air", "level", "°C", ("air_c", "air"), -273.0, 1000.0, digits=1),),
    quantity=Quantity("air temperature", "°C", 0.0, 40.0, digits=1),
    constants=(
        ConstantSpec("offset", "offset", "K", 0.0, 0.5, "part sheet", -20, 20, "calibrate", Provenance.MEASURED),
    ),
    derived=(),
    reasons=REASONS,
    convert=convert,
    words=words,
)
