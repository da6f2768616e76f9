"""Infrared time-of-flight ranger on I2C: millimetres, with an offset and a scale of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from tickstone.core.constants import ConstantSpec, Values
from tickstone.core.rigs.kinds.base import (
    MISSING,
    Ambient,
    Array,
    Ask,
    Chain,
    ChannelSpec,
    Converted,
    Inverse,
    Kind,
    Moment,
    Move,
    Quantity,
    RuleReading,
    Spread,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.deciding import DROPOUTS, FILTER, OBSTACLE
from tickstone.core.rigs.kinds.driving import RANGER_DRIVEN
from tickstone.core.rigs.kinds.parts import REGULATOR, UNMEASURED, bus_part, raw, term
from tickstone.core.rigs.outputs import address
from tickstone.core.rigs.part import Chosen, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import RegisterField, Registers

NO_TARGET, TOO_FAR = 1, 2
REASONS = ("", "no target: the part says so by 0 or its largest number", "farther than it is good for")
NO_TARGET_MM = 8000.0  # from here up the number is the part's word for nothing (common practice)
READING = Ask("reading", "reading", "mm", 0, 10_000, 250, slide=(0, 1300))
STEP_MM = 1.0


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """The part's millimetres to distances, mm: ``reading·scale + offset``."""
    reading = inputs["reading"]
    nothing = ~((reading > 0) & (reading < NO_TARGET_MM))
    distance = np.where(nothing, np.nan, reading * values["scale"].value + values["offset"].value)
    with np.errstate(invalid="ignore"):
        far = distance > values["farthest"].value
    return Converted(distance, np.select([nothing, far], [NO_TARGET, TOO_FAR], 0).astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    return (), (raw(READING, inputs), term(values["scale"], "×"), term(values["offset"], "+"))


def _spreads(inputs: Mapping[str, float], values: Values) -> tuple[Spread, ...]:
    return (
        Spread("reading", values["noise"].value, "noise"),
        Spread("reading", STEP_MM / 12**0.5, "step of the reading"),
    )


def _reading_at(wanted_mm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    return {"reading": (wanted_mm - values["offset"].value) / values["scale"].value}


def words(moment: Moment, values: Values) -> str:
    """What the ranger says; no target is never "clear"."""
    converted = moment.converted
    good = converted.values[converted.valid]
    if good.size and converted.missing < MISSING:
        return f"Something {float(np.median(good[-5:])):.0f} mm ahead."
    if not converted.values.size:
        return "No reading yet."
    return f"Nothing it is sure of within {values['farthest'].value:.0f} mm. Not the same as clear."


USUAL_ADDRESS = 0x29
SHUTDOWN = question(
    "shutdown",
    "shutdown pin",
    ("free", "left open"),
    ("wired", "wired to the board"),
    clue="Two alike on one bus: hold one in shutdown at start and give the other a new address.",
)


def _part(chosen: Chosen) -> Part:
    part = bus_part(chosen, 20.0, 2.6, 3.5)
    if chosen.says("shutdown", "wired"):
        bears = None if chosen.says("regulator", "yes") else 3.5
        pin = PinSpec("shutdown", Role.INPUT, "white", ("digital",), high_needs_v=1.9, bears_v=bears)
        return replace(part, pins=(*part.pins, pin))
    return part


def _reads(chosen: Chosen) -> tuple[Registers, ...]:
    """Registers as they usually are (from memory): hold them against the part's own sheet."""
    reading = Registers(
        setup=(),
        start=(0x00, 0x01),
        read_from=0x1E,
        length=2,
        fields=(RegisterField("reading", 0, signed=False),),
        every_ms=50,
        readdress=(0x8A, USUAL_ADDRESS),
        shutdown="shutdown" if chosen.says("shutdown", "wired") else "",
    )
    return (reading,)


KIND = Kind(
    id="time-of-flight-ranger",
    title="infrared time-of-flight ranger",
    family="distance",
    part=_part,
    reads=_reads,
    options=(REGULATOR, address(USUAL_ADDRESS), SHUTDOWN),
    clues=("Peel the film off its window before use; pin 1 has the square pad.",),
    channels=(
        ChannelSpec(
            "reading",
            "reading",
            "level",
            "mm",
            ("tof_mm", "distance_mm"),
            0.0,
            65_535.0,
            called=("distance", "dist", "range", "tof"),
        ),
    ),
    quantity=Quantity("distance", "mm", 0.0, 2000.0),
    constants=(
        ConstantSpec(
            "offset", "offset", "mm", 0.0, 5.0, UNMEASURED, -200, 200, "calibrate", shown_at=("convert",)
        ),
        ConstantSpec("scale", "scale", "", 1.0, 0.02, UNMEASURED, 0.5, 2, "calibrate", shown_at=("convert",)),
        ConstantSpec(
            "noise",
            "noise",
            "mm",
            2.0,
            None,
            "usual on a pale target",
            0,
            100,
            "calibrate",
            shown_at=("convert",),
        ),
        ConstantSpec(
            "farthest",
            "farthest",
            "mm",
            300.0,
            None,
            "common practice, ordinary targets",
            20,
            8000,
            "convert",
            counts=False,
        ),
        *OBSTACLE,
        *FILTER,
        *DROPOUTS,
        *RANGER_DRIVEN,
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (READING,),
        read=read,
        chains=_chains,
        rules=lambda inputs, values, ambient: (RuleReading("as the part says", inputs["reading"]),),
        spreads=_spreads,
        moves=lambda values: (Move("reading", 1, "One millimetre more in the reading"),),
        inverse=Inverse(300.0, 0.0, 8000.0, _reading_at),
    ),
    words=words,
    procedures=("ruler-mm", "filter"),
    decisions=("obstacle", "filter", "dropouts"),
    instruments=("bar",),
    cautions=("It is an infrared laser of low power: do not look into it through a lens.",),
)
