"""Reflective line sensors, analogue, one to eight in a row, infrared or visible light."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core import line_row, surface
from tickstone.core.constants import ConstantSpec, Provenance, Value, Values
from tickstone.core.line_shape import centroid_doubt_mm
from tickstone.core.rigs.kinds.base import (
    Ambient,
    Array,
    Ask,
    Chain,
    ChannelSpec,
    Converted,
    Doubt,
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
from tickstone.core.rigs.kinds.deciding import EDGE, FILTER
from tickstone.core.rigs.kinds.driving import ROW_DRIVEN
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    UNMEASURED,
    analogue_pin,
    converter,
    counts_spreads,
    result,
    supply_pin,
    term,
    top_code,
)
from tickstone.core.rigs.kinds.told import Told, by_geometry, by_mount, by_option
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.part import Chosen, Component, Load, OptionSpec, Part, question
from tickstone.core.rigs.reading import Counts
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.core.wording import fixed

MOST = 8
NAMES = tuple(f"s{place}" for place in range(1, MOST + 1))
LOST, NO_CODE = 1, 2
REASONS = ("", "no line under the row", "outside the converter's range")
SEEN = (0.06, 0.34, 0.78, 0.30, 0.07)  # a line a little to the left, as shares of the way from white to black


def _names(values: Values) -> tuple[str, ...]:
    return NAMES[: int(values["sensors"].value)]


def _own(values: Values, what: str, name: str) -> Value:
    """The white or black of one sensor: its own where it was measured, else the one for all."""
    return values.get(f"{what}_{name}", values[what])


def _mixed(values: Values, name: str, share: float) -> float:
    """What a sensor reads with a share of its view dark."""
    white, black = _own(values, "white", name).value, _own(values, "black", name).value
    return white + (black - white) * share


def _asks(values: Values) -> tuple[Ask, ...]:
    names, top = _names(values), top_code(values)
    places = np.arange(len(names)) - (len(names) - 1) / 2
    seen = np.interp(places, np.arange(len(SEEN)) - len(SEEN) // 2, SEEN)
    return tuple(
        Ask(name, f"sensor {place}", "counts", 0, top, min(top, round(_mixed(values, name, share))))
        for place, (name, share) in enumerate(zip(names, seen, strict=True), 1)
    )


def darkness(inputs: Mapping[str, Array], values: Values) -> Array:
    """How dark each sensor sees the floor, 0 (its white) to 1 (its black), shape (n, sensors); NaN without a
    reading."""
    names = _names(values)
    counts = np.stack([inputs[name] for name in names], axis=-1)
    counts = np.where((counts >= 0) & (counts <= top_code(values)), counts, np.nan)
    each = ([_own(values, what, name).value for name in names] for what in ("white", "black"))
    white, black = (np.stack(np.broadcast_arrays(*levels), axis=-1) for levels in each)
    return 1.0 - surface.reflectance(counts, black, white)


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Counts of the row to the line's offset from the middle, mm, positive to the right."""
    dark = darkness(inputs, values)
    missing = np.isnan(dark).any(axis=-1)
    offset_mm = (
        surface.line_positions(np.where(np.isnan(dark), 0.0, dark), 1.0).offset_mm * values["pitch"].value
    )
    lost = np.isnan(offset_mm)
    return Converted(
        np.where(missing | lost, np.nan, offset_mm),
        np.select([missing, lost], [NO_CODE, LOST], 0).astype(np.int8),
    )


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    dark = darkness({name: np.array([number]) for name, number in inputs.items()}, values)[0]
    chains = []
    for ask, share in zip(_asks(values), dark, strict=True):
        reading = Term(ask.name, ask.label, inputs[ask.name], "counts", "measured", None, "(")
        white, black = _own(values, "white", ask.name), _own(values, "black", ask.name)
        terms = (reading, term(white, "−"), term(black, ") ÷ ("), term(white, "−"))
        chains.append(Chain(terms, result("dark", float(share), "", ") =")))
    weights = np.where(dark < surface.FAINT, 0.0, dark)
    places = (np.arange(dark.size) - (dark.size - 1) / 2) * values["pitch"].value
    moment = result("Σ dark × place", float(weights @ places), "mm", "")
    return tuple(chains), (moment, result("Σ dark", float(weights.sum()), "", "÷"))


