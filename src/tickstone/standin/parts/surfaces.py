"""Reflective sensors over taped ground: line under the row, height, and the lamp with its flicker."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from functools import cached_property

import numpy as np

from tickstone.core.drive.ground import side_share
from tickstone.standin.hands import Hand, choice
from tickstone.standin.parts.base import Event, SimulatedPart
from tickstone.standin.track import Rolling

SPOT_MM, SPOT_SD_MM = 7.0, 0.6  # across what one sensor sees, and how parts differ (k = 1)
BEST_MM, FALLS_MM = 4.0, 7.0  # height of most light, and how fast it falls away from there
LAMP_SHARE = 0.10  # of the way from black to white that a full lamp adds
TAPED, PALE, DARK, NOTHING = range(4)
GROUNDS = ("tape on pale ground", "all pale", "all dark", "over an edge")


def gain(height_mm: float) -> float:
    """How much light of the sensor's own comes back at a height, 1 at the best one."""
    return 1.0 / (1.0 + ((height_mm - BEST_MM) / FALLS_MM) ** 2)


class GroundPart(SimulatedPart):
    """What surface sensors share: where the line is, and how much of a spot it covers."""

    @cached_property
    def spot_mm(self) -> float:
        """How wide what each of its sensors sees is: drawn apart, so that no other draw is another."""
        own = np.random.default_rng([self.world.seed, zlib.crc32(self.key.encode())])
        return float(SPOT_MM + own.normal(0.0, SPOT_SD_MM))

    def advance(self, dt_s: float) -> None:
        moves = self.hand("moves_mm_s")
        if moves:
            at = self.hand("line_mm") + moves * dt_s
            if abs(at) > 45.0:
                at = max(-45.0, min(45.0, at))
                self.world.set[f"{self.key}.moves_mm_s"] = -moves
            self.world.set[f"{self.key}.line_mm"] = at

    def dark(self, place_mm: float) -> float:
        """Share of a spot at a place across the way that is dark, 0 to 1."""
        if isinstance(self.track, Rolling):
            return self.track.dark(self.sensor, place_mm, self.spot_mm / 2)
        ground = int(self.hand("ground"))
        if ground != TAPED:
            return 1.0 if ground == DARK else 0.0
        half = (self.rig.geometry.line_mm or 19.0) / 2
        low, high = self.hand("line_mm") - half - place_mm, self.hand("line_mm") + half - place_mm
        radius = self.spot_mm / 2
        return max(0.0, side_share(high / radius) - side_share(low / radius))

    def truth(self) -> Mapping[str, float]:
        return {"line": self.hand("line_mm")}


GROUND_HANDS = (
    choice("ground", "Under it", *GROUNDS),
    Hand("line_mm", "Line lies, right of the middle", 0.0, -60.0, 60.0, 1.0, "mm"),
    Hand("moves_mm_s", "Line moves at", 0.0, -200.0, 200.0, 5.0, "mm/s"),
)


class LineRowPart(GroundPart):
    """Counts of one to eight sensors, each with a white and a black of its own."""

    own_hands = (*GROUND_HANDS, Hand("height_mm", "Height", BEST_MM, 1.0, 40.0, 0.5, "mm"))
    faults = ("spikes", "stuck", "swapped", "inverted", "clipping", "flicker", "drift")

    def make(self) -> None:
        self.count = int(self.values["sensors"].value)
        self.pitch = self.values["pitch"].value
        self.whites = [self.near("white", 0.5) for _ in range(self.count)]
        self.blacks = [self.near("black", 0.5) for _ in range(self.count)]
        self.noise = self.values["noise"].value
        self.made = {
            **{f"white_s{i}": level for i, level in enumerate(self.whites, 1)},
            **{f"black_s{i}": level for i, level in enumerate(self.blacks, 1)},
            "spot": self.spot_mm,
        }
        _, self.reference_v = self.converter

    def sample(self) -> dict[str, float]:
        read = {}
        depth = 3.0 if self.has("flicker") else 0.35
        lamp = LAMP_SHARE * self.world.light(depth) * (1.0 + self.hand("height_mm") / 20.0)
        lost = self.track is None and int(self.hand("ground")) == NOTHING
        for i in range(self.count):
            place = (i - (self.count - 1) / 2) * self.pitch
            back = 0.0 if lost else 1.0 - self.dark(place)
            share = back * gain(self.hand("height_mm")) + lamp * (0.4 + 0.6 * back)
            white, black = self.whites[i], self.blacks[i]
            if self.has("inverted"):
                white, black = black, white
            counts = black + (white - black) * share + self.world.normal(self.noise)
            counts += self.world.normal(self.world.pick_up_v() / self.reference_v * (self.top() + 1))
            read[f"s{i + 1}"] = float(min(max(round(counts), 0), self.top()))
        if self.has("swapped"):
            names = list(read)
            read = dict(zip(names, [read[name] for name in reversed(names)], strict=True))
        return read

    def span(self) -> tuple[float, float]:
        return 0.0, self.top()


class DigitalLinePart(GroundPart):
    """A level that flips when half of the spot is dark, with hysteresis."""

    own_hands = GROUND_HANDS
    faults = ("stuck", "inverted", "chatter")

    def make(self) -> None:
        self.over = self.dark(0.0) >= 0.5
        self.told: float | None = None

    def level(self) -> float:
        """What the output is now."""
        share = self.dark(0.0)
        self.over = share > 0.4 if self.over else share > 0.6
        lit = self.values["dark_level"].value
        return lit if self.over != self.has("inverted") else 1.0 - lit

    def events(self, t0_s: float, t1_s: float) -> list[Event]:
        level = self.level()
        if self.has("stuck") and self.told is not None:
            level = self.told
        if self.has("chatter") and self.world.chance(40.0 * (t1_s - t0_s)):
            return [
                (t0_s + (t1_s - t0_s) * f, {"level": level if i % 2 else 1.0 - level})
                for i, f in enumerate((0.2, 0.4, 0.6, 0.8))
            ]
        if level == self.told:
            return []
        self.told = level
        return [(t1_s, {"level": level})]

    def truth(self) -> Mapping[str, float]:
        return {"darkness": float(self.over)}
