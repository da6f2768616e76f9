"""The names that a rig's readings go by on the line: the kind's own, with the part's name before them where
two parts would speak alike."""

from __future__ import annotations

from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import ChannelSpec
from tickstone.core.rigs.rig import Rig, Sensor


def channels(rig: Rig) -> list[tuple[Sensor, ChannelSpec]]:
    """Every channel of every sensor of a rig, in order."""
    return [(one, channel) for one in rig.sensors for channel in kind(one.kind).channels_of(one.options)]


def labels(rig: Rig) -> dict[tuple[str, str], str]:
    """The label that the watch program prints for each (sensor, channel)."""
    plain = [channel.labels[0] for _, channel in channels(rig)]
    found = {}
    for one, channel in channels(rig):
        label = channel.labels[0]
        found[one.id, channel.name] = label if plain.count(label) == 1 else own_label(one, label)
    return found


def own_label(sensor: Sensor, label: str) -> str:
    """A label that names its sensor: rear_ranger_echo_us."""
    return f"{sensor.id.replace('-', '_')}_{label}"


def known_labels(rig: Rig) -> dict[str, tuple[Sensor, ChannelSpec]]:
    """Every label that is understood, with the channel it means; where two sensors have the same, the first
    has it."""
    found: dict[str, tuple[Sensor, ChannelSpec]] = {}
    for one, channel in channels(rig):
        for label in channel.labels:
            found.setdefault(own_label(one, label), (one, channel))
    for one, channel in channels(rig):
        for label in channel.labels:
            found.setdefault(label, (one, channel))
    return found
