"""Wheels and shafts that turn: magnets, marks, slots, and the rotor of a brushless motor."""

from __future__ import annotations

import itertools
import math
from bisect import bisect_right
from collections.abc import Mapping

from tickstone.core import motor_halls
from tickstone.core.rigs.rig import Sensor
from tickstone.standin.hands import Hand
from tickstone.standin.parts.base import Event, SimulatedPart, approach
from tickstone.standin.track import Track

UNEVEN = 0.02  # of a gap: how far a magnet or mark sits from its place (k = 1)
BOUNCE_S = 0.0012
MISSED = 0.2


def rolled_by(track: Track, sensor: Sensor) -> float:
    """How fast what a sensor watches rolls on the track, mm/s: the wheel on its side, both where it sits in
    the middle."""
    left, right = track.rolls_mm_s
    aside = sensor.mount.y_mm if sensor.mount else 0.0
    return left if aside > 0 else right if aside < 0 else (left + right) / 2


class SimulatedShaft(SimulatedPart):
    """Something that turns: ``turns`` rises with the speed that is set, which is reached at the acceleration
    that is set."""

    def make(self) -> None:
        self.turns = self.before = 0.0
        self.rate = self.wanted()

    def wanted(self) -> float:
        """Turns per second that are set."""
        return 0.0

    def gain(self) -> float:
        """By how many turns per second the rate may change in a second."""
        return 5.0

    def advance(self, dt_s: float) -> None:
        self.rate = approach(self.rate, self.wanted(), self.gain() * dt_s)
        self.before, self.turns = self.turns, self.turns + self.rate * dt_s

    def crossings(self, places: list[float], t0_s: float, t1_s: float) -> list[tuple[float, int]]:
        """When the last advance passed places of a turn (rising, in 0…1), and which of them."""
        low, high = sorted((self.before, self.turns))
        if high == low:
            return []
        results = []
        turn = math.floor(low)
        first = bisect_right(places, low - turn)
        for step in itertools.count(first):
            at = turn + step // len(places) + places[step % len(places)]
            if at > high:
                break
            share = (at - self.before) / (self.turns - self.before)
            results.append((t0_s + share * (t1_s - t0_s), step % len(places)))
        return sorted(results)

    def places(self, count: int) -> list[float]:
        """Marks around a turn, not quite evenly."""
        return sorted((i + 0.5 + self.world.normal(UNEVEN)) / count for i in range(count))


class MarkedShaft(SimulatedShaft):
    """Edges of magnets or marks; the channel holds the board's time of each."""

    faults = ("missed", "doubled", "chatter", "stuck", "jitter")
    marks_by = "marks"

    def make(self) -> None:
        super().make()
        self.marks = self.places(int(self.values[self.marks_by].value))
        gaps = [b - a for a, b in itertools.pairwise([*self.marks, self.marks[0] + 1.0])]
        self.twice = sorted(
            [*self.marks, *((m + g / 2) % 1.0 for m, g in zip(self.marks, gaps, strict=True))]
        )
        first = gaps.index(max(gaps))
        self.made[self.marks_by] = float(len(gaps))
        self.made |= {f"gap_{i}": gap for i, gap in enumerate((*gaps[first:], *gaps[:first]), 1)}
        self.coming: list[float] = []  # edges that are seen late

    def events(self, t0_s: float, t1_s: float) -> list[Event]:
        if self.has("stuck"):
            return []
        passed = self.crossings(self.twice if self.has("doubled") else self.marks, t0_s, t1_s)
        for t, _ in passed:
            if self.has("missed") and self.world.chance(MISSED):
                continue
            spread = 0.12 / max(abs(self.rate) * len(self.marks), 0.1) if self.has("jitter") else 0.0
            at = max(t0_s, t + self.world.normal(spread))
            self.coming.append(at)
            if self.has("chatter"):
                self.coming += [at + i * BOUNCE_S for i in range(1, 4)]
        due = sorted(at for at in self.coming if at <= t1_s)
        self.coming = [at for at in self.coming if at > t1_s]
        return [(at, {"edge": at}) for at in due]


class WheelPart(MarkedShaft):
    """A wheel with magnets before a Hall switch."""

    own_hands = (
        Hand("speed_m_s", "Wheel rolls at", 0.6, 0.0, 8.0, 0.05, "m/s"),
        Hand("gain_m_s2", "and changes by", 0.5, 0.05, 10.0, 0.05, "m/s²"),
    )
    marks_by = "magnets"

    def make(self) -> None:
        self.circumference_m = self.near("circumference", 0.5) / 1000.0
        super().make()

    def wanted(self) -> float:
        track = self.world.track
        if track is not None:
            return abs(rolled_by(track, self.sensor)) / 1000.0 / self.circumference_m
        return self.hand("speed_m_s") / self.circumference_m

    def gain(self) -> float:
        return math.inf if self.world.track else self.hand("gain_m_s2") / self.circumference_m

    def truth(self) -> Mapping[str, float]:
        return {"speed": self.rate * self.circumference_m, "distance_m": self.turns * self.circumference_m}


class TachometerPart(MarkedShaft):
    """A shaft with pale strips before a comparator switch."""

    own_hands = (
        Hand("rpm", "Shaft turns at", 1200.0, 0.0, 12_000.0, 50.0, "rpm"),
        Hand("gain_rpm_s", "and changes by", 600.0, 10.0, 20_000.0, 10.0, "rpm/s"),
    )

    def wanted(self) -> float:
        return self.hand("rpm") / 60.0

    def gain(self) -> float:
        return self.hand("gain_rpm_s") / 60.0

    def truth(self) -> Mapping[str, float]:
        return {"rotation": 60.0 * self.rate}


