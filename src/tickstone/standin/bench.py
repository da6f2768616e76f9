"""What stands on the simulated bench: a target, air, and a ranger with faults of its own. Truth stays in here."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tickstone.core import ranging, sound
from tickstone.core.checks import check_between
from tickstone.errors import BadInput

FAULTS = ("zeros", "spikes", "garbled", "unplug")
PING_S = 0.05
AIR_EVERY = 20  # pings between two temperature readings
RULER_SD_MM = 0.6  # how well a hand puts a target at a ruler's mark
DETECTION_DELAY_US = 18.0  # from the echo's arrival to the pin's edge: this is what the offset is for
JITTER_US = 4.0
TICK_US = 4
AIR_SENSOR_OFFSET_K = 0.3
HUMIDITY_PCT = 62.0
REACH_MM = 4000.0


@dataclass(frozen=True)
class Hands:
    """What the person at the simulated bench has set: the ruler's reading, the air, the surface, and faults."""

    target_mm: float = 850.0
    temperature_c: float = 23.5
    reflectivity: float = 0.9
    faults: tuple[str, ...] = ()
    drift_mm_s: float = 0.0


LIMITS = {
    "target_mm": (20.0, 6000.0),
    "temperature_c": (-20.0, 60.0),
    "reflectivity": (0.0, 1.0),
    "drift_mm_s": (-2000.0, 2000.0),
}


def check_hands(hands: Hands) -> Hands:
    """The same hands, or BadInput naming the field that cannot be."""
    for name, (low, high) in LIMITS.items():
        check_between(getattr(hands, name), low, high, name)
    unknown = [fault for fault in hands.faults if fault not in FAULTS]
    if unknown:
        raise BadInput(f"faults must be among {', '.join(FAULTS)}, not {unknown[0]!r}.", "faults")
    return hands


class Bench:
    """The simulated board's view: ``line(t)`` is what it prints at a time. Seeded, so that a run can be repeated."""

    def __init__(self, seed: int = 1) -> None:
        self._random = np.random.default_rng(seed)
        self.hands = Hands()
        self._truth_mm = self._placed(self.hands.target_mm)
        self._moved_at_us: int | None = None
        self._pings = 0

    def _placed(self, ruler_mm: float) -> float:
        return ruler_mm + float(self._random.normal(0.0, RULER_SD_MM))

    def set(self, hands: Hands) -> None:
        """Move the hands; a target put elsewhere lands there as exactly as a hand can put it."""
        check_hands(hands)
        if hands.target_mm != self.hands.target_mm:
            self._truth_mm = self._placed(hands.target_mm)
        self.hands = hands

    def line(self, t_us: int) -> str:
        """What the board prints for the ping at ``t_us`` (its own unwrapped µs)."""
        self._move(t_us)
        self._pings += 1
        echo = self._echo_us()
        pairs = [f"t_us:{t_us % 2**32}", f"echo_us:{round(echo)}"]
        if self._pings % AIR_EVERY == 1:
            air = self.hands.temperature_c + AIR_SENSOR_OFFSET_K + float(self._random.normal(0, 0.08))
            pairs.append(f"air_c:{air:.1f}")
        text = " ".join(pairs)
        if "garbled" in self.hands.faults and self._random.random() < 0.15:
            text = self._garble(text)
        return text

    def _move(self, t_us: int) -> None:
        """Carry the target along at its drift, turning round at the ends of the bench."""
        drift = self.hands.drift_mm_s
        if drift and self._moved_at_us is not None:
            self._truth_mm += drift * (t_us - self._moved_at_us) / 1e6
            if (self._truth_mm < 150 and drift < 0) or (self._truth_mm > 3500 and drift > 0):
                self.hands = replace(self.hands, drift_mm_s=-drift)
            self.hands = replace(self.hands, target_mm=round(min(max(self._truth_mm, 20.0), 6000.0), 1))
        self._moved_at_us = t_us

    def _echo_us(self) -> float:
        faults, draw = self.hands.faults, self._random.random()
        if "zeros" in faults and draw < 0.3:
            return 0.0
        speed = float(sound.speed_of_sound_cramer(self.hands.temperature_c, HUMIDITY_PCT))
        if "spikes" in faults and draw > 0.92:
            return ranging.echo_from_distance_us(float(self._random.uniform(60, 3500)), speed)
        fading = self._truth_mm / REACH_MM / max(self.hands.reflectivity, 0.05)
        if self._truth_mm > REACH_MM or draw < 0.001 + 0.5 * max(0.0, fading - 0.6):
            return 0.0
        echo = ranging.echo_from_distance_us(self._truth_mm, speed) + DETECTION_DELAY_US
        echo += float(self._random.normal(0.0, JITTER_US))
        return max(0.0, round(echo / TICK_US) * TICK_US)

    def _garble(self, text: str) -> str:
        """Noise on the line: some characters become others, or a piece is lost together with the line's end."""
        where = int(self._random.integers(1, len(text)))
        if self._random.random() < 0.5:
            return text[:where] + "~}\ufffd"[int(self._random.integers(0, 3))] + text[where + 1 :]
        return text[:where] + "\x00"  # the process leaves out the line's end after this mark
