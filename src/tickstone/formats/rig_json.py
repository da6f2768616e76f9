"""A rig as JSON: the rig document itself, its published schema, and the checks that a file from outside must
pass."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cache
from typing import Any

from pydantic import TypeAdapter

from tickstone.core.rigs.catalogue import fit, known, part_of
from tickstone.core.rigs.rig import ABILITIES, SCHEMA, SERVICES, Board, Rig
from tickstone.core.wiring.assign import complete
from tickstone.core.wiring.geometry import check_possible
from tickstone.core.wiring.places import is_place, neighbour
from tickstone.errors import BadInput
from tickstone.formats.documents import parsed, strict, validated

RIG_DOCUMENT: TypeAdapter[Rig] = TypeAdapter(Rig)
BOARD_DOCUMENT: TypeAdapter[Board] = TypeAdapter(Board)
MOST_PARTS = 200
CODE = re.compile(r"\w{0,24}", re.ASCII)  # what a program calls a pin: it stands in programs as it is


@cache
def rig_schema() -> Mapping[str, Any]:
    """The JSON Schema (draft 2020-12) of a rig document; ``schema`` in it is its version."""
    schema = strict(RIG_DOCUMENT.json_schema())
    schema["properties"]["schema"] |= {"minimum": 1, "maximum": SCHEMA}
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Rig"} | schema


def rig_to_json(rig: Rig, indent: int | None = 2) -> str:
    """A rig as its document."""
    return json.dumps(
        RIG_DOCUMENT.dump_python(rig, mode="json"), ensure_ascii=False, allow_nan=False, indent=indent
    )


def rig_from_json(text: str, anew: bool = False) -> Rig:
    """The rig of a JSON document, checked and complete. ``anew`` lets wires hang free whose end is not on
    this rig, for those who are about to place them.

    Raises: BadInput naming the field that cannot be, for text that is damaged, from a newer version, or says
    what no rig can be (unknown kinds and abilities, two parts of one id, wires to nowhere, grounds in a
    circle, impossible sizes).
    """
    document = parsed(text, "rig")
    if "board" not in document or "sensors" not in document:
        raise BadInput("This is no rig file: it has no board and sensors.", "rig")
    version = document.get("schema", 1)
    if isinstance(version, int) and not isinstance(version, bool) and version > SCHEMA:
        raise BadInput(
            f"This rig file has version {version}; this app reads up to version {SCHEMA}. Take a newer app.",
            "schema",
        )
    rig = validated(RIG_DOCUMENT, document | {"schema": SCHEMA}, rig_schema(), "rig")
    if anew:
        rig = replace(rig, wires=tuple(w if is_place(rig, w.to) else replace(w, to="") for w in rig.wires))
    for where, sentence in _faults(rig):
        raise BadInput(sentence, where)
    return complete(rig)


def _faults(rig: Rig) -> Iterator[tuple[str, str]]:
    """What no rig can be, as (field, sentence)."""
    if not rig.title.strip() or len(rig.title) > 60:
        yield "title", "title must have 1 to 60 characters."
    if not rig.sensors:
        yield "sensors", "A rig needs one sensor at least."
    if len(rig.fitted) > MOST_PARTS:
        yield "sensors", f"A rig has at most {MOST_PARTS} parts, not {len(rig.fitted)}."
        return
    yield from board_faults(rig.board)
    first = next(_part_faults(rig), None)
    if first is not None:
        yield first
        return
    yield from _supply_faults(rig)
    if rig.board_from != "USB" and rig.supply(rig.board_from) is None:
        yield "board_from", f"board_from must be USB or a supply of this rig, not {rig.board_from!r}."
    yield from check_possible(rig)
    yield from _wire_faults(rig)


def _part_faults(rig: Rig) -> Iterator[tuple[str, str]]:
    ids = [part.id for part in rig.fitted]
    for place, part in enumerate(rig.fitted):
        role = "sensor" if place < len(rig.sensors) else "output"
        if not part.id or "." in part.id or ids.count(part.id) > 1:
            yield "sensors", f"Every part needs an id of its own, without a dot: {part.id!r} is none."
            continue
        try:
            made = fit(part.kind, part.id, part.name, part.options)
        except BadInput as error:
            yield f"{role}s.{part.id}.{error.path}", error.message
            continue
        if type(made) is not type(part):
            yield "outputs", f"A {known(made).title} is no {role}."


def _supply_faults(rig: Rig) -> Iterator[tuple[str, str]]:
    names = [rail.name for rail in rig.board.rails] + [supply.name for supply in rig.supplies]
    for name in names:
        if names.count(name) > 1:
            yield "supplies", f"Two supplies are called {name!r}."
    for supply in rig.supplies:
        if not (0 < supply.volts <= supply.most_v <= 1000 and supply.ma > 0):
            yield "supplies", f"{supply.name}: volts must lie above 0 and not above most_v, ma above 0."


def _wire_faults(rig: Rig) -> Iterator[tuple[str, str]]:
    parts = {part.id: part_of(part) for part in rig.fitted}
    earlier = set()
    for i, wire in enumerate(rig.wires):
        key = (wire.sensor, wire.pin)
        if wire.sensor not in parts or wire.pin not in {pin.name for pin in parts[wire.sensor].pins}:
            yield (
                f"wires.{i}",
                f"There is no pin {wire.pin!r} on a part {wire.sensor!r}: the wire begins nowhere.",
            )
            return
        if key in earlier:
            yield f"wires.{i}", f"Two wires begin at {wire.sensor} {wire.pin}."
        earlier.add(key)
        if wire.to and not is_place(rig, wire.to):
            yield (
                f"wires.{i}.to",
                f"The {wire.pin} of {wire.sensor} goes to {wire.to!r}, which is no pin, "
                "rail, supply or part.",
            )
        elif _circles(rig, i):
            yield (
                f"wires.{i}.to",
                f"The {wire.pin} of {wire.sensor} goes round in a circle from part to part and never "
                "reaches the board.",
            )
        for name, ohms in (
            ("divider", min(wire.divider.top_ohm, wire.divider.bottom_ohm) if wire.divider else 1.0),
            ("pull_up", wire.pull_up.ohms if wire.pull_up else 1.0),
            ("series", wire.series.ohms if wire.series else 1.0),
        ):
            if not 0 < ohms <= 1e9:
                yield (
                    f"wires.{i}.{name}",
                    f"A resistor in the {wire.pin} wire of {wire.sensor} must be above 0 Ω.",
                )
        if wire.divider and not 0 <= wire.divider.tolerance_pct < 50:
            yield f"wires.{i}.divider", "tolerance_pct must be from 0 to 50."


def _circles(rig: Rig, place: int) -> bool:
    wire, earlier = rig.wires[place], set()
    while (after := neighbour(rig, wire.to)) is not None:
        if (wire.sensor, wire.pin) in earlier:
            return True
        earlier.add((wire.sensor, wire.pin))
        wire = after
    return False


def board_faults(board: Board) -> Iterator[tuple[str, str]]:
    """What no board can be, as (field, sentence)."""
    names = [pin.name for pin in board.pins] + [rail.name for rail in board.rails]
    for pin in board.pins:
        odd = [ability for ability in pin.abilities if ability not in ABILITIES]
        if odd:
            yield "board.pins", f"{pin.name} cannot be {odd[0]!r}: a pin is {', '.join(ABILITIES)}."
        if not CODE.fullmatch(pin.code):
            yield "board.pins", f"{pin.name} cannot be {pin.code!r} in a program: a number or a plain name."
    for name in names:
        if not name.strip() or names.count(name) > 1:
            yield "board.pins", f"Every pin and rail needs a name of its own: {name!r} is none."
            return
    for service in board.services:
        if service.name not in SERVICES:
            yield "board.services", f"A timer's service is {', '.join(SERVICES)}, not {service.name!r}."
    yield from _rail_faults(board)
    yield from _converter_faults(board)
    for field in ("supply_ma", "pin_ma", "pins_ma", "clock_mhz", "tick_us"):
        if not 0 < getattr(board, field) <= 1e7:
            yield f"board.{field}", f"{field} must be above 0."
    yield from _program_faults(board)


def _rail_faults(board: Board) -> Iterator[tuple[str, str]]:
    logic_v = board.logic_v
    if not any(rail.volts == 0 for rail in board.rails):
        yield "board.rails", "The board has no ground rail (0 V): nothing can be wired to it."
    if not any(abs(rail.volts - logic_v) < 0.05 * logic_v for rail in board.rails):
        yield "board.rails", f"The board has no rail of its own {logic_v:g} V: pull-ups have nowhere to go."
    if any(not 0 <= rail.volts <= 60 for rail in board.rails):
        yield "board.rails", "A rail must have 0 to 60 V."
    if not 0 < board.low_level_v < board.high_level_v <= logic_v <= board.limit_v <= 60:
        levels = f"{board.low_level_v:g}, {board.high_level_v:g}, {logic_v:g}, {board.limit_v:g} V"
        yield (
            "board",
            "Levels must rise: 0 V, surely low, surely high, what an output gives, what a pin bears, "
            f"60 V at most; these are {levels}.",
        )


def _converter_faults(board: Board) -> Iterator[tuple[str, str]]:
    bits, reference_v = board.adc_bits, board.adc_reference_v
    if (bits is None) != (reference_v is None):
        yield "board.adc_bits", "A converter has both bits and a reference, or neither."
    if bits is not None and not 1 <= bits <= 24:
        yield "board.adc_bits", f"adc_bits must be from 1 to 24, not {bits}."
    if reference_v is not None and not 0.1 <= reference_v <= 30:
        yield "board.adc_reference_v", f"adc_reference_v must be from 0.1 to 30 V, not {reference_v:g}."


def _program_faults(board: Board) -> Iterator[tuple[str, str]]:
    languages = {"cpp", "python"}
    if not languages.issuperset(board.programs) or board.python not in ("", "machine", "linux"):
        yield "board.programs", "programs are cpp or python; python is machine or linux."
    if "python" in board.programs and not board.python:
        yield "board.python", "Say which pin module the board's Python has: machine or linux."
