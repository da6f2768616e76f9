"""Pieces that several kinds are made of: constants of a converter, terms from constants, wheels."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import ConstantSpec, Provenance, Value, Values
from tickstone.core.rigs.kinds.base import Array, Ask, Chain, Moment, Spread, Term
from tickstone.core.rigs.kinds.told import by_converter
from tickstone.core.rigs.part import Chosen, Draw, Part, PinSpec, Role, question

SHEET = "part sheet"
UNMEASURED = "nobody has measured it"
READ = "measured"  # a raw number was read, whatever it is worth
DERIVED = "derived"

US_PER_MINUTE = 60e6


def term(value: Value, sign: str = "", label: str = "") -> Term:
    """A constant as a box of the worked line."""
    return Term(
        value.name, label or value.label, value.value, value.unit, value.provenance.value, value.sd, sign
    )


def raw(ask: Ask, inputs: Mapping[str, float], sign: str = "") -> Term:
    """A raw number as a box of the worked line."""
    return Term(ask.name, ask.label, inputs[ask.name], ask.unit, READ, None, sign)


def result(label: str, value: float, unit: str, sign: str = "=", name: str = "") -> Term:
    """What a line of arithmetic comes to."""
    return Term(name or label, label, value, unit, DERIVED, None, sign)


# Converters -------------------------------------------------------------------------------------------------


def converter(noise_counts: float = 1.0) -> tuple[ConstantSpec, ...]:
    """The constants of an analogue input; bits and reference come from the converter that reads it."""
    return (
        ConstantSpec(
            "bits",
            "converter",
            "bits",
            10.0,
            None,
            "usual for 8-bit boards",
            1,
            24,
            "wire",
            counts=False,
            from_rig=by_converter(0),
        ),
        ConstantSpec(
            "reference",
            "reference",
            "V",
            5.0,
            0.05,
            "the supply, within 1 %",
            0.1,
            30,
            "wire",
            Provenance.MEASURED,
            ("convert",),
            counts=False,
            from_rig=by_converter(1),
        ),
        ConstantSpec(
            "noise",
            "noise",
            "counts",
            noise_counts,
            None,
            "usual for a short wire",
            0,
            1000,
            "calibrate",
            shown_at=("convert",),
            counts=False,
        ),
    )


def top_code(values: Values) -> int:
    """Highest code of the converter."""
    return int(2 ** int(values["bits"].value)) - 1


def counts_ask(name: str, label: str, values: Values, share: float) -> Ask:
    """A count of the converter, typically at a share of its range."""
    top = top_code(values)
    return Ask(name, label, "counts", 0, top, round(share * top))


def step_v(values: Values) -> float:
    """One step of the converter, V."""
    return values["reference"].value * 2.0 ** -int(values["bits"].value)


def level_v(counts: Array, values: Values) -> Array:
    """Counts to volts; a code that the converter does not have is NaN."""
    inside = (counts >= 0) & (counts <= top_code(values))
    return np.where(inside, counts, np.nan) * step_v(values)


def counts_of(level: float, values: Values) -> float:
    """The count nearest to a level, V; NaN beyond the converter's range."""
    counts = level / step_v(values)
    return (
        float(round(counts))
        if math.isfinite(counts) and -0.5 <= counts <= top_code(values) + 0.5
        else math.nan
    )


def counts_chain(ask: Ask, inputs: Mapping[str, float], values: Values) -> Chain:
    """Counts × reference ÷ 2^bits = volts."""
    steps = float(2 ** int(values["bits"].value))
    return Chain(
        (
            raw(ask, inputs),
            term(values["reference"], "×"),
            Term("steps", "steps", steps, "", DERIVED, None, "÷"),
        ),
        result("at the pin", inputs[ask.name] * step_v(values), "V"),
    )


def counts_spreads(*names: str) -> Callable[[Mapping[str, float], Values], tuple[Spread, ...]]:
    """What makes counts uncertain: the converter's step, and the noise of the readings."""

    def spreads(inputs: Mapping[str, float], values: Values) -> tuple[Spread, ...]:
        step = tuple(Spread(name, 1.0 / math.sqrt(12.0), "converter step") for name in names)
        return step + tuple(Spread(name, values["noise"].value, "noise") for name in names)

    return spreads


# Pins -------------------------------------------------------------------------------------------------------

GROUND = PinSpec("ground", Role.GROUND, "black")


def supply_pin(low_v: float, high_v: float, ma: float) -> PinSpec:
    """A supply pin that takes this span of volts and draws at most so much."""
    return PinSpec("supply", Role.SUPPLY, "red", draw=Draw(low_v, high_v, ma))


def analogue_pin(
    name: str = "output",
    colour: str = "green",
    most_v: float | None = None,
    source_ohm: float = 0.0,
    share: float = 1.0,
) -> PinSpec:
    """An output that an analogue input reads: at most its supply, or ``most_v``."""
    return PinSpec(
        name, Role.OUTPUT, colour, ("analogue",), most_v=most_v, source_ohm=source_ohm, share=share
    )


