"""The room around the simulated board: air, light with its mains flicker, and motors that sag the supply and
shake."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import Any

import numpy as np

from tickstone.core.drive.aboard import SAG_V, SHAKE_G
from tickstone.errors import BadInput
from tickstone.standin.hands import ROOM, ROOM_HANDS, Hand
from tickstone.standin.track import Track

MAINS_HZ = (50.0, 60.0)
FLICKER = 0.35  # of the lamp's light: it swings at twice the mains
MOTOR_NOISE_V = 0.012  # on an analogue wire beside the motor leads


class World:
    """Everything that has been set, by "owner.name", and the room's own physics. Seeded, so that a run can be
    repeated."""

    def __init__(self, seed: int) -> None:
        self.seed = seed
        self.t_s = 0.0  # since the board was first plugged in
        self.random = np.random.default_rng(seed)
        self.specs: dict[str, Hand] = {}
        self.set: dict[str, float] = {}
        self.track: Track | None = None  # what drives, while it is on one
        self.add(ROOM, ROOM_HANDS)

    def hands(self) -> list[dict[str, Any]]:
        """Every hand that is offered, by whom, and as it is set."""
        return [
            {"id": key, "owner": key.partition(".")[0], **asdict(spec), "value": self.set[key]}
            for key, spec in self.specs.items()
        ]

    def add(self, owner: str, hands: tuple[Hand, ...]) -> None:
        """Offer these hands of an owner."""
        for hand in hands:
            self.specs[f"{owner}.{hand.name}"] = hand
            self.set.setdefault(f"{owner}.{hand.name}", hand.usual)

    def check(self, changes: dict[str, float]) -> dict[str, float]:
        """The same changes, or BadInput naming the one that cannot be."""
        for key, value in changes.items():
            if key not in self.specs:
                raise BadInput(f"The stand-in has no hand {key!r}.", key)
            self.specs[key].check(value, key)
        return changes

    def room(self, name: str) -> float:
        """What is set in the room."""
        return self.set[f"{ROOM}.{name}"]

    @property
    def mains_hz(self) -> float:
        """Frequency of the mains."""
        return MAINS_HZ[int(self.room("mains"))]

    def mains_wave(self) -> float:
        """What swings at twice the mains, −1 to 1."""
        return math.cos(4.0 * math.pi * self.mains_hz * self.t_s)

    def light(self, depth: float = FLICKER) -> float:
        """Light of the lamp now, 0 to about 1."""
        return self.room("lamp") * (1.0 + depth * self.mains_wave())

    @property
    def motors(self) -> float:
        """How hard the motors work, 0 to 1."""
        return max(self.room("motors"), 0.0 if self.track is None else self.track.effort)

    def sag_v(self) -> float:
        """How far the battery sags just now, V."""
        return SAG_V * self.motors

    def shake_g(self) -> float:
        """How strongly the motors shake the vehicle, g (k = 1)."""
        return SHAKE_G * self.motors

    def pick_up_v(self) -> float:
        """What the motors induce on an analogue wire, V (k = 1)."""
        return MOTOR_NOISE_V * self.motors

    def normal(self, sd: float) -> float:
        """A draw of a normal variable around zero."""
        return float(self.random.normal(0.0, sd)) if sd > 0 else 0.0

    def chance(self, p: float) -> bool:
        """True with this probability."""
        return p > 0 and float(self.random.random()) < p
