"""Analogue inputs: too much for the converter, range wasted, a source too weak, a phototransistor that
saturates."""

from __future__ import annotations

from collections.abc import Iterator

from tickstone.core.rigs.catalogue import part_of
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.part import PinSpec
from tickstone.core.rigs.rig import Rig, Wire
from tickstone.core.wiring.findings import Assurance, Result, WiringFinding, plain_ohms
from tickstone.core.wiring.levels import source_v
from tickstone.core.wiring.places import supply_of

WASTED = 0.5  # less of the range used than this is worth saying
SOURCE_OHM = 10_000.0  # above this the converter's own capacitor takes a while (common practice)
SATURATION_V = 0.4  # a phototransistor fully on


def check_range(rig: Rig, wire: Wire, spec: PinSpec) -> Iterator[Result]:
    """The span of an analogue output against the converter that reads it."""
    name, result, most = rig.part(wire.sensor).name, converter_of(rig, wire.sensor), source_v(rig, wire, spec)
    if not spec.analogue or most is None:
        return
    if result is None:
        yield WiringFinding(
            "adc-range",
            "fault",
            wire.sensor,
            wire.pin,
            f"This board has no converter to read the {wire.pin} of {name}: fit a 4-channel "
            "converter on the I2C bus.",
            "no converter",
            {},
        )
        return
    if wire.divider is not None:
        most *= wire.divider.bottom_ohm / (wire.divider.top_ohm + wire.divider.bottom_ohm)
    _, reference = result
    numbers = {"most_v": most, "reference_v": reference}
    if most > reference * 1.001 and most > rig.board.limit_v:
        return  # already named as a level too high
    if most > reference * 1.02:
        yield WiringFinding(
            "adc-range",
            "fault",
            wire.sensor,
            wire.pin,
            f"The {wire.pin} of {name} reaches {most:.2f} V; the converter ends at {reference:g} V and "
            "reads the rest as its top count.",
            f"{most:.2f} V of {reference:g} V",
            numbers,
        )
    elif most < WASTED * reference:
        yield WiringFinding(
            "adc-wasted",
            "hint",
            wire.sensor,
            wire.pin,
            f"The {wire.pin} of {name} reaches {most:.2f} V of {reference:g} V: "
            f"{100 * (1 - most / reference):.0f} % of the converter's range is never used.",
            f"{most:.2f} of {reference:g} V used",
            numbers,
        )
    else:
        yield Assurance("adc-range", wire.sensor, f"{wire.pin} {most:.1f} of {reference:g} V")
    if spec.source_ohm > SOURCE_OHM:
        yield WiringFinding(
            "adc-source",
            "hint",
            wire.sensor,
            wire.pin,
            f"Behind the {wire.pin} of {name} are {plain_ohms(round(spec.source_ohm))}: read it twice after "
            "a change of channel and drop the first, or put 100 nF from the pin to ground.",
            f"{plain_ohms(round(spec.source_ohm))} behind it",
            {"source_ohm": spec.source_ohm},
        )


def check_load(rig: Rig, part_id: str) -> Iterator[Result]:
    """A phototransistor's load: what it drops on a pale surface must leave room, or pale and paler read the
    same."""
    load, supply, name = part_of(rig.part(part_id)).load, supply_of(rig, part_id), rig.part(part_id).name
    if load is None or supply is None:
        return
    drop, room = load.pale_ma * load.ohms / 1000.0, supply[0] - SATURATION_V
    numbers = {"drop_v": drop, "room_v": room, "load_ohm": load.ohms}
    pin = part_of(rig.part(part_id)).pins[2].name
    if drop > room:
        right = plain_ohms(float(f"{0.8 * room / load.pale_ma * 1000:.2g}"))
        yield WiringFinding(
            "load-saturated",
            "hint",
            part_id,
            pin,
            f"On white the {plain_ohms(load.ohms)} load of {name} would drop {drop:.1f} V of {supply[0]:g} "
            f"V: the phototransistor saturates, and pale and paler read the same. Take about {right}, or "
            "less lamp current.",
            f"{drop:.1f} V of {supply[0]:g} V",
            numbers,
        )
    elif drop < 0.2 * supply[0]:
        yield WiringFinding(
            "load-weak",
            "hint",
            part_id,
            pin,
            f"On white the {plain_ohms(load.ohms)} load of {name} drops only {drop:.2f} V of {supply[0]:g} "
            "V: black and white lie close together. Take a larger load.",
            f"only {drop:.2f} V",
            numbers,
        )
    else:
        yield Assurance("load", part_id, f"load drops {drop:.1f} V of {supply[0]:g} V on white")
