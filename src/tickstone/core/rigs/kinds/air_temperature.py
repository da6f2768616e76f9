"""Air temperature sensors, three pins: a single data line that the sensor only pulls low; some tell humidity
too."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from tickstone.core.constants import ConstantSpec, Provenance, Values
from tickstone.core.rigs.kinds.base import (
    Ambient,
    Array,
    Ask,
    Chain,
    ChannelSpec,
    Converted,
    Inverse,
    Kind,
    Moment,
    Quantity,
    Series,
    Spread,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.parts import GROUND, ON_MODULE, own_pull_up, raw, supply_pin, term
from tickstone.core.rigs.part import Chosen, Part, PinSpec, Role
from tickstone.core.rigs.reading import PulseThermometer, SlotThermometer
from tickstone.core.wording import fixed

OUTSIDE = 1
REASONS = ("", "outside the sensor's range")
LOWEST_C, HIGHEST_C = -40.0, 85.0


AIR = Ask("air", "reading", "°C", -60, 150, 21.5, digits=1, slide=(-20, 50))
HUMIDITY = Ask("humidity", "humidity", "%", 0, 100, 50, digits=0)
STEP_C = 0.1  # the usual resolution of the reading


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Raw °C to air temperature, °C, with the sensor's offset added."""
    air = inputs["air"]
    outside = ~((air >= LOWEST_C) & (air <= HIGHEST_C))
    return Converted(
        np.where(outside, np.nan, air + values["offset"].value), np.where(outside, OUTSIDE, 0).astype(np.int8)
    )


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    return (), (raw(AIR, inputs), term(values["offset"], "+"))


def _humidity(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    inside = (inputs["humidity"] >= 0) & (inputs["humidity"] <= 100)
    return (Series("humidity", "humidity", "%", np.where(inside, inputs["humidity"], np.nan), 0),)


WORKING = Working(
    asks=lambda values: (AIR,),
    read=read,
    chains=_chains,
    spreads=lambda inputs, values: (Spread("air", STEP_C / 12**0.5, "step of the reading"),),
    inverse=Inverse(
        20.0, LOWEST_C, HIGHEST_C, lambda wanted, values, ambient: {"air": wanted - values["offset"].value}
    ),
    causes={"offset": "offset of this sensor"},
)


def words(moment: Moment, values: Values) -> str:
    """What the sensor says, in a sentence."""
    good = moment.converted.values[moment.converted.valid]
    if good.size == 0:
        return "No temperature yet."
    over = f" over the last {min(30, good.size)} readings" if good.size > 1 else ""
    return f"Air at {fixed(float(good[-30:].mean()), 1)} °C{over}."


def _part(chosen: Chosen) -> Part:
    data = PinSpec(
        "data", Role.OPEN, "white", ("digital",), own_pull_up_ohm=own_pull_up(chosen), shortest_us=10.0
    )
    return Part((supply_pin(3.0, 5.5, 1.5), data, GROUND))


KIND = Kind(
    id="air-temperature",
    title="air temperature sensor, 3 pins",
    family="air",
    part=_part,
    reads=lambda chosen: (SlotThermometer("air", "data"),),
    options=(ON_MODULE,),
    clues=(
        "With the flat face towards you the legs are commonly ground, data, supply: confirm on the part's "
        "sheet, a reversed supply destroys it.",
    ),
    channels=(
        ChannelSpec(
            "air",
            "air",
            "level",
            "°C",
            ("air_c", "air"),
            -273.0,
            1000.0,
            digits=1,
            called=("temperature", "temp", "air"),
        ),
    ),
    quantity=Quantity("air temperature", "°C", 0.0, 40.0, digits=1),
    constants=(
        ConstantSpec(
            "offset", "offset", "K", 0.0, 0.5, "part sheet", -20, 20, "calibrate", Provenance.MEASURED
        ),
    ),
    derived=(),
    reasons=REASONS,
    working=WORKING,
    words=words,
)

WITH_HUMIDITY = replace(
    KIND,
    id="air-temperature-humidity",
    title="air temperature and humidity sensor",
    reads=lambda chosen: (PulseThermometer("air", "humidity", "data"),),
    channels=(
        *KIND.channels,
        ChannelSpec(
            "humidity",
            "humidity",
            "level",
            "%",
            ("humidity_pct",),
            0.0,
            100.0,
            digits=0,
            called=("humidity", "hum", "rh"),
        ),
    ),
    working=replace(WORKING, asks=lambda values: (AIR, HUMIDITY), more=_humidity),
)
