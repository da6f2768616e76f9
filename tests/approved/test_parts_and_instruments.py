"""The pins of every part with each of its answers, and what every instrument shows of a run, as they were
approved."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from tests import approved
from tests.core.decisions.seen import values_of
from tests.core.test_instruments import seen
from tests.rigs import part, rig
from tickstone.core.constants import Values
from tickstone.core.instruments import Angle, Bar, Instrument, Lamps, Level, NewReadings, Trip
from tickstone.core.rigs.commands import command_labels
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import Kind
from tickstone.core.rigs.outputs import OUTPUTS
from tickstone.core.rigs.part import Chosen, Part, PinSpec
from tickstone.core.rigs.templates import TEMPLATES, template


def pin_of(pin: PinSpec) -> list[object]:
    """What sets a pin apart, without what is as usual."""
    usual = PinSpec(pin.name, pin.role, pin.colour)
    return [pin.role, pin.colour] + [
        {name: value} for name, value in vars(pin).items() if value != getattr(usual, name) and name != "name"
    ]


def pins_of(made: Part) -> dict[str, object]:
    return {pin.name: pin_of(pin) for pin in made.pins}


def test_parts() -> None:
    made: dict[str, object] = {}
    for what in (*KINDS.values(), *OUTPUTS.values()):
        plain = pins_of(what.part_of({}))
        made[what.id] = plain
        for option in what.options:
            for answer in [choice.value for choice in option.choices] or [option.low, option.high]:
                pins = pins_of(what.part_of({option.name: answer}))
                changed = {name: pin for name, pin in pins.items() if plain.get(name) != pin}
                if pins != plain:
                    made[f"{what.id}, {option.name} {answer}"] = [sorted(plain.keys() - pins.keys()), changed]
    approved.check("parts", made)


def read_of(what: Kind, answers: dict[str, str | float]) -> object:
    """How a program on the board reads a sensor of these answers, and what its channels hold."""
    chosen = Chosen(what.options, answers)
    spans = [[c.name, c.form, c.unit, c.low, c.high, c.digits] for c in what.channels]
    return [[type(way).__name__, vars(way)] for way in what.reads(chosen)], spans


def test_how_parts_are_read_and_commanded() -> None:
    made: dict[str, object] = {}
    for what in KINDS.values():
        made[what.id] = plain = read_of(what, {})
        for option in what.options:
            for answer in [choice.value for choice in option.choices] or [option.low, option.high]:
                other = read_of(what, {option.name: answer})
                if other != plain:
                    made[f"{what.id}, {option.name} {answer}"] = other
    for name in TEMPLATES:
        made[name] = {label: vars(spec) for label, spec in command_labels(template(name)).items()}
    approved.check("reads", made)


def shown_of(instrument: Instrument, readings: list[NewReadings], values: Values) -> list[object]:
    """What an instrument shows after each of some pieces of a run, and a while after the last."""
    results = []
    for piece in readings:
        instrument.take(piece, values)
        results.append(instrument.shown(float(piece.times_s[-1]), values))
    results.append(instrument.shown(float(readings[-1].times_s[-1]) + 4.0, values))
    instrument.broken()
    instrument.take(readings[0], values)
    results.append(instrument.shown(float(readings[0].times_s[-1]), values))
    instrument.zero()
    results.append(instrument.shown(float(readings[0].times_s[-1]), values))
    return results


def pieces(
    count: int, columns: dict[str, np.ndarray], values: str, step_s: float = 0.05
) -> list[NewReadings]:
    """A run in four unequal pieces: all its columns by name, one of them what the sensor measures."""
    size = columns[values].size
    cuts = [0, size // 7, size // 3, size // 2, size][: count + 1]
    times = np.arange(size) * step_s
    return [
        seen(times[a:b], columns[values][a:b], *2 * ({name: x[a:b] for name, x in columns.items()},))
        for a, b in pairwise(cuts)
    ]


def test_instruments() -> None:
    rng = np.random.default_rng(5)
    lean = {
        "roll": 8 + rng.normal(0, 2, 90),
        "pitch": np.linspace(-30, 40, 90),
        "rate_z": rng.normal(9, 3, 90),
    }
    wheel = {"period": np.concatenate([np.linspace(4e5, 9e4, 60), [2.5e6, 3e5, 3e5]])}
    wheel["speed"] = 1.2e6 / wheel["period"]
    way = {"way": 300 * np.sin(np.arange(90) / 9.0) + rng.normal(0, 0.4, 90)}
    far = {"distance": np.concatenate([np.linspace(1300, 90, 60), [np.nan, np.nan, 90.0, 140.0, 700.0]])}
    row = {f"s{i}": np.round(500 + 400 * np.sin(np.arange(60) / 6.0 + i)) for i in (1, 2, 3)}
    row |= {f"dark_s{i}": 50 + 50 * np.sin(np.arange(60) / 6.0 + i) for i in (1, 2, 3)} | {
        "line": row["s1"] / 40
    }
    rowed = values_of(
        "line-sensors", sensors=3, threshold_s1=480, band_s1=60, threshold_s2=500, threshold_s3=520
    )
    edge = values_of("line-sensors", sensors=3, table_low_s1=300, table_high_s1=700)
    barred = rig(part("ultrasonic-ranger", "front"), part("led-bar", "bar"))
    made: dict[str, object] = {
        "level": shown_of(Level(), pieces(4, lean, "pitch"), values_of("inertial-unit")),
        "angle": shown_of(Angle(), pieces(4, lean, "pitch"), values_of("inertial-unit")),
        "trip, wheel": shown_of(Trip(), pieces(4, wheel, "speed", 0.3), values_of("hall-switch")),
        "trip, slow wheel": shown_of(
            Trip(), pieces(4, wheel, "speed", 1.7), values_of("hall-switch", slow_s=2)
        ),
        "trip, encoder": shown_of(Trip(), pieces(4, way, "way"), values_of("encoder")),
        "lamps": shown_of(Lamps(), pieces(4, row, "line"), rowed),
        "lamps, edge": shown_of(Lamps(), pieces(4, row, "line"), edge),
    }
    for name, values in (("usual", {}), ("chosen", {"bar_far": 900.0})):
        bar = Bar()
        bar.fit(barred)
        made[f"bar, {name}"] = shown_of(
            bar, pieces(4, far, "distance"), values_of("ultrasonic-ranger", **values)
        )
    approved.check("instruments", made)
