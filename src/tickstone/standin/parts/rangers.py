"""Rangers before a target that a hand places, slants and moves."""

from __future__ import annotations

from collections.abc import Mapping

from tickstone.core import ranging, sound, triangulation
from tickstone.standin.hands import Hand
from tickstone.standin.parts.base import SimulatedPart

RULER_SD_MM = 0.6  # how well a hand puts a target at a ruler's mark
DETECTION_DELAY_US = 18.0  # from the echo's arrival to the pin's edge: this is what the offset is for
JITTER_US = 4.0
TICK_US = 4
HUMIDITY_PCT = 62.0
REACH_MM = 4000.0
FAR_MM = 50_000.0  # where nothing sends an echo back
SLANT_LOSES_FROM_DEG = 12.0  # a smooth wall met at a slant reflects away
SLANT_LOSES_ALL_DEG = 30.0
COMMON = ("zeros", "spikes", "stuck", "scale", "drift")


def _hands(usual_mm: float) -> tuple[Hand, ...]:
    return (
        Hand("target_mm", "Target by the ruler", usual_mm, 20.0, 6000.0, 10.0, "mm"),
        Hand("moves_mm_s", "Target moves at", 0.0, -2000.0, 2000.0, 20.0, "mm/s"),
        Hand("slant_deg", "Target slants by", 0.0, 0.0, 60.0, 1.0, "°"),
        Hand("reflects", "Surface sends back", 0.9, 0.0, 1.0, 0.05),
    )


class RangedPart(SimulatedPart):
    """What all rangers share: a target that lands as exactly as a hand can put it, and turns round at the
    bench's ends."""

    ends_mm = (150.0, 3500.0)

    def make(self) -> None:
        self.distance_mm = self._placed()

    def _placed(self) -> float:
        return max(1.0, self.hand("target_mm") + self.world.normal(RULER_SD_MM))

    def changed(self, name: str) -> None:
        if name == "target_mm":
            self.distance_mm = self._placed()

    def advance(self, dt_s: float) -> None:
        if self.track is not None:
            self.distance_mm = min(self.track.away(self.sensor), FAR_MM)
            return
        moves = self.hand("moves_mm_s")
        if not moves:
            return
        self.distance_mm = max(1.0, self.distance_mm + moves * dt_s)
        near, far = self.ends_mm
        if (self.distance_mm < near and moves < 0) or (self.distance_mm > far and moves > 0):
            self.world.set[f"{self.key}.moves_mm_s"] = -moves
        self.world.set[f"{self.key}.target_mm"] = round(min(max(self.distance_mm, 20.0), 6000.0), 1)

    def truth(self) -> Mapping[str, float]:
        return {"distance": self.distance_mm}

    def lost(self) -> float:
        """Probability that nothing comes back, by slant."""
        slant = self.hand("slant_deg")
        return min(
            max((slant - SLANT_LOSES_FROM_DEG) / (SLANT_LOSES_ALL_DEG - SLANT_LOSES_FROM_DEG), 0.0), 1.0
        )


class UltrasonicPart(RangedPart):
    """Echo time by the speed of sound in this air, with detection delay, jitter and timer step."""

    own_hands = _hands(850.0)
    faults = COMMON

    def sample(self) -> dict[str, float]:
        speed = float(sound.speed_of_sound_cramer(self.world.room("temperature_c"), HUMIDITY_PCT))
        fading = self.distance_mm / REACH_MM / max(self.hand("reflects"), 0.05)
        lost = 0.001 + 0.5 * max(0.0, fading - 0.6) + self.lost()
        if self.distance_mm > REACH_MM or self.world.chance(lost):
            return {"echo": 0.0}
        echo = ranging.echo_from_distance_us(self.distance_mm, speed) + DETECTION_DELAY_US
        echo += self.world.normal(JITTER_US)
        return {"echo": max(0.0, float(round(echo / TICK_US) * TICK_US))}

    def span(self) -> tuple[float, float]:
        return 0.0, 20_000.0


class TriangulationPart(RangedPart):
    """A voltage that falls as a hyperbola from its near end on, and falls again nearer than that."""

    own_hands = _hands(350.0)
    faults = (*COMMON, "clipping", "flicker")
    noise = 0.003

    def make(self) -> None:
        super().make()
        self.curve = tuple(self.near(name, 0.5) for name in ("a", "b", "c"))
        self.nearest, self.farthest = self.values["nearest"].value, self.values["farthest"].value
        self.ends_mm = (0.7 * self.nearest, 1.1 * self.farthest)

    def sample(self) -> dict[str, float]:
        at = max(self.distance_mm, self.nearest)
        level = float(triangulation.volts_at(at, *self.curve))
        if self.distance_mm < self.nearest:
            level *= (self.distance_mm / self.nearest) ** 0.7
        if self.world.chance(self.lost()):
            level = self.curve[2]
        return {"counts": self.counts(level + self.noise_v(self.noise))}

    def span(self) -> tuple[float, float]:
        return 0.0, self.top()


class TimeOfFlightPart(RangedPart):
    """Millimetres, with an offset and a scale of its own; beyond its reach the part's number for nothing."""

    own_hands = _hands(240.0)
    faults = COMMON
    ends_mm = (60.0, 280.0)
    nothing = 8190.0
    reach_mm = 1200.0

    def make(self) -> None:
        super().make()
        self.offset, self.scale = self.near("offset", 0.5), self.near("scale", 0.5)

    def sample(self) -> dict[str, float]:
        if self.distance_mm > self.reach_mm * self.hand("reflects") or self.world.chance(self.lost()):
            return {"reading": self.nothing}
        noise = self.world.normal(self.values["noise"].value * (1.0 + self.distance_mm / 400.0) / 2.0)
        return {"reading": float(max(0, round((self.distance_mm - self.offset) / self.scale + noise)))}

    def span(self) -> tuple[float, float]:
        return 0.0, 1200.0
