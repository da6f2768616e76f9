"""Three motor Halls on a brushless motor."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core import motor_halls
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
from tickstone.core.rigs.kinds.deciding import TURNING
from tickstone.core.rigs.kinds.driving import LEVEL_DRIVEN
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    ON_MODULE,
    own_pull_up,
    raw,
    result,
    supply_pin,
    term,
    turning_words,
)
from tickstone.core.rigs.kinds.told import by_option
from tickstone.core.rigs.part import Chosen, OptionSpec, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import Levels
from tickstone.core.rigs.rig import Rig, Sensor

EDGES = Ask("edges", "edges of all three", "edges/s", 0, 1_000_000, 700, logarithmic=True, slide=(10, 20_000))
CODES = tuple(f"{code:03b}" for code in range(8))
CODE = Ask("code", "levels H1 H2 H3", "", 0, 7, 5, choices=CODES, needed=False)
NO_RATE = 1
REASONS = ("", "no edges counted")
CYCLE = 6  # edges of an electrical turn
WINDOW_S = 0.1  # over which a rate of edges is usually counted


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Edges of all three sensors per second to rpm: ``60·edges/(6·P)``."""
    rate = inputs["edges"]
    known = np.isfinite(rate) & (rate >= 0)
    rpm = np.asarray(
        motor_halls.rpm_from_edges(np.where(known, rate, np.nan), int(values["pole_pairs"].value))
    )
    return Converted(rpm, np.where(known, 0, NO_RATE).astype(np.int8))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    minute, six = result("a minute", 60.0, "s", "×"), result("edges a cycle", 6.0, "", "÷")
    return (), (raw(EDGES, inputs), minute, six, term(values["pole_pairs"], "÷"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    rpm = read(inputs, values, ambient).values
    pairs = values["pole_pairs"].value
    return (
        Series("electrical", "electrical", "Hz", rpm / 60.0 * pairs, 1),
        Series("sector", "one edge is", "°", np.full(rpm.shape, 60.0 / pairs), 2),
    )


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    rpm = 10.0 * inputs["edges"] / values["pole_pairs"].value
    return (
        RuleReading("magnets taken for pole pairs", rpm / 2),
        RuleReading("one sensor's edges taken for all", rpm * 3),
        RuleReading("pole pairs forgotten", rpm * values["pole_pairs"].value),
    )


def _edges_at(wanted_rpm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    return {"edges": wanted_rpm * values["pole_pairs"].value / 10.0}


def _edge_rate(
    channels: Mapping[str, Array], times_us: Array | None, values: Values, notebook: dict[str, float]
) -> Mapping[str, Array]:
    """Levels into the rate of edges at each edge, over the last cycle of six (fewer at the start), so that a
    sensor out of its place does not make it tremble; rows between edges have none."""
    code = 4 * channels["h1"] + 2 * channels["h2"] + channels["h3"]
    code = np.where((code >= 0) & (code <= 7), np.round(code), np.nan)
    rate = np.full(code.shape, np.nan)
    if times_us is not None and code.size:
        last = np.concatenate([[notebook.get("code", code[0])], code[:-1]])
        edges = np.flatnonzero((code != last) & np.isfinite(code) & np.isfinite(last))
        if edges.size:
            before = [notebook[f"edge{n}"] for n in range(CYCLE) if f"edge{n}" in notebook]
            stamps = np.concatenate([before, times_us[edges]])
            place = np.arange(len(before), len(stamps))
            since = np.maximum(place - CYCLE, 0)
            with np.errstate(divide="ignore", invalid="ignore"):
                rate[edges] = 1e6 * (place - since) / (stamps[place] - stamps[since])
            notebook |= {f"edge{n}": float(stamp) for n, stamp in enumerate(stamps[-CYCLE:])}
        notebook["code"] = float(code[-1])
    return {"edges": np.where(np.isfinite(rate), rate, np.nan), "code": code}


def words(moment: Moment, values: Values) -> str:
    """How fast, and which of the six sectors."""
    scheme = str(int(values["scheme"].value))
    text = ""
    code = moment.inputs.get("code")
    if code is not None and code.size and np.isfinite(code[-1]):
        now = int(code[-1])
        order = motor_halls.SEQUENCES[scheme]
        text = (
            f"{CODES[now]} is sector {order.index(now) + 1} of 6. "
            if now in order
            else f"{CODES[now]} does not occur in the {scheme}° scheme: a wire, or the other scheme. "
        )
    return text + turning_words(
        moment,
        _fades(moment.age_s, values),
        stands_after_s(values),
        "rpm",
        0,
        "Turning",
        "The motor stands",
        "over the last cycle",
    )


def _fades(age_s: float, values: Values) -> float:
    """The most that the motor can turn so long after the last edge, rpm."""
    return (
        math.inf
        if age_s <= 0
        else float(motor_halls.rpm_from_edges(1.0 / age_s, int(values["pole_pairs"].value)))
    )


def _part(chosen: Chosen) -> Part:
    return Part(
        (
            supply_pin(3.0, 5.5, 15.0),
            GROUND,
            *(
                PinSpec(
                    f"h{n}",
                    Role.OPEN,
                    colour,
                    ("interrupt", "digital"),
                    polled=True,
                    shortest_us=200.0,
                    own_pull_up_ohm=own_pull_up(chosen),
                )
                for n, colour in ((1, "yellow"), (2, "green"), (3, "blue"))
            ),
        )
    )


def _pole_pairs(rig: Rig, sensor: Sensor) -> float | None:
    magnets = sensor.options.get("magnets")
    return None if magnets is None else float(magnets) // 2


KIND = Kind(
    id="motor-halls",
    title="three motor Halls",
    family="turning",
    part=_part,
    reads=lambda chosen: (Levels((("h1", "h1"), ("h2", "h2"), ("h3", "h3"))),),
    options=(
        OptionSpec("magnets", "magnets in the can", 14, low=2, high=200, whole=True),
        question(
            "scheme",
            "spacing scheme",
            ("120", "120°"),
            ("60", "60°: middle one inverted"),
            clue="Turn it by hand: 000 and 111 never occur in the 120° scheme.",
        ),
        ON_MODULE,
    ),
    clues=(
        "Supply, ground and three outputs come in one plug; a red and a black wire among thin ones are "
        "supply and ground.",
    ),
    channels=tuple(
        ChannelSpec(f"h{n}", f"Hall {n}", "level", "", (f"h{n}", f"hall{n}"), 0.0, 1.0) for n in (1, 2, 3)
    ),
    quantity=Quantity("rotation", "rpm", 0.0, 6000.0),
    constants=(
        ConstantSpec(
            "pole_pairs",
            "pole pairs",
            "",
            7.0,
            None,
            "half the magnets: count them",
            1,
            100,
            "wire",
            shown_at=("convert", "watch"),
            from_rig=_pole_pairs,
        ),
        ConstantSpec(
            "scheme",
            "scheme",
            "°",
            120.0,
            None,
            "the usual one",
            60,
            120,
            "calibrate",
            shown_at=("convert",),
            from_rig=by_option("scheme"),
        ),
        *(
            ConstantSpec(
                f"place_h{n}", f"H{n} out of place", "°", None, None, "", -60, 60, "calibrate", counts=False
            )
            for n in (1, 2, 3)
        ),
        ConstantSpec("phase_order", "phase order", "", None, None, "", 1, 6, "calibrate", counts=False),
        *TURNING,
        *LEVEL_DRIVEN,
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=lambda values: (EDGES, CODE),
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=lambda inputs, values: (
            Spread("edges", 1 / WINDOW_S / 6**0.5, "one edge in a tenth of a second"),
        ),
        moves=lambda values: (Move("edges", 10, "Ten edges more a second"),),
        inverse=Inverse(1000.0, 0.0, 1e6, _edges_at),
        inputs=_edge_rate,
        bare=("electrical",),
    ),
    words=words,
    procedures=("hall-spin", "wire-order", "hall-spacing"),
    decisions=("turning",),
    fades=_fades,
    cautions=(
        "Current-limited supply, wheel off the ground, lowest throttle; stop at once if it "
        "shudders or warms.",
        "Lithium cells: never short them, charge them watched and as their maker says.",
    ),
)
