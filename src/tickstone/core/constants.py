"""Constants of a rig: what a number is worth, and where it comes from.

A constant is never edited. A new value is added; each use says which one it rests on.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from tickstone.core.rigs.rig import Rig, Sensor


class Provenance(StrEnum):
    """The kind of knowledge behind a number."""

    ASSUMED = "assumed"  # a data sheet, a rule of thumb, a default: nobody has measured it on this rig
    MEASURED = "measured"  # fitted from a recording or read by hand on this rig
    DERIVED = "derived"  # computed from other constants whenever it is asked for
    CHOSEN = "chosen"  # a person's decision


@dataclass(frozen=True)
class ConstantSpec:
    """A constant that a sensor kind (or a rig) has, with its assumed default.

    ``sd`` is the standard uncertainty (k = 1) in ``unit``; None means that none is meant (a count, a
    decision). ``low`` and ``high`` bound what may be typed. ``station`` is where it is settled. ``optional``
    constants have no default: they exist once measured or chosen.
    """

    name: str
    label: str
    unit: str
    default: float | None
    sd: float | None
    source: str
    low: float
    high: float
    station: str = "wire"
    typed_as: Provenance = Provenance.CHOSEN
    shown_at: tuple[str, ...] = ()  # other stations whose slab shows it first
    counts: bool = True  # whether it is one of those a person should settle (the rule's tick counts these)
    from_rig: Callable[[Rig, Sensor], float | None] | None = (
        None  # how the rig's own record tells it (None: it does not)
    )

    @property
    def optional(self) -> bool:
        """True when there is no default to fall back on."""
        return self.default is None


@dataclass(frozen=True)
class Covariance:
    """How the error of a constant goes with that of ``other``, which was fitted together with it: their
    covariance, in the product of both units."""

    other: str
    value: float


@dataclass(frozen=True)
class Value:
    """A constant as it stands: ``sd`` is k = 1; ``condition`` is what held at the time; ``covariances`` are
    those with constants that were fitted with it; ``rests_on`` names inputs."""

    name: str
    label: str
    unit: str
    value: float
    sd: float | None
    provenance: Provenance
    source: str
    station: str = "wire"
    shown_at: tuple[str, ...] = ()
    condition: Mapping[str, float] = field(default_factory=dict)
    covariances: tuple[Covariance, ...] = ()
    rests_on: tuple[str, ...] = ()
    stale: str = ""  # why it no longer holds, empty while it does
    value_id: int | None = None
    made_at: str | None = None
    recording_id: int | None = None
    warning: str = ""  # what spoke against a choice when it was made
    typed: tuple[float, float] | None = None  # bounds for typing it, None when it cannot be typed


Values = Mapping[str, Value]


@dataclass(frozen=True)
class DerivedSpec:
    """A constant computed from others: ``compute`` gets the values by name and returns (value, sd) or
    None."""

    name: str
    label: str
    unit: str
    source: str
    rests_on: tuple[str, ...]
    compute: Callable[[Values], tuple[float, float | None] | None]
    station: str = "convert"
    shown_at: tuple[str, ...] = ()


def assumed(spec: ConstantSpec) -> Value | None:
    """The default of a constant as a value, or None when it has no default."""
    if spec.default is None:
        return None
    return Value(
        spec.name,
        spec.label,
        spec.unit,
        spec.default,
        spec.sd,
        Provenance.ASSUMED,
        spec.source,
        spec.station,
        spec.shown_at,
        typed=(spec.low, spec.high),
    )


def settle(
    specs: tuple[ConstantSpec, ...], derived: tuple[DerivedSpec, ...], known: Values
) -> dict[str, Value]:
    """All constants of a sensor, in catalogue order: known ones first, defaults where nothing is known, then
    derived.

    A derived constant is left out when something it needs is missing. A known value (a measured speed, say)
    takes the place of the derived constant of the same name.
    """
    values: dict[str, Value] = {}
    for spec in specs:
        value = known.get(spec.name) or assumed(spec)
        if value is not None:
            values[spec.name] = value
    for rule in derived:
        if rule.name in values or any(name not in values for name in rule.rests_on):
            continue
        computed = rule.compute(values)
        if computed is not None:
            values[rule.name] = Value(
                rule.name,
                rule.label,
                rule.unit,
                computed[0],
                computed[1],
                Provenance.DERIVED,
                rule.source,
                rule.station,
                rule.shown_at,
                rests_on=rule.rests_on,
            )
    order = {spec.name: place for place, spec in enumerate(specs)}
    return dict(sorted(values.items(), key=lambda item: order.get(item[0], len(order))))
