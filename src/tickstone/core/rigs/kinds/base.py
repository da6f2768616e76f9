"""What a sensor kind is. A kind is one file; no station has a chain of cases over kinds."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from tickstone.core.constants import ConstantSpec, DerivedSpec, Values

Array = npt.NDArray[np.float64]


class Role(StrEnum):
    """What a sensor's pin is for, seen from the sensor."""

    SUPPLY = "supply"
    GROUND = "ground"
    INPUT = "input"  # the board drives it
    OUTPUT = "output"  # the sensor drives it, up to its supply
    OPEN = "open"  # the sensor only pulls it low; a pull-up makes it high


@dataclass(frozen=True)
class PinSpec:
    """A pin of a sensor: ``needs`` lists the board abilities that will do, best first; levels in volts."""

    name: str
    role: Role
    colour: str
    needs: tuple[str, ...] = ()
    high_needs_v: float = 0.0  # for an input: the least that surely reads high at the sensor


@dataclass(frozen=True)
class ChannelSpec:
    """One raw signal: ``labels`` are the names it goes by on the line; ``invalid`` says which raw values mean nothing."""

    name: str
    label: str
    form: str  # level, edge or counter
    unit: str
    labels: tuple[str, ...]
    low: float
    high: float
    digits: int = 0


@dataclass(frozen=True)
class Surroundings:
    """What other sensors of the rig say about the moment: air temperature per sample (NaN = unknown), °C."""

    air_c: Array | None = None


@dataclass(frozen=True)
class Converted:
    """Converted readings: ``values`` is NaN where the reading means nothing at all; ``codes`` index the kind's reasons
    (0 = fine)."""

    values: Array
    codes: npt.NDArray[np.int8]

    @property
    def valid(self) -> npt.NDArray[np.bool_]:
        """True where the reading means something."""
        return np.asarray(self.codes == 0)


@dataclass(frozen=True)
class Moment:
    """A short stretch of converted readings up to now, for putting into words; times in seconds, rising."""

    times_s: Array
    converted: Converted


@dataclass(frozen=True)
class Quantity:
    """What a kind converts to: its name and unit (mm, °C …), the span it can have, and the decimals worth showing."""

    name: str
    unit: str
    low: float
    high: float
    digits: int = 0


@dataclass(frozen=True)
class Kind:
    """A sensor kind: data and pure functions. ``raw`` names the channel that the conversion begins with."""

    id: str
    title: str
    supply_v: float
    supply_ma: float
    pins: tuple[PinSpec, ...]
    channels: tuple[ChannelSpec, ...]
    quantity: Quantity
    constants: tuple[ConstantSpec, ...]
    derived: tuple[DerivedSpec, ...]
    reasons: tuple[str, ...]
    convert: Callable[[Mapping[str, Array], Values, Surroundings], Converted]
    words: Callable[[Moment, Values], str]
    conversions: tuple[str, ...] = ()  # worked lines at Convert
    procedures: tuple[str, ...] = ()  # at Calibrate
    decisions: tuple[str, ...] = ()  # at Decide
    cautions: tuple[str, ...] = ()

    @property
    def raw(self) -> ChannelSpec:
        """The channel that the conversion begins with."""
        return self.channels[0]

    def pin(self, name: str) -> PinSpec:
        """The pin of that name; a KeyError is a mistake of ours."""
        return {pin.name: pin for pin in self.pins}[name]
