"""Encoders: one channel (reflective or slotted) counts transitions; two channels in quadrature tell the
direction too."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core import quadrature
from tickstone.core.constants import ConstantSpec, DerivedSpec, Provenance, Values
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
    Move,
    Quantity,
    RuleReading,
    Series,
    Spread,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.deciding import TURNING
from tickstone.core.rigs.kinds.driving import LEVEL_DRIVEN
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    ON_MODULE,
    SHEET,
    UNMEASURED,
    analogue_pin,
    own_pull_up,
    raw,
    result,
    supply_pin,
    term,
)
from tickstone.core.rigs.kinds.vehicle import DRIVE, DRIVE_PROCEDURES
from tickstone.core.rigs.part import Chosen, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import Levels, Steps
from tickstone.core.wording import fixed

COUNT = Ask("count", "steps counted", "steps", -10_000_000, 10_000_000, 96, slide=(0, 1000))
NO_COUNT = 1
REASONS = ("", "no count")
HALF_STEP = 1.0 / math.sqrt(12.0)


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Steps to distance, mm: ``count ÷ steps per turn × circumference``."""
    count = inputs["count"]
    known = np.isfinite(count)
    distance = np.where(known, count, np.nan) / values["steps"].value * values["circumference"].value
    return Converted(distance, np.where(known, 0, NO_COUNT).astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    around_mm, steps = values["circumference"], values["steps"]
    chain = Chain(
        (term(around_mm), term(steps, "÷")), result("one step", around_mm.value / steps.value, "mm")
    )
    return (chain,), (raw(COUNT, inputs), term(steps, "÷"), term(around_mm, "×"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    turns = np.where(np.isfinite(inputs["count"]), inputs["count"], np.nan) / values["steps"].value
    return (
        Series("count", "count", "steps", turns * values["steps"].value, 0),
        Series("turns", "turns", "", turns, 3),
        Series("angle", "turned", "°", 360.0 * turns, 1),
    )


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    nominal = math.pi * values["diameter"].value
    ours = inputs["count"] / values["steps"].value
    return (
        RuleReading("π × nominal diameter", ours * nominal),
        RuleReading("both edges counted as steps", ours * values["circumference"].value / 2),
    )


def _count_at(wanted_mm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    return {"count": wanted_mm / values["circumference"].value * values["steps"].value}


def words(moment: Moment, values: Values) -> str:
    """How far it rolled, and how sure that can be."""
    good = moment.converted.values[moment.converted.valid]
    if not good.size:
        return "No count yet."
    step = values["circumference"].value / values["steps"].value
    return f"Rolled {fixed(float(good[-1]), 0)} mm; one step is {step:.1f} mm."


def _resolution(values: Values) -> tuple[float, float | None]:
    return values["circumference"].value / values["steps"].value, None


def _constants(steps: float, steps_source: str) -> tuple[ConstantSpec, ...]:
    return (
        ConstantSpec(
            "circumference",
            "circumference",
            "mm",
            94.2,
            0.9,
            UNMEASURED,
            1,
            20_000,
            "calibrate",
            Provenance.MEASURED,
            ("convert", "watch"),
        ),
        ConstantSpec(
            "steps",
            "steps per turn",
            "",
            steps,
            None,
            steps_source,
            1,
            1_000_000,
            "wire",
            shown_at=("convert", "watch"),
        ),
        ConstantSpec("diameter", "nominal diameter", "mm", 30.0, None, SHEET, 1, 6000, "wire", counts=False),
        *DRIVE,
        *TURNING,
        *LEVEL_DRIVEN,
    )


WORKING = Working(
    asks=lambda values: (COUNT,),
    read=read,
    chains=_chains,
    more=_more,
    rules=_rules,
    spreads=lambda inputs, values: (Spread("count", HALF_STEP, "one step"),),
    moves=lambda values: (Move("count", 1, "One step more"),),
    inverse=Inverse(300.0, -1e6, 1e6, _count_at),
    bare=("count",),
)
STEP = (
    DerivedSpec(
        "step", "one step", "mm", "from circumference and steps", ("circumference", "steps"), _resolution
    ),
)

READS = question(
    "output",
    "its output",
    ("analogue", "a level: the program compares it"),
    ("digital", "on or off: it compares by itself"),
    clue="Turn the wheel slowly by hand with a meter on the output: does it glide or jump?",
)


def _single(chosen: Chosen) -> Part:
    if chosen.says("output", "analogue"):
        output = analogue_pin("output", "white", source_ohm=10_000.0)
    else:
        output = PinSpec(
            "output", Role.OUTPUT, "white", ("interrupt", "digital"), polled=True, shortest_us=500.0
        )
    return Part((supply_pin(3.0, 5.5, 20.0), GROUND, output))


def _two_channels(chosen: Chosen) -> Part:
    return Part(
        (
            supply_pin(3.0, 5.5, 10.0),
            GROUND,
            *(
                PinSpec(
                    name,
                    Role.OPEN,
                    colour,
                    ("interrupt", "digital"),
                    polled=True,
                    shortest_us=500.0,
                    own_pull_up_ohm=own_pull_up(chosen),
                )
                for name, colour in (("a", "white"), ("b", "yellow"))
            ),
        )
    )


SINGLE = Kind(
    id="encoder",
    title="encoder, one channel",
    family="turning",
    part=_single,
    reads=lambda chosen: (Steps("count", "output", analogue=chosen.says("output", "analogue")),),
    options=(READS,),
    clues=("The slot or the two lenses must face the wheel squarely, some 2 mm away.",),
    channels=(
        ChannelSpec(
            "count",
            "steps",
            "counter",
            "steps",
            ("steps", "encoder"),
            -9e15,
            9e15,
            called=("steps", "count", "counts", "encoder", "ticks"),
        ),
    ),
    quantity=Quantity("distance", "mm", 0.0, 10_000.0),
    constants=_constants(30.0, "common practice for rollers"),
    derived=STEP,
    reasons=REASONS,
    working=WORKING,
    words=words,
    procedures=("roll-out", "steps", *DRIVE_PROCEDURES),
    decisions=("turning",),
    instruments=("trip", "turns"),
)


def _quadrature_count(
    channels: Mapping[str, Array], times_us: Array | None, values: Values, notebook: dict[str, float]
) -> Mapping[str, Array]:
    """Two levels into a running count of quarter cycles; a row without both levels has no count."""
    a, b = channels["a"], channels["b"]
    count = np.full(a.shape, np.nan)
    known = np.flatnonzero(np.isin(a, (0, 1)) & np.isin(b, (0, 1)))
    if known.size:
        first = [notebook["a"], notebook["b"]] if "a" in notebook else [a[known[0]], b[known[0]]]
        outcome = quadrature.decode(np.r_[first[0], a[known]], np.r_[first[1], b[known]])
        count[known] = notebook.get("count", 0.0) + outcome.count[1:]
        notebook |= {"a": float(a[known[-1]]), "b": float(b[known[-1]]), "count": float(count[known[-1]])}
    return {"count": count}


ROTARY = Kind(
    id="rotary-encoder",
    title="rotary encoder, two channels",
    family="turning",
    part=_two_channels,
    reads=lambda chosen: (Levels((("a", "a"), ("b", "b"))),),
    options=(ON_MODULE,),
    clues=("A turns first in one direction, B first in the other: swap them if it counts backwards.",),
    channels=(
        ChannelSpec("a", "channel A", "level", "", ("enc_a", "a"), 0.0, 1.0),
        ChannelSpec("b", "channel B", "level", "", ("enc_b", "b"), 0.0, 1.0),
    ),
    quantity=Quantity("distance", "mm", -10_000.0, 10_000.0),
    constants=_constants(80.0, "20 cycles a turn, counted four times each"),
    derived=STEP,
    reasons=REASONS,
    working=Working(
        asks=lambda values: (COUNT,),
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=WORKING.spreads,
        moves=WORKING.moves,
        inverse=WORKING.inverse,
        bare=WORKING.bare,
        inputs=_quadrature_count,
    ),
    words=words,
    procedures=("roll-out", "steps", *DRIVE_PROCEDURES),
    decisions=("turning",),
    instruments=("trip", "turns"),
)
