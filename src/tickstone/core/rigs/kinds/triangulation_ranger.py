"""Infrared triangulation ranger, three pins: an analogue voltage that falls with distance."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core import triangulation
from tickstone.core.constants import ConstantSpec, Values
from tickstone.core.rigs.kinds.base import (
    MISSING,
    Ambient,
    Array,
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
    Term,
    Working,
)
from tickstone.core.rigs.kinds.deciding import DROPOUTS, FILTER, OBSTACLE
from tickstone.core.rigs.kinds.driving import RANGER_DRIVEN
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    SHEET,
    analogue_pin,
    converter,
    counts_ask,
    counts_chain,
    counts_of,
    counts_spreads,
    level_v,
    result,
    step_v,
    supply_pin,
    term,
)
from tickstone.core.rigs.kinds.told import by_option
from tickstone.core.rigs.part import Chosen, Part, question
from tickstone.core.rigs.reading import Counts
from tickstone.errors import BadInput

REASONS = (*triangulation.REASONS, "outside the converter's range")
NO_CODE = len(REASONS) - 1


def _curve(values: Values) -> tuple[float, float, float]:
    return values["a"].value, values["b"].value, values["c"].value


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Counts to distances, mm, on the far branch of the curve."""
    level = level_v(inputs["counts"], values)
    distances = triangulation.distances(
        level, *_curve(values), values["nearest"].value, values["farthest"].value
    )
    return Converted(
        distances.distance_mm, np.where(np.isnan(level), NO_CODE, distances.reason).astype(np.int8)
    )


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    counts = counts_chain(counts_ask("counts", "reading", values, 0.25), inputs, values)
    level = result("at the pin", counts.result.value, "V", "÷ (")
    return (counts,), (term(values["a"]), level, term(values["c"], "−"), term(values["b"], ") −"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    distance = read(inputs, values, ambient).values
    a, b, _ = _curve(values)
    return (
        Series("level", "at the pin", "V", level_v(inputs["counts"], values), 3),
        Series(
            "per_count",
            "one count is worth",
            "mm",
            triangulation.mm_per_volt(distance, a, b) * step_v(values),
            2,
        ),
    )


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    level = inputs["counts"] * step_v(values)
    a, b, c = _curve(values)
    rules = [RuleReading("without b", a / (level - c))] if level > c else []
    return (*rules, *([RuleReading("without c", a / level - b)] if level > 0 else []))


def _counts_at(wanted_mm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    a, b, c = _curve(values)
    if wanted_mm + b <= 0:
        raise BadInput(f"The curve has no voltage at {wanted_mm:g} mm.", "wanted")
    return {"counts": counts_of(float(triangulation.volts_at(wanted_mm, a, b, c)), values)}


def words(moment: Moment, values: Values) -> str:
    """What the ranger says; a voltage too near or too far is never "clear"."""
    converted = moment.converted
    good = converted.values[converted.valid]
    if good.size and converted.missing < MISSING:
        return (
            f"Something {float(np.median(good[-5:])):.0f} mm ahead, or nearer than "
            f"{values['nearest'].value:.0f} mm."
        )
    if converted.codes.size and int(converted.codes[-1]) == triangulation.TOO_NEAR:
        return f"Nearer than {values['nearest'].value:.0f} mm: one voltage belongs to two distances here."
    return "Nothing it can place. Not the same as clear." if converted.values.size else "No reading yet."


REACH = question(
    "reach",
    "reach",
    ("middle", "100 to 800 mm"),
    ("near", "40 to 300 mm"),
    ("far", "200 to 1500 mm"),
    clue="The distance between its two lenses grows with the reach; the print on its side names the part.",
)


def _part(chosen: Chosen) -> Part:
    return Part((supply_pin(4.5, 5.5, 35.0), GROUND, analogue_pin(most_v=3.1)))


KIND = Kind(
    id="triangulation-ranger",
    title="infrared triangulation ranger",
    family="distance",
    part=_part,
    reads=lambda chosen: (Counts((("counts", "output"),), 40),),
    options=(REACH,),
    clues=("Its plug has three wires; their order is on the part's sheet, their colours are not a promise.",),
    channels=(
        ChannelSpec(
            "counts",
            "reading",
            "level",
            "counts",
            ("ir_adc", "range_adc"),
            0.0,
            16_777_215.0,
            called=("ir", "range", "infrared"),
        ),
    ),
    quantity=Quantity("distance", "mm", 0.0, 1000.0),
    constants=(
        ConstantSpec(
            "a",
            "a",
            "V·mm",
            260.0,
            13.0,
            SHEET,
            1,
            10_000,
            "calibrate",
            shown_at=("convert",),
            from_rig=by_option("reach", {"near": 110.0, "middle": 260.0, "far": 600.0}),
        ),
        ConstantSpec("b", "b", "mm", 9.0, 3.0, SHEET, -200, 500, "calibrate", shown_at=("convert",)),
        ConstantSpec("c", "c", "V", 0.05, 0.02, SHEET, -1, 3, "calibrate", shown_at=("convert",)),
        ConstantSpec(
            "nearest",
            "nearest",
            "mm",
            100.0,
            None,
            "common practice",
            1,
            2000,
            "convert",
            counts=False,
            from_rig=by_option("reach", {"near": 40.0, "middle": 100.0, "far": 200.0}),
        ),
        ConstantSpec(
            "farthest",
            "farthest",
            "mm",
            800.0,
            None,
            "common practice",
            10,
            6000,
            "convert",
            counts=False,
            from_rig=by_option("reach", {"near": 300.0, "middle": 800.0, "far": 1500.0}),
        ),
        *converter(2.0),
        *OBSTACLE,
        *FILTER,
        *DROPOUTS,
        *RANGER_DRIVEN,
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (counts_ask("counts", "reading", values, 0.25),),
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=counts_spreads("counts"),
        moves=lambda values: (Move("counts", 1, "One count more"),),
        bare=("level",),
        inverse=Inverse(300.0, 1.0, 6000.0, _counts_at),
        causes={"a": "curve (a, b, c)", "b": "curve (a, b, c)", "c": "curve (a, b, c)"},
    ),
    words=words,
    procedures=("hyperbola", "filter"),
    decisions=("obstacle", "filter", "dropouts"),
    instruments=("bar",),
    cautions=("Its lamp is infrared: do not look into it from near.",),
)
