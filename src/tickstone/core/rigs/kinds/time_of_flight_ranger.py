"""Infrared time-of-flight ranger on I2C: millimetres, with an offset and a scale of its own."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core.constants import ConstantSpec, Values
from tickstone.core.rigs.kinds.base import (
    Array,
    Ask,
    Chain,
    ChannelSpec,
    Converted,
    Inverse,
    Kind,
    Moment,
    Move,
    PinSpec,
    Quantity,
    Role,
    Rule,
    Spread,
    Surroundings,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.parts import GROUND, SUPPLY, UNMEASURED, raw, term

NO_TARGET, TOO_FAR = 1, 2
REASONS = ("", "no target: the part says so by 0 or its largest number", "farther than it is good for")
NO_TARGET_MM = 8000.0  # from here up the number is the part's word for nothing (common practice)
READING = Ask("reading", "reading", "mm", 0, 10_000, 250, slide=(0, 1300))
STEP_MM = 1.0


def read(asked: Mapping[str, Array], values: Values, around: Surroundings) -> Converted:
    """The part's millimetres to distances, mm: ``reading·scale + offset``."""
    reading = asked["reading"]
    nothing = ~((reading > 0) & (reading < NO_TARGET_MM))
    distance = np.where(nothing, np.nan, reading * values["scale"].value + values["offset"].value)
    with np.errstate(invalid="ignore"):
        far = distance > values["farthest"].value
    return Converted(distance, np.select([nothing, far], [NO_TARGET, TOO_FAR], 0).astype(np.int8))


def _chains(
    asked: Mapping[str, float], values: Values, around: Surroundings
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    return (), (raw(READING, asked), term(values["scale"], "×"), term(values["offset"], "+"))


def _spreads(asked: Mapping[str, float], values: Values) -> tuple[Spread, ...]:
    return (
        Spread("reading", values["noise"].value, "noise"),
        Spread("reading", STEP_MM / 12**0.5, "step of the reading"),
    )


def _reading_at(wanted_mm: float, values: Values, around: Surroundings) -> Mapping[str, float]:
    return {"reading": (wanted_mm - values["offset"].value) / values["scale"].value}


def words(moment: Moment, values: Values) -> str:
    """What the ranger says; no target is never "clear"."""
    found = moment.converted
    good = found.values[found.valid]
    if good.size:
        return f"Something {float(np.median(good[-5:])):.0f} mm ahead."
    if not found.values.size:
        return "No reading yet."
    return f"Nothing it is sure of within {values['farthest'].value:.0f} mm. Not the same as clear."


KIND = Kind(
    id="time-of-flight-ranger",
    title="infrared time-of-flight ranger",
    supply_v=3.3,
    supply_ma=20.0,
    pins=(
        SUPPLY,
        GROUND,
        PinSpec("data", Role.OPEN, "blue", ("i2c-data",)),
        PinSpec("clock", Role.OPEN, "yellow", ("i2c-clock",)),
    ),
    channels=(ChannelSpec("reading", "reading", "level", "mm", ("tof_mm", "distance_mm"), 0.0, 65_535.0),),
    quantity=Quantity("distance", "mm", 0.0, 2000.0),
    constants=(
        ConstantSpec("offset", "offset", "mm", 0.0, 5.0, UNMEASURED, -200, 200, "calibrate", shown_at=("convert",)),
        ConstantSpec("scale", "scale", "", 1.0, 0.02, UNMEASURED, 0.5, 2, "calibrate", shown_at=("convert",)),
        ConstantSpec("noise", "noise", "mm", 2.0, None, "usual on a pale target", 0, 100, "calibrate",
                     shown_at=("convert",)),
        ConstantSpec("farthest", "farthest", "mm", 300.0, None, "common practice, ordinary targets", 20, 8000,
                     "convert", counts=False),
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (READING,),
        read=read,
        chains=_chains,
        rules=lambda asked, values, around: (Rule("as the part says", asked["reading"]),),
        spreads=_spreads,
        moves=lambda values: (Move("reading", 1, "One millimetre more in the reading"),),
        inverse=Inverse(300.0, 0.0, 8000.0, _reading_at),
    ),
    words=words,
    cautions=("It is an infrared laser of low power: do not look into it through a lens.",),
)  # fmt: skip
