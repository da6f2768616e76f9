"""A rig's channels as the fault finder sees them: what the rig and its constants know of each."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tickstone.core.constants import Values
from tickstone.core.diagnosis.record import (
    ACCEL,
    DISTANCE,
    ECHO,
    GYRO,
    LEVEL,
    LIGHT,
    SUPPLY,
    Array,
    Signal,
    Stream,
    nature_of,
)
from tickstone.core.diagnosis.scales import MM_PER_US
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.kinds.base import Ambient, ChannelSpec, Kind
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.rig import Rig, Sensor

FULL_COUNTS = 2**15


def signal_of(
    rig: Rig, sensor: Sensor, channel: ChannelSpec, column: Array, values: Values, name: str | None = None
) -> Signal:
    """One channel of a sensor with what the rig knows of it.

    Parameters: column, raw readings, shape (n,), NaN where not told; values, the sensor's constants; name,
    what to call it where not by the channel's own name.
    """
    what = kind(sensor.kind)
    nature = nature_of(what.family, channel.form, channel.unit, channel.name)
    converter = converter_of(rig, sensor.id) if channel.unit == "counts" else None
    ends = None if converter is None else (0.0, 2.0 ** converter[0] - 1)
    if nature in (ACCEL, GYRO) and channel.low < 0:
        ends = (channel.low, channel.high)
    scale, zero = _scale(what, nature, channel, values, converter)
    pale_low = None
    if nature == LIGHT and "white" in values and "black" in values:
        pale_low = values["white"].value < values["black"].value
    pulses = next((values[item].value for item in ("magnets", "marks") if item in values), None)
    return Signal(
        name or channel.name,
        nature,
        column,
        scale,
        zero,
        ends,
        _supply_v(rig, sensor) if nature == SUPPLY else None,
        channel.name[-1] if nature in (ACCEL, GYRO) else "",
        pale_low,
        True if nature == LEVEL and any(channel.form == "edge" for channel in what.channels) else None,
        None if pulses is None else int(pulses),
    )


def _scale(
    what: Kind, nature: str, channel: ChannelSpec, values: Values, converter: tuple[int, float] | None
) -> tuple[float | None, float]:
    if nature == ECHO:
        return MM_PER_US, 0.0
    if nature in (DISTANCE, SUPPLY):
        low, high = what.convert({channel.name: np.array([100.0, 200.0])}, values, Ambient()).values.tolist()
        return (high - low) / 100.0, 0.0
    if nature in (ACCEL, GYRO) and "accel_range" in values:
        return values["accel_range" if nature == ACCEL else "gyro_range"].value / FULL_COUNTS, 0.0
    if nature == ACCEL and converter is not None and f"per_g_{channel.name}" in values:
        step_v = converter[1] / 2 ** converter[0]
        return step_v / values[f"per_g_{channel.name}"].value, values[f"zero_{channel.name}"].value / step_v
    return None, 0.0


def _supply_v(rig: Rig, sensor: Sensor) -> float | None:
    """Nominal volts of the supply that a battery divider is wired to, or of the only one there is."""
    for wire in rig.wires_of(sensor.id):
        supply = rig.supply(wire.to)
        if supply is not None:
            return supply.volts
    return rig.supplies[0].volts if len(rig.supplies) == 1 else None


def stream_of(
    rig: Rig,
    sensor: Sensor,
    times_s: Array,
    columns: Mapping[str, Array],
    values: Values,
    tick_s: float,
    names: Mapping[str, str] | None = None,
) -> Stream:
    """The stream of one sensor: ``columns`` by channel, each of shape (n,); ``names`` what to call channels
    instead."""
    what = kind(sensor.kind)
    specs = [channel for channel in what.channels_of(sensor.options) if channel.name in columns]
    signals = tuple(
        signal_of(rig, sensor, channel, columns[channel.name], values, (names or {}).get(channel.name))
        for channel in specs
    )
    sampled = all(channel.form == "level" for channel in what.channels) and not any(
        signal.nature == LEVEL for signal in signals
    )
    row = bool(what.counted_by) and len(signals) > 1
    scheme = f"{values['scheme'].value:.0f}" if "scheme" in values else ""
    return Stream(sensor.id, times_s, signals, tick_s, sampled, row, scheme, of_rig=True)
