"""Battery divider on an analogue input."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core.constants import ConstantSpec, Provenance, Values
from tickstone.core.rigs.kinds.base import (
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
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    analogue_pin,
    converter,
    counts_ask,
    counts_chain,
    counts_of,
    counts_spreads,
    level_v,
    result,
    step_v,
    term,
)
from tickstone.core.rigs.kinds.told import by_option
from tickstone.core.rigs.part import Chosen, Component, Draw, OptionSpec, Part, PinSpec, Role
from tickstone.core.rigs.reading import Counts

NO_CODE = 1
REASONS = ("", "outside the converter's range")


def _ratio(values: Values) -> float:
    if "ratio" in values:
        return values["ratio"].value
    return (values["top"].value + values["bottom"].value) / values["bottom"].value


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Counts to the battery's voltage, V: what is at the pin × (top + bottom) ÷ bottom."""
    level = level_v(inputs["counts"], values) * _ratio(values)
    return Converted(level, np.where(np.isnan(level), NO_CODE, 0).astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    counts = counts_chain(counts_ask("counts", "reading", values, 0.72), inputs, values)
    pin = result("at the pin", counts.result.value, "V", "")
    if "ratio" in values:
        return (counts,), (pin, term(values["ratio"], "×"))
    ratio = Chain(
        (term(values["top"], "("), term(values["bottom"], "+"), term(values["bottom"], ") ÷")),
        result("divider", _ratio(values), ""),
    )
    return (counts, ratio), (pin, result("divider", _ratio(values), "", "×"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    level = read(inputs, values, ambient).values
    empty, full = values["empty"].value, values["full"].value
    left = (
        100.0 * np.clip((level - empty) / (full - empty), 0.0, 1.0)
        if full > empty
        else np.full(level.shape, np.nan)
    )
    drain = 1e6 * level / (values["top"].value + values["bottom"].value)
    return (
        Series("level", "at the pin", "V", level / _ratio(values), 3),
        Series("left", "between empty and full", "%", left, 0),
        Series("drain", "the divider itself draws", "µA", drain, 0),
    )


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    steps = 2.0 ** values["bits"].value
    volts = inputs["counts"] * step_v(values) * _ratio(values)
    return (RuleReading(f"÷ {steps - 1:.0f} instead of {steps:.0f}", volts * steps / (steps - 1)),)


def _counts_at(wanted_v: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    return {"counts": counts_of(wanted_v / _ratio(values), values)}


def words(moment: Moment, values: Values) -> str:
    """How full, in words: a voltage under load says less than it seems."""
    good = moment.converted.values[moment.converted.valid]
    if not good.size:
        return "No reading yet."
    level = float(np.median(good[-20:]))
    if level <= values["empty"].value:
        return f"Battery empty: {level:.2f} V. Stop and charge it."
    return f"Battery at {level:.2f} V; it sags while the motors run."


def _part(chosen: Chosen) -> Part:
    top, bottom = chosen.number("top_ohm"), chosen.number("bottom_ohm")
    supply = PinSpec(
        "battery",
        Role.SUPPLY,
        "red",
        draw=Draw(0.5, 60.0, 1000 * 12.0 / (top + bottom), own=True, usual_v=7.4, full_v=8.4),
    )
    middle = analogue_pin(
        "middle", "orange", source_ohm=top * bottom / (top + bottom), share=bottom / (top + bottom)
    )
    return Part(
        (supply, GROUND, middle),
        pieces=(Component(1, "top resistor", ohms=top), Component(1, "bottom resistor", ohms=bottom)),
    )


KIND = Kind(
    id="battery-divider",
    title="battery divider",
    family="power",
    part=_part,
    reads=lambda chosen: (Counts((("counts", "middle"),), 200),),
    options=(
        OptionSpec("top_ohm", "top resistor", 10_000.0, unit="Ω", low=100, high=1e7),
        OptionSpec("bottom_ohm", "bottom resistor", 10_000.0, unit="Ω", low=100, high=1e7),
    ),
    clues=("Red is the battery's plus: measure before you solder, plugs can be wired the other way round.",),
    channels=(
        ChannelSpec(
            "counts",
            "reading",
            "level",
            "counts",
            ("battery_adc", "bat_adc"),
            0.0,
            16_777_215.0,
            called=("battery", "bat", "batt", "vbat"),
        ),
    ),
    quantity=Quantity("battery", "V", 0.0, 30.0, digits=2),
    constants=(
        ConstantSpec(
            "top",
            "top resistor",
            "Ω",
            10_000.0,
            290.0,
            "5 % part",
            1,
            1e8,
            "wire",
            Provenance.MEASURED,
            ("convert",),
            from_rig=by_option("top_ohm"),
        ),
        ConstantSpec(
            "bottom",
            "bottom resistor",
            "Ω",
            10_000.0,
            290.0,
            "5 % part",
            1,
            1e8,
            "wire",
            Provenance.MEASURED,
            ("convert",),
            from_rig=by_option("bottom_ohm"),
        ),
        ConstantSpec("empty", "empty", "V", 6.4, None, "3.2 V a cell, under load", 0, 100, "decide"),
        ConstantSpec("full", "full", "V", 8.4, None, "4.2 V a cell", 0, 100, "decide", counts=False),
        ConstantSpec(
            "ratio", "divider", "", None, None, "", 1, 1000, "calibrate", Provenance.MEASURED, ("convert",)
        ),
        *converter(2.0),
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (counts_ask("counts", "reading", values, 0.72),),
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=counts_spreads("counts"),
        moves=lambda values: (Move("counts", 1, "One count more"),),
        bare=("level",),
        inverse=Inverse(7.4, 0.0, 1000.0, _counts_at),
        causes={"top": "resistors", "bottom": "resistors"},
    ),
    words=words,
    procedures=("voltmeter", "filter"),
    cautions=("Lithium cells: never short them; charge them watched, as their maker says.",),
)
