"""A vehicle that is held in a pose, turned, and shaken: accelerometers and the gyro."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from tickstone.core.drive.aboard import ACCEL_NOISE_G, GYRO_NOISE_DPS
from tickstone.core.inertial import AXES, gravity_at
from tickstone.core.rigs.kinds.inertial import FULL
from tickstone.standin.hands import Hand
from tickstone.standin.parts.base import SimulatedPart, approach

HANDS = (
    Hand("nose_up_deg", "Nose up", 0.0, -180.0, 180.0, 1.0, "°"),
    Hand("left_up_deg", "Left side up", 0.0, -180.0, 180.0, 1.0, "°"),
    Hand("turns_deg_s", "Turns, to the left", 0.0, -720.0, 720.0, 5.0, "°/s"),
    Hand("shakes_g", "Shaken by", 0.0, 0.0, 2.0, 0.02, "g"),
)
TURN_DEG_S = 90.0  # how fast a hand brings it into another pose
WARM_BIAS_DPS_K = 0.03  # the gyro's bias moves with temperature
WALK_DPS = 0.004  # and walks by itself, per root second


class PosedPart(SimulatedPart):
    """Gravity along three axes as the hands hold it, with what shakes it on top."""

    own_hands = HANDS
    faults = ("stuck", "inverted", "clipping", "scale", "drift", "spikes")

    def make(self) -> None:
        self.nose, self.left = self.hand("nose_up_deg"), self.hand("left_up_deg")
        self.rates = (0.0, 0.0, 0.0)
        self.heading = 0.0

    def advance(self, dt_s: float) -> None:
        nose = approach(self.nose, self.hand("nose_up_deg"), TURN_DEG_S * dt_s)
        left = approach(self.left, self.hand("left_up_deg"), TURN_DEG_S * dt_s)
        track = self.world.track
        turning = self.hand("turns_deg_s") if track is None else track.turns_deg_s
        self.rates = (
            ((left - self.left) / dt_s, (self.nose - nose) / dt_s, turning) if dt_s > 0 else self.rates
        )
        self.nose, self.left, self.heading = nose, left, self.heading + turning * dt_s

    def gravity(self) -> list[float]:
        """Specific force along x, y, z, g."""
        shake = math.hypot(self.hand("shakes_g"), self.world.shake_g())
        times = gravity_at(self.left, -self.nose)
        if self.world.track is not None:
            times = times + np.array([self.world.track.pushes_g, 0.0, 0.0])
        return [float(g) + self.world.normal(ACCEL_NOISE_G) + self.world.normal(shake) for g in times]

    def truth(self) -> Mapping[str, float]:
        z = float(gravity_at(self.left, -self.nose)[2])
        return {"tilt": math.degrees(math.acos(max(-1.0, min(1.0, z)))), "heading": self.heading}


class AnalogueAccelerometer(PosedPart):
    """Three voltages around half the supply."""

    def make(self) -> None:
        super().make()
        self.zeros = [self.near(f"zero_{axis}", 0.3) for axis in AXES]
        self.per_g = [self.near(f"per_g_{axis}", 0.3) for axis in AXES]

    def sample(self) -> dict[str, float]:
        flip = -1.0 if self.has("inverted") else 1.0
        return {
            axis: self.counts(zero + flip * g * per_g + self.noise_v(0.001))
            for axis, g, zero, per_g in zip(AXES, self.gravity(), self.zeros, self.per_g, strict=True)
        }

    def span(self) -> tuple[float, float]:
        return 0.0, self.top()


class InertialUnit(PosedPart):
    """Counts of accelerometer and gyro, with offsets, scales, and biases that drift."""

    def make(self) -> None:
        super().make()
        self.offsets = [self.near(f"offset_{axis}", 0.5) for axis in AXES]
        self.scales = [self.near(f"scale_{axis}", 0.5) for axis in AXES]
        self.biases = [self.near(f"bias_{axis}", 0.5) for axis in AXES]
        self.rate_scales = [self.near(f"rate_scale_{axis}", 0.5) for axis in AXES]
        self.made_at_c = self.world.room("temperature_c")

    def advance(self, dt_s: float) -> None:
        super().advance(dt_s)
        self.biases = [bias + self.world.normal(WALK_DPS * math.sqrt(max(dt_s, 0.0))) for bias in self.biases]

    def sample(self) -> dict[str, float]:
        warm = WARM_BIAS_DPS_K * (self.world.room("temperature_c") - self.made_at_c)
        per_g, per_dps = FULL / self.values["accel_range"].value, FULL / self.values["gyro_range"].value
        read = {}
        flip = -1.0 if self.has("inverted") else 1.0
        for axis, g, offset, scale in zip(AXES, self.gravity(), self.offsets, self.scales, strict=True):
            read[axis] = _pinned((flip * g + offset) / scale * per_g)
        for axis, rate, bias, scale in zip(AXES, self.rates, self.biases, self.rate_scales, strict=True):
            read[f"g{axis}"] = _pinned(
                (rate / scale + bias + warm + self.world.normal(GYRO_NOISE_DPS)) * per_dps
            )
        return read

    def span(self) -> tuple[float, float]:
        return -FULL, FULL - 1


def _pinned(counts: float) -> float:
    return float(min(max(round(counts), -FULL), FULL - 1))
