"""Faults that any sampled reading can have, by name, sized by the part's own span."""

from __future__ import annotations

from tickstone.standin.parts.base import SimulatedPart

ZEROS, SPIKES = 0.3, 0.08
DRIFT_PER_S = 0.01  # of the span
FLICKER = 0.06  # of the span
CLIPPED_AT = 0.35  # of the span, where a pinned reading ends


class Disturber:
    """Disturbs the samples of one part; keeps what a fault must remember."""

    def __init__(self, part: SimulatedPart) -> None:
        self._part = part
        self._stuck: dict[str, float] | None = None
        self._since_s: float | None = None

    def disturb(self, read: dict[str, float]) -> dict[str, float]:
        """The readings with the faults that are switched on."""
        part, world, well = self._part, self._part.world, read
        t_s = world.t_s
        low, high = part.span()
        width = high - low
        if part.has("scale"):
            read = {name: _like(number, number / 2) for name, number in read.items()}
        if part.has("flicker"):
            wave = FLICKER * width * world.mains_wave()
            read = {name: _like(number, number + wave) for name, number in read.items()}
        if part.has("drift"):
            self._since_s = t_s if self._since_s is None else self._since_s
            crept = DRIFT_PER_S * width * (t_s - self._since_s)
            read = {
                name: _like(number, number + crept) if number else number for name, number in read.items()
            }
        else:
            self._since_s = None
        if part.has("clipping"):
            pinned = low + CLIPPED_AT * width if low >= 0 else high
            read = {name: _clipped(number, pinned, low, high) for name, number in read.items()}
        if part.has("spikes") and world.chance(SPIKES):
            name = list(read)[int(world.random.integers(0, len(read)))]
            read = read | {name: _like(read[name], low + float(world.random.uniform(0.03, 0.97)) * width)}
        if part.has("zeros") and world.chance(ZEROS):
            read = dict.fromkeys(read, 0.0)
        if part.has("stuck"):
            self._stuck = read if self._stuck is None else self._stuck
            return dict(self._stuck)
        self._stuck = None
        return {
            name: number if number == well[name] else min(max(number, low), high)
            for name, number in read.items()
        }


def _like(before: float, after: float) -> float:
    """A number with as many decimals as the reading had: counts stay whole."""
    return float(round(after)) if float(before).is_integer() else round(after, 1)


def _clipped(number: float, pinned: float, low: float, high: float) -> float:
    if low >= 0:
        return min(number, float(round(pinned)))
    gained = 8 * number  # a range far too small
    return min(max(gained, low), high)
