"""Ultrasonic rangers: four pins with trigger and echo apart, or three with one pin for both."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from tickstone.core import ranging, sound
from tickstone.core.constants import ConstantSpec, DerivedSpec, Provenance, Values
from tickstone.core.rigs.kinds.base import (
    MISSING,
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
    Spread,
    Term,
    Working,
)
from tickstone.core.rigs.kinds.deciding import DROPOUTS, FILTER, OBSTACLE
from tickstone.core.rigs.kinds.driving import RANGER_DRIVEN
from tickstone.core.rigs.kinds.parts import GROUND, SHEET, raw, result, supply_pin, term
from tickstone.core.rigs.kinds.told import by_board, by_mount
from tickstone.core.rigs.part import Chosen, Part, PinSpec, Role, question
from tickstone.core.rigs.reading import Echo
from tickstone.core.wording import fixed
from tickstone.errors import BadInput

STILL_M_S = 0.03  # slower than this is said to stand: 3 σ of a ranger's slope over half a second


def conversion_speed_m_s(values: Values, air_c: Array | float) -> Array:
    """Speed of sound, m/s, for readings taken at ``air_c``: a measured speed carried from its own
    temperature, or the formula's. Where the air is unknown (NaN) the rig's own air constant stands in."""
    air = np.asarray(air_c, dtype=np.float64)
    air = np.where(np.isfinite(air), air, values["air"].value)
    humidity = values["humidity"].value
    fitted = values["sound"]
    if fitted.provenance is Provenance.MEASURED:
        at = fitted.condition.get("air_c", values["air"].value)
        return ranging.carried_speed_m_s(fitted.value, at, air, humidity)
    return np.asarray(sound.speed_of_sound_cramer(air, humidity), dtype=np.float64)


def _air(values: Values, ambient: Ambient) -> Array | float:
    return ambient.air_c if ambient.air_c is not None else values["air"].value


def read(inputs: Mapping[str, Array], values: Values, ambient: Ambient) -> Converted:
    """Echo times, µs, to distances, mm."""
    distances = ranging.distances_from_echoes(
        inputs["echo"],
        conversion_speed_m_s(values, _air(values, ambient)),
        values["offset"].value,
        values["nearest"].value,
        values["farthest"].value,
    )
    return Converted(distances.distance_mm, distances.reason)


ECHO = Ask("echo", "echo time", "µs", 0, 400_000, 1748, logarithmic=True, slide=(100, 25_000))


def _chains(
    inputs: Mapping[str, float], values: Values, ambient: Ambient
) -> tuple[tuple[Chain, ...], tuple[Term, ...]]:
    air = float(np.ravel(np.asarray(_air(values, ambient)))[0])
    speed, fitted = values["sound"], values["sound"].provenance is Provenance.MEASURED
    now = float(np.ravel(conversion_speed_m_s(values, air))[0])
    known = fitted or ambient.air_c is not None or values["air"].provenance is Provenance.MEASURED
    provenance = speed.provenance.value if fitted else "derived" if known else "assumed"
    sound_now = Term("sound", f"sound at {fixed(air, 1)} °C", now, "m/s", provenance, speed.sd, "×")
    echo = replace(raw(ECHO, inputs), sd=values["jitter"].value)
    return (), (echo, result("out and back", 2.0, "", "÷", "way"), sound_now, term(values["offset"], "+"))


def _rules(inputs: Mapping[str, float], values: Values, ambient: Ambient) -> tuple[RuleReading, ...]:
    exact = ranging.rules_exact_at_c(values["humidity"].value)
    return tuple(
        RuleReading(
            rule.name, rule.speed_m_s * inputs["echo"] / 2000.0, "" if at is None else f"{fixed(at, 1)} °C"
        )
        for rule, at in zip(ranging.RULES, exact, strict=True)
    )


def _spreads(inputs: Mapping[str, float], values: Values) -> tuple[Spread, ...]:
    return (
        Spread("echo", values["jitter"].value, "jitter of this ranger"),
        Spread("echo", ranging.tick_sd_us(values["tick"].value), "timer step"),
    )


def _moves(values: Values) -> tuple[Move, ...]:
    tick = values["tick"].value
    step = (Move("echo", tick, f"One timer step of {tick:g} µs"),) if tick else ()
    return (Move("air", 1.0, "One degree warmer"), *step)


def _echo_at(wanted_mm: float, values: Values, ambient: Ambient) -> Mapping[str, float]:
    speed = float(np.ravel(conversion_speed_m_s(values, _air(values, ambient)))[0])
    if wanted_mm < values["offset"].value:
        raise BadInput("No echo is shorter than 0 µs: this is nearer than the offset.", "wanted")
    return {"echo": ranging.echo_from_distance_us(wanted_mm, speed, values["offset"].value)}


WORKING = Working(
    asks=lambda values: (ECHO,),
    read=read,
    chains=_chains,
    rules=_rules,
    spreads=_spreads,
    moves=_moves,
    inverse=Inverse(300.0, 0.0, 10_000.0, _echo_at),
    causes={"air": "air temperature"},
)


def words(moment: Moment, values: Values) -> str:
    """What the ranger says, in a sentence: never "clear" on a dropout."""
    converted = moment.converted
    if converted.values.size == 0:
        return "No ping yet."
    last = int(converted.codes[-1])
    if converted.missing >= MISSING:
        if last == ranging.TOO_FAR:
            return f"Nothing within {values['farthest'].value / 1000:.1f} m."
        if last == ranging.TOO_NEAR:
            return f"Nearer than {values['nearest'].value:.0f} mm: the number means nothing here."
        return (
            f"No echo for {converted.missing} pings: a slanted or soft surface, or a wire. "
            "Not the same as clear."
        )
    good = converted.valid
    if not good.any():
        return (
            "No echo: not the same as clear."
            if last == ranging.DROPOUT
            else "Outside what the ranger can see."
        )
    times, distances = moment.times_s[good], converted.values[good]
    here = float(np.median(distances[-5:]))
    if times.size < 6 or times[-1] - times[0] < 0.25:
        return f"Something {here:.0f} mm ahead."
    slope = float(np.polyfit(times - times[-1], distances, 1)[0]) / 1000.0
    if abs(slope) < STILL_M_S:
        return "Box or wall ahead, standing still."
    return f"Box or wall ahead, {'closing' if slope < 0 else 'opening'} at {abs(slope):.2f} m/s."


def _sound(values: Values) -> tuple[float, float | None]:
    air = values["air"]
    speed = float(sound.speed_of_sound_cramer(air.value, values["humidity"].value))
    return speed, (air.sd or 0.0) * sound.sensitivity_m_s_per_k(air.value, values["humidity"].value)


def _floor(values: Values) -> tuple[float, float | None]:
    return ranging.floor_from_mm(values["height"].value, values["cone"].value), None


SUPPLY_SPAN = question(
    "supply",
    "works from",
    ("5", "5 V only"),
    ("3", "3 to 5.5 V"),
    clue="The part's sheet. At 3.3 V a 5 V part may answer near targets only.",
)
ECHO_NEEDS = ("capture", "interrupt", "digital")
SHORTEST_ECHO_US = 100.0


def _span(chosen: Chosen) -> PinSpec:
    return supply_pin(4.5 if chosen.says("supply", "5") else 3.0, 5.5, 15.0)


def _four_pins(chosen: Chosen) -> Part:
    trigger = PinSpec("trigger", Role.INPUT, "yellow", ("digital",), high_needs_v=2.0)
    echo = PinSpec("echo", Role.OUTPUT, "green", ECHO_NEEDS, polled=True, shortest_us=SHORTEST_ECHO_US)
    return Part((_span(chosen), trigger, echo, GROUND))


def _three_pins(chosen: Chosen) -> Part:
    signal = PinSpec(
        "signal",
        Role.OUTPUT,
        "yellow",
        ECHO_NEEDS,
        high_needs_v=2.0,
        polled=True,
        shortest_us=SHORTEST_ECHO_US,
    )
    return Part((_span(chosen), signal, GROUND))


KIND = Kind(
    id="ultrasonic-ranger",
    title="ultrasonic ranger, 4 pins",
    family="distance",
    part=_four_pins,
    reads=lambda chosen: (Echo("echo", "trigger", "echo"),),
    options=(SUPPLY_SPAN,),
    clues=("The print names its four legs; supply and ground are the outer two.",),
    channels=(
        ChannelSpec(
            "echo",
            "echo time",
            "level",
            "µs",
            ("echo_us", "echo"),
            0.0,
            400_000.0,
            called=("echo", "distance", "dist", "range", "duration", "pulse"),
        ),
    ),
    quantity=Quantity("distance", "mm", 0.0, 4000.0),
    constants=(
        ConstantSpec(
            "sound", "sound", "m/s", None, None, "", 250, 450, "calibrate", shown_at=("watch", "convert")
        ),
        ConstantSpec(
            "offset",
            "offset",
            "mm",
            0.0,
            3.0,
            "nobody has measured it",
            -200,
            200,
            "calibrate",
            shown_at=("watch", "convert", "decide"),
        ),
        ConstantSpec(
            "jitter",
            "jitter",
            "µs",
            6.0,
            None,
            "usual for cheap rangers",
            0,
            1000,
            "calibrate",
            shown_at=("convert",),
        ),
        ConstantSpec(
            "air",
            "air",
            "°C",
            20.0,
            3.0,
            "nobody has measured it",
            -40,
            85,
            "convert",
            Provenance.MEASURED,
            ("calibrate", "watch"),
        ),
        ConstantSpec(
            "humidity",
            "humidity",
            "%",
            50.0,
            20.0,
            "nobody has measured it",
            0,
            100,
            "convert",
            Provenance.MEASURED,
        ),
        *OBSTACLE,
        *FILTER,
        *DROPOUTS,
        *RANGER_DRIVEN,
        ConstantSpec(
            "height",
            "height",
            "mm",
            120.0,
            5.0,
            "nobody has measured it",
            1,
            5000,
            "wire",
            Provenance.MEASURED,
            from_rig=by_mount("height_mm"),
        ),
        ConstantSpec("cone", "cone", "°", 15.0, None, SHEET, 1, 120, "wire", counts=False),
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
        ConstantSpec("nearest", "nearest", "mm", 20.0, None, SHEET, 0, 4000, "convert", counts=False),
        ConstantSpec("farthest", "farthest", "mm", 4000.0, None, SHEET, 50, 10_000, "convert", counts=False),
    ),
    derived=(
        DerivedSpec(
            "sound",
            "sound",
            "m/s",
            "from air and humidity",
            ("air", "humidity"),
            _sound,
            "calibrate",
            ("watch", "convert"),
        ),
        DerivedSpec(
            "floor_from", "meets floor", "mm", "from cone and height", ("cone", "height"), _floor, "wire"
        ),
    ),
    reasons=ranging.REASONS,
    working=WORKING,
    words=words,
    instruments=("bar",),
    procedures=("ruler", "air", "filter"),
    decisions=("obstacle", "filter", "dropouts"),
    cautions=("Switch the board off before moving a wire.",),
)

THREE_PINS = replace(
    KIND,
    id="ultrasonic-ranger-3",
    title="ultrasonic ranger, 3 pins",
    part=_three_pins,
    reads=lambda chosen: (Echo("echo", "signal", "signal"),),
    clues=("The print names its three legs; the same one takes the trigger and gives the echo.",),
)
