"""Microphone level on an analogue input: the swing of the reading over a short window."""

from __future__ import annotations

import math
from collections.abc import Mapping

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
    Move,
    Quantity,
    RuleReading,
    Series,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    UNMEASURED,
    analogue_pin,
    converter,
    counts_ask,
    counts_of,
    counts_spreads,
    level_v,
    raw,
    result,
    step_v,
    supply_pin,
    term,
)
from tickstone.core.rigs.part import Part
from tickstone.core.rigs.reading import Swing

SINE = 2.0 * math.sqrt(2.0)  # peak to peak over root mean square
NO_CODE = 1
REASONS = ("", "outside the converter's range")


def _ask(values: Values) -> Ask:
    return counts_ask("swing", "swing, peak to peak", values, 0.12)


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Swing, counts, to volts peak to peak with the amplifier's gain taken off, mV."""
    level = 1000.0 * level_v(inputs["swing"], values) / values["gain"].value
    return Converted(level, np.where(np.isnan(level), NO_CODE, 0).astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    step = result("step", 1000 * step_v(values), "mV", "×")
    return (), (raw(_ask(values), inputs), step, term(values["gain"], "÷"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    level = read(inputs, values, ambient).values
    share = level_v(inputs["swing"], values) / (step_v(values) * 2 ** int(values["bits"].value))
    with np.errstate(divide="ignore"):
        decibels = 20.0 * np.log10(share)
    return (
        Series("rms", "as a sine, effective", "mV", level / SINE, 2),
        Series("full", "of full scale", "dB", np.where(np.isfinite(decibels), decibels, np.nan), 1),
    )


def _swing_at(wanted_mv: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    return {"swing": counts_of(wanted_mv / 1000.0 * values["gain"].value, values)}


def words(moment: Moment, values: Values) -> str:
    """Loud or quiet against what the room gives."""
    good = moment.converted.values[moment.converted.valid]
    if not good.size:
        return "No reading yet."
    return "A sound, above the room." if good[-1] > values["quiet"].value else "Quiet: no more than the room."


KIND = Kind(
    id="microphone",
    title="microphone level",
    family="sound",
    part=lambda chosen: Part((supply_pin(2.7, 5.5, 2.0), GROUND, analogue_pin("output", "violet"))),
    reads=lambda chosen: (Swing("swing", "output", 50),),
    clues=("The capsule's leg that is joined to its can is ground.",),
    channels=(
        ChannelSpec(
            "swing",
            "swing",
            "level",
            "counts",
            ("mic_adc", "mic"),
            0.0,
            16_777_215.0,
            called=("mic", "microphone", "loudness"),
        ),
    ),
    quantity=Quantity("level", "mV", 0.0, 100.0, digits=1),
    constants=(
        ConstantSpec(
            "gain",
            "gain",
            "×",
            100.0,
            10.0,
            UNMEASURED,
            0.01,
            100_000,
            "calibrate",
            Provenance.MEASURED,
            ("convert",),
        ),
        ConstantSpec(
            "quiet", "quiet room", "mV", 2.0, None, UNMEASURED, 0, 10_000, "decide", shown_at=("convert",)
        ),
        *converter(2.0),
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (_ask(values),),
        read=read,
        chains=_chains,
        more=_more,
        rules=lambda inputs, values, ambient: (
            RuleReading(
                "taken for an effective value",
                1000 * inputs["swing"] * step_v(values) / values["gain"].value / SINE,
            ),
        ),
        spreads=counts_spreads("swing"),
        moves=lambda values: (Move("swing", 1, "One count more"),),
        bare=(),
        inverse=Inverse(5.0, 0.0, 1e6, _swing_at),
    ),
    words=words,
    procedures=("filter",),
)
