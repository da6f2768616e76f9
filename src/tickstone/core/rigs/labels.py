"""The names that a rig's readings go by on the line: the kind's own, with the part's name before them where
two parts would speak alike."""

from __future__ import annotations

from collections.abc import Iterable

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
        results[sensor.id, channel.name] = label if plain.count(label) == 1 else own_label(sensor.id, label)
    return results


def own_label(owner: str, label: str) -> str:
    """A label that names its owner, a sensor: rear_ranger_echo_us."""
    return f"{owner.replace('-', '_')}_{label}"


def by_label(owners: Iterable[tuple[str, Iterable[ChannelSpec]]]) -> dict[str, tuple[str, ChannelSpec]]:
    """Every label that is understood, with the owner and the channel that it means; where two owners have the
    same, the first has it.

    Parameters: owners, each with its channels: the sensors of a rig, or kinds of loose parts.
    """
    every = [
        (owner, channel, label) for owner, specs in owners for channel in specs for label in channel.labels
    ]
    results: dict[str, tuple[str, ChannelSpec]] = {}
    for owner, channel, label in every:
        results.setdefault(own_label(owner, label), (owner, channel))
    for owner, channel, label in every:
        results.setdefault(label, (owner, channel))
    return results


def known_labels(rig: Rig) -> dict[str, tuple[str, ChannelSpec]]:
    """Every label that a rig understands, with the sensor's id and the channel that it means."""
    return by_label((sensor.id, [channel]) for sensor, channel in channels(rig))