MODULE_OHM = 10_000.0
ON_MODULE = question(
    "pull_up",
    "pull-up resistor",
    ("none", "not on the part"),
    ("module", "on the module"),
    clue="With the module unconnected, a meter shows some kΩ between output and supply when there is one.",
)


def own_pull_up(chosen: Chosen) -> float | None:
    """Ohms of the pull-up on the module, or None."""
    return MODULE_OHM if chosen.says("pull_up", "module") else None


REGULATOR = question(
    "regulator",
    "on-board regulator",
    ("yes", "yes: takes 3.3 to 5 V, works at 3.3 V"),
    ("no", "no: 3.3 V only"),
    clue="A part with three legs or five beside the chip, and both VIN and 3.3 V printed, says yes.",
)
INNER_V = 3.3  # what an on-board regulator makes of 5 V


def bus_part(chosen: Chosen, ma: float, low_v: float, high_v: float) -> Part:
    """A part on the I2C bus: with a regulator its lines are pulled up to 3.3 V on the module, without one not
    at all."""
    kept = chosen.says("regulator", "yes")
    supply = supply_pin(low_v, 5.5, ma) if kept else supply_pin(low_v, high_v, ma)
    pull, most = (MODULE_OHM, INNER_V) if kept else (None, None)
    lines = (("data", "blue"), ("clock", "yellow"))
    return Part(
        (
            supply,
            GROUND,
            *(
                PinSpec(
                    name,
                    Role.OPEN,
                    colour,
                    (f"i2c-{name}",),
                    most_v=most,
                    own_pull_up_ohm=pull,
                    bears_v=None if kept else high_v,
                )
                for name, colour in lines
            ),
        ),
        address=int(chosen.number("address")),
    )


# Shafts and wheels ------------------------------------------------------------------------------------------


def period_ask(typical_us: float, label: str = "time between pulses") -> Ask:
    """Time between two pulses, µs."""
    return Ask("period", label, "µs", 1, 60_000_000, typical_us, logarithmic=True, slide=(1000, 3_000_000))


def periods(
    edge: str, level: str
) -> Callable[[Mapping[str, Array], Array | None, Values, dict[str, float]], Mapping[str, Array]]:
    """Edges of one channel, or the falling edges of a level over time, into the periods between them: the
    first edge ends none, and rows without an edge have none."""

    def asked(
        channels: Mapping[str, Array], times_us: Array | None, values: Values, notebook: dict[str, float]
    ) -> Mapping[str, Array]:
        nothing = np.full(next(iter(channels.values())).shape, math.nan)
        stamps = channels.get(edge, nothing)
        levels = channels.get(level)
        if levels is not None and times_us is not None and not np.isfinite(stamps).any():
            stamps = falling(levels, times_us, notebook)
        rows = np.flatnonzero(np.isfinite(stamps))
        period = nothing.copy()
        if rows.size:
            gaps = np.diff(stamps[rows], prepend=notebook.get("edge", math.nan))
            period[rows] = np.where(gaps < 0, gaps + WRAP_US, gaps)
            notebook["edge"] = float(stamps[rows[-1]])
        return {"period": period}

    return asked


def falling(levels: Array, times_us: Array, notebook: dict[str, float]) -> Array:
    """The time at each row where a level falls, NaN elsewhere."""
    if not levels.size:
        return np.full(0, math.nan)
    before = np.concatenate([[notebook.get("level", levels[0])], levels[:-1]])
    notebook["level"] = float(levels[-1])
    return np.where((before >= 0.5) & (levels < 0.5), times_us, math.nan)


def turning_words(
    moment: Moment,
    bound: float,
    after_s: float,
    unit: str,
    digits: int,
    turns: str,
    stands: str,
    by: str = "by the last two pulses",
) -> str:
    """How fast by the last two pulses; slower the longer none comes, standing after ``after_s``, s: never a
    frozen last value."""
    good = moment.converted.values[moment.converted.valid]
    if not good.size:
        return "No two pulses yet: standing, or slow."
    if moment.age_s > after_s:
        return f"{stands}: no pulse for {moment.age_s:.0f} s."
    last = float(good[-1])
    if bound < SLOWER * last:
        return f"{turns} slower: at most {bound:.{digits}f} {unit}, since no pulse comes."
    return f"{turns} at {last:.{digits}f} {unit} {by}."


def no_period(period: Array) -> npt.NDArray[np.bool_]:
    """Where there is no time between pulses."""
    return np.asarray(~((period >= SHORTEST_US) & np.isfinite(period)))


WRAP_US = 2.0**32  # a board's stamps of edges roll over
SLOWER = 0.75  # of the last speed: less than that is worth a word, uneven magnets are not
SHORTEST_US = 1e-3  # no timer of a bench sees less than a nanosecond
NO_PULSE = ("", "no pulse before this one: a speed needs two")
