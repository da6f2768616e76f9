"""What a column is by its name alone, where nothing is known of the rig: a raw channel of a kind of sensor,
by our own names; else what its name says that it measures."""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

from tickstone.core.diagnosis.record import (
    ACCEL,
    AIR,
    DISTANCE,
    ECHO,
    EDGE,
    GYRO,
    LEVEL,
    LIGHT,
    OTHER,
    RANGING,
    SUPPLY,
    nature_of,
)
from tickstone.core.diagnosis.scales import MM_PER_US
from tickstone.core.rigs.kinds import KINDS
from tickstone.core.rigs.kinds.base import ChannelSpec, Kind
from tickstone.core.rigs.labels import by_label
from tickstone.core.units import LENGTHS_MM


class NamedQuantity(NamedTuple):
    """What a name says: the quantity and its unit, empty where it says none; how the fault finder looks at
    it, and what turns its numbers into mm, g or °/s (None: that is not known)."""

    quantity: str = ""
    unit: str = ""
    nature: str = OTHER
    scale: float | None = None


_BY_NAME = (  # endings that say a unit, then words
    (r"_edge_us$|^edge_us$", NamedQuantity("edges", "µs", EDGE)),
    (r"echo.*_us$", NamedQuantity("time", "µs", ECHO, MM_PER_US)),
    (r"_us$", NamedQuantity("time", "µs")),
    (r"_ms$", NamedQuantity("time", "ms")),
    (r"^a[xyz]_g$", NamedQuantity("acceleration", "g", ACCEL, 1.0)),
    (r"^g[xyz]_dps$", NamedQuantity("rotation rate", "°/s", GYRO, 1.0)),
    (r"_c$", NamedQuantity("temperature", "°C", AIR)),
    (r"distance_mm$", NamedQuantity("distance", "mm", DISTANCE, 1.0)),
    (r"distance_cm$", NamedQuantity("distance", "cm", DISTANCE, 10.0)),
    (r"distance_in$", NamedQuantity("distance", "in", DISTANCE, LENGTHS_MM["in"])),
    (r"_mm$", NamedQuantity("length", "mm", DISTANCE, 1.0)),
    (r"_cm$", NamedQuantity("", "", DISTANCE, 10.0)),
    (r"_m$", NamedQuantity("", "", DISTANCE, 1000.0)),
    (r"_in$", NamedQuantity("", "", DISTANCE, LENGTHS_MM["in"])),
    (r"(bat|batt|battery|supply|vcc|vin)\w*_adc$", NamedQuantity("counts", "counts", SUPPLY)),
    (r"^a[xyz]_adc$|(air|temp)\w*_adc$", NamedQuantity("counts", "counts")),
    (r"(ir|range)_adc$|^(ir|range)adc$|^dist\w*_adc$", NamedQuantity("counts", "counts", RANGING)),
    (r"_adc$|^(ldr|s\d)\w*_counts$", NamedQuantity("counts", "counts", LIGHT)),
    (r"_counts$", NamedQuantity("counts", "counts")),
    (r"(bat|batt|battery|supply|vcc|vin)\w*_v$", NamedQuantity("voltage", "V", SUPPLY)),
    (r"^(ldr|s\d)\w*_v$", NamedQuantity("voltage", "V", LIGHT)),
    (r"_v$", NamedQuantity("voltage", "V")),
    (r"rpm$", NamedQuantity("rotation", "rpm")),
    (r"_deg$", NamedQuantity("angle", "°")),
    (r"_hz$", NamedQuantity("frequency", "Hz")),
    (r"^echo$", NamedQuantity("", "", ECHO, MM_PER_US)),
    (r"^a[xyz](_raw)?$", NamedQuantity("", "", ACCEL)),
    (r"^g[xyz](_raw)?$", NamedQuantity("", "", GYRO)),
    (r"^dist", NamedQuantity("", "", DISTANCE, 10.0)),
    (r"(air|temp)\w*$", NamedQuantity("", "", AIR)),
    (r"^hall\d*$|_hall$|^mark_level$", NamedQuantity("", "", LEVEL)),
    (r"^adc\d*$|^s\d_?|^ldr", NamedQuantity("", "", LIGHT)),
)


@cache
def _labels() -> dict[str, tuple[str, ChannelSpec]]:
    return by_label((known.id, known.channels) for known in KINDS.values())


def channel_named(name: str) -> tuple[Kind, ChannelSpec] | None:
    """The kind and channel that a name of our own means, or None."""
    known = _labels().get(name.strip().lower())
    return None if known is None else (KINDS[known[0]], known[1])


def named(name: str) -> NamedQuantity:
    """What a column measures by its name; nothing and OTHER where the name does not say."""
    known = channel_named(name)
    if known is not None:
        kind, channel = known
        nature = nature_of(kind.family, channel.form, channel.unit, channel.name)
        return NamedQuantity(kind.id, channel.unit, nature, {ECHO: MM_PER_US, DISTANCE: 1.0}.get(nature))
    plain = name.strip().lower()
    return next((result for pattern, result in _BY_NAME if re.search(pattern, plain)), NamedQuantity())