def _more(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> tuple[Series, ...]:
    dark = darkness(inputs, values)
    positions = surface.line_positions(np.where(np.isnan(dark), 0.0, dark), values["pitch"].value)
    wide = Series("width", "sensors on the line", "", positions.width_seen.astype(np.float64), 0)
    each = (
        Series(f"dark_{name}", f"dark at {place}", "%", 100.0 * dark[..., place - 1], 0)
        for place, name in enumerate(_names(values), 1)
    )
    return (wide, *each)


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    """What on and off alone would have said: the middle of the sensors beyond half way."""
    dark = darkness({name: np.array([number]) for name, number in inputs.items()}, values)[0]
    places = (np.arange(dark.size) - (dark.size - 1) / 2) * values["pitch"].value
    on = dark >= surface.DARK
    rules = [RuleReading("on or off, the middle of those on", float(places[on].mean()))] if on.any() else []
    total = dark.sum()
    return (
        *rules,
        *([RuleReading("pale ones counted too", float(dark @ places / total))] if total > 0 else []),
    )


def _counts_at(wanted_mm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    """A line as wide as the pitch, centred there: each sensor sees the share of it that lies within its own
    pitch."""
    names, pitch = _names(values), values["pitch"].value
    places = (np.arange(len(names)) - (len(names) - 1) / 2) * pitch
    share = np.clip(1.0 - np.abs(places - wanted_mm) / pitch, 0.0, 1.0)
    return {
        name: float(round(_mixed(values, name, float(item)))) for name, item in zip(names, share, strict=True)
    }


OF_EACH = {  # constants that every sensor of a row has, and what they are called
    "white": "white",
    "black": "black",
    "threshold": "threshold",
    "band": "hysteresis",
    "table_low": "table from",
    "table_high": "table up to",
}


def by_place(values: Values) -> Mapping[str, str]:
    """The constants of single sensors, called by where in the row they are."""
    names = _names(values)
    places = line_row.places(len(names))
    return {
        f"{what}_{name}": f"{label}, {place}"
        for what, label in OF_EACH.items()
        for name, place in zip(names, places, strict=True)
    }


def stands_astride(values: Values) -> bool:
    """Whether the row stands astride its line: nobody sees it while the vehicle is on its way."""
    return line_row.astride(
        len(_names(values)), values["pitch"].value, values["tape"].value, values["aside"].value
    )


def words(moment: Moment, values: Values) -> str:
    """Where the line is, in words."""
    converted = moment.converted
    if not converted.values.size:
        return "No reading yet."
    if not np.isfinite(converted.values[-1]):
        return (
            "No sensor sees the line: it is between them, or lost."
            if stands_astride(values)
            else "No line under the row."
        )
    off, half = round(float(converted.values[-1]), 1), values["pitch"].value / 2
    aside = f"{fixed(abs(off), 1)} mm to the {'right' if off > 0 else 'left'}"
    if abs(off) < half:
        return f"Line under the middle, {aside}." if off else "Line under the middle."
    return f"Line {aside} of the middle."


def _spreads(inputs: Mapping[str, float], values: Values) -> tuple[Spread, ...]:
    """Steps and noise of the converter; and where a sensor's own white or black is not measured, sensors of
    one row differ."""
    names = _names(values)
    dark = darkness({name: np.array([inputs[name]]) for name in names}, values)[0]
    unequal = [
        Spread(name, share * (values[what].sd or 0.0), "unequal sensors")
        for name, seen in zip(names, dark, strict=True)
        for what, share in (("white", 1.0 - seen), ("black", seen))
        if f"{what}_{name}" not in values and math.isfinite(seen)
    ]
    return (*counts_spreads(*names)(inputs, values), *unequal)


def _doubts(value: float, values: Values) -> tuple[Doubt, ...]:
    """What the centroid makes of spots that are narrower than the pitch."""
    spot = values["spot"]
    sd = centroid_doubt_mm(
        value, len(_names(values)), values["pitch"].value, values["tape"].value, spot.value, spot.sd or 0.0
    )
    return (Doubt(sd, "shape of the spots, and gaps between them"),)


def _usual_counts(at_supply: float, at_ground: float) -> Told:
    """A share of the converter's range, by where the load is."""

    def told(rig: Rig, sensor: Sensor) -> float | None:
        outcome = converter_of(rig, sensor.id)
        share = at_ground if sensor.options.get("load") == "ground" else at_supply
        return None if outcome is None else float(round(share * 2 ** outcome[0]))

    return told


LAMP_V = {"infrared": 1.2, "visible": 3.0}  # forward voltage, common practice
LAMP_SUPPLY_V = 5.0


def _part(chosen: Chosen) -> Part:
    count, at_supply = int(chosen.number("count")), chosen.says("load", "supply")
    lamp_ma = 1000.0 * (LAMP_SUPPLY_V - LAMP_V[str(chosen["light"])]) / chosen.number("lamp_ohm")
    load, bare = chosen.number("load_ohm"), chosen.says("made", "bare")
    lamp = "infrared lamp" if chosen.says("light", "infrared") else "white lamp, clear"
    pieces = (
        (
            Component(count, lamp),
            Component(count, "phototransistor"),
            Component(count, "load resistor", ohms=load),
            Component(count, "lamp resistor", ohms=chosen.number("lamp_ohm")),
        )
        if bare
        else ()
    )
    return Part(
        (
            supply_pin(3.0, 5.5, round(count * lamp_ma, 1)),
            GROUND,
            *(analogue_pin(f"output {place}", source_ohm=load) for place in range(1, count + 1)),
        ),
        pieces=pieces,
        load=Load(load, chosen.number("pale_ma"), at_supply),
    )


def _reads(chosen: Chosen) -> tuple[Counts, ...]:
    row = range(int(chosen.number("count")))
    return (Counts(tuple((NAMES[i], f"output {i + 1}") for i in row), 20),)


KIND = Kind(
    id="line-sensors",
    title="reflective line sensors, 1 to 8",
    family="surface",
    part=_part,
    reads=_reads,
    counted_by="count",
    options=(
        OptionSpec("count", "sensors in the row", 5, low=1, high=MOST, whole=True),
        question(
            "load",
            "load resistor",
            ("supply", "from supply to collector: pale reads low"),
            ("ground", "from emitter to ground: pale reads high"),
            clue="Hold it over white paper, then over black tape, and look which way the reading goes.",
        ),
        question("light", "light", ("infrared", "infrared"), ("visible", "visible, white")),
        question(
            "made", "made as", ("module", "a finished board"), ("bare", "single lamps and phototransistors")
        ),
        OptionSpec("load_ohm", "load", 4700.0, unit="Ω", low=100, high=1e6),
        OptionSpec("lamp_ohm", "resistor of each lamp", 220.0, unit="Ω", low=22, high=100_000),
        OptionSpec(
            "pale_ma",
            "phototransistor gives on white",
            0.6,
            unit="mA",
            low=0.001,
            high=100,
            clue="Measure the volts over the load on white, and divide by its ohms.",
        ),
    ),
    clues=(
        "A clear lamp and a phototransistor look alike: the small black square chip inside is the "
        "phototransistor, a lamp looks yellowish inside; some phototransistors have a black daylight cap.",
        "A dashed outline on the print means the part sits on the other side.",
        "Mark L and R on the module before it goes under the vehicle.",
    ),
    channels=tuple(
        ChannelSpec(
            name,
            f"sensor {place}",
            "level",
            "counts",
            (f"line{place}_adc", f"{name}_adc"),
            0.0,
            16_777_215.0,
            called=(f"s{place}", f"sensor{place}", f"sensor_{place}", f"line{place}", f"ir{place}"),
        )
        for place, name in enumerate(NAMES, 1)
    ),
    quantity=Quantity("line", "mm", -100.0, 100.0, digits=1),
    constants=(
        ConstantSpec(
            "white",
            "white",
            "counts",
            180.0,
            30.0,
            "usual with the load at the supply",
            0,
            16_777_215,
            "calibrate",
            Provenance.MEASURED,
            ("convert",),
            from_rig=_usual_counts(0.18, 0.74),
        ),
        ConstantSpec(
            "black",
            "black",
            "counts",
            760.0,
            40.0,
            "usual with the load at the supply",
            0,
            16_777_215,
            "calibrate",
            Provenance.MEASURED,
            ("convert",),
            from_rig=_usual_counts(0.74, 0.18),
        ),
        *(
            ConstantSpec(
                f"{what}_{name}",
                f"{what} {name}",
                "counts",
                None,
                None,
                "",
                0,
                16_777_215,
                "calibrate",
                Provenance.MEASURED,
            )
            for what in ("white", "black")
            for name in NAMES
        ),
        ConstantSpec(
            "pitch", "pitch", "mm", 12.0, 0.2, UNMEASURED, 0.5, 200, "wire", Provenance.MEASURED, ("convert",)
        ),
        ConstantSpec(
            "spot",
            "spot",
            "mm",
            8.0,
            2.5,
            "what one sensor sees near the ground, common practice",
            0.5,
            100,
            "wire",
            Provenance.MEASURED,
            ("convert",),
            counts=False,
        ),
        ConstantSpec(
            "aside",
            "row stands left of the middle",
            "mm",
            0.0,
            None,
            "in the vehicle's middle",
            -1000,
            1000,
            "wire",
            Provenance.MEASURED,
            counts=False,
            from_rig=by_mount("y_mm"),
        ),
        ConstantSpec(
            "sensors",
            "sensors",
            "",
            5.0,
            None,
            "count them",
            1,
            MOST,
            "wire",
            shown_at=("convert",),
            from_rig=by_option("count"),
        ),
        ConstantSpec(
            "mark_threshold", "mark at", "counts", None, None, "", 0, 16_777_215, "calibrate", counts=False
        ),
        ConstantSpec(
            "mark_hysteresis",
            "mark's band",
            "counts",
            None,
            None,
            "",
            0,
            16_777_215,
            "calibrate",
            counts=False,
        ),
        *converter(4.0),
        *FILTER,
        *EDGE,
        *ROW_DRIVEN,
        *(
            ConstantSpec(
                f"threshold_{name}",
                f"threshold {name}",
                "counts",
                None,
                None,
                "",
                0,
                16_777_215,
                "decide",
                shown_at=("watch",),
            )
            for name in NAMES
        ),
        *(
            ConstantSpec(
                f"{what}_{name}",
                f"{label} {name}",
                "counts",
                None,
                None,
                "",
                0,
                16_777_215,
                "decide",
                counts=False,
            )
            for what, label in (
                ("band", "hysteresis"),
                ("table_low", "table from"),
                ("table_high", "table up to"),
            )
            for name in NAMES
        ),
        ConstantSpec(
            "tape",
            "tape",
            "mm",
            19.0,
            None,
            "usual tape",
            0.5,
            200,
            "decide",
            Provenance.MEASURED,
            counts=False,
            from_rig=by_geometry("line_mm"),
        ),
        *(
            ConstantSpec(f"act_{pattern}", f"at {pattern}", "", None, None, "", 0, 9, "decide", counts=False)
            for count in range(1, MOST + 1)
            for pattern in line_row.patterns(count)
            if pattern != line_row.BROKEN or count == 3
        ),
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=_asks,
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=_spreads,
        doubts=_doubts,
        moves=lambda values: (Move(_names(values)[-1], 10, "Ten counts more at the rightmost sensor"),),
        bare=(),
        inverse=Inverse(6.0, -800.0, 800.0, _counts_at),
    ),
    words=words,
    places=by_place,
    procedures=("line", "trace", "spot", "filter"),
    decisions=("line", "steering", "edge", "filter"),
    instruments=("lamps",),
    cautions=(
        "Infrared lamps: not into the eyes from near. A phone's front camera shows whether they shine.",
    ),
)
