"""Working raw numbers: with a rig's own constants, or with the usual ones of a loose part and what a person types."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions import constants
from tickstone.core import worked
from tickstone.core.checks import check_between
from tickstone.core.constants import Provenance, Values, settle
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Kind, Surroundings
from tickstone.errors import BadInput
from tickstone.store import rigs

FEWEST_READINGS = 1  # of the air that was live just then


@dataclass(frozen=True)
class Part:
    """A sensor of a rig, or a loose part: its kind, its constants, and the air around it."""

    kind: Kind
    values: Values
    around: Surroundings

    def work(self, asked: Mapping[str, float]) -> worked.Worked:
        """Work one reading. Raises BadInput naming a raw number that cannot be."""
        return worked.work(self.kind, self.values, asked, self.around)

    def solve(self, wanted: float) -> dict[str, float]:
        """The inverse question. Raises BadInput for ``wanted``."""
        return worked.solve(self.kind, self.values, wanted, self.around)


def mounted(session: Session, slug: str, sensor: str, air_c: float | None, live_air: bool) -> Part:
    """A sensor of a rig. ``air_c`` is the air at that moment (None = the constant's); ``live_air`` tells that it was
    measured just then. Raises NotFound and BadInput."""
    stored = rigs.rig_named(session, slug)
    what = kind(stored.rig.sensor(sensor).kind)
    air = constants.live_air(session, stored, air_c, FEWEST_READINGS) if live_air and air_c is not None else None
    values = constants.settled(session, stored, sensor, air)
    return Part(what, values, _around(air_c))


def loose(kind_id: str, typed: Mapping[str, float], air_c: float | None = None) -> Part:
    """A part that is on no rig: the usual constants of its kind, with those that a person types.

    Raises BadInput naming the constant that it does not have, or that cannot be so.
    """
    what = kind(kind_id)
    specs = {spec.name: spec for spec in what.constants}
    known = {}
    for name, value in typed.items():
        if name not in specs:
            raise BadInput(f"A {what.title} has no constant {name!r}.", name)
        spec = specs[name]
        usual = replace(spec, default=check_between(value, spec.low, spec.high, name))
        dressed = constants.assumed_value(usual)
        sd = spec.sd if spec.typed_as is Provenance.MEASURED else None
        known[name] = replace(dressed, provenance=spec.typed_as, sd=sd, source="typed here")
    return Part(what, settle(what.constants, what.derived, known), _around(air_c))


def _around(air_c: float | None) -> Surroundings:
    return Surroundings(None if air_c is None else np.array([air_c]))
