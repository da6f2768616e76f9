"""What a program commands: outputs of a rig as channels, so that commands have names and units, and can be
recorded beside what is sensed."""

from __future__ import annotations

from tickstone.core.rigs.kinds.base import ChannelSpec
from tickstone.core.rigs.labels import own_label
from tickstone.core.rigs.outputs import output
from tickstone.core.rigs.part import Chosen
from tickstone.core.rigs.rig import FittedPart, Rig


def _command(name: str, label: str, unit: str, low: float, high: float, digits: int = 0) -> ChannelSpec:
    return ChannelSpec(name, label, "level", unit, (name,), low, high, digits)


def _driven(chosen: Chosen) -> tuple[ChannelSpec, ...]:
    if chosen.says("motors", "1"):
        return (_command("pct", "motor", "%", -100, 100, 1),)
    return tuple(_command(f"{side}_pct", f"{side} wheel", "%", -100, 100, 1) for side in ("left", "right"))


PLAIN: dict[str, tuple[ChannelSpec, ...]] = {
    "servo": (_command("deg", "angle", "°", -180, 360, 1),),
    "led": (_command("lit", "lit", "", 0, 1),),
    "buzzer": (_command("sounds", "sounds", "", 0, 1),),
    "led-bar": (_command("steps", "steps lit", "", 0, 10),),
}


def commands_of(part: FittedPart) -> tuple[ChannelSpec, ...]:
    """The commands of an output; none for what takes none."""
    if part.kind == "motor-driver":
        return _driven(Chosen(output(part.kind).options, part.options))
    return PLAIN.get(part.kind, ())


def command_labels(rig: Rig) -> dict[str, ChannelSpec]:
    """Every command of a rig by its label on the line: its output's name before its own."""
    return {
        own_label(part.id, spec.name): ChannelSpec(
            own_label(part.id, spec.name),
            f"{part.name}: {spec.label}",
            spec.form,
            spec.unit,
            (own_label(part.id, spec.name),),
            spec.low,
            spec.high,
            spec.digits,
        )
        for part in rig.outputs
        for spec in commands_of(part)
    }
