"""A simulated part: its own copy of the truth, what it reads at a time, and what happens between two
times."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from tickstone.core.rigs.kinds import kind
from tickstone.core.rigs.outputs import converter_of
from tickstone.core.rigs.rig import Rig, Sensor
from tickstone.core.rigs.usual import usual_values
from tickstone.standin.hands import Hand, fault
from tickstone.standin.track import Track
from tickstone.standin.world import World

Event = tuple[float, dict[str, float]]  # time, s, and the channels that are told then


class SimulatedPart:
    """One sensor of the rig on the simulated bench. ``truth`` is for tests and never leaves by the line."""

    own_hands: tuple[Hand, ...] = ()
    faults: tuple[str, ...] = ()

    def __init__(self, world: World, rig: Rig, sensor: Sensor) -> None:
        self.world, self.rig, self.sensor, self.key = world, rig, sensor, sensor.id
        self.kind = kind(sensor.kind)
        self.values = usual_values(self.kind, rig, sensor)
        self.made: dict[str, float] = {}  # the constants as this copy has them
        world.add(self.key, (*self.own_hands, *(fault(name) for name in self.faults)))
        self.make()

    def make(self) -> None:
        """Draw this copy's own truth: no two parts are alike."""

    def changed(self, name: str) -> None:
        """A hand of this part was moved."""

    def advance(self, dt_s: float) -> None:
        """Carry what moves along by ``dt_s``."""

    def sample(self) -> dict[str, float]:
        """Raw readings by channel now."""
        return {}

    def events(self, t0_s: float, t1_s: float) -> list[Event]:
        """What happens after ``t0_s`` and up to ``t1_s``, in order; after ``advance``."""
        return []

    def truth(self) -> Mapping[str, float]:
        """What is really so just now, by the name of the quantity."""
        return {}

    def span(self) -> tuple[float, float]:
        """The span of raw numbers that a healthy reading has: what faults are sized by."""
        return 0.0, 1.0

    @property
    def track(self) -> Track | None:
        """The track, where this part is moved by it and not by hands."""
        track = self.world.track
        return track if track is not None and track.sees(self.sensor) else None

    def hand(self, name: str) -> float:
        """What is set."""
        return self.world.set[f"{self.key}.{name}"]

    def has(self, name: str) -> bool:
        """Whether a fault is switched on."""
        return self.world.set.get(f"{self.key}.fault.{name}", 0.0) >= 0.5

    def near(self, name: str, spread: float = 1.0) -> float:
        """A constant as this copy has it: drawn around the usual value by its own uncertainty."""
        value = self.values[name]
        self.made[name] = value.value + self.world.normal((value.sd or 0.0) * spread)
        return self.made[name]

    @cached_property
    def converter(self) -> tuple[int, float]:
        """Bits and full scale, V, of the converter that reads it."""
        return converter_of(self.rig, self.key) or (10, 5.0)

    def counts(self, volts: float) -> float:
        """What the converter makes of a level: rounded, and pinned at its ends."""
        bits, reference_v = self.converter
        return float(min(max(round(volts / reference_v * 2**bits), 0), 2**bits - 1))

    def top(self) -> float:
        """The converter's highest code."""
        return 2.0 ** self.converter[0] - 1

    def noise_v(self, own_v: float) -> float:
        """Noise of an analogue wire: its own, and what the motors induce."""
        return self.world.normal(own_v) + self.world.normal(self.world.pick_up_v())


def approach(now: float, wanted: float, most: float) -> float:
    """``now`` moved towards ``wanted`` by at most ``most``."""
    return wanted if abs(wanted - now) <= most else now + (most if wanted > now else -most)
