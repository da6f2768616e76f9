"""Digital line sensor: a level that says dark or pale. Which level means which differs from part to part."""

from __future__ import annotations

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
    Quantity,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.driving import LEVEL_DRIVEN
from tickstone.core.rigs.kinds.parts import GROUND, raw, supply_pin, term
from tickstone.core.rigs.kinds.told import by_option
from tickstone.core.rigs.part import Chosen, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import Levels

LEVEL = Ask("level", "level", "", 0, 1, 1, choices=("low", "high"))
NO_LEVEL = 1
REASONS = ("", "neither low nor high")


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Level to darkness: 1 over dark, 0 over pale."""
    level = inputs["level"]
    known = (level == 0) | (level == 1)
    dark = np.where(level == values["dark_level"].value, 1.0, 0.0)
    return Converted(np.where(known, dark, np.nan), np.where(known, 0, NO_LEVEL).astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    return (), (raw(LEVEL, inputs), term(values["dark_level"], "same as"))


def _level_at(wanted: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    dark = values["dark_level"].value
    return {"level": dark if wanted >= 0.5 else 1.0 - dark}


def words(moment: Moment, values: Values) -> str:
    """Dark or pale, in words."""
    converted = moment.converted
    if not converted.values.size or not np.isfinite(converted.values[-1]):
        return "No reading yet."
    return "Over the line: dark." if converted.values[-1] >= 0.5 else "Beside the line: pale."


DARK = question(
    "dark",
    "over black tape",
    ("high", "its output is high"),
    ("low", "its output is low"),
    clue="Hold it over the tape and measure its output.",
)


def _part(chosen: Chosen) -> Part:
    return Part((supply_pin(3.0, 5.5, 20.0), GROUND, PinSpec("output", Role.OUTPUT, "white", ("digital",))))


KIND = Kind(
    id="digital-line-sensor",
    title="digital line sensor",
    family="surface",
    part=_part,
    reads=lambda chosen: (Levels((("level", "output"),)),),
    options=(DARK,),
    clues=("The dark lens receives; its screw sets where dark begins.",),
    channels=(ChannelSpec("level", "level", "level", "", ("line",), 0.0, 1.0, called=("line",)),),
    quantity=Quantity("darkness", "", 0.0, 1.0),
    constants=(
        ConstantSpec(
            "dark_level",
            "dark reads",
            "",
            1.0,
            None,
            "common practice: white low, black high",
            0,
            1,
            "calibrate",
            Provenance.MEASURED,
            ("convert",),
            from_rig=by_option("dark", {"high": 1.0, "low": 0.0}),
        ),
        *LEVEL_DRIVEN,
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (LEVEL,), read=read, chains=_chains, inverse=Inverse(1.0, 0.0, 1.0, _level_at)
    ),
    words=words,
    procedures=("dark-level",),
)
