"""Hall switch on a wheel with magnets: open collector, low while a magnet is near."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core import pulses
from tickstone.core.constants import ConstantSpec, Provenance, Values
from tickstone.core.instruments import stands_after_s
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
    Spread,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.deciding import TURNING
from tickstone.core.rigs.kinds.driving import LEVEL_DRIVEN
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    NO_PULSE,
    ON_MODULE,
    SHEET,
    UNMEASURED,
    no_period,
    own_pull_up,
    period_ask,
    periods,
    raw,
    result,
    supply_pin,
    term,
    turning_words,
)
from tickstone.core.rigs.kinds.told import by_board, by_geometry, by_option
from tickstone.core.rigs.kinds.vehicle import DRIVE, DRIVE_PROCEDURES, GAPS
from tickstone.core.rigs.part import Chosen, OptionSpec, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import Edges
from tickstone.errors import BadInput

PERIOD = period_ask(300_000, "time between magnets")
M_S_PER_MM_US = 1000.0


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Time between magnets, µs, to the wheel's speed, m/s."""
    rpm = pulses.rpm_from_period(inputs["period"], values["magnets"].value)
    speed = np.asarray(pulses.speed_m_s(rpm, values["circumference"].value))
    gone = no_period(inputs["period"])
    return Converted(np.where(gone, np.nan, speed), gone.astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    way = values["circumference"].value / values["magnets"].value
    chain = Chain(
        (term(values["circumference"]), term(values["magnets"], "÷")), result("distance per pulse", way, "mm")
    )
    return (chain,), (result("distance per pulse", way, "mm", ""), raw(PERIOD, inputs, "÷"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    rpm = np.asarray(pulses.rpm_from_period(inputs["period"], values["magnets"].value))
    return (Series("rpm", "wheel", "rpm", np.where(no_period(inputs["period"]), np.nan, rpm), 1),)


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    period = inputs["period"]
    nominal = np.pi * values["diameter"].value / values["magnets"].value
    one_magnet = values["circumference"].value
    several = values["magnets"].value > 1
    return (
        RuleReading("π × nominal diameter", M_S_PER_MM_US * nominal / period),
        *((RuleReading("one magnet taken for all", M_S_PER_MM_US * one_magnet / period),) if several else ()),
        RuleReading("counted on change", M_S_PER_MM_US * 2 * one_magnet / values["magnets"].value / period),
    )


def _period_at(wanted_m_s: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    if wanted_m_s <= 0:
        raise BadInput("A wheel that stands gives no pulse at all: ask for a speed above zero.", "wanted")
    return {"period": M_S_PER_MM_US * values["circumference"].value / values["magnets"].value / wanted_m_s}


def words(moment: Moment, values: Values) -> str:
    """What the wheel does; never a frozen last speed."""
    return turning_words(
        moment, _fades(moment.age_s, values), stands_after_s(values), "m/s", 2, "Rolling", "Standing"
    )


def _fades(age_s: float, values: Values) -> float:
    """The most that the speed can be so long after the last pulse, m/s."""
    if age_s <= 0:
        return math.inf
    return float(
        pulses.speed_m_s(pulses.rpm_bound(age_s, values["magnets"].value), values["circumference"].value)
    )


ANSWERS = question(
    "answers",
    "it is a",
    ("switch", "one-pole switch: off again when the magnet leaves"),
    ("latch", "latch: waits for the other pole"),
    clue="Bring one face of a magnet near, then away: a latch stays on until the other face comes.",
)
SPAN = question(
    "supply", "works from", ("3", "3 to 5.5 V"), ("4.5", "4.5 V and more"), clue="The part's own sheet."
)
SHORTEST_US = 1000.0  # a magnet 10 mm wide passes at 10 m/s


def _part(chosen: Chosen) -> Part:
    latch = (
        (
            "A latch with one pole of magnet on the wheel switches once and stays: mount the magnets with "
            "faces alternating.",
        )
        if chosen.says("answers", "latch")
        else ()
    )
    output = PinSpec(
        "output",
        Role.OPEN,
        "yellow",
        ("interrupt",),
        shortest_us=SHORTEST_US,
        own_pull_up_ohm=own_pull_up(chosen),
    )
    supply = supply_pin(3.0, 5.5, 5.0) if chosen.says("supply", "3") else supply_pin(4.5, 24.0, 5.0)
    return Part((supply, GROUND, output), remarks=latch)


KIND = Kind(
    id="hall-switch",
    title="Hall switch with wheel magnets",
    family="turning",
    part=_part,
    reads=lambda chosen: (Edges("edge", "output"),),
    options=(
        OptionSpec("magnets", "magnets on the wheel", 1, low=1, high=100, whole=True),
        ANSWERS,
        SPAN,
        ON_MODULE,
    ),
    clues=(
        "With the print facing you the legs are commonly supply, ground, output: confirm on the part's own "
        "sheet, a reversed supply destroys it.",
        "A one-pole switch answers one face of the magnet only: no reading? Turn the magnet over.",
    ),
    channels=(
        ChannelSpec(
            "edge", "falling edge", "edge", "µs", ("hall_edge_us",), 0.0, 9e15, called=("edge", "pulse")
        ),
        ChannelSpec("level", "level", "level", "", ("hall",), 0.0, 1.0, called=("hall", "magnet")),
    ),
    quantity=Quantity("speed", "m/s", 0.0, 10.0, digits=2),
    constants=(
        ConstantSpec(
            "circumference",
            "circumference",
            "mm",
            1200.0,
            12.0,
            UNMEASURED,
            1,
            20_000,
            "calibrate",
            Provenance.MEASURED,
            ("convert", "watch"),
            from_rig=by_geometry("wheel_mm", math.pi),
        ),
        ConstantSpec(
            "magnets",
            "magnets",
            "",
            1.0,
            None,
            "count them",
            1,
            100,
            "wire",
            shown_at=("convert", "watch"),
            from_rig=by_option("magnets"),
        ),
        ConstantSpec(
            "diameter",
            "nominal diameter",
            "mm",
            380.0,
            None,
            SHEET,
            1,
            6000,
            "wire",
            counts=False,
            from_rig=by_geometry("wheel_mm"),
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
            20.0,
            None,
            "one magnet against the next",
            0,
            100_000,
            "calibrate",
            counts=False,
        ),
        *DRIVE,
        *GAPS,
        *TURNING,
        *LEVEL_DRIVEN,
    ),
    derived=(),
    reasons=NO_PULSE,
    working=Working(
        asks=lambda values: (PERIOD,),
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=lambda inputs, values: (
            Spread("period", values["tick"].value / 6**0.5, "timer step"),
            Spread("period", values["jitter"].value, "jitter of the pulses"),
        ),
        moves=lambda values: (Move("period", 1000, "A millisecond more"),),
        inverse=Inverse(1.0, 0.0, 100.0, _period_at),
        inputs=periods("edge", "level"),
        bare=("rpm",),
    ),
    words=words,
    procedures=("roll-out", "steady-run", *DRIVE_PROCEDURES),
    decisions=("turning",),
    instruments=("trip", "turns"),
    fades=_fades,
    cautions=("Wheels off the ground for the first run; keep fingers and hair away.",),
)
