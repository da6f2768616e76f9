"""Reflective line sensors, analogue, one to eight in a row, infrared or visible light."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core import surface
from tickstone.core.constants import ConstantSpec, Provenance, Value, Values
from tickstone.core.rigs.kinds.base import (
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
    Rule,
    Series,
    Surroundings,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.parts import (
    GROUND,
    SUPPLY,
    UNMEASURED,
    analogue_pin,
    converter,
    counts_spreads,
    result,
    term,
    top_code,
)
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
    seen = np.interp(np.linspace(0, 1, len(names)), np.linspace(0, 1, len(SEEN)), SEEN) if len(names) > 1 else [0.78]
    return tuple(
        Ask(name, f"sensor {place}", "counts", 0, top, min(top, round(_mixed(values, name, share))))
        for place, (name, share) in enumerate(zip(names, seen, strict=True), 1)
    )


def darkness(asked: Mapping[str, Array], values: Values) -> Array:
    """How dark each sensor sees the floor, 0 (its white) to 1 (its black), shape (n, sensors); NaN without a reading."""
    names = _names(values)
    counts = np.stack([asked[name] for name in names], axis=-1)
    counts = np.where((counts >= 0) & (counts <= top_code(values)), counts, np.nan)
    white, black = ([_own(values, what, name).value for name in names] for what in ("white", "black"))
    return 1.0 - surface.reflectance(counts, black, white)


def read(asked: Mapping[str, Array], values: Values, around: Surroundings) -> Converted:
    """Counts of the row to the line's offset from the middle, mm, positive to the right."""
    dark = darkness(asked, values)
    missing = np.isnan(dark).any(axis=-1)
    found = surface.line_positions(np.where(np.isnan(dark), 0.0, dark), values["pitch"].value)
    lost = np.isnan(found.offset_mm)
    return Converted(
        np.where(missing | lost, np.nan, found.offset_mm),
        np.select([missing, lost], [NO_CODE, LOST], 0).astype(np.int8),
    )


def _chains(
    asked: Mapping[str, float], values: Values, around: Surroundings
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    dark = darkness({name: np.array([number]) for name, number in asked.items()}, values)[0]
    chains = []
    for ask, share in zip(_asks(values), dark, strict=True):
        reading = Term(ask.name, ask.label, asked[ask.name], "counts", "measured", None, "(")
        white, black = _own(values, "white", ask.name), _own(values, "black", ask.name)
        terms = (reading, term(white, "−"), term(black, ") ÷ ("), term(white, "−"))
        chains.append(Chain(terms, result("dark", float(share), "", ") =")))
    weights = np.where(dark < surface.FAINT, 0.0, dark)
    places = (np.arange(dark.size) - (dark.size - 1) / 2) * values["pitch"].value
    moment = result("Σ dark × place", float(weights @ places), "mm", "")
    return tuple(chains), (moment, result("Σ dark", float(weights.sum()), "", "÷"))


def _more(asked: Mapping[str, Array], values: Values, around: Surroundings) -> tuple[Series, ...]:
    dark = darkness(asked, values)
    seen = surface.line_positions(np.where(np.isnan(dark), 0.0, dark), values["pitch"].value)
    wide = Series("width", "sensors on the line", "", seen.width_seen.astype(np.float64), 0)
    each = (
        Series(f"dark_{name}", f"dark at {place}", "%", 100.0 * dark[..., place - 1], 0)
        for place, name in enumerate(_names(values), 1)
    )
    return (wide, *each)


def _rules(asked: Mapping[str, float], values: Values, around: Surroundings) -> tuple[Rule, ...]:
    """What on and off alone would have said: the middle of the sensors beyond half way."""
    dark = darkness({name: np.array([number]) for name, number in asked.items()}, values)[0]
    places = (np.arange(dark.size) - (dark.size - 1) / 2) * values["pitch"].value
    on = dark >= surface.DARK
    rules = [Rule("on or off, the middle of those on", float(places[on].mean()))] if on.any() else []
    total = dark.sum()
    return (*rules, *([Rule("pale ones counted too", float(dark @ places / total))] if total > 0 else []))


def _counts_at(wanted_mm: float, values: Values, around: Surroundings) -> Mapping[str, float]:
    """A line as wide as the pitch, centred there: each sensor sees the share of it that lies within its own pitch."""
    names, pitch = _names(values), values["pitch"].value
    places = (np.arange(len(names)) - (len(names) - 1) / 2) * pitch
    share = np.clip(1.0 - np.abs(places - wanted_mm) / pitch, 0.0, 1.0)
    return {name: float(round(_mixed(values, name, float(one)))) for name, one in zip(names, share, strict=True)}


def words(moment: Moment, values: Values) -> str:
    """Where the line is, in words."""
    found = moment.converted
    if not found.values.size:
        return "No reading yet."
    if not np.isfinite(found.values[-1]):
        return "No line under the row."
    off, half = float(found.values[-1]), values["pitch"].value / 2
    if abs(off) < half:
        return f"Line under the middle, {fixed(abs(off), 1)} mm to the {'right' if off > 0 else 'left'}."
    return f"Line {fixed(abs(off), 1)} mm to the {'right' if off > 0 else 'left'} of the middle."


KIND = Kind(
    id="line-sensors",
    title="reflective line sensors, 1 to 8",
    supply_v=5.0,
    supply_ma=22.0,
    pins=(SUPPLY, GROUND, *(analogue_pin(f"output {place}") for place in range(1, 6))),
    channels=tuple(
        ChannelSpec(name, f"sensor {place}", "level", "counts", (f"line{place}_adc", f"{name}_adc"), 0.0, 16_777_215.0)
        for place, name in enumerate(NAMES, 1)
    ),
    quantity=Quantity("line", "mm", -100.0, 100.0, digits=1),
    constants=(
        ConstantSpec("white", "white", "counts", 180.0, 30.0, "usual with the load at the supply", 0, 16_777_215,
                     "calibrate", Provenance.MEASURED, ("convert",)),
        ConstantSpec("black", "black", "counts", 760.0, 40.0, "usual with the load at the supply", 0, 16_777_215,
                     "calibrate", Provenance.MEASURED, ("convert",)),
        *(ConstantSpec(f"{what}_{name}", f"{what} {name}", "counts", None, None, "", 0, 16_777_215, "calibrate",
                       Provenance.MEASURED) for what in ("white", "black") for name in NAMES),
        ConstantSpec("pitch", "pitch", "mm", 12.0, 0.2, UNMEASURED, 0.5, 200, "wire", Provenance.MEASURED, ("convert",)),
        ConstantSpec("sensors", "sensors", "", 5.0, None, "count them", 1, MOST, "wire", shown_at=("convert",)),
        *converter(4.0),
    ),
    derived=(),
    reasons=REASONS,
    working=Working(
        asks=_asks,
        read=read,
        chains=_chains,
        more=_more,
        rules=_rules,
        spreads=lambda asked, values: counts_spreads(*_names(values))(asked, values),
        moves=lambda values: (Move(_names(values)[-1], 10, "Ten counts more at the rightmost sensor"),),
        bare=(),
        inverse=Inverse(6.0, -800.0, 800.0, _counts_at),
    ),
    words=words,
    cautions=("Infrared lamps: not into the eyes from near. A phone's front camera shows whether they shine.",),
)  # fmt: skip
