"""The usual constants of a kind: defaults, what the rig's own record tells, and what a person says
instead."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tickstone.core.checks import check_between
from tickstone.core.constants import ConstantSpec, Provenance, Value, Values, assumed
from tickstone.core.rigs.kinds.base import Kind
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.errors import BadInput


def told_by_rig(rig: Rig, sensor: Sensor, specs: tuple[ConstantSpec, ...]) -> dict[str, Value]:
    """The constants that the rig's own record tells, as certain in proportion as their defaults."""
    results = {}
    for spec in specs:
        told, usual = spec.from_rig(rig, sensor) if spec.from_rig else None, assumed(spec)
        if told is not None and usual is not None:
            sd = None if usual.sd is None or not usual.value else usual.sd * abs(float(told) / usual.value)
            results[spec.name] = replace(usual, value=float(told), sd=sd, source="from the rig's own record")
    return results


def usual_values(
    what: Kind,
    rig: Rig | None = None,
    sensor: Sensor | None = None,
    values: Mapping[str, float] | None = None,
) -> Values:
    """All constants of a kind of which nothing is measured.

    Parameters: what, the kind; rig and sensor, where it is fitted, if it is; values, constants by name that a
    person gives. Returns: values by name. Raises: BadInput naming a constant that the kind does not have, or
    that cannot be so.
    """
    known = {} if rig is None or sensor is None else told_by_rig(rig, sensor, what.constants)
    specs = what.specs
    for name, number in (values or {}).items():
        if name not in specs:
            raise BadInput(f"{what.title} has no constant {name!r}; it has {', '.join(specs)}.", name)
        spec = specs[name]
        check_between(number, spec.low, spec.high, name)
        usual = assumed(replace(spec, default=number))
        if usual is not None:
            sd = spec.sd if spec.typed_as is Provenance.MEASURED else None
            known[name] = replace(usual, provenance=spec.typed_as, sd=sd, source="typed here")
    return what.settled(known)
