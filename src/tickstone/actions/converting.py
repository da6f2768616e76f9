"""Working one reading's raw numbers: with a rig's own constants, or with the usual ones of a loose part and
what a person types."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from tickstone.actions import constants
from tickstone.core import worked
from tickstone.core.constants import Values
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient, Kind
from tickstone.core.rigs.usual import usual_values
from tickstone.store import rigs

FEWEST_READINGS = 1  # of the air that was live just then


@dataclass(frozen=True)
class ConvertedPart:
    """A sensor of a rig, or a loose part: its kind, its constants, and the air around it."""

    kind: Kind
    values: Values
    ambient: Ambient

    def work(self, inputs: Mapping[str, float]) -> worked.Worked:
        """Work one reading. Raises BadInput naming a raw number that cannot be."""
        return worked.work(self.kind, self.values, inputs, self.ambient)

    def solve(self, wanted: float) -> dict[str, float]:
        """The inverse question. Raises BadInput for ``wanted``."""
        return worked.solve(self.kind, self.values, wanted, self.ambient)


def mounted(session: Session, slug: str, sensor: str, air_c: float | None, live_air: bool) -> ConvertedPart:
    """A sensor of a rig. ``air_c`` is the air at that moment (None = the constant's); ``live_air`` tells that
    it was measured just then. Raises NotFound and BadInput."""
    stored = rigs.rig_named(session, slug)
    what = kind(stored.rig.sensor(sensor).kind)
    air = (
        constants.live_air(session, stored, air_c, FEWEST_READINGS)
        if live_air and air_c is not None
        else None
    )
    values = constants.settled(session, stored, sensor, air)
    return ConvertedPart(what, values, _around(air_c))


def loose(kind_id: str, typed: Mapping[str, float], air_c: float | None = None) -> ConvertedPart:
    """A part that is on no rig: the usual constants of its kind, with those that a person types.

    Raises BadInput naming the constant that it does not have, or that cannot be so.
    """
    what = kind(kind_id)
    return ConvertedPart(what, usual_values(what, values=typed), _around(air_c))


def _around(air_c: float | None) -> Ambient:
    return Ambient(None if air_c is None else np.array([air_c]))
