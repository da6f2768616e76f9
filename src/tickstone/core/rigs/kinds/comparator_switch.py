"""Infrared comparator switch with a trim screw: low when light comes back. With marks on a shaft, an optical
tachometer."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core import pulses
from tickstone.core.constants import ConstantSpec, Values
from tickstone.core.instruments import stands_after_s
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
from tickstone.core.rigs.kinds.deciding import TRIM, TURNING
from tickstone.core.rigs.kinds.driving import LEVEL_DRIVEN
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    NO_PULSE,
    US_PER_MINUTE,
    no_period,
    period_ask,
    periods,
    raw,
    supply_pin,
    term,
    turning_words,
)
from tickstone.core.rigs.kinds.told import by_board
from tickstone.core.rigs.kinds.vehicle import GAPS
from tickstone.core.rigs.part import Chosen, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import Edges
from tickstone.errors import BadInput

PERIOD = period_ask(20_000, "time between marks")
LEVEL = Ask("level", "output just now", "", 0, 1, 0, choices=("low", "high"), needed=False)


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Time between marks, µs, to rpm."""
    rpm = np.asarray(pulses.rpm_from_period(inputs["period"], values["marks"].value))
    gone = no_period(inputs["period"])
    return Converted(np.where(gone, np.nan, rpm), gone.astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    minute = Term("minute", "a minute", US_PER_MINUTE, "µs", "derived")
    return (), (minute, raw(PERIOD, inputs, "÷"), term(values["marks"], "÷"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    return (Series("turns", "turns", "1/s", read(inputs, values, ambient).values / 60.0, 2),)


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    rpm = US_PER_MINUTE / inputs["period"] / values["marks"].value
    return (
        *(
            (RuleReading("one mark taken for all", rpm * values["marks"].value),)
            if values["marks"].value > 1
            else ()
        ),
        RuleReading("both edges counted", rpm * 2),
        RuleReading("half the pulses missed", rpm / 2),
    )


def _period_at(wanted_rpm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    if wanted_rpm <= 0:
        raise BadInput("A shaft that stands gives no pulse at all: ask for a speed above zero.", "wanted")
    return {"period": pulses.period_from_rpm_us(wanted_rpm, values["marks"].value)}


def words(moment: Moment, values: Values) -> str:
    """What the switch says: its level in words, and the shaft."""
    text = ""
    level = moment.inputs.get("level")
    if level is not None and level.size and np.isfinite(level[-1]):
        text = (
            "Low: light comes back, something pale or near. "
            if level[-1] < 0.5
            else "High: no light comes back, something dark or nothing. "
        )
    return text + turning_words(
        moment, _fades(moment.age_s, values), stands_after_s(values), "rpm", 0, "Turning", "The shaft stands"
    )


def _fades(age_s: float, values: Values) -> float:
    """The most that the shaft can turn so long after the last mark, rpm."""
    return pulses.rpm_bound(age_s, values["marks"].value) if age_s > 0 else math.inf


ACTIVE = question(
    "active",
    "when light comes back",
    ("low", "its output goes low"),
    ("high", "its output goes high"),
    clue="Hold a pale card before it and look at its lamp or measure the output.",
)
DRIVES = question(
    "drives",
    "output",
    ("both", "driven, or pulled up on the module"),
    ("open", "open collector, bare"),
    clue="Pulls up by itself when a meter shows the supply at the open output.",
)


def _part(chosen: Chosen) -> Part:
    open_pin = chosen.says("drives", "open")
    role = Role.OPEN if open_pin else Role.OUTPUT
    output = PinSpec(
        "output", role, "white", ("interrupt", "capture", "digital"), polled=True, shortest_us=500.0
    )
    return Part((supply_pin(3.0, 5.5, 25.0), GROUND, output))


KIND = Kind(
    id="comparator-switch",
    title="comparator switch, optical tachometer",
    family="turning",
    part=_part,
    reads=lambda chosen: (Edges("edge", "output", rising=chosen.says("active", "high")),),
    options=(ACTIVE, DRIVES),
    clues=("The clear lens sends, the dark one receives; the screw sets the switching distance.",),
    channels=(
        ChannelSpec(
            "edge",
            "falling edge",
            "edge",
            "µs",
            ("mark_edge_us", "tacho_edge_us"),
            0.0,
            9e15,
            called=("mark", "edge"),
        ),
        ChannelSpec(
            "level", "level", "level", "", ("switch", "mark_level"), 0.0, 1.0, called=("tacho", "switch")
        ),
    ),
    quantity=Quantity("rotation", "rpm", 0.0, 12_000.0),
    constants=(
        ConstantSpec(
            "marks", "marks per turn", "", 1.0, None, "count them", 1, 1000, "wire", shown_at=("convert",)
        ),
        ConstantSpec(
            "tick",
            "timer step",
            "µs",
            4.0,
            None,
            "usual for 8-bit boards",
            0,
            10_000,
            "convert",
            counts=False,
            from_rig=by_board("tick_us"),
        ),
        ConstantSpec(
            "jitter",
            "jitter",
            "µs",
            10.0,
            None,
            "edges of a mark",
            0,
            100_000,
            "calibrate",
            shown_at=("convert",),
        ),
        *GAPS,
        *TURNING,
        *TRIM,
        *LEVEL_DRIVEN,
    ),
    derived=(),
    reasons=NO_PULSE,
    working=Working(
        asks=lambda values: (PERIOD, LEVEL),
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=lambda inputs, values: (
            Spread("period", values["tick"].value / 6**0.5, "timer step"),
            Spread("period", values["jitter"].value, "jitter of the marks"),
        ),
        moves=lambda values: (
            Move("period", values["tick"].value, f"One timer step of {values['tick'].value:g} µs"),
        ),
        inverse=Inverse(3000.0, 0.0, 1e6, _period_at),
        inputs=periods("edge", "level"),
    ),
    words=words,
    procedures=("marks", "steady-marks"),
    decisions=("turning", "trim"),
    fades=_fades,
    cautions=(
        "Spinning parts: guard them, and keep fingers, hair and sleeves away.",
        "Its lamp is infrared: do not look into it from near.",
    ),
)