class RollerPart(SimulatedShaft):
    """What encoders share: a roller with a circumference of its own."""

    own_hands = (Hand("speed_mm_s", "Roller rolls at", 30.0, -1000.0, 1000.0, 5.0, "mm/s"),)

    def make(self) -> None:
        self.circumference_mm = self.near("circumference", 0.5)
        self.steps = self.values["steps"].value
        super().make()

    def wanted(self) -> float:
        track = self.world.track
        speed = self.hand("speed_mm_s") if track is None else rolled_by(track, self.sensor)
        return speed / self.circumference_mm

    def gain(self) -> float:
        return math.inf if self.world.track else super().gain()

    def truth(self) -> Mapping[str, float]:
        return {"distance": self.turns * self.circumference_mm}


class StepsPart(RollerPart):
    """One channel: a running count of transitions, whatever the direction."""

    faults = ("missed", "doubled", "chatter", "stuck")

    def make(self) -> None:
        super().make()
        self.count = 0

    def events(self, t0_s: float, t1_s: float) -> list[Event]:
        slots = [i / self.steps for i in range(int(self.steps))]
        passed = len(self.crossings(slots, t0_s, t1_s))
        if self.has("stuck"):
            return []
        fresh = sum(2 if self.has("doubled") else 1 for _ in range(passed) if not self.has_missed())
        if self.has("chatter") and self.world.chance(20.0 * (t1_s - t0_s)):
            fresh += 2
        self.count += fresh
        return [(t1_s, {"count": float(self.count)})] if fresh else []

    def has_missed(self) -> bool:
        """Whether this transition is lost."""
        return self.has("missed") and self.world.chance(MISSED)

    def truth(self) -> Mapping[str, float]:
        return {"distance": abs(self.turns) * self.circumference_mm}


class QuadraturePart(RollerPart):
    """Two channels a quarter apart, told at each change."""

    faults = ("missed", "swapped", "chatter", "stuck")
    cycle = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))

    def make(self) -> None:
        super().make()
        self.quarter = 0

    def levels(self) -> dict[str, float]:
        """A and B now."""
        a, b = self.cycle[self.quarter % 4]
        return {"a": b, "b": a} if self.has("swapped") else {"a": a, "b": b}

    def events(self, t0_s: float, t1_s: float) -> list[Event]:
        if self.has("stuck"):
            return []
        quarters = [i / self.steps for i in range(int(self.steps))]
        forward = 1 if self.turns >= self.before else -1
        results: list[Event] = []
        for t, _ in self.crossings(quarters, t0_s, t1_s):
            self.quarter += forward
            if self.has("missed") and self.world.chance(MISSED):
                continue
            results.append((t, self.levels()))
        if self.has("chatter") and self.world.chance(20.0 * (t1_s - t0_s)):
            now = self.levels()
            results += [(t1_s, now | {"a": 1.0 - now["a"]}), (t1_s, now)]
        return sorted(results, key=lambda event: event[0])


class MotorHallsPart(SimulatedShaft):
    """Three latches under the can of a brushless motor, each a little out of its place."""

    own_hands = (
        Hand("rpm", "Motor turns at", 300.0, -6000.0, 6000.0, 10.0, "rpm"),
        Hand("gain_rpm_s", "and changes by", 300.0, 10.0, 20_000.0, 10.0, "rpm/s"),
    )
    faults = ("swapped", "inverted", "missed", "stuck", "chatter")
    placed_deg = 2.5  # electrical, k = 1

    def make(self) -> None:
        super().make()
        self.pairs = self.values["pole_pairs"].value
        self.order = motor_halls.SEQUENCES[str(int(self.values["scheme"].value))]
        self.sectors = [
            (60.0 * i + (self.world.normal(self.placed_deg) if i else 0.0)) / 360.0 for i in range(6)
        ]
        self.sector = 0
        off = [360.0 * at - 60.0 * i for i, at in enumerate(self.sectors)]
        changed = [self.order[i - 1] ^ self.order[i] for i in range(6)]
        places = [sum(off[i] for i in range(6) if changed[i] == bit) / 2 for bit in (4, 2, 1)]
        self.made = {f"place_h{n}": place - sum(places) / 3 for n, place in enumerate(places, 1)}

    def wanted(self) -> float:
        return self.hand("rpm") / 60.0

    def gain(self) -> float:
        return self.hand("gain_rpm_s") / 60.0

    def levels(self, sector: int) -> dict[str, float]:
        """The three levels in a sector."""
        code = self.order[sector % 6]
        h = [float(code >> 2 & 1), float(code >> 1 & 1), float(code & 1)]
        if self.has("inverted"):
            h[1] = 1.0 - h[1]
        if self.has("swapped"):
            h[0], h[2] = h[2], h[0]
        if self.has("missed"):
            h[1] = 0.0
        return {"h1": h[0], "h2": h[1], "h3": h[2]}

    def events(self, t0_s: float, t1_s: float) -> list[Event]:
        forward = self.turns >= self.before
        scaled, before = self.turns * self.pairs, self.before * self.pairs
        results: list[Event] = []
        kept = self.turns, self.before
        self.turns, self.before = scaled, before
        for t, edge in self.crossings(self.sectors, t0_s, t1_s):
            self.sector = edge if forward else edge - 1
            if not self.has("stuck"):
                results.append((t, self.levels(self.sector)))
        self.turns, self.before = kept
        if self.has("chatter") and results:
            t, now = results[-1]
            results += [(t + 0.0002, now | {"h1": 1.0 - now["h1"]}), (t + 0.0004, now)]
        return results

    def truth(self) -> Mapping[str, float]:
        return {"rotation": 60.0 * abs(self.rate)}
