"""Numbers that a run takes as usual because nobody has measured them: what they are called, and the procedure
that measures each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tickstone.core.drive.vehicle import SPECS
from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.rig import Rig, Sensor

MEASURED_BY: Mapping[str, tuple[str, ...]] = {  # the first that the sensor has
    "lag_s": ("motor-lag",),
    "v_top_mm_s": ("motor-lag",),
    "dead_pct": ("dead-band",),
    "mismatch_pct": ("straight-run",),
    "track_mm": ("squares",),
    "spot": ("spot",),
    "white": ("line",),
    "black": ("line",),
    "noise": ("filter",),
    "jitter": ("filter",),
    "offset": ("ruler", "ruler-mm"),
    "sound": ("ruler",),
}
LABELS = {"thresholds": "thresholds", "stiction": "stiction", "servo": "servo"}


@dataclass(frozen=True)
class Assumed:
    """A number that nobody has measured; ``sensor`` and ``procedure`` lead to where it is (empty: nowhere, it
    is typed for the run)."""

    name: str
    label: str
    sensor: str
    procedure: str


def assumed_of(name: str, rig: Rig, sensor: Sensor) -> Assumed:
    """What is known of a number that a run took as usual; ``sensor`` is the one that its behaviour reads."""
    vehicle = {spec.name: spec.label for spec in SPECS}
    spec = kind(sensor.kind).specs.get(name)
    label = vehicle.get(name) or (spec.label if spec else LABELS.get(name, name.replace("_", " ")))
    for each in (sensor, *rig.sensors):
        for procedure in MEASURED_BY.get(name, ()):
            if procedure in kind(each.kind).procedures:
                return Assumed(name, label, each.id, procedure)
    return Assumed(name, label, sensor.id if spec else "", "")
