"""The names that a rig's readings go by on the line: the kind's own, with the part's name before them where
two parts would speak alike."""

from __future__ import annotations

from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import ChannelSpec
from tickstone.core.rigs.rig import Rig, Sensor


def channels(rig: Rig) -> list[tuple[Sensor, ChannelSpec]]:
    """Every channel of every sensor of a rig, in order."""
    return [
        (sensor, channel)
        for sensor in rig.sensors
        for channel in kind(sensor.kind).channels_of(sensor.options)
    ]


def labels(rig: Rig) -> dict[tuple[str, str], str]:
    """The label that the watch program prints for each (sensor, channel)."""
    plain = [channel.labels[0] for _, channel in channels(rig)]
    results = {}
    for sensor, channel in channels(rig):
        label = channel.labels[0]
        results[sensor.id, channel.name] = label if plain.count(label) == 1 else own_label(sensor, label)
    return results


def own_label(sensor: Sensor, label: str) -> str:
    """A label that names its sensor: rear_ranger_echo_us."""
    return f"{sensor.id.replace('-', '_')}_{label}"


def known_labels(rig: Rig) -> dict[str, tuple[Sensor, ChannelSpec]]:
    """Every label that is understood, with the channel it means; where two sensors have the same, the first
    has it."""
    results: dict[str, tuple[Sensor, ChannelSpec]] = {}
    for sensor, channel in channels(rig):
        for label in channel.labels:
            results.setdefault(own_label(sensor, label), (sensor, channel))
    for sensor, channel in channels(rig):
        for label in channel.labels:
            results.setdefault(label, (sensor, channel))
    return results
