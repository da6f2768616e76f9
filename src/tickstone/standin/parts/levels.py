"""Slow levels: air, battery, and the loudness of the room."""

from __future__ import annotations

from collections.abc import Mapping

from tickstone.core.rigs.kinds.parts import step_v
from tickstone.standin.hands import Hand
from tickstone.standin.parts.base import SimulatedPart

AIR_NOISE_K = 0.08


class AirPart(SimulatedPart):
    """Air temperature with an offset of the sensor's own."""

    faults = ("stuck", "spikes", "drift")

    def make(self) -> None:
        self.offset = self.near("offset", 0.6)

    def sample(self) -> dict[str, float]:
        return {
            "air": round(self.world.room("temperature_c") - self.offset + self.world.normal(AIR_NOISE_K), 1)
        }

    def truth(self) -> Mapping[str, float]:
        return {"air temperature": self.world.room("temperature_c")}

    def span(self) -> tuple[float, float]:
        return -40.0, 85.0


class AirAndHumidityPart(AirPart):
    """The same part with humidity beside it."""

    own_hands = (Hand("humidity_pct", "Humidity", 62.0, 0.0, 100.0, 1.0, "%"),)

    def sample(self) -> dict[str, float]:
        return super().sample() | {
            "humidity": float(round(self.hand("humidity_pct") + self.world.normal(0.4)))
        }


class BatteryPart(SimulatedPart):
    """A battery behind its divider, sagging while motors run."""

    own_hands = (Hand("battery_v", "Battery at rest", 7.6, 0.0, 30.0, 0.05, "V"),)
    faults = ("zeros", "spikes", "stuck", "scale", "drift")

    def make(self) -> None:
        self.top_ohm, self.bottom_ohm = self.near("top", 0.5), self.near("bottom", 0.5)

    def volts(self) -> float:
        """What the battery gives just now."""
        return max(0.0, self.hand("battery_v") - self.world.sag_v())

    def sample(self) -> dict[str, float]:
        share = self.bottom_ohm / (self.top_ohm + self.bottom_ohm)
        return {"counts": self.counts(self.volts() * share + self.noise_v(0.003))}

    def truth(self) -> Mapping[str, float]:
        return {"battery": self.volts()}

    def span(self) -> tuple[float, float]:
        return 0.0, self.top()


class MicrophonePart(SimulatedPart):
    """Swing of the amplified sound over each window; motors are heard."""

    own_hands = (Hand("sound_mv", "Sound at the capsule", 1.0, 0.0, 100.0, 0.5, "mV"),)
    faults = ("zeros", "spikes", "stuck", "clipping", "drift")

    def make(self) -> None:
        self.gain = self.near("gain", 0.5)

    def level_mv(self) -> float:
        """Peak to peak at the capsule."""
        return self.hand("sound_mv") + 6.0 * self.world.room("motors")

    def sample(self) -> dict[str, float]:
        swing = self.level_mv() / 1000.0 * self.gain / step_v(self.values)
        return {"swing": float(min(max(round(swing * (1 + self.world.normal(0.04))), 0), self.top()))}

    def truth(self) -> Mapping[str, float]:
        return {"level": self.level_mv()}

    def span(self) -> tuple[float, float]:
        return 0.0, self.top()
