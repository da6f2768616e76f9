"""Stones: the lines that a stone holds, and two stones compared."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from tickstone.core.constants import Covariance


@dataclass(frozen=True)
class StoneConstant:
    """One constant as a stone holds it; ``sd`` is k = 1; ``made_at`` is None for what nobody measured or
    chose."""

    sensor: str
    name: str
    label: str
    value: float
    unit: str
    sd: float | None
    provenance: str
    source: str
    made_at: datetime | None
    condition: dict[str, float]
    stale: str
    value_id: int | None
    warning: str = ""
    covariances: tuple[Covariance, ...] = ()


@dataclass(frozen=True)
class Change:
    """One constant in two stones; None where a stone does not have it."""

    sensor: str
    name: str
    label: str
    before: StoneConstant | None
    after: StoneConstant | None

    @property
    def changed(self) -> bool:
        """Whether value, uncertainty or provenance differ."""
        if self.before is None or self.after is None:
            return True
        a, b = self.before, self.after
        return (a.value, a.sd, a.provenance) != (b.value, b.sd, b.provenance)


def compare(before: Sequence[StoneConstant], after: Sequence[StoneConstant]) -> list[Change]:
    """Two stones line by line, changed lines first."""
    old = {(line.sensor, line.name): line for line in before}
    new = {(line.sensor, line.name): line for line in after}
    changes = [
        Change(key[0], key[1], (new.get(key) or old[key]).label, old.get(key), new.get(key))
        for key in {**old, **new}
    ]
    return sorted(changes, key=lambda change: not change.changed)
